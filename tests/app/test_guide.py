"""The guide in the application, and the walk through a first effect."""

from __future__ import annotations

import re

import pytest
from drive import LEFT, until
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tenka.app.entries import entries_of
from tenka.app.finder import found
from tenka.app.guide import FOLDER, PAGES, headings, page_for, text_of, title_of
from tenka.app.walk import STEPS
from tenka.app.window import Window


def test_every_page_is_there_and_its_links_and_pictures_lead_somewhere() -> None:
    assert {f.stem for f in FOLDER.glob("*.md")} == set(PAGES)
    for page in PAGES:
        assert title_of(page)
        for target in re.findall(r"\]\(([^)]+)\)", text_of(page)):
            assert (FOLDER / target).exists(), (page, target)


def test_f1_opens_the_page_for_what_has_the_keyboard(window: Window) -> None:
    window.state.select("layers.puff")
    row = window.sheet.row("layers.puff.motion.curls")
    assert row is not None
    row.field.setFocus()
    QTest.keyClick(row.field, Qt.Key.Key_F1)
    assert window.guide.isVisible() and window.guide.page == "gas"
    assert window.guide.browser.textCursor().selectedText().lower() == "curls"
    window.guide.hide()
    window.tempo.rows.setFocus()
    QTest.keyClick(window.tempo.rows, Qt.Key.Key_F1)
    assert window.guide.page == "window"
    window.go_to("budget")
    window.budget.setFocus()
    QTest.keyClick(window, Qt.Key.Key_F1)
    assert window.guide.page == "delivering"
    window.guide.hide()


def test_each_setting_has_a_page(window: Window) -> None:
    effect = window.state.effect
    assert page_for(effect, "deliveries.puff.route.columns")[0] in ("delivering", "settings")
    assert page_for(effect, "layers.puff.domain.follow") == ("gas", "window follows")
    page, words = page_for(effect, "layers.puff.domain.margin")
    assert page == "settings" and words in text_of(page)


def test_the_guide_is_searched_and_its_links_followed(window: Window) -> None:
    guide = window.guide
    guide.open_at("first-effect")
    guide.sought.setText("outliers")
    guide.seek()
    assert guide.page != "first-effect" and "outliers" in text_of(guide.page)
    guide.show_page("first-effect")
    from PyQt6.QtCore import QUrl

    guide._follow(QUrl("gas.md"))
    assert guide.page == "gas" and guide.list.currentRow() == PAGES.index("gas")
    guide.hide()


def test_the_finder_finds_pages(window: Window) -> None:
    entries = entries_of(window)
    assert len(headings()) > 30
    hit = next(e for e in found(entries, "things that move") if e.title.startswith("Guide: "))
    hit.run()
    assert window.guide.isVisible() and window.guide.page == "gas"
    window.guide.hide()


def test_a_first_effect_is_walked_through(qtbot: QtBot, window: Window) -> None:
    walk = window.walk
    window.show_start()
    QTest.mouseClick(window.start.walk, LEFT)
    assert walk.at == 0 and walk.note.isVisible() and not window.state.effect.layers
    assert walk._mark.contains(window.tray.mapTo(window.centralWidget(), window.tray.buttons["Plume"].pos()))
    QTest.mouseClick(window.tray.buttons["Plume"], LEFT)
    until(qtbot, lambda: walk.at == 1)
    QTest.keyClick(window, Qt.Key.Key_Space)
    until(qtbot, lambda: walk.at == 2)
    QTest.keyClick(window, Qt.Key.Key_Space)
    window.state.select(f"forces.{window.state.effect.forces[0].id}")
    until(qtbot, lambda: walk.at == 3)
    speed = next(r for r in window.sheet.rows if r.path.endswith(".speed"))
    speed._number(4.0, object())
    until(qtbot, lambda: walk.at == 4)
    for n in range(5, len(STEPS)):
        QTest.mouseClick(walk.next, LEFT)
        assert walk.at == n and window.station == STEPS[n].station
        QApplication.processEvents()
        root = window.centralWidget()
        assert root is not None and root.rect().contains(walk.note.geometry())
    QTest.mouseClick(walk.next, LEFT)
    assert walk.at == -1 and not walk.isVisible() and not walk.note.isVisible()


@pytest.mark.parametrize("size", ((1280, 800), (853, 533)))
def test_the_walk_can_be_left_and_never_hides_what_it_is_about(
    qtbot: QtBot, window: Window, size: tuple[int, int]
) -> None:
    window.resize(*size)
    walk = window.walk
    walk.begin()
    window.tray.begin("Plume")
    for n, step in enumerate(STEPS):
        walk.go(n)
        walk._look()
        target = step.where(window)
        root = window.centralWidget()
        assert target is not None and root is not None
        inside = walk._mark.width() > root.width() // 2 and walk._mark.height() > root.height() // 2
        if not inside:
            covered = walk.note.geometry().intersected(walk._mark)
            assert covered.width() * covered.height() < 0.35 * walk._mark.width() * walk._mark.height(), n
    walk.skip.click()
    assert walk.at == -1
    until(qtbot, lambda: not window.stage.busy)
