"""A banner on a pole burns along its hem, in patches, green at the rim; its flare's expansion by keys."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint

from bench.jobs.checks import counted, stored
from bench.jobs.hand import Hand
from tenka.demo import FOLDER
from tenka.package.manifest import read
from tenka.proof.engine import Package, package_view

TITLE = "A banner burns along its hem, green at the rim"
MENDED = (
    "A flipbook of what clings to a prop was hidden behind it: sprites can be *drawn nearer*, and what is "
    "set on fire begins so. Sprites had neither a height nor a brightness of their own to be levers. What a "
    "clip bends stood still in packages: it is told point by point, and Proof and the page bend it."
)
RIM, GREEN, WARM = (0.0, 0.3, 0.12), (0.1, 0.85, 0.4), (1.0, 0.6, 0.2)


def do(hand: Hand) -> None:
    hand.new()
    hand.drop(FOLDER / "props" / "banner_pole.glb")
    hand.drop(FOLDER / "props" / "banner.glb")
    banner = hand.state.selection
    hand.foot("Set on fire")
    gas = f"layers.{hand.effect.gases[0].id}"
    source = f"{gas}.sources.{hand.effect.gases[0].sources[0].id}"
    hand.seen |= {"banner": banner, "source": source}
    hand.type("part", "hem")
    hand.type("breakup", 0.9)
    hand.type("breakup_size", "18 cm")
    hand.type("fuel", 12)
    hand.type("thickness", "6 cm")
    hand.coarse(30, 1.0)
    hand.keyed("expansion", (0.0, 0.0), (0.4, 6.0), (0.9, 1.0))
    hand.select(gas)
    hand.type("fire.soot", 0.8)
    hand.foot("Fit to sources")
    if not hand.small:
        hand.type("domain.voxel", "3.5 cm")
    hand.station("look")
    hand.choose("look.flame_by", "ramp")
    hand.type("look.flame", 6)
    hand.colours("look.flame_ramp", (0.0, RIM), (0.5, GREEN), (1.0, WARM))
    hand.type("light.strength", 1.2)
    hand.type("light.sky", 0.25)
    hand.station("shape")
    hand.see((0.0, 0.0, 1.9), 6.0, -72.0, 4.0)
    hand.simulated()
    hand.station("pack")
    hand.tick("route.six_way")
    hand.type("route.player.count", 2)
    hand.type("route.width", 1024)
    hand.type("route.height", 1024)
    hand.tier("Low")
    hand.own("route.width", 512)
    hand.own("route.height", 512)
    hand.menu("route.player.tall", "Give it to the game")
    hand.menu("route.player.brightness", "Give it to the game")
    hand.not_on("High")
    hand.further("grid")
    hand.not_on("Low")
    hand.not_on("Mid")
    hand.tier("Mid")
    hand.moment = round(0.3 * hand.effect.frames)
    hand.deliver()
    proof = hand.window.proof
    hand.seen["levers"] = list(proof.bar.levers.sliders)
    hand.click(proof.bar.turn)
    middle = proof.screen_.rect().center()
    before = proof.screen_.image
    hand.drag(proof.screen_, middle, middle + QPoint(160, 0))
    hand.until(lambda: proof.screen_.image is not before, "the light that turns", 60)
    hand.click(proof.bar.turn)


def holds(hand: Hand) -> dict[str, str]:
    gas = hand.effect.gases[0]
    frame = stored(hand, gas.id, hand.effect.frames - 1)
    flame = np.asarray(frame.flame)
    height = np.asarray(frame.origin)[2] + frame.voxel * (
        np.nonzero(flame > 0.2 * flame.max())[2].min() + 0.5
    )
    assert flame.max() > 0.02 and height < 1.5, height
    assert len(hand.seen["levers"]) == 2, hand.seen
    counted(hand)
    mid, high = read(hand.packages[1]), read(hand.packages[2])
    assert [e.route for e in mid.elements] == ["flipbook"] and [e.route for e in high.elements] == ["grid"]
    (live,) = high.elements
    told = json.loads((hand.packages[2] / live.table.file).read_text())
    feeds = next(iter(told["sources"].values()))
    expands = feeds["expansion"]["value"]
    assert len(expands) == hand.effect.frames and max(expands) > 3 * expands[-1]
    left, right = lit_apart(hand.packages[1], hand)
    assert max(abs(left), abs(right)) > 0.3 and (hand.small or left > right + 0.4), (left, right)
    return {
        "Flames": f"from {height:.2f} m up, where the hem hangs",
        "Live grid": f"{live.shape[0]} x {live.shape[1]} x {live.shape[2]} voxels, expansion told at each of "
        f"{len(expands)} frames",
        "Re-lit": f"with the sun at the left its left half is {left:+.1f} of 255 lighter than with the sun "
        f"at the right, its right half {right:+.1f}",
    }


def lit_apart(folder: Path, hand: Hand) -> tuple[float, float]:
    """How much lighter what is packed is with the sun at its left than at its right, in its left and in its
    right half, of 255: where it is seen before what no sun lights."""
    package, pictures = Package(folder), []
    view = package_view(package, 320, 200, hand.effect.camera)
    for aside in (-90.0, 90.0):
        package.turn_light(hand.effect.camera.heading + aside, 25.0)
        t = 0.8 * hand.effect.seconds
        both = (package.draw(t, view, runs=()), package.draw(t, view))  # without it, and with it
        pictures.append([drawn.rgb.astype(float) for drawn in both])
    (none, seen), (as_none, as_seen) = pictures
    y, x = np.nonzero((np.abs(seen - none).max(axis=2) > 3) & (none == as_none).all(axis=2))
    assert len(x) > 50, len(x)
    lighter, middle = (seen - as_seen)[y, x].mean(axis=1), np.median(x)
    return float(lighter[x < middle].mean()), float(lighter[x >= middle].mean())
