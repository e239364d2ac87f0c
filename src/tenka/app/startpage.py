"""The start page: what one may begin with, the effects of Kiln Quay, and what was open lately."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Protocol

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QFont, QIcon, QPixmap, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.demo import FOLDER
from tenka.effect import presets
from tenka.effect.starters import STARTERS
from tenka.effect.storage import title_of

PICTURES = FOLDER / "pictures"
SIZES = {"small": QSize(98, 61), "large": QSize(174, 109)}  # of a card's picture
PADDED = 12  # px that a card is wider than it
GAP = 14
ASIDE = 80  # px beside a row: its margins, and the bar by which the page is scrolled
LATELY = 5
DEMO = "An effect that comes with Tenka"


class Begins(Protocol):
    """What a start page asks of its window."""

    def begin_with(self, name: str) -> None: ...

    def leave_for(self, file: Path) -> None: ...

    def recent(self) -> list[Path]: ...

    def begin_with_preset(self, file: Path) -> None: ...

    def begin_walk(self) -> None: ...


def place_of(file: Path) -> str:
    """Where an effect lies, in short: the home folder is ~."""
    folder = file.parent
    if folder == FOLDER.resolve():
        return "Kiln Quay"
    home = Path.home()
    told = f"~/{folder.relative_to(home)}" if folder.is_relative_to(home) else str(folder)
    return told if len(told) <= LONGEST else f"…/{'/'.join(folder.parts[-2:])}"[-LONGEST:]


PRESET = "A new effect with a layer that you kept"
LONGEST = 40  # letters of a place


class StartPage(QScrollArea):
    """Cards in rows, as many beside each other as there is room for."""

    def __init__(self, window: Begins) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.window_ = window
        self.cards: dict[str, QToolButton] = {}
        self._grids: list[tuple[QGridLayout, list[QToolButton], str]] = []
        self._room = 0
        body = QWidget()
        body.setObjectName("bench")
        self._column = QVBoxLayout(body)
        self._column.setContentsMargins(28, 20, 28, 24)
        self._column.setSpacing(8)
        self.setWidget(body)
        self._filled = False

    def _fill(self) -> None:
        """Make the cards, when the page is first shown: many windows never show it."""
        self._filled, window = True, self.window_
        self._section(
            "Begin with",
            "small",
            [
                (name, made.words, PICTURES / f"start_{made.file}.png", partial(window.begin_with, name))
                for name, made in STARTERS.items()
            ],
        )
        self.walk = QPushButton("Walk through a first effect")
        self.walk.setToolTip("Nine steps with marks on the window, through all five stations")
        self.walk.clicked.connect(window.begin_walk)
        line = QHBoxLayout()
        line.setSpacing(GAP)
        line.addWidget(self.walk)
        self._lately = QLabel("Lately")
        self._lately.setProperty("quiet", True)
        line.addWidget(self._lately)
        self._recent = QHBoxLayout()
        self._recent.setSpacing(2)
        line.addLayout(self._recent)
        line.addStretch(1)
        self._column.addLayout(line)
        kept = presets.all_presets()
        if kept:
            self._section(
                "Your presets",
                "small",
                [(n, PRESET, f.with_suffix(".png"), partial(window.begin_with_preset, f)) for n, f in kept],
            )
        demos = [(title_of(f), DEMO, PICTURES / f"{f.stem}.png", f) for f in sorted(FOLDER.glob("*.tenka"))]
        self._section("Kiln Quay", "large", [(*d[:3], partial(window.leave_for, d[3])) for d in demos])
        self._column.addStretch(1)

    def _heading(self, text: str) -> QLabel:
        label = QLabel(text)
        label.setFont(theme.font(theme.LARGE, QFont.Weight.Medium))
        label.setContentsMargins(0, 10, 0, 2)
        self._column.addWidget(label)
        return label

    def _section(
        self, title: str, size: str, items: list[tuple[str, str, Path, Callable[[], object]]]
    ) -> None:
        self._heading(title)
        grid = QGridLayout()
        grid.setSpacing(GAP)
        grid.setAlignment(Qt.AlignmentFlag.AlignLeft)
        cards = [self._card(size, *item) for item in items]
        self._grids.append((grid, cards, size))
        self._column.addLayout(grid)

    def _card(self, size: str, name: str, tip: str, picture: Path, call: Callable[[], object]) -> QToolButton:
        card = QToolButton()
        card.setText(name)
        card.setToolTip(tip)
        card.setAccessibleName(f"{name}: {tip}")
        card.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        card.setIconSize(SIZES[size])
        pixmap = QPixmap(str(picture))
        if not pixmap.isNull():
            card.setIcon(QIcon(pixmap))
        card.setFont(theme.font(theme.BODY if size == "large" else theme.SMALL))
        card.setProperty("card", size)  # its own size is the style's
        card.clicked.connect(lambda _=False: call())
        self.cards[name] = card
        return card

    def refresh(self) -> None:
        """Show what was open lately, as it is now."""
        if not self._filled:
            self._fill()
            self._arrange()
        while (item := self._recent.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.setParent(None)  # at once: it would be drawn until it goes
                widget.deleteLater()
        files = self.window_.recent()
        for file in files[:LATELY]:
            line = QToolButton()
            line.setText(title_of(file))
            line.setToolTip(place_of(file))
            line.setFont(theme.font(theme.BODY))
            line.setAccessibleName(f"Open {file}")
            line.clicked.connect(partial(self._open, file))
            self._recent.addWidget(line)
        self._fit_recent()

    def _fit_recent(self) -> None:
        """As many of what was open lately as have room for their whole names."""
        room = self.width() - ASIDE - sum(w.sizeHint().width() + GAP for w in (self.walk, self._lately))
        any_ = False
        for n in range(self._recent.count()):
            item = self._recent.itemAt(n)
            widget = item.widget() if item is not None else None
            if widget is not None:
                room -= widget.sizeHint().width() + self._recent.spacing()
                widget.setVisible(room >= 0)
                any_ = any_ or room >= 0
        self._lately.setVisible(any_)

    def _open(self, file: Path, _checked: bool = False) -> None:
        self.window_.leave_for(file)

    def showEvent(self, a0: QShowEvent | None) -> None:
        super().showEvent(a0)
        self.refresh()

    def resizeEvent(self, a0: QResizeEvent | None) -> None:
        super().resizeEvent(a0)
        self._arrange()
        if self._filled:
            self._fit_recent()

    def _arrange(self) -> None:
        """As many cards beside each other as there is room for."""
        if self.width() == self._room or not self._filled:
            return
        self._room = self.width()
        for grid, cards, size in self._grids:
            columns = max(1, (self._room - 56 + GAP) // (SIZES[size].width() + PADDED + GAP))
            for n, card in enumerate(cards):
                grid.addWidget(card, n // columns, n % columns)
