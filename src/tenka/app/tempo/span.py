"""Which part of the time the tempo shows, and which stretch of it is played over and over."""

from __future__ import annotations

from dataclasses import dataclass

CLOSEST = 6.0  # frames that are shown at the least


@dataclass
class Span:
    """A part of an effect's time.

    Attributes
    ----------
    start, length : what is shown, s; a length of 0 is all of it
    stretch : first and last frame of what is played, or None for all
    """

    start: float = 0.0
    length: float = 0.0
    stretch: tuple[int, int] | None = None

    def shown(self, seconds: float) -> tuple[float, float]:
        """What is shown of an effect of so many seconds: its start and length, s."""
        length = min(self.length, seconds) if self.length > 0 else seconds
        return min(max(self.start, 0.0), seconds - length), max(length, 1e-6)

    def zoom(self, by: float, about: float, seconds: float, rate: float) -> None:
        """Show a `by`-th of what is shown, with the moment `about` (s) staying where it is."""
        start, length = self.shown(seconds)
        wanted = min(max(length / by, min(CLOSEST / rate, seconds)), seconds)
        share = (about - start) / length
        self.start, self.length = about - share * wanted, wanted
        self.start = self.shown(seconds)[0]

    def pan(self, by: float, seconds: float) -> None:
        """Show what is `by` seconds later."""
        start, self.length = self.shown(seconds)
        self.start = start + by
        self.start = self.shown(seconds)[0]

    def all(self) -> None:
        self.start = self.length = 0.0

    def follow(self, t: float, seconds: float) -> bool:
        """Bring a moment into view; whether anything moved."""
        start, length = self.shown(seconds)
        if start - 1e-9 <= t <= start + length + 1e-9:
            return False
        self.start, self.length = t, length
        self.start = self.shown(seconds)[0]
        return True

    def played(self, frames: int) -> tuple[int, int]:
        """First and last frame of what is played."""
        if self.stretch is None:
            return 0, frames - 1
        first, last = (min(max(f, 0), frames - 1) for f in self.stretch)
        return min(first, last), max(first, last)
