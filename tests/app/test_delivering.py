"""Deliveries in the window: chosen, added, shared, left out on a tier, of own values there; and packed so."""

from __future__ import annotations

from pathlib import Path

import pytest
from drive import settle, until
from pytestqt.qtbot import QtBot

from tenka.app.sheet.ownvalue import turn_own
from tenka.app.window import Window
from tenka.effect.additions import LAYERS, with_new_layer
from tenka.package.manifest import read

WIDTH = "deliveries.puff.route.width"


@pytest.fixture
def packing(window: Window, qtbot: QtBot) -> Window:
    window.state.choose_tier("low")
    window.go_to("pack")
    settle(qtbot, window)
    return window


def test_a_tier_gets_its_own_value_by_the_rows_menu_and_edits_go_there(packing: Window, qtbot: QtBot):
    window, state = packing, packing.state
    row = window.sheet.row(WIDTH)
    assert row is not None and not row.own
    texts = [a.text() for a in row.menu().actions()]
    assert "Its own value on Low" in texts
    turn_own(state, WIDTH, "width")
    assert row.own and state.tier is not None and state.tier.values == {WIDTH: 128}
    state.edit(WIDTH, 256)
    assert row.value == 256 and state.effect.deliveries[0].route.width == 128
    assert state.played.deliveries[0].route.width == 256
    state.choose_tier("mid")
    settle(qtbot, window)
    row = window.sheet.row(WIDTH)
    assert row is not None and row.value == 128 and not row.own
    assert "Has its own on Low" in [a.text() for a in row.menu().actions()]
    state.edit(WIDTH, 192)
    assert state.effect.deliveries[0].route.width == 192
    state.choose_tier("low")
    settle(qtbot, window)
    turn_own(state, WIDTH, "width")
    assert state.value(WIDTH) == 192
    for _ in range(4):
        state.document.undo()
    assert state.effect.tiers[0].values == {} and state.value(WIDTH) == 128


def test_what_the_tier_has_is_what_is_shown_costed_and_packed(packing: Window, qtbot: QtBot, tmp_path: Path):
    window, state = packing, packing.state
    turn_own(state, WIDTH, "width")
    state.edit(WIDTH, 64)
    until(qtbot, lambda: "64 × 192" in window.pack.outputs.text())
    low = {t: book.mb for t, book in state.ledgers.items()}
    until(qtbot, lambda: bool(state.ledgers) and state.ledgers["low"].mb < low["mid"])
    window.pack.set_target(tmp_path / "package")
    window.pack.start()
    until(qtbot, lambda: state.package is not None, 60_000)
    assert read(tmp_path / "package").elements[0].width == 64


def test_all_tiers_are_packed_beside_each_other(packing: Window, qtbot: QtBot, tmp_path: Path):
    window, state = packing, packing.state
    turn_own(state, WIDTH, "width")
    state.edit(WIDTH, 64)
    window.pack.set_target(tmp_path / "package")
    window.pack.every.click()
    until(qtbot, lambda: state.package is not None, 60_000)
    assert {p.name for p in tmp_path.glob("package*")} == {"package_low", "package_mid"}
    found = {t: read(tmp_path / f"package_{t}").elements[0] for t in ("low", "mid")}
    assert found["low"].width == 64 and found["mid"].width == 128
    assert found["low"].player.count == found["mid"].player.count == 3  # levers are the game's
    window.go_to("proof")
    until(qtbot, lambda: window.proof.package is not None)
    assert not window.proof.players_tried()  # nothing is told to be tried
    assert state.package == tmp_path / "package_low" and "package_mid" in window.pack.told.text()


def test_deliveries_are_added_shared_left_out_and_removed(packing: Window, qtbot: QtBot, tmp_path: Path):
    window, state = packing, packing.state
    choice = window.pack.choice
    more, path = with_new_layer(state.effect, LAYERS["Sparks"](state.effect))
    state.apply(more, "Sparks")
    state.select("layers.puff")
    until(
        qtbot,
        lambda: len(state.status.layers) == 2 and all(all(x.stored) for x in state.status.layers.values()),
    )
    settle(qtbot, window)
    choice.add()
    until(qtbot, lambda: choice.list.count() == 3)
    made = state.delivery
    assert made is not None and made.id == "puff_2" and made.name == "Puff 2" and made.of == ("puff",)
    assert choice.list.currentData() == made.id and window.sheet.row(f"deliveries.{made.id}.route.width")
    choice.take(path.rpartition(".")[2], True)
    assert set(state.effect.delivery(made.id).of) == {"puff", path.rpartition(".")[2]}
    choice.take("puff", False)
    choice.take("puff", True)
    settle(qtbot, window)
    choice.there.setChecked(False)
    assert state.effect.tiers[0].without == (made.id,) and state.effect.tiers[1].without == ()
    until(qtbot, lambda: "is left out on" in window.pack.outputs.text())
    choice.there.setChecked(True)
    window.pack.set_target(tmp_path / "package")
    window.pack.start()
    until(qtbot, lambda: state.package is not None, 60_000)
    elements = {e.id: set(e.layers) for e in read(tmp_path / "package").elements}
    assert elements == {"puff": {"Puff"}, "sparks": {"Sparks"}, "puff_2": {"Puff", "Sparks"}}
    choice.remove()
    assert [d.id for d in state.effect.deliveries] == ["sparks", "puff"]
    state.document.undo()
    choice.choose("sparks")
    assert state.layer is not None and state.layer.name == "Sparks"
    # the last layer of a delivery stays
    said: list[str] = []
    state.said.connect(said.append)
    choice.take("sparks", False)
    assert state.effect.delivery("sparks").of == ("sparks",) and "remove it instead" in said[-1]


def test_a_layer_without_a_delivery_is_said_and_counted_as_unknown(packing: Window, qtbot: QtBot):
    window, state = packing, packing.state
    window.pack.choice.remove()
    until(qtbot, lambda: "without a delivery" in window.pack.outputs.text())
    assert not window.pack.button.isEnabled()
    until(qtbot, lambda: bool(state.ledgers) and bool(state.ledgers["low"].uncounted))
    assert "no delivery" in str(state.ledgers["low"].uncounted[0])
    window.pack.choice.add()
    until(qtbot, lambda: window.pack.button.isEnabled())
