"""What the window says: remarks that go, refusals that stay until something is done, notices with a mend;
with names rather than ids."""

from __future__ import annotations

from pathlib import Path

import pytest
from build import small_effect
from drive import until
from pytestqt.qtbot import QtBot

from tenka.app import theme
from tenka.app.notices import REFUSAL_MS, SaidLine
from tenka.app.window import Window
from tenka.base.errors import BadInput
from tenka.effect import storage
from tenka.effect.document import get, replaced
from tenka.effect.naming import in_names, name_of_path


def test_paths_and_ids_are_told_by_name() -> None:
    effect = small_effect()
    source = effect.gas().sources[0]
    path = f"layers.puff.sources.{source.id}"
    assert name_of_path(effect, f"{path}.size_over") == f"Puff, {source.name}, size over"
    assert name_of_path(effect, "layers.puff.domain.voxel") == "Puff, voxel"
    assert name_of_path(effect, "layers.gone.domain") == "layers.gone.domain"
    for wrong, words in (
        (("props.box.size", (0, 1, 1)), "Box, size: 0 is outside"),
        ((f"{path}.shape", "surface"), f"Puff, {source.name}, shape: {source.name} names the prop ''"),
    ):
        with pytest.raises(BadInput) as error:
            replaced(effect, *wrong)
        assert in_names(effect, str(error.value)).startswith(words)
    assert in_names(effect, "the prop 'box' is too far, the prop 'gone' is away") == (
        "The prop Box is too far, the prop 'gone' is away"
    )
    assert in_names(effect, "a source thinner than the box") == "A source thinner than the box"


def test_a_remark_goes_and_a_refusal_stays_until_something_is_done(qtbot: QtBot, window: Window) -> None:
    said: SaidLine = window.said
    window.state.said.emit("A remark.")
    assert not said.refusal and 5000 <= said._goes.interval() < 7000
    window.state.edit("props.box.size", (0.0, 1.0, 1.0))
    assert said.refusal and said.text().startswith("Box, size: 0 is outside")
    assert said._goes.interval() == REFUSAL_MS and theme.SAFFRON in said.styleSheet()
    window.state.edit("forces.wind.speed", 2.0)
    assert said.text() == ""
    window.state.said.emit("Another remark.")
    window.state.edit("forces.wind.speed", 3.0)
    assert said.text() == "Another remark."  # which has its time


def test_a_notice_offers_its_mend_and_goes_when_it_is_settled(
    qtbot: QtBot, window: Window, tmp_path: Path
) -> None:
    file = window.state.document.file
    assert file is not None
    window.state.edit("forces.wind.speed", 5.0)
    storage.save(small_effect(name="By another"), file)
    assert not window.save() and window.notice.isVisible()
    assert window.notice.mend.text() == "Save over it"
    window.notice.mend.click()
    assert not window.notice.isVisible() and not window.state.document.unsaved
    assert get(storage.load(file), "forces.wind.speed") == 5.0
    bad = tmp_path / "bad.tenka"
    bad.write_text("{")
    assert not window.open(bad) and window.notice.mend.text() == "Open another…"
    assert window.open(file) and not window.notice.isVisible()
    window.state.noticed.emit("Autosave does not work: no room.", "autosave")
    assert window.notice.mend.text() == "Save now"
    window.state.settled.emit("open")
    assert window.notice.isVisible()  # it is about something else
    window.state.settled.emit("autosave")
    assert not window.notice.isVisible()
    until(qtbot, lambda: not window.stage.busy)


def test_what_another_effect_left_is_cleared(qtbot: QtBot, window: Window, tmp_path: Path) -> None:
    window.go_to("pack")
    window.pack.set_target(tmp_path / "package")
    window.pack.start()
    until(qtbot, lambda: window.pack.progress is None, 120_000)
    assert "Packed to" in window.pack.told.text()
    window.go_to("shape")
    window.tempo.final.run.made = 7
    window.tempo.final.refresh()
    assert "7 of" in window.tempo.final.told.text()
    window.state.edit("forces.wind.speed", 3.0)
    window.state.course_asked.emit("forces.wind.speed")
    other = tmp_path / "other.tenka"
    storage.save(small_effect(name="Other"), other)
    window.state.noticed.emit("Edits came back.", "recovered")
    assert window.open(other)
    assert window.pack.told.text() == "" and window.pack.target() == tmp_path / "other_package"
    assert window.tempo.final.told.text() == "" and not window.drawer.isVisible()
    assert not window.notice.isVisible()


def test_a_final_run_says_how_long_it_takes_before_it_starts(window: Window) -> None:
    tip = window.tempo.final.button.toolTip()
    assert "About" in tip and "of memory for all 12 frames" in tip


def test_a_fold_opens_for_what_is_selected_in_it(window: Window) -> None:
    rows = window.tempo.rows
    assert "props" not in rows.unfolded
    window.state.select("props.box")
    assert "props" in rows.unfolded and any(line.path == "props.box" for line in rows.lines())
