"""Chaff is carried by a stored draught, coloured by where it goes; the draught is changed and the chaff kept,
and the other way."""

from __future__ import annotations

import numpy as np

from bench.jobs.checks import counted, read_vdb, stored
from bench.jobs.hand import Hand
from tenka.package.manifest import read
from tenka.run.plans import plans_of

TITLE = "Chaff is carried by a stored draught"
MENDED = "Nothing new."


def do(hand: Hand) -> None:
    hand.new()
    gas = hand.tray("Layer", "Gas")
    hand.select(f"{gas}.sources.source")
    hand.vector("position", -1.1, 0.0, 0.7)
    hand.vector("size", 0.5, 0.9, 0.9)
    hand.type("density", 0.8)
    hand.type("temperature", 10)
    hand.vector("push", 2.6, 0.0, 0.2)
    hand.tray("Swirl")
    hand.vector("position", 0.6, 0.0, 0.2)
    hand.type("reach", 1.1)
    hand.type("height", 1.8)
    chaff = hand.tray("Layer", "Dust")
    hand.select(f"{chaff}.sources.puff")
    hand.vector("position", -1.1, 0.0, 0.7)
    hand.vector("size", 0.3, 0.7, 0.7)
    hand.type("rate", 4000 if not hand.small else 200)
    hand.type("width", "1.6 cm")
    hand.type("life", 2.6)
    hand.select(chaff)
    hand.type("motion.gravity", 0.1)
    hand.station("look")
    hand.choose("look.form", "streak")
    hand.type("look.scale", 1)
    hand.type("look.opacity", 0.9)
    hand.choose("look.colour_by", "direction")
    hand.type("light.heading", 160)
    hand.choose("light.backdrop", "dark")
    hand.station("shape")
    hand.remove("props.prop")
    hand.select(gas)
    hand.vector("domain.origin", -1.6, -1.2, 0.0)
    hand.vector("domain.size", 3.6, 2.4, 1.9)
    hand.type("domain.voxel", "6 cm" if not hand.small else "16 cm")
    hand.coarse(24, 1.0)
    if not hand.small:
        hand.whole()
        hand.type("seconds", 2.6)
        hand.select(gas)
    hand.see((-0.1, 0.1, 0.8), 3.3, -78.0, 14.0)
    hand.simulated()
    hand.seen["first"] = names(hand)
    hand.select(chaff)
    hand.type("motion.drag", 2)
    hand.seen["chaff"] = names(hand)
    at = hand.effect.frames - 1
    hand.simulated()
    hand.seen["blown"] = places(hand, chaff, at)
    hand.select(f"{gas}.sources.source")
    kept = hand.effect.layer(chaff.split(".")[1])
    hand.vector("push", 1.2, 0.8, 0.2)
    hand.seen["draught"] = names(hand)
    hand.simulated()
    assert hand.effect.layer(chaff.split(".")[1]) == kept
    hand.seen["turned"] = places(hand, chaff, at)
    hand.moment = round(0.6 * hand.effect.frames)
    hand.select(gas)
    hand.station("pack")
    hand.delivery("Gas")
    hand.draws("Dust")
    hand.type("route.player.count", 1)
    hand.type("route.pitch", 14)
    hand.not_on("High")
    hand.further("volume")
    for name in ("temperature", "flame", "colour", "velocity"):
        hand.tick(f"route.{name}")
    hand.not_on("Low")
    hand.not_on("Mid")
    hand.delivery("Dust")
    hand.route("particles")
    hand.not_on("Low")
    hand.not_on("Mid")
    hand.tier("Mid")
    hand.deliver()


def places(hand: Hand, path: str, at: int) -> np.ndarray:
    """Where the particles of a layer are in a frame, (n, 3) m."""
    if hand.dry:
        return np.zeros((1, 3))
    return np.array(stored(hand, path.split(".")[1], at).points.place)


def names(hand: Hand) -> dict[str, str]:
    """The stored name of each layer's last frame: the same name is the same frame."""
    plans = plans_of(hand.effect, hand.state.folder)
    return {layer.kind: plans[layer.id].name(hand.effect.frames - 1) for layer in hand.effect.layers}


def holds(hand: Hand) -> dict[str, str]:
    seen = hand.seen
    assert seen["chaff"]["gas"] == seen["first"]["gas"], "chaff that changes leaves the draught as stored"
    assert seen["chaff"]["particles"] != seen["first"]["particles"]
    assert seen["draught"]["gas"] != seen["chaff"]["gas"]
    aside = [float(np.mean(seen[name][:, 1])) for name in ("blown", "turned")]
    assert aside[1] > aside[0] + 0.05, aside
    mid, high = read(hand.packages[1]), read(hand.packages[2])
    (book,), routes = mid.elements, {e.route for e in high.elements}
    assert set(book.layers) == {"Gas", "Dust"} and routes == {"volume", "particles"}
    files = sorted(hand.packages[2].glob("*.vdb"))
    grids = read_vdb(files[len(files) // 2])
    assert set(grids) == {"density", "velocity"} and all(grids.values()), grids
    counted(hand)
    return {
        "Changed apart": "chaff alone: not a frame of the draught is made anew; the draught alone: the "
        f"chaff's settings stay, and it lies {aside[1] - aside[0]:.2f} m further to the side",
        "VDB": f"{len(files)} files, of which one has {grids} active voxels by the reference reader",
    }
