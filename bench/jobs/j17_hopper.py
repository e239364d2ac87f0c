"""Glaze powder whirls in a hopper: the column wanders, the source turns in step, closed ends hold it."""

from __future__ import annotations

import numpy as np

from bench.jobs.checks import counted, stored
from bench.jobs.hand import Hand
from tenka.demo import FOLDER
from tenka.package.manifest import read

TITLE = "Glaze powder whirls in a hopper"
MENDED = "Nothing new."


def do(hand: Hand) -> None:
    hand.new("Plume")
    hand.coarse(24, 2.0)
    plume = "layers.plume"
    hand.remove("forces.wind")
    hand.drop(FOLDER / "props" / "hopper.glb")
    hand.tray("Prop", "Box")
    hand.vector("size", 0.7, 0.06, 0.06)
    hand.vector("position", 0.0, 0.0, 0.95)
    hand.keyed("turn", (0.0, 0.0), (hand.effect.seconds, 1080.0 if not hand.small else 540.0))
    hand.select(f"{plume}.sources.mouth")
    hand.choose("parent", "Box")
    hand.vector("position", 0.4, 0.0, 0.08)
    hand.vector("size", 0.3, 0.3, 0.15)
    hand.type("density", 12)
    hand.type("temperature", 0)
    hand.tick("dye")
    hand.colour("dye_colour", 0.12, 0.42, 0.4)
    hand.tray("Swirl")
    hand.vector("position", 0.0, 0.0, 1.5)
    hand.type("reach", 0.8)
    hand.type("height", 1.8)
    hand.type("wander", 0.12)
    hand.type("lift", 0.5)
    hand.choose("turned_by", "Box")
    hand.select(plume)
    hand.vector("domain.origin", -1.15, -1.15, 0.66)
    hand.vector("domain.size", 2.3, 2.3, 1.9)
    hand.type("domain.voxel", "5 cm" if not hand.small else "10 cm")
    hand.type("fading.half_life", 3600)
    hand.type("fading.clear_out", 3600)
    for name in ("domain.open_low", "domain.open_high"):
        for part in (0, 1):
            hand.wall(name, part)
    hand.wall("domain.open_high", 2)
    hand.see((0.0, 0.0, 1.45), 5.2, -75.0, 20.0)
    hand.simulated()
    hand.station("pack")
    hand.type("route.pitch", 20)
    hand.tick("route.loop")
    hand.tick("route.player.any_start")
    hand.type("route.player.count", 1)
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    gas = hand.effect.gases[0]
    assert not any((*gas.domain.open_low, *gas.domain.open_high))
    masses = [stored(hand, gas.id, n).meta["mass"] for n in range(hand.effect.frames)]
    grown = np.diff(masses)
    assert grown.min() > -0.02 * max(masses), "nothing leaves a closed box"
    (element,) = read(hand.packages[1]).elements
    assert element.seam is not None and (hand.small or element.seam < 1.0)
    counted(hand)
    return {
        "Held": f"{masses[0]:.3f} to {masses[-1]:.3f} in the box, which is closed all round",
        "Seam": f"{element.seam:.2f} of the median step",
    }
