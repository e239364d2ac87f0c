"""Puffs over far roofs: three variants, alpha levels, light from behind, fifty copies."""

from __future__ import annotations

import numpy as np

from bench.jobs.checks import counted
from bench.jobs.hand import Hand
from tenka.package.manifest import read
from tenka.proof.elements.flipbook import left_afar

TITLE = "Puffs over far roofs"
MENDED = (
    "A call was counted for each copy, which is more than drawing far puffs takes: a tier says how many of "
    "them the game draws *in one call*, and the ledger tells where calls are much of a budget."
)


def do(hand: Hand) -> None:
    hand.new("Puff")
    hand.coarse(20, 1.0)
    hand.select("layers.puff.sources.burst")
    hand.type("density", 12)
    hand.station("look")
    hand.type("light.heading", 100)
    hand.type("light.height", 14)
    hand.choose("light.backdrop", "sky")
    hand.station("shape")
    hand.see((0.0, 0.0, 1.4), 9.0, -80.0, 2.0)
    hand.simulated()
    hand.station("pack")
    hand.type("route.columns", 8)
    hand.type("route.rows", 6 if not hand.small else 3)
    hand.type("route.variants", 3)
    hand.type("route.alpha_floor", 0.03)
    hand.type("route.alpha_contrast", 1.2)
    hand.type("route.player.far_share", 0.5)
    hand.type("route.player.far_from", 40)
    hand.type("route.player.far_to", 90)
    hand.seen_from(120, copies=50, together=10)
    hand.choose("route.cut_out", "each frame")
    hand.tier("Mid")
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    (element,) = read(hand.packages[1]).elements
    assert element.variants == 3
    counted(hand)
    books = {t.name: hand.state.ledgers[t.id] for t in hand.effect.tiers}
    assert all(book.tier.copies == 50 and not book.over for book in books.values())
    calls = {
        name: next(t.value for t in book.lines[0].terms if t.name == "calls") for name, book in books.items()
    }
    away = np.arange(30.0, 100.0, 0.25)
    left = left_afar(element.player, away).sum(axis=1) / element.player.count
    jump = float(np.abs(np.diff(left)).max())
    assert left[0] == 1.0 and abs(left[-1] - 0.5) < 1e-6 and jump < 0.02, (left[0], left[-1], jump)
    return {
        "With distance": f"from all to half of it, by {100 * jump:.1f} % at most in a step of 0.25 m",
        "Fifty copies at 120 m": "all of them, "
        + ", ".join(f"{book.ms:.3f} ms on {name}" for name, book in books.items()),
        "Calls": "ten copies in one, "
        + ", ".join(
            f"{calls[name]:.3f} ms of {50 * book.device.draw_call_us / 1e3:.2f} on {name}"
            for name, book in books.items()
        ),
    }
