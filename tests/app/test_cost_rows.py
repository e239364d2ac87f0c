"""What a tier takes over time, in the tempo: rows, the worst moment, and what is beyond the budget."""

from __future__ import annotations

import numpy as np
import pytest
from build import small_effect
from drive import until
from pytestqt.qtbot import QtBot

from tenka.app.tempo.axis import OUTLINE
from tenka.app.tempo.rowcost import COST, cost_at, cost_of
from tenka.app.window import Window
from tenka.effect import storage


@pytest.fixture
def window(window: Window, tmp_path, qtbot: QtBot) -> Window:
    file = tmp_path / "puff.tenka"
    storage.save(small_effect(seconds=3.0), file)
    window.open(file)
    until(qtbot, lambda: not window.state.status.running and window.state.costing.now is not None)
    return window


def test_the_cost_row_shows_the_ledger_over_time_and_unfolds_into_deliveries(window: Window, qtbot: QtBot):
    rows, state = window.tempo.rows, window.state
    fold = next(n for n, line in enumerate(rows.lines()) if line.fold == COST)
    assert rows.lines()[fold].name == f"Cost on {state.tier.name}"
    times, ms = cost_of(state, COST)
    assert times[0] == 0 and times[-1] == pytest.approx(state.effect.seconds)
    assert ms.max() == pytest.approx(state.costing.now.worst[0]) and ms.max() > 0
    rows.toggle_fold(COST)
    own = [line for line in rows.lines() if line.measure.startswith(f"{COST} ")]
    assert [line.name for line in own] == [line.layer for line in state.ledger.lines]
    assert np.allclose(sum(cost_of(state, line.measure)[1] for line in own), ms)
    state.go(state.effect.frames - 1)
    assert cost_at(state, COST) == f"{np.interp(state.time, times, ms):.3f} ms"


def test_nothing_is_told_of_the_effect_that_was_open_before(window: Window, tmp_path, qtbot: QtBot):
    state, file = window.state, tmp_path / "longer.tenka"
    before = state.ledger
    storage.save(small_effect(seconds=1.0), file)
    state.count_again()  # ends, most likely, after the other is open
    window.open(file)
    assert state.ledger is None and state.costing.now is None and not state.status.stored
    assert cost_of(state, COST) is None
    until(qtbot, lambda: state.costing.now is not None)
    assert state.ledger is not before and state.costing.effect is state.effect
    times, _ = cost_of(state, COST)
    assert times[-1] == pytest.approx(1.0)


def test_another_tier_has_a_curve_of_its_own_and_a_moment_over_its_budget_is_told(
    window: Window, qtbot: QtBot
):
    state = window.state
    first = state.costing.now
    assert state.tier.id == "mid"
    state.choose_tier("low")
    until(qtbot, lambda: state.costing.now is not None and state.costing.now is not first)
    assert any(line.name == "Cost on Low" for line in window.tempo.rows.lines())
    worst, mean = state.costing.now.worst[0], state.ledger.ms
    assert worst > mean  # sprites differ in size
    assert not any("on average" in f.text for f in state.findings())
    budget = 0.5 * (worst + mean)
    state.edit("tiers.low.ms", budget)
    until(qtbot, lambda: state.costing.now is not None and state.ledger.tier.ms == budget)
    assert not state.ledger.over and any("on average" in f.text for f in state.findings())
    # what is beyond it is drawn in the colour of what is over
    rows = window.tempo.rows
    state.edit("tiers.low.ms", 0.5 * mean)
    until(qtbot, lambda: state.ledger.tier.ms == 0.5 * mean and state.costing.now is not None)
    fold = next(n for n, line in enumerate(rows.lines()) if line.fold == COST)
    rows.repaint_all()
    picture = rows.grab().toImage()
    y = int(rows.row_top(fold))
    reds = [
        picture.pixelColor(x, y + dy) for x in range(OUTLINE + 4, rows.width() - 20, 3) for dy in range(2, 24)
    ]
    assert any(c.red() > c.green() + 40 for c in reds)


def test_an_effect_without_tiers_has_no_cost_row(window: Window, tmp_path, qtbot: QtBot):
    file = tmp_path / "bare.tenka"
    storage.save(small_effect(tiers=(), levers=()), file)
    window.open(file)
    assert not any(line.fold == COST for line in window.tempo.rows.lines())


def test_budget_draws_its_cards_where_a_delivery_is_not_shown_at_a_tiers_distance(
    window: Window, qtbot: QtBot
):
    effect = window.state.effect
    window.state.edit(f"deliveries.{effect.deliveries[0].id}.route.seen_to", 0.5, "Shown to")
    window.go_to("budget")
    until(qtbot, lambda: window.state.ledger is not None and window.state.ledger.lines[0].ms == 0.0)
    qtbot.wait(300)
    assert not window.grab().isNull()
    window.undo()
    until(qtbot, lambda: window.state.ledger is not None and window.state.ledger.lines[0].ms > 0.0)
