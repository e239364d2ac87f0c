"""What lines of a ledger are made of, of every route."""

from __future__ import annotations

import pytest
from routes import many_ways

from tenka.budget.cost import ledger
from tenka.effect.document import replaced
from tenka.effect.model import Effect


def effect_seen_to(metres: float) -> Effect:
    """Every route, none of them shown beyond a distance."""
    effect = many_ways()
    for delivery in effect.deliveries:
        effect = replaced(effect, f"deliveries.{delivery.id}.route.seen_to", metres)
    return effect


@pytest.mark.parametrize("metres", (1.0, 10_000.0))
def test_the_memory_of_each_line_is_told_part_by_part_and_its_calls_are_within_its_time(metres: float):
    effect = effect_seen_to(metres)
    for tier in effect.tiers:
        book = ledger(effect, tier.id)
        assert len(book.lines) >= 9
        for line in book.lines:
            assert sum(value for _, value in line.held) == pytest.approx(line.mb), line.layer
            assert "other" not in dict(line.held), line.layer
            assert 0.0 <= line.calls_ms <= line.ms
        shown = [line for line in book.lines if line.route != "light" and line.ms > 0]
        assert (len(shown) > 5) == (metres > 1.0)
