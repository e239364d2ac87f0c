"""What is selected, in the hand: renamed, doubled, copied and pasted as text, put in another order, taken
away; by keys, by menus on rows and stage, and through the finder."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QGuiApplication, QImage
from PyQt6.QtWidgets import QApplication, QInputDialog, QMenu, QWidget

from tenka.app import theme
from tenka.app.state import State
from tenka.app.tempo.rows import Rows
from tenka.base.errors import TenkaError
from tenka.base.words import counted
from tenka.effect import presets, things
from tenka.effect.document import get, param_at
from tenka.effect.layers import FIELD
from tenka.effect.values import value_as_text, value_pasted


class InHand:
    """Acts on one path, by default on what is selected."""

    def __init__(self, state: State, rows: Rows, picture: Callable[[], QImage | None]) -> None:
        self.state, self.rows, self._picture = state, rows, picture
        self.fit: Callable[[], None] | None = None  # fits a light to the gas that is worked on

    def _fit(self, path: str) -> None:
        self.state.select(path)
        assert self.fit is not None
        self.fit()

    @property
    def path(self) -> str:
        return self.state.selection if things.group_of(self.state.selection) in ACTED_ON else ""

    def all_of(self, path: str | None) -> list[str]:
        """All that an act on a path is meant for: the whole selection, when the path is of it."""
        found = self._needs(path)
        if not found:
            return []
        return self.state.chosen if found in self.state.chosen else [found]

    def names_of(self, paths: list[str]) -> str:
        return self.name_of(paths[0]) if len(paths) == 1 else f"{len(paths)} {things.group_of(paths[0])}"

    def name_of(self, path: str) -> str:
        return str(getattr(get(self.state.effect, path), "name", ""))

    def _try(self, act: Callable[[], None]) -> None:
        """Do it; what is refused is said and changes nothing."""
        try:
            act()
        except TenkaError as error:
            self.state.refuse(error)

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
        paths = self.all_of(path)
        if not paths:
            return

        def act() -> None:
            effect, made = self.state.effect, []
            for each in paths:
                effect, new = things.duplicated(effect, each)
                made.append(new)
            self.state.apply(effect, f"Duplicate {self.names_of(paths)}")
            self.state.select_more(made)

        self._try(act)

    def _remove_pieces(self) -> bool:
        """Take chosen pieces out of the picture and of what is written; False where none are chosen."""
        id, ids = self.state.points
        layer = next((x for x in self.state.effect.layers if x.id == id), None)
        if (
            layer is None
            or not ids
            or not hasattr(layer, "deleted")
            or self.state.selection != f"layers.{id}"
        ):
            return False
        self.state.edit(f"layers.{id}.deleted", (*layer.deleted, *ids), "Delete pieces")
        self.state.choose_points("", ())
        self.state.said.emit(
            f"{counted(len(ids), 'piece')} of {layer.name} taken out; Ctrl+Z brings back what went."
        )
        return True

    def remove(self, path: str | None = None) -> None:
        if path is None and self._remove_pieces():
            return
        paths = self.all_of(path)
        if not paths:
            return

        def act() -> None:
            names, effect = self.names_of(paths), self.state.effect
            for each in paths:
                effect = things.removed(effect, each)
            self.state.apply(effect, f"Remove {names}")
            self.state.said.emit(
                f"{names} {'is' if len(paths) == 1 else 'are'} removed; Ctrl+Z brings "
                f"{'it' if len(paths) == 1 else 'them'} back."
            )

        self._try(act)

    def _value_path(self) -> str:
        """The setting that has the keyboard, if one has."""
        widget = QApplication.focusWidget()
        while widget is not None:
            if found := getattr(widget, "value_path", ""):
                return str(found)
            widget = widget.parentWidget()
        return ""

    def _put_on_clipboard(self, text: str) -> None:
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(text)

    def copy(self, path: str | None = None) -> None:
        setting = "" if path else self._value_path()
        if setting:
            self.copy_value(setting)
            return
        paths = self.all_of(path)
        if not paths:
            return

        def act() -> None:
            self._put_on_clipboard(things.all_as_text(self.state.effect, paths))
            self.state.said.emit(
                f"{self.names_of(paths)} {'is' if len(paths) == 1 else 'are'} copied, as text."
            )

        self._try(act)

    def copy_value(self, setting: str) -> None:
        """The value of a setting, with its course, as text."""
        self._put_on_clipboard(value_as_text(self.state.effect, setting))
        self.state.said.emit(f"{param_at(self.state.effect, setting).label} is copied, as text.")

    def paste_value(self, setting: str) -> None:
        """What was copied, as the value of a setting."""

        def act() -> None:
            label = param_at(self.state.effect, setting).label
            effect = value_pasted(self.state.effect, setting, self._copied())
            if effect == self.state.effect:
                self.state.said.emit(f"{label} has that value already.")
                return
            self.state.edit(setting, get(effect, setting), f"Paste {label}")

        self._try(act)

    def ask_preset(self, path: str | None = None) -> None:
        """Ask for a name, and keep the layer that is worked on, or at a path, under it."""
        layer = get(self.state.effect, path) if path else self.state.layer
        if layer is None:
            self.state.refused.emit("There is no layer to keep yet: take a starting point first.")
            return
        name, fine = QInputDialog.getText(
            self.rows, "Keep as a preset", "Name of the preset:", text=layer.name
        )
        if fine and name.strip():
            self.keep_preset(layer.id, name.strip())

    def keep_preset(self, id: str, name: str) -> None:
        """Keep a layer's settings under a name, with the stage as it is now for a picture."""

        def act() -> None:
            layer = get(self.state.effect, f"layers.{id}")
            file = presets.keep(layer, name)
            picture = self._picture()
            if picture is not None:
                ratio = Qt.AspectRatioMode.KeepAspectRatioByExpanding
                picture.scaled(PRESET_PICTURE, ratio).save(str(file.with_suffix(".png")))
            self.state.said.emit(
                f"Kept as the preset {name}: it is in the tray's Layer menu, and on the start page."
            )

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
        if setting := self._value_path():
            self.paste_value(setting)
            return

        def act() -> None:
            effect, made = self.state.effect, []
            for text in things.parts_of(self._copied()):
                effect, path = things.pasted(effect, text, self.state.selection)
                made.append(path)
            self.state.apply(effect, f"Paste {getattr(get(effect, made[-1]), 'name', '')}")
            self.state.select_more(made)

        self._try(act)

    def paste_values(self, path: str | None = None) -> None:
        paths = self.all_of(path)
        if not paths:
            return

        def act() -> None:
            effect, total = self.state.effect, 0
            for each in paths:
                effect, count = things.values_pasted(effect, self._copied(), each)
                total += count
            if total:
                self.state.apply(effect, f"Paste values on {self.names_of(paths)}")
            self.state.said.emit(f"{counted(total, 'value')} of {self.names_of(paths)} changed.")

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
            if things.group_of(path) == "layers":
                if self.fit is not None and get(self.state.effect, path).HANDS == FIELD:
                    entry("Fit a light to it", "lightbulb", "", partial(self._fit, path))
                entry("Keep as a preset…", "bookmark", "", lambda: self.ask_preset(path))
            if things.group_of(path) == "lights" and self.state.tier is not None:
                self._on_tier(path, entry)
            if things.group_of(path) in things.COPIED:
                entry("Paste values", "clipboard-check", "Ctrl+Shift+V", lambda: self.paste_values(path))
            menu.addSeparator()
            entry("Move up", "arrow-up", "Ctrl+Up", lambda: self.move(-1, path))
            entry("Move down", "arrow-down", "Ctrl+Down", lambda: self.move(1, path))
            menu.addSeparator()
            entry("Remove", "trash-2", "Delete", lambda: self.remove(path))
        return menu

    def _on_tier(self, path: str, entry: Callable[[str, str, str, Callable[[], object]], None]) -> None:
        """Whether the present tier has one of the effect's own lights."""
        tier, light = self.state.tier, get(self.state.effect, path)
        if tier is None or light.part_of != "effect":
            return
        rest = tuple(id for id in tier.unlit if id != light.id)
        words = f"Have it on {tier.name}" if light.id in tier.unlit else f"Leave it out on {tier.name}"
        unlit = rest if light.id in tier.unlit else (*rest, light.id)
        entry(words, "lightbulb", "", lambda: self.state.edit(f"tiers.{tier.id}.unlit", unlit, words))

    def show_menu(self, parent: QWidget, path: str, at: QPoint) -> QMenu:
        """Open that menu at a place of the screen."""
        if path and path not in self.state.chosen:
            self.state.select(path)
        menu = self.menu(parent, path)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(at)
        return menu


PRESET_PICTURE = QSize(280, 176)  # px, as large as a card of the start page twice over
ACTED_ON = (*things.COPIED, "trials")
