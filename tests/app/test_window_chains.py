"""What a user does one after the other, in the real window: on every demo, on an effect that no demo shows,
and on a kind of layer that only its registration knows."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from chains import NAMES, effect_of, lighter
from command import command
from drive import LEFT, settle, until
from gauge import GaugeLayer, gauges
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tenka.app.sheet.row import Row
from tenka.app.stations.budget import BudgetStation
from tenka.app.window import Window
from tenka.demo import FOLDER
from tenka.effect import storage
from tenka.effect.model import Effect
from tenka.pack.layout import packable
from tenka.proof.engine import Package
from tenka.run.plans import plans_of

CONTROL = Qt.KeyboardModifier.ControlModifier


def all_stored(window: Window) -> bool:
    """Whether every layer of the effect is simulated."""
    state = window.state
    plans = plans_of(state.effect, state.folder)
    return all(all(plan.stored(state.store)) for plan in plans.values())


@pytest.mark.parametrize("name", [*NAMES, "own", "many"])
def test_open_edit_save_undo_simulate_pack_and_proof(window: Window, qtbot: QtBot, tmp_path: Path, name: str):
    effect = lighter(effect_of(name), frames=4, voxels=2.5, cells=2, px=48)
    file = tmp_path / "chain.tenka"
    storage.save(storage.moved(effect, FOLDER, tmp_path), file)
    assert window.open(file) and not window.notice.isVisible()
    before = window.state.effect
    for layer in before.layers:
        window.state.select(f"layers.{layer.id}")
        qtbot.wait(5)
        assert window.sheet.findChildren(Row), "the sheet of a layer has rows"
    window.state.edit("light.exposure", 0.5)
    edited = window.state.effect
    QTest.keyClick(window, Qt.Key.Key_S, CONTROL)
    assert not window.state.document.unsaved and storage.load(file) == edited
    QTest.keyClick(window, Qt.Key.Key_Z, CONTROL)
    assert window.state.effect == before and window.state.document.unsaved
    QTest.keyClick(window, Qt.Key.Key_Z, CONTROL | Qt.KeyboardModifier.ShiftModifier)
    assert window.state.effect == edited
    until(qtbot, lambda: all_stored(window), 60_000)
    window.state.go(window.state.effect.frames - 1)
    settle(qtbot, window)
    assert window.stage.image is not None and not window.stage.stands_in
    for station in ("budget", "pack"):
        window.go_to(station)
    window.pack.set_target(tmp_path / "package")
    QTest.mouseClick(window.pack.button, LEFT)
    until(qtbot, lambda: window.pack.progress is None and window.state.package is not None, 60_000)
    until(qtbot, lambda: window.state.ledger is None or not window.state.ledger.uncounted)
    packed = Package(tmp_path / "package").elements
    assert [e.id for e in packed] == [d.id for d in packable(window.state.played)]
    assert {name for e in packed for name in e.layers} == {x.name for x in edited.layers if not x.hidden}
    window.go_to("proof")
    until(qtbot, lambda: window.proof.package is not None and window.proof.screen_.image is not None)
    assert not window.notice.isVisible(), window.notice.text.text()


@pytest.mark.parametrize("name", ["own", "many", "furnace_mouth"])
def test_final_run_and_gate_follow(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, name: str
):
    monkeypatch.setenv("TENKA_FRAMES", str(window.state.store.folder))
    file = tmp_path / "chain.tenka"
    effect = lighter(effect_of(name), frames=4, voxels=3.0, cells=2, px=48)
    storage.save(storage.moved(effect, FOLDER, tmp_path), file)
    assert window.open(file)
    until(qtbot, lambda: all_stored(window), 60_000)
    bar, last = window.tempo.final, effect.frames - 1
    QTest.mouseClick(bar.button, LEFT)
    until(qtbot, lambda: not bar.run.running, 120_000)
    assert not bar.run.problem and bar.run.made == effect.frames
    window.state.go(last)
    bar.show_beside("final", "final")
    until(qtbot, lambda: window.stage.final_image is not None)
    window.go_to("budget")
    until(qtbot, lambda: len(window.state.ledgers) == len(effect.tiers))
    for tier in window.state.effect.tiers:
        book = window.state.ledgers[tier.id]
        assert command("gate", file, "--tier", tier.id).code == (1 if book.over or book.uncounted else 0)


@pytest.fixture
def with_gauge(window: Window) -> Iterator[Window]:
    with gauges():
        effect = window.state.effect
        more = GaugeLayer(id="level", name="Level")
        window.state.apply(
            Effect.model_validate({**dict(effect), "layers": (*effect.layers, more)}), "Add a level"
        )
        yield window
        window.state.document.undo()


def test_a_kind_without_a_view_is_shown_by_its_own_settings(with_gauge: Window, qtbot: QtBot, tmp_path: Path):
    window = with_gauge
    window.state.select("layers.level")
    qtbot.wait(50)
    row = window.sheet.row("layers.level.pace")
    assert row is not None
    until(qtbot, lambda: all_stored(window))
    window.state.edit("layers.level.pace", 2.0)
    assert not window.notice.isVisible()
    until(qtbot, lambda: all_stored(window))
    for frame in (0, 5, 11):
        window.state.go(frame)
        settle(qtbot, window)
        assert window.stage.image is not None and not window.stage.stands_in
    window.resize(1100, 760)
    QTest.keyClick(window.stage, Qt.Key.Key_F)
    for station in ("budget", "pack", "proof", "shape"):
        window.go_to(station)
        qtbot.wait(60)
        assert window.grab().width() > 0
    until(qtbot, lambda: window.state.ledger and window.state.ledger.uncounted)
    assert any("Level" in str(note) and "not counted" in str(note) for note in window.state.ledger.uncounted)
    QTest.keyClick(window, Qt.Key.Key_S, CONTROL)
    file = window.state.document.file
    assert file is not None and storage.load(file).layer("level").pace == 2.0
    window.state.document.undo()
    assert window.state.effect.layer("level").pace == 0.5


def test_a_missing_frame_is_never_shown_unmarked(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
):
    stage = window.stage
    window.state.go(4)
    settle(qtbot, window)
    assert stage.stands_in == "" and not stage.elsewhen
    read = type(window.state.session).frame

    def blind(session: object, index: int, *more: object, **words: object) -> object:
        return None if index == 7 else read(session, index, *more, **words)

    monkeypatch.setattr(type(window.state.session), "frame", blind)
    window.state.go(7)
    settle(qtbot, window)
    assert stage.stands_in == "frame 5 is shown: frame 8 is not simulated yet" and stage.elsewhen
    monkeypatch.undo()
    window.state.go(6)
    settle(qtbot, window)
    assert stage.stands_in == ""


def test_tiers_are_added_and_removed_by_buttons_and_undone(window: Window, qtbot: QtBot):
    window.go_to("budget")
    station = window.findChild(BudgetStation)
    assert station is not None
    before = window.state.effect.tiers
    QTest.mouseClick(station.add, LEFT)
    added = window.state.effect.tiers
    assert len(added) == len(before) + 1 and window.state.tier == added[-1]
    assert len({t.id for t in added}) == len(added) and len({t.name for t in added}) == len(added)
    until(qtbot, lambda: added[-1].id in window.state.ledgers)
    for tier in added:
        assert station.remove.text() == f"Remove {window.state.tier.name}" and tier
        QTest.mouseClick(station.remove, LEFT)
    assert window.state.effect.tiers == () and not station.remove.isEnabled()
    QTest.mouseClick(station.add, LEFT)
    assert len(window.state.effect.tiers) == 1
    for _ in range(len(added) + 2):
        window.state.document.undo()
    assert window.state.effect.tiers == before


def test_what_is_stored_already_is_counted_when_it_is_opened_again(
    window: Window, qtbot: QtBot, tmp_path: Path
):
    effect, first = lighter(effect_of("wheel_sparks"), frames=4, voxels=2.5), window.state.document.file
    file = tmp_path / "again.tenka"
    storage.save(storage.moved(effect, FOLDER, tmp_path), file)
    for _ in range(2):
        assert window.open(file)
        until(qtbot, lambda: all_stored(window))
        until(qtbot, lambda: window.state.ledger and len(window.state.ledger.lines) == len(effect.deliveries))
        assert not window.state.ledger.uncounted
        assert window.open(first)
