"""Wet slip lies in a thin bed; a barrow on two waves wakes it and leaves a track; it grows thicker."""

from __future__ import annotations

import numpy as np

from bench.jobs.hand import Hand
from tenka.effect.courses import value_at

TITLE = "Slip in a thin bed, woken by a barrow"
MENDED = (
    "A package held its set as it stood at the start: props that move go into it with where they are in "
    "each frame, and Proof and page move them; the page drew a water without its sides and the ground "
    "without its grain; an effect is called as the file that it is saved in."
)


def do(hand: Hand) -> None:
    hand.new("Mud")
    hand.coarse(seconds=1.0)
    hand.remove("layers.mud.sources.pour")
    hand.select("layers.mud")
    hand.vector("basin.size", 2.8, 1.8, 0.5)
    hand.vector("basin.origin", -1.4, -0.9, 0.0)
    hand.type("basin.depth", "12 cm")
    hand.keyed("flow.viscosity", (0.0, 0.01), (hand.effect.seconds, 0.12))
    hand.tray("Prop", "Box")
    hand.vector("size", 0.4, 0.3, 0.4)
    hand.vector("position", 0.0, 0.0, 0.03)
    hand.course("shift_x", "wave")
    hand.in_drawer("amount", 0.75)
    hand.in_drawer("period", 4.0)
    hand.course("shift_y", "wave")
    hand.in_drawer("amount", 0.3)
    hand.in_drawer("period", 2.0)
    hand.tray("Block")
    hand.select("layers.mud")
    hand.look("Wet slip")
    hand.station("shape")
    hand.see((0.0, 0.0, 0.1), 3.8, -70.0, 24.0)
    hand.simulated()
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    id, last = hand.effect.layers[0].id, hand.effect.frames - 1
    begin, end = (hand.state.session.frame(n).frames[id] for n in (0, last))
    moved = np.abs(end.rise - begin.rise)
    x, y = (begin.origin[k] + (np.arange(n) + 0.5) * begin.cell for k, n in enumerate(begin.shape))
    times = np.linspace(0.0, hand.effect.seconds, 400)
    barrow = hand.effect.prop(hand.effect.props[-1].id)
    ways = [[value_at(v, t) for t in times] for v in (barrow.shift_x, barrow.shift_y)]
    away = np.min(
        np.hypot(x[:, None, None] - np.array(ways[0]), y[None, :, None] - np.array(ways[1])), axis=2
    )
    track, asleep = moved[away < 0.15], moved == 0.0
    assert track.mean() > 0.01 and asleep.mean() > 0.15 and asleep[away > 0.9].all()
    thick = [value_at(hand.effect.layers[0].flow.viscosity, t) for t in (0.0, hand.effect.seconds)]
    assert thick[1] > 5 * thick[0]
    return {
        "Track": f"{100 * track.mean():.1f} cm deep or high on the barrow's way; "
        f"{100 * asleep.mean():.0f} % of the bed has not moved at all"
    }
