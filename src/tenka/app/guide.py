"""The guide inside the application: its pages, found by words, and the page for what has the keyboard."""

from __future__ import annotations

import re
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QShowEvent, QTextCursor
from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.effect.cameras import SceneCamera
from tenka.effect.deliveries import Delivery
from tenka.effect.document import get, param_at
from tenka.effect.layers import LayerBase
from tenka.effect.model import Effect, Light, SceneLight, Tier
from tenka.effect.routes.base import RouteSettings
from tenka.effect.routes.player import Player

if TYPE_CHECKING:
    from tenka.app.window import Window

FOLDER = Path(str(files("tenka") / "guide"))
PAGES = (
    "first-effect",
    "window",
    "gas",
    "water",
    "particles",
    "look",
    "delivering",
    "jobs",
    "words",
    "settings",
)
"""Names of the pages, in the order in which they are read."""
PICTURE = "\ufffc"  # the letter that stands for one in a text
PROPORTIONAL = 1  # of a line's height, as the library counts the ways to say it
PARTS = {"pack": "Pack", "budget": "Budget", "proof": "Proof"}  # of the page on delivering, by station


def text_of(page: str) -> str:
    return (FOLDER / f"{page}.md").read_text()


def title_of(page: str) -> str:
    """A page's heading."""
    first = text_of(page).splitlines()[0]
    return first.lstrip("# ").strip()


def headings() -> list[tuple[str, str]]:
    """Every page with each of its headings: (page, heading); the first is the page's own."""
    return [(p, h) for p in PAGES[:-1] for h in re.findall(r"^#+ (.+)$", text_of(p), re.M)]


def page_for(effect: Effect, path: str) -> tuple[str, str]:
    """The page that tells of a setting, and the words to be looked at there."""
    owner, label = get(effect, path.rpartition(".")[0]), param_at(effect, path).label
    parts = path.split(".")
    if isinstance(owner, RouteSettings | Player | Tier | Delivery) or ".route" in path:
        page = "delivering"
    elif isinstance(owner, Light | SceneLight | SceneCamera):
        page = "look"
    elif parts[0] == "layers" and isinstance(layer := get(effect, ".".join(parts[:2])), LayerBase):
        page = layer.GUIDE
    else:
        page = "gas"
    if f"**{label}**" in text_of(page):
        return page, label
    return "settings", label


class Guide(QDialog):
    """Pages on the left, the chosen one beside them; a word leads to where it stands."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Guide")
        self.setObjectName("ground")
        self.resize(760, 620)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        side = QWidget()
        side.setObjectName("bench")
        side.setFixedWidth(210)
        column = QVBoxLayout(side)
        column.setContentsMargins(12, 12, 12, 12)
        column.setSpacing(8)
        self.sought = QLineEdit()
        self.sought.setPlaceholderText("Find a word")
        self.sought.setAccessibleName("Find a word in the guide")
        self.sought.returnPressed.connect(self.seek)
        column.addWidget(self.sought)
        self.list = QListWidget()
        self.list.setAccessibleName("Pages")
        for page in PAGES:
            self.list.addItem(title_of(page))
        self.list.currentRowChanged.connect(lambda row: self.show_page(PAGES[row]) if row >= 0 else None)
        column.addWidget(self.list, 1)
        line.addWidget(side)
        self.browser = QTextBrowser()
        self.browser.setAccessibleName("Page")
        self.browser.setOpenLinks(False)
        self.browser.anchorClicked.connect(self._follow)
        self.browser.setSearchPaths([str(FOLDER)])
        self.browser.document().setDefaultFont(theme.font())  # type: ignore[union-attr]
        line.addWidget(self.browser, 1)
        self.page = ""

    def showEvent(self, a0: QShowEvent | None) -> None:
        super().showEvent(a0)
        self.list.doItemsLayout()  # type: ignore[attr-defined]  # the style has them taller than made

    def show_page(self, page: str, words: str = "") -> None:
        """Show a page, from where the words stand on."""
        if page != self.page:
            self.page = page
            self.browser.setMarkdown(text_of(page))
            self._space()
            self.list.blockSignals(True)
            self.list.setCurrentRow(PAGES.index(page))
            self.list.blockSignals(False)
        self.browser.moveCursor(QTextCursor.MoveOperation.Start)
        bar = self.browser.verticalScrollBar()
        assert bar is not None
        bar.setValue(0)
        if words and self._to(words):
            bar.setValue(bar.value() + self.browser.cursorRect().top() - 12)

    def _space(self) -> None:
        """Room between lines and over headings, which plain text of this kind has not by itself."""
        document = self.browser.document()
        assert document is not None
        cursor = QTextCursor(document)
        cursor.beginEditBlock()
        block = document.begin()
        while block.isValid():
            form = block.blockFormat()
            if PICTURE not in block.text():  # a share of its height would be a gap under it
                form.setLineHeight(125.0, PROPORTIONAL)
            form.setTopMargin(16.0 if form.headingLevel() > 1 else 0.0)
            form.setBottomMargin(6.0)
            cursor.setPosition(block.position())
            cursor.setBlockFormat(form)
            block = block.next()
        cursor.endEditBlock()

    def _to(self, words: str) -> bool:
        """Mark the next place of some words; as a whole where they stand as a word."""
        from PyQt6.QtGui import QTextDocument

        whole = QTextDocument.FindFlag.FindWholeWords
        return self.browser.find(words, whole) or self.browser.find(words)

    def seek(self) -> None:
        """Go to the next place of what is typed: on this page, then on the others."""
        words = self.sought.text().strip()
        if not words or self.browser.find(words):
            return
        at = PAGES.index(self.page)
        for page in (*PAGES[at + 1 :], *PAGES[: at + 1]):
            if words.lower() in text_of(page).lower():
                self.show_page(page, words)
                return

    def _follow(self, url: QUrl) -> None:
        """A link to another page."""
        name = Path(url.path()).stem
        if name in PAGES:
            self.show_page(name)

    def open_at(self, page: str, words: str = "") -> None:
        self.show_page(page, words)
        self.show()
        self.raise_()
        self.activateWindow()


def open_for_focus(window: Window) -> None:
    """Open the page for what has the keyboard; else for the station."""
    widget = QApplication.focusWidget()
    while widget is not None:
        path = getattr(widget, "value_path", "")
        if path:
            window.guide.open_at(*page_for(window.state.effect, path))
            return
        for part, words in ((window.drawer, "Courses"), (window.tempo, "Time")):
            if widget is part:
                window.guide.open_at("window", words)
                return
        widget = widget.parentWidget()
    if window.station == "look":
        window.guide.open_at("look")
    elif window.station in PARTS:
        window.guide.open_at("delivering", PARTS[window.station])
    else:
        window.guide.open_at("first-effect")
