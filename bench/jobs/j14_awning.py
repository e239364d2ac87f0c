"""Steam off a soaked awning for the small device: six sprites, born along its hem."""

from __future__ import annotations

import numpy as np

from bench.jobs.hand import Hand
from tenka.effect.document import on_tier
from tenka.package.manifest import read
from tenka.proof.elements.flipbook import sprites

TITLE = "Steam off a soaked awning for the small device"
MENDED = "Sprites were born in a disc alone: *born along* lays them on a line."
WIDE = 2.8


def do(hand: Hand) -> None:
    hand.new("Plume")
    hand.coarse(20, 1.0)
    hand.select("layers.plume.sources.mouth")
    hand.vector("position", 0.0, 0.0, 2.05)
    hand.vector("size", 0.5, 0.2, 0.12)
    hand.type("density", 3)
    hand.type("temperature", 60)
    hand.vector("push", 0.0, 0.0, 0.1)
    hand.select("layers.plume")
    hand.foot("Fit to sources")
    hand.type("domain.voxel", "6 cm" if not hand.small else "14 cm")
    hand.look("Steam")
    hand.station("shape")
    hand.tray("Prop", "Box")
    hand.vector("size", 1.3, 3.0, 0.04)
    hand.vector("position", 0.0, 0.5, 2.2)
    hand.type("turn", 90)
    hand.type("tilt", 18)
    hand.colour("colour", 0.25, 0.1, 0.07)
    hand.see((0.0, 0.0, 1.9), 6.5, -75.0, 4.0)
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
