"""A heap of crates, thinned, burns; its box is made to fit by two gestures; a volume goes to the game."""

from __future__ import annotations

from bench.jobs.checks import counted, read_vdb
from bench.jobs.hand import Hand
from tenka.demo import FOLDER
from tenka.effect.document import get

TITLE = "A heap of crates burns in a box that fits"
MENDED = (
    "Sprites turned wholly to the eye: a tall fire that is looked up to from near was twice as tall in the "
    "game. They can stand *upright*, turned about the vertical alone, and what is set on fire begins so."
)


def do(hand: Hand) -> None:
    hand.new()
    hand.drop(FOLDER / "props" / "crate.glb")
    heap = hand.state.selection
    hand.seen["heap"] = heap
    hand.type("keep", 0.5)
    hand.type("copies", 8)
    hand.vector("spread", 0.5, 0.5, 1.2)
    hand.foot("Drop them")
    hand.until(lambda: len(get(hand.effect, heap).lies) == 8, "the heap", 120)
    hand.select(heap)
    hand.foot("Set on fire")
    hand.type("fuel", 4)
    hand.see((0.0, 0.0, 1.2), 7.5, -75.0, 7.0)
    gas = f"layers.{hand.effect.gases[0].id}"
    hand.coarse(26, 1.0)
    hand.simulated()
    hand.select(gas)
    before = hand.count
    hand.foot("Fit to sources")
    hand.simulated()
    cut = [f for f in hand.state.findings() if "ut off" in f.text]
    if cut:
        hand.button(cut[0].mend)
        hand.simulated()
    hand.seen["gestures"] = hand.count - before
    hand.seen["cut"] = [f.text for f in hand.state.findings() if "ut off" in f.text]
    hand.station("pack")
    hand.type("route.heading", -75)
    hand.tick("route.crop")
    hand.type("route.columns", 16)
    hand.type("route.rows", 4)
    hand.seen_from(24)
    hand.type("route.player.count", 1)
    hand.type("route.player.rotation", 0)
    hand.type("route.player.nearer", 0)  # crates before it hide it, and it fades towards the ground
    hand.tier("Low")
    hand.own("route.width", 1024)
    hand.own("route.height", 1024)
    hand.not_on("High")
    hand.further("volume")
    hand.type("route.threshold", 0.01)
    hand.type("route.player.samples", 24)
    hand.not_on("Low")
    hand.not_on("Mid")
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    assert hand.seen["gestures"] <= 2 and not hand.seen["cut"], hand.seen
    counted(hand)
    files = sorted(hand.packages[2].glob("*.vdb"))
    grids = read_vdb(files[len(files) // 2])
    assert grids["density"] > 0 and "flame" in grids, grids
    return {
        "Box": f"{hand.seen['gestures']} gestures to one at which nothing is cut",
        "VDB": f"{len(files)} files, of which one has {grids} active voxels by the reference reader",
    }
