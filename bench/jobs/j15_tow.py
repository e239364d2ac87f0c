"""A raft of casks is towed across the basin at two speeds, the window following; a crate floats by."""

from __future__ import annotations

from bench.jobs.checks import counted, stored
from bench.jobs.hand import Hand
from tenka.app.sheet.waterfoot import WaterFoot
from tenka.effect.document import get
from tenka.scene.poses import pose_at

TITLE = "A raft is towed across the basin at two speeds"
MENDED = (
    "The wedge of a wake was not told: a basin tells it of every hull, at its slowest and its fastest. A "
    "window that follows a slow hull grew waves of its own: it moves by whole pairs of cells."
)


def do(hand: Hand) -> None:
    hand.new("Afloat")
    hand.coarse(24, 2.0)
    raft = next(f"props.{p.id}" for p in hand.effect.props if p.name == "Raft")
    hand.seen["raft"] = raft
    hand.select(raft)
    hand.keyed("shift_x", (1.0, 1.0) if hand.small else (2.0, 2.5))
    hand.see((0.4, -2.9, -0.1), 8.5, -65.0, 20.0)
    hand.select("layers.basin")
    hand.choose("basin.follows", "Raft")
    hand.simulated()
    hand.seen["told"] = next(
        f.told.text() for f in hand.window.sheet.findChildren(WaterFoot) if f.isVisible()
    )
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    raft, end = get(hand.effect, hand.seen["raft"]), hand.effect.seconds
    x = [pose_at(raft, hand.effect.props, t).origin[0] for t in (0.0, 0.25 * end, 0.75 * end, end)]
    speeds = (x[1] - x[0]) / (0.25 * end), (x[3] - x[2]) / (0.25 * end)
    assert speeds[1] > 1.3 * speeds[0], speeds
    frames = [stored(hand, "basin", n) for n in (hand.effect.frames // 2, hand.effect.frames - 1)]
    gone = frames[1].origin[0] - frames[0].origin[0]
    assert abs(gone - round(gone / frames[0].cell) * frames[0].cell) < 1e-4 and gone > 0.5, gone
    crates = next(x for x in hand.effect.layers if x.kind == "debris")
    last = stored(hand, crates.id, hand.effect.frames - 1)
    water = frames[1]
    for place, width in zip(last.points.place, last.points.width):
        i, j = (int((place[k] - water.origin[k]) / water.cell) for k in (0, 1))
        if 0 <= i < water.shape[0] and 0 <= j < water.shape[1]:
            assert abs(place[2] - water.level - water.rise[i, j]) < width, "a crate left the water"
    counted(hand)
    told = hand.seen["told"].partition("The wake of ")[2]
    assert told.startswith("Raft: a wedge of ") and told.count("°") == 2, hand.seen["told"]
    return {
        "Speeds": f"{speeds[0]:.2f} and {speeds[1]:.2f} m/s",
        "Wedge": told,
        "Window": f"moved by {gone:.2f} m, whole cells",
        "Foam": f"{float(water.foam.sum()) * water.cell**2:.2f} m2 in the window at the end",
    }
