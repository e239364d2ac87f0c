"""The boiler bursts: its cloud in slices, flash, shimmer and pieces, all on one cue."""

from __future__ import annotations

import numpy as np

from bench.jobs.checks import counted, flips
from bench.jobs.hand import Hand
from tenka.demo import FOLDER
from tenka.package.manifest import read
from tenka.proof.engine import Package, package_view

TITLE = "The boiler bursts in slices, on cue"
MENDED = "Nothing new."
ROUND = (0.0, 20.0, 40.0, 60.0)


def do(hand: Hand) -> None:
    hand.new("Fireball")
    hand.coarse(24, 1.0)
    hand.drop(FOLDER / "props" / "boiler.glb")
    hand.foot("Let it break")
    pieces = hand.state.selection
    hand.type("pieces.cuts", 60 if not hand.small else 14)
    hand.type("pieces.wall", "3 cm")
    hand.at(round(0.25 * hand.effect.rate))
    hand.click(hand.window.tempo.cue)
    cue = hand.effect.cues[0].name
    hand.select(f"{pieces}.sources.blow")
    hand.type("burst_at", 0)
    hand.choose("cue", cue)
    charge = "layers.fireball.sources.charge"
    hand.select(charge)
    hand.vector("position", 0.0, 0.0, 1.1)
    hand.choose("cue", cue)
    hand.select("layers.fireball")
    if not hand.small:
        hand.foot("Fit to sources")
        hand.type("domain.voxel", "9 cm")
    hand.station("look")
    hand.type("look.shimmer", 30)
    hand.station("shape")
    hand.see((0.0, 0.0, 1.7), 12.0, -80.0, 5.0)
    hand.simulated()
    hand.select("layers.fireball")
    hand.station("pack")
    hand.seen_from(22)
    hand.delivery("Fireball")
    hand.route("slices")
    hand.type("route.side", 128 if not hand.small else 48)
    hand.type("route.count", 4)
    hand.not_on("Low")
    hand.not_on("Mid")
    hand.further("flipbook")
    hand.type("route.player.count", 1)
    hand.tier("Low")
    hand.own("route.width", 1024)
    hand.own("route.height", 896)
    hand.not_on("High")
    hand.further("shimmer")
    hand.not_on("Low")
    hand.not_on("Mid")
    hand.further("light")
    hand.type("route.player.reach", 3.2)
    hand.not_on("Low")
    hand.tier("High")
    hand.moment = round(0.7 * hand.effect.rate)
    hand.deliver()
    hand.button("Trigger")


def holds(hand: Hand) -> dict[str, str]:
    told = read(hand.packages[2])
    assert {e.route for e in told.elements} == {"slices", "shimmer", "light", "bodies"}
    (mark,) = told.marks
    assert abs(mark.at - 0.25) < 0.03
    package = Package(hand.packages[2])
    view = package_view(package, 240, 150, hand.effect.camera)
    none, before, after = (
        package.draw(t, view).rgb.astype(float) for t in (-1.0, mark.at - 0.05, mark.at + 0.3)
    )
    early, late = (np.abs(p - none).max(axis=2) for p in (before, after))
    assert (late > 12).mean() > 0.01 and (early > 12).mean() < 0.2 * (late > 12).mean()
    counted(hand)
    found = {a: flips(hand, "high", {}, sides=(a,))[0] for a in (ROUND if not hand.small else ROUND[3:])}
    assert max(found.values()) < (0.2 if not hand.small else 0.4), found
    return {
        "Error by angle": ", ".join(f"FLIP {flip:.3f} at {a:.0f}°" for a, flip in found.items()),
        "On cue": f"all begins at {mark.at:.2f} s, *{mark.name}*",
    }
