"""Which frame is to be shown next: the pace, the direction and the stretch of what is played."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

SPEEDS = (0.125, 0.25, 0.5, 1.0, 2.0, 4.0)
WORDS = ("⅛ ×", "¼ ×", "½ ×", "1 ×", "2 ×", "4 ×")


@dataclass
class Player:
    """Playing, apart from any clock and picture.

    Attributes
    ----------
    speed : times the true rate
    backward : whether it goes against time
    every_frame : whether no frame is passed over, however long each takes
    """

    speed: float = 1.0
    backward: bool = False
    every_frame: bool = False

    def following(
        self, frame: int, waited: float, rate: float, played: tuple[int, int], stored: Sequence[bool]
    ) -> int | None:
        """The frame to show after `frame`, which has been shown for `waited` seconds; None while its time
        has not come.

        Only stored frames are passed over to keep the rate: the edge of a running simulation is walked
        frame by frame.
        """
        first, last = played
        way = -1 if self.backward else 1
        if not first <= frame <= last:
            return last if self.backward else first
        due = 1 if self.every_frame else int(waited * rate * self.speed + 1e-9)
        if due < 1:
            return None
        while due > 1:
            at = frame + way * due
            if not first <= at <= last or (0 <= at < len(stored) and stored[at]):
                break
            due -= 1
        at = frame + way * due
        return (last if self.backward else first) if not first <= at <= last else at
