"""Steam off a soaked awning for the small device: six sprites, born along its hem."""

from __future__ import annotations

import numpy as np

from bench.jobs.hand import Hand
from tenka.effect.document import on_tier
from tenka.package.manifest import read
from tenka.proof.elements.flipbook import sprites

TITLE = "Steam off a soaked awning for the small device"
MENDED = "Sprites were born in a disc alone: *born along* lays them on a line."
PICTURE = "proof"  # which one the guide shows: six sprites are the game's
WIDE = 2.4


def do(hand: Hand) -> None:
    hand.new("Plume")
    hand.coarse(20, 1.0)
    hand.select("layers.plume.sources.mouth")
    hand.vector("position", 0.0, 0.1, 2.14)
    hand.vector("size", 0.9, 0.8, 0.12)
    hand.type("density", 3)
    hand.type("temperature", 180)
    hand.vector("push", 0.0, 0.0, 0.7)
    hand.type("breakup", 1)
    hand.type("breakup_size", 0.22)
    hand.select("layers.plume")
    hand.foot("Fit to sources")
    hand.type("domain.voxel", "4 cm" if not hand.small else "14 cm")
    hand.look("Steam")
    hand.type("look.extinction", 6)
    hand.type("light.heading", 150)
    hand.type("light.height", 24)
    hand.station("shape")
    hand.type("fading.heat_half_life", 2)
    hand.type("fading.half_life", 2.4)
    hand.tray("Prop", "Box")  # the awning, its posts and a wall behind it
    hand.vector("size", 1.35, 3.1, 0.05)
    hand.vector("position", 0.0, 0.52, 2.2)
    hand.type("turn", 90)
    hand.type("tilt", -18)
    hand.colour("colour", 0.3, 0.09, 0.06)
    for x in (-1.4, 1.4):
        hand.tray("Prop", "Cylinder")
        hand.vector("size", 0.07, 0.07, 2.0)
        hand.vector("position", x, -0.08, 1.0)
    hand.tray("Prop", "Box")
    hand.vector("size", 4.4, 0.2, 3.2)
    hand.vector("position", 0.0, 1.3, 1.6)
    hand.select("props.prop")
    hand.vector("position", 2.0, 0.3, 0.0)
    hand.see((0.0, 0.3, 2.15), 6.2, -72.0, 3.0)
    hand.simulated()
    hand.station("pack")
    hand.type("route.player.count", 6)
    hand.vector("route.player.along", WIDE, 0.0, 0.0)
    hand.type("route.player.scatter", 0.05)
    hand.tick("route.player.any_start")
    hand.save()
    hand.tier("Low")
    hand.spin(0.5)
    hand.seen["over"] = hand.state.ledger.over
    if not hand.small or hand.state.ledger.over:
        hand.save_within("Low")
    hand.save()
    hand.station("pack")
    hand.pack()
    hand.proof()
    hand.click(hand.window.proof.bar.walks)
    hand.spin(0.3)
    hand.seen["said"] = hand.window.said.text()


def holds(hand: Hand) -> dict[str, str]:
    book = hand.state.ledgers["low"]
    assert not book.over and not book.uncounted
    (element,) = read(hand.packages[-1]).elements
    played = on_tier(hand.effect, "low").deliveries[0].route.player
    assert played.count == 6, "six sprites were asked for"
    alive = sprites(element, element.player, 3.0 * element.player.life)
    x = np.sort(alive.place[:, 0] - element.attach[0])
    assert len(x) == 6 and np.ptp(x) > 0.6 * WIDE and np.abs(x).max() < 0.5 * WIDE + 0.1
    assert "hard" not in hand.seen["said"] and element.player.soft_edge > 0
    return {
        "Low": f"{book.ms:.3f} of {book.tier.ms:g} ms, {book.mb:.2f} of {book.tier.mb:g} MB, by suggestions",
        "Born along": f"six sprites over {np.ptp(x):.1f} m",
    }
