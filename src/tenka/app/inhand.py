"""What is selected, in the hand: renamed, doubled, copied and pasted as text, put in another order, taken
away; by keys, by menus on rows and stage, and through the finder."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QMenu, QWidget

from tenka.app import theme
from tenka.app.state import State
from tenka.app.tempo.rows import Rows
from tenka.base.errors import TenkaError
from tenka.effect import things
from tenka.effect.document import get


class InHand:
    """Acts on one path, by default on what is selected."""

    def __init__(self, state: State, rows: Rows) -> None:
        self.state, self.rows = state, rows

    @property
    def path(self) -> str:
        return self.state.selection if things.group_of(self.state.selection) in ACTED_ON else ""

    def name_of(self, path: str) -> str:
        return str(getattr(get(self.state.effect, path), "name", ""))

    def _try(self, act: Callable[[], None]) -> None:
        """Do it; what is refused is said and changes nothing."""
        try:
            act()
        except TenkaError as error:
            self.state.said.emit(str(error))

    def _needs(self, path: str | None) -> str:
        """The path to act on; without one that is said."""
        found = path or self.path
        if not found:
            self.state.said.emit("Nothing is selected that this could be done to: choose a row of the tempo.")
        return found

    def rename(self, path: str | None = None) -> None:
        if found := self._needs(path):
            self.state.select(found)
            self.rows.rename(found)

    def duplicate(self, path: str | None = None) -> None:
        found = self._needs(path)
        if not found:
            return

        def act() -> None:
            name = self.name_of(found)
            effect, new = things.duplicated(self.state.effect, found)
            self.state.apply(effect, f"Duplicate {name}")
            self.state.select(new)

        self._try(act)

    def remove(self, path: str | None = None) -> None:
        if found := self._needs(path):
            name = self.name_of(found)
            before = self.state.effect
            self.rows.remove(found)
            if self.state.effect is not before:
                self.state.said.emit(f"{name} is removed; Ctrl+Z brings it back.")

    def copy(self, path: str | None = None) -> None:
        found = self._needs(path)
        if not found:
            return

        def act() -> None:
            text = things.as_text(self.state.effect, found)
            clipboard = QGuiApplication.clipboard()
            assert clipboard is not None
            clipboard.setText(text)
            self.state.said.emit(f"{self.name_of(found)} is copied, as text.")

        self._try(act)

    def cut(self, path: str | None = None) -> None:
        if found := self._needs(path):
            self.copy(found)
            self.remove(found)

    def _copied(self) -> str:
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        return clipboard.text()

    def paste(self) -> None:
        def act() -> None:
            effect, path = things.pasted(self.state.effect, self._copied(), self.state.selection)
            self.state.apply(effect, f"Paste {getattr(get(effect, path), 'name', '')}")
            self.state.select(path)

        self._try(act)

    def paste_values(self, path: str | None = None) -> None:
        found = self._needs(path)
        if not found:
            return

        def act() -> None:
            name = self.name_of(found)
            effect, count = things.values_pasted(self.state.effect, self._copied(), found)
            if count:
                self.state.apply(effect, f"Paste values on {name}")
            self.state.said.emit(f"{count} value{'s' if count != 1 else ''} of {name} changed.")

        self._try(act)

    def move(self, by: int, path: str | None = None) -> None:
        found = self._needs(path)
        if not found:
            return

        def act() -> None:
            effect = things.moved(self.state.effect, found, by)
            if effect is not self.state.effect:
                self.state.apply(effect, f"Move {self.name_of(found)}")

        self._try(act)

    def menu(self, parent: QWidget, path: str) -> QMenu:
        """What can be done with one thing."""
        menu = QMenu(parent)
        menu.setToolTipsVisible(True)

        def entry(text: str, icon: str, keys: str, call: Callable[[], object]) -> None:
            action = menu.addAction(theme.icon(icon), f"{text}\t{keys}" if keys else text)
            assert action is not None
            action.triggered.connect(lambda _=False: call())

        if path:
            entry("Rename", "square-pen", "F2", lambda: self.rename(path))
            if things.group_of(path) in things.COPIED:
                entry("Duplicate", "copy-plus", "Ctrl+D", lambda: self.duplicate(path))
                entry("Copy", "copy", "Ctrl+C", lambda: self.copy(path))
                entry("Cut", "scissors", "Ctrl+X", lambda: self.cut(path))
        entry("Paste", "clipboard-paste", "Ctrl+V", self.paste)
        if path:
            if things.group_of(path) in things.COPIED:
                entry("Paste values", "clipboard-check", "Ctrl+Shift+V", lambda: self.paste_values(path))
            menu.addSeparator()
            entry("Move up", "arrow-up", "Ctrl+Up", lambda: self.move(-1, path))
            entry("Move down", "arrow-down", "Ctrl+Down", lambda: self.move(1, path))
            menu.addSeparator()
            entry("Remove", "trash-2", "Delete", lambda: self.remove(path))
        return menu

    def show_menu(self, parent: QWidget, path: str, at: QPoint) -> QMenu:
        """Open that menu at a place of the screen."""
        if path:
            self.state.select(path)
        menu = self.menu(parent, path)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(at)
        return menu


ACTED_ON = (*things.COPIED, "trials")
