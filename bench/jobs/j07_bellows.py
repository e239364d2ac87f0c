"""One puff of the bellows over a sprite's life: bright at birth, settling, by a play curve."""

from __future__ import annotations

from bench.jobs.checks import counted, flips
from bench.jobs.hand import Hand
from tenka.demo import FOLDER
from tenka.package.manifest import read

TITLE = "One puff of the bellows over a sprite's life"
MENDED = (
    "Bursts began with three sprites that follow one another; they begin with one that plays once. Motion "
    "atlases held nothing for moments that lie between two simulated frames, and do."
)


def do(hand: Hand) -> None:
    hand.new("Puff")
    hand.coarse(30)
    puff = "layers.puff"
    hand.select(f"{puff}.sources.burst")
    hand.vector("position", 0.0, 0.0, 0.35)
    hand.vector("size", 0.3, 0.3, 0.3)
    hand.vector("push", 5.0, 0.0, 1.2)
    hand.tick("dye")
    hand.colour("dye_colour", 0.85, 0.4, 0.16)
    hand.select(puff)
    hand.type("motion.weight", 0.3)
    hand.type("fading.half_life", 1.1)
    hand.drop(FOLDER / "props" / "bellows.glb")
    hand.vector("position", -0.75, 0.0, 0.0)
    hand.see((0.2, 0.0, 0.6), 5.0, -80.0, 7.0)
    hand.simulated()
    hand.station("pack")
    hand.type("route.columns", 4)
    hand.type("route.rows", 4)
    hand.type("route.width", 1024)
    hand.type("route.height", 1024)
    hand.tick("route.motion")
    hand.colours(
        "route.player.tint_over", (0.0, (1.0, 0.86, 0.7)), (0.25, (1.0, 1.0, 1.0)), (1.0, (0.8, 0.8, 0.85))
    )
    hand.shape("route.player.frames_over", (0.0, 0.0), (0.3, 0.45), (1.0, 1.0))
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    (element,) = read(hand.packages[1]).elements
    player = element.player
    assert element.times[-1] <= hand.effect.seconds and player.life == hand.effect.seconds
    assert player.frames_over.stops[-1].value == 1.0 and player.plays == 1.0
    assert element.motion is not None
    route = f"deliveries.{hand.state.delivery.id}.route"
    half, plain, whole = flips(
        hand,
        "mid",
        {},
        {f"{route}.motion": False},
        {f"{route}.motion": False, f"{route}.rows": 8, f"{route}.height": 2048},
    )
    assert half <= plain and (hand.small or half < 1.05 * whole), (half, plain, whole)
    counted(hand)
    return {
        "Blended along its motion": f"FLIP {half:.4f} with 16 frames, {plain:.4f} without, {whole:.4f} with "
        "32 frames and without"
    }
