"""What is written can be read: no text is cut by its box, edges and words stand off from what they are on."""

from __future__ import annotations

from pathlib import Path

import pytest
from drive import until
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFontMetrics
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QLineEdit, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from tenka.app import theme
from tenka.app.recent import remember
from tenka.app.sheet.fields import NumberField
from tenka.app.window import Window
from tenka.effect import storage
from tenka.effect.additions import LAYERS, with_new_layer
from tenka.effect.courses import Key, Keys
from tenka.effect.starters import with_force

SLACK = 1  # px that rounding takes


def cut(widget: QWidget) -> list[str]:
    """Words that stick out of their boxes."""
    found = []
    for part in widget.findChildren(QWidget):
        if not part.isVisible() or part.width() < 2:
            continue
        metrics = QFontMetrics(part.font())
        if isinstance(part, QLabel) and part.text() and not part.pixmap().width():
            room = part.contentsRect()
            if part.wordWrap():
                high = part.heightForWidth(part.width())
                if high > part.height() + SLACK:
                    found.append(f"label '{part.text()[:40]}' {high} > {part.height()}")
                continue
            wide = max(metrics.horizontalAdvance(line) for line in part.text().split("\n"))
            high = metrics.height() * len(part.text().split("\n"))
            if (
                wide > room.width() + SLACK
                or metrics.tightBoundingRect("gh").height() > room.height() + SLACK
            ):
                found.append(f"label '{part.text()[:40]}' {wide} x {high} > {room.width()} x {room.height()}")
        elif isinstance(part, QToolButton | QAbstractButton) and part.text():
            wide = metrics.horizontalAdvance(part.text().replace("&", ""))
            below = Qt.ToolButtonStyle.ToolButtonTextUnderIcon
            under = isinstance(part, QToolButton) and part.toolButtonStyle() == below
            high = metrics.height() + (part.iconSize().height() if under else 0)
            if wide > part.width() + SLACK or high > part.height() + SLACK:
                found.append(f"button '{part.text()}' {wide} x {high} > {part.width()} x {part.height()}")
    return found


LEAST_TARGET = 24  # px


def small(widget: QWidget) -> list[str]:
    """What can be clicked and is too small to be hit."""
    found = []
    for part in widget.findChildren(QWidget):
        hit = isinstance(part, QAbstractButton | NumberField | QComboBox | QLineEdit)
        if not hit or not part.isVisible() or not part.isEnabled():
            continue
        if isinstance(part.parentWidget(), QLineEdit | QComboBox):
            continue  # what clears a line, inside it
        if min(part.width(), part.height()) < LEAST_TARGET:
            name = part.accessibleName() or getattr(part, "text", str)()
            found.append(f"{type(part).__name__} '{name}' {part.width()} x {part.height()}")
    return found


SIZES = ((1024, 700), (1280, 800), (1920, 1080), (820, 560), (853, 533), (960, 540))
"""Windows at the desktop's own size, and what is left of 1024 x 700 at a text scale of 1.25, of 1280 x 800 at
1.5, and of 1920 x 1080 at 2: the scale enlarges letters and boxes alike."""


@pytest.mark.parametrize("size", SIZES)
def test_no_text_is_cut_in_any_station(window: Window, qtbot: QtBot, size: tuple[int, int]):
    effect, spark = with_new_layer(window.state.effect, LAYERS["Sparks"](window.state.effect))
    effect, bits = with_new_layer(effect, LAYERS["Debris"](effect))
    effect, force = with_force(effect, "swirl")
    window.state.apply(effect, "Add all")
    window.resize(*size)
    chosen = (
        "layers.puff",
        "layers.puff.sources.source",
        spark,
        bits,
        f"{bits}.sources.burst",
        force,
        "props.box",
    )
    QApplication.processEvents()
    assert (window.width(), window.height()) == size
    faults = []
    for station in ("shape", "look", "pack", "budget", "proof"):
        window.go_to(station)
        for path in chosen if station == "shape" else (spark, "layers.puff"):
            window.state.select(path)
            assert window.sheet.rows  # all of them
            qtbot.wait(30)
            faults += [f"{station} {path}: {words}" for words in (*cut(window), *small(window))]
    window.go_to("shape")
    window.state.edit("forces.wind.speed", Keys(keys=(Key(t=0.0, v=1.0), Key(t=0.3, v=2.0))))
    window.state.course_asked.emit("forces.wind.speed")
    assert window.sheet.rows
    qtbot.wait(30)
    faults += [f"drawer: {words}" for words in (*cut(window), *small(window))]
    window.drawer.close_all()
    window.show_start()
    qtbot.wait(30)
    faults += [f"start: {words}" for words in cut(window.start)]
    assert not faults, "\n".join(sorted(set(faults)))
    until(qtbot, lambda: not window.stage.busy)


@pytest.mark.parametrize("size", ((820, 560), (1280, 800)))
def test_names_of_what_was_open_lately_are_whole_or_left_out(
    window: Window, qtbot: QtBot, tmp_path: Path, size: tuple[int, int]
):
    for n in range(5):
        file = tmp_path / f"a_long_name_of_an_effect_{n}.tenka"
        storage.save(window.state.effect, file)
        remember(file)
    window.resize(*size)
    window.show_start()
    qtbot.wait(50)
    assert not cut(window.start)
    shown = [b for b in window.start.findChildren(QToolButton) if "a long name" in b.text().lower()]
    count = sum(b.isVisible() for b in shown)
    assert len(shown) == 5 and (0 if size[0] < 1000 else 1) <= count < 5
    assert window.start._lately.isVisible() == (count > 0)


def test_the_window_fits_a_small_screen(window: Window):
    assert window.minimumSizeHint().width() <= 1024 and window.minimumWidth() <= 1024
    assert window.minimumHeight() <= 700


def luminance(token: str) -> float:
    def linear(v: float) -> float:
        return v / 12.92 if v <= 0.03928 else ((v + 0.055) / 1.055) ** 2.4

    c = QColor(token)
    r, g, b = (linear(v) for v in (c.redF(), c.greenF(), c.blueF()))
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(a: str, b: str) -> float:
    """As WCAG 2.1 has it."""
    low, high = sorted((luminance(a), luminance(b)))
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("ground", (theme.GROUND, theme.BENCH, theme.WELL))
def test_words_and_edges_stand_off_from_what_they_are_on(ground: str):
    for words in (theme.TEXT, theme.QUIET):
        assert contrast(words, ground) >= 4.5, words
    for edge in (theme.EDGE, theme.VERDIGRIS, theme.SAFFRON, theme.BRICK):
        assert contrast(edge, ground) >= 3.0, edge


def test_every_field_and_box_has_that_edge():
    for rule in ("QComboBox, QLineEdit", "QCheckBox::indicator", "QPushButton, QToolButton"):
        assert f"1px solid {theme.EDGE}" in theme.SHEET.split(rule + " {", 1)[1].split("}", 1)[0], rule
    assert Path(theme.ASSETS / "icons" / "check-dark.svg").exists()
