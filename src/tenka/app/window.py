"""The window: stations along the top, tray, stage and sheet in the middle, tempo at the foot."""

from __future__ import annotations

import gc
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QCloseEvent, QFont, QKeySequence
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.app.ledger import LedgerBar
from tenka.app.sheet.sheet import Sheet
from tenka.app.stage.view import Stage
from tenka.app.state import WHOLE, State
from tenka.app.stations.budget import BudgetStation
from tenka.app.stations.pack import PackStation
from tenka.app.stations.proof import ProofStation
from tenka.app.tempo.drawer import Drawer
from tenka.app.tempo.tempo import Tempo
from tenka.app.timers import once
from tenka.app.tray import Tray
from tenka.base.errors import TenkaError

STATIONS = ("Shape", "Look", "Pack", "Budget", "Proof")
SAID_MS = 7000
SETTLE_MS = (1500, 6000)  # by then what a start loads is there: libraries, then kernels


class Window(QMainWindow):
    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.setMinimumSize(1040, 640)
        self.resize(1280, 800)
        self.station = "shape"
        self.ask_before_closing: Callable[[], str] = self._ask
        root = QWidget()
        root.setObjectName("ground")
        column = QVBoxLayout(root)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.stage = Stage(state)
        self.sheet = Sheet(state)
        self.tempo = Tempo(state, self.stage)
        self.drawer = Drawer(state, self.tempo.rows)
        self.tray = Tray(state)
        self.pack = PackStation(state)
        self.budget = BudgetStation(state)
        self.proof = ProofStation(state)
        column.addWidget(self._head())
        column.addWidget(_rule())
        self.notice = self._notice()
        column.addWidget(self.notice)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.addWidget(self._middle())
        self.split.addWidget(self._foot())
        self.split.setStretchFactor(0, 1)
        self.split.setHandleWidth(3)
        self.split.setChildrenCollapsible(False)
        self.split.setSizes([575, 185])
        column.addWidget(self.split, 1)
        self.setCentralWidget(root)
        self._said = once(self, SAID_MS, lambda: self.said.setText(""))
        state.said.connect(self._say)
        state.noticed.connect(self.show_notice)
        state.changed.connect(lambda _: self._show_title())
        self._actions()
        self._show_title()
        # a full sweep of the collector over the compiler's objects, which all stay, would stop the window for
        # 0.2 s
        gc.set_threshold(20_000, 20, 100)
        self._settled = [once(self, ms, gc.freeze) for ms in SETTLE_MS]
        for timer in self._settled:
            timer.start()
        self.go_to("shape")
        self.stage.setFocus()

    # --- parts --------------------------------------------------------------------------------

    def _middle(self) -> QWidget:
        """Tray, the station's view, and sheet."""
        self.views = QStackedWidget()
        for view in (self.stage, self.pack, self.budget, self.proof):
            self.views.addWidget(view)
        middle = QWidget()
        line = QHBoxLayout(middle)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        self._tray_rule = _rule(False)
        line.addWidget(self.tray)
        line.addWidget(self._tray_rule)
        line.addWidget(self.views, 1)
        line.addWidget(_rule(False))
        self.sheet.setFixedWidth(318)
        line.addWidget(self.sheet)
        return middle

    def _foot(self) -> QWidget:
        """The drawer of a course over the tempo."""
        self.foot = QWidget()
        under = QVBoxLayout(self.foot)
        under.setContentsMargins(0, 0, 0, 0)
        under.setSpacing(0)
        under.addWidget(_rule())
        under.addWidget(self.drawer)
        under.addWidget(self.tempo, 1)
        return self.foot

    def _head(self) -> QWidget:
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(14, 3, 14, 0)
        line.setSpacing(4)
        self.name = QPushButton()
        self.name.setStyleSheet("QPushButton { border: none; text-align: left; padding: 0; }")
        self.name.setToolTip("The effect itself: its length, its rate, its seed")
        self.name.clicked.connect(self._select_whole)
        self.name.setFont(theme.font(theme.LARGE, QFont.Weight.Medium))
        self.name.setMinimumWidth(150)
        line.addWidget(self.name)
        self.said = QLabel()
        self.said.setProperty("quiet", True)
        self.said.setWordWrap(True)
        self.group = QButtonGroup(self)
        for n, name in enumerate(STATIONS):
            button = QPushButton(name)
            button.setProperty("station", True)
            button.setCheckable(True)
            button.setToolTip(f"{name} ({n + 1})")
            button.clicked.connect(lambda _=False, s=name.lower(): self.go_to(s))
            self.group.addButton(button, n)
            line.addWidget(button)
        line.addSpacing(16)
        line.addWidget(self.said, 1)
        self.undo_button, self.redo_button = self._small("undo-2", "Undo"), self._small("redo-2", "Redo")
        self.undo_button.clicked.connect(self.undo)
        self.redo_button.clicked.connect(self.redo)
        self.menu_buttons = [
            self._small("folder-open", "Open an effect (Ctrl+O)"),
            self._small("save", "Save (Ctrl+S)"),
        ]
        self.menu_buttons[0].clicked.connect(self.ask_open)
        self.menu_buttons[1].clicked.connect(self.save)
        for small in (*self.menu_buttons, self.undo_button, self.redo_button):
            line.addWidget(small)
        line.addSpacing(12)
        self.ledger = LedgerBar(self.state)
        line.addWidget(self.ledger)
        return head

    def _select_whole(self) -> None:
        self.go_to("shape")
        self.state.select(WHOLE)

    def _small(self, icon: str, tip: str) -> QToolButton:
        button = QToolButton()
        button.setIcon(theme.icon(icon))
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        return button

    def _notice(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("bench")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        line = QHBoxLayout(bar)
        line.setContentsMargins(14, 4, 8, 4)
        self.notice_text = QLabel()
        self.notice_text.setWordWrap(True)
        self.notice_text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        line.addWidget(self.notice_text, 1)
        close = self._small("x", "Close this notice")
        close.clicked.connect(bar.hide)
        line.addWidget(close)
        bar.hide()
        return bar

    def _actions(self) -> None:
        def add(
            keys: str | QKeySequence.StandardKey,
            call: Callable[[], object],
            plain: bool = False,
            more: str = "",
        ) -> None:
            action = QAction(self)
            both = [QKeySequence(keys), *([QKeySequence(more)] if more else [])]
            action.setShortcuts(list(dict.fromkeys(k for k in both if not k.isEmpty())))
            action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
            action.triggered.connect(
                lambda: None if plain and isinstance(self.focusWidget(), QLineEdit) else call()
            )
            self.addAction(action)

        for n, name in enumerate(STATIONS):
            add(str(n + 1), partial(self.go_to, name.lower()), plain=True)
        add(QKeySequence.StandardKey.Undo, self.undo)
        add("Ctrl+Shift+Z", self.redo, more="Ctrl+Y")
        add(QKeySequence.StandardKey.Save, self.save)
        add("Ctrl+Shift+S", self.save_as)
        add(QKeySequence.StandardKey.Open, self.ask_open)
        add(QKeySequence.StandardKey.Quit, self.close)
        add("Space", self._space, plain=True)
        add("Home", lambda: self.state.go(0), plain=True)
        add("End", lambda: self.state.go(self.state.effect.frames - 1), plain=True)
        add(",", lambda: self.state.go(self.state.frame - 1), plain=True)
        add(".", lambda: self.state.go(self.state.frame + 1), plain=True)
        add("R", lambda: self.tempo.mode.toggle(), plain=True)
        add("F", self.stage.frame_selected, plain=True)
        add("L", lambda: self.stage.light_button.toggle(), plain=True)
        add("I", lambda: self.stage.inspect_button.toggle(), plain=True)
        add("B", lambda: self.stage.box_button.toggle(), plain=True)
        add("H", lambda: self.proof.heat.toggle() if self.station == "proof" else None, plain=True)
        add("Ctrl+P", lambda: self.pack.start() if self.station == "pack" else None)

    def _space(self) -> None:
        if self.station == "proof":
            self.proof.toggle()
        elif self.station in ("shape", "look"):
            self.tempo.toggle()

    # --- stations -----------------------------------------------------------------------------

    def go_to(self, station: str) -> None:
        """Change station; selection, time and ledger stay."""
        self.station = station
        button = self.group.button([s.lower() for s in STATIONS].index(station))
        assert button is not None
        button.setChecked(True)
        self.views.setCurrentWidget(
            {"pack": self.pack, "budget": self.budget, "proof": self.proof}.get(station, self.stage)
        )
        self.tray.setVisible(station == "shape")
        self._tray_rule.setVisible(station == "shape")
        self.foot.setVisible(station in ("shape", "look"))
        self.stage.box_button.setChecked(station == "shape")
        self.stage.light_button.setChecked(station == "look")
        if station not in ("shape", "look") and self.tempo.playing:
            self.tempo.set_playing(False)
        self.sheet.show_station(station)

    # --- files --------------------------------------------------------------------------------

    def open(self, file: Path | None) -> bool:
        """Open an effect; a fault is said, and what was open stays."""
        try:
            self.state.open(file)
        except TenkaError as error:
            self.show_notice(str(error))
            return False
        return True

    def ask_open(self) -> None:
        if not self._may_leave():
            return
        name, _ = QFileDialog.getOpenFileName(
            self, "Open an effect", str(self.state.folder or ""), "Effects (*.tenka)"
        )
        if name:
            self.open(Path(name))

    def save(self) -> bool:
        if self.state.document.file is None:
            return self.save_as()
        return self.save_to(self.state.document.file)

    def save_as(self) -> bool:
        name, _ = QFileDialog.getSaveFileName(
            self, "Save the effect", str(self.state.folder or ""), "Effects (*.tenka)"
        )
        return bool(name) and self.save_to(Path(name).with_suffix(".tenka"))

    def save_to(self, file: Path) -> bool:
        try:
            self.state.save(file)
        except TenkaError as error:
            self.show_notice(str(error))
            return False
        return True

    def undo(self) -> None:
        label = self.state.document.undo_label
        if self.state.document.undo():
            self.state.said.emit(f"Undone: {label}")

    def redo(self) -> None:
        label = self.state.document.redo_label
        if self.state.document.redo():
            self.state.said.emit(f"Done again: {label}")

    def _ask(self) -> str:
        box = QMessageBox(self)
        box.setWindowTitle("Tenka")
        box.setText(f"Save the changes to {self.state.effect.name}?")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Leave them out", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return "save" if box.clickedButton() is save else "drop" if box.clickedButton() is drop else "stay"

    def _may_leave(self) -> bool:
        if not self.state.document.unsaved:
            return True
        answer = self.ask_before_closing()
        if answer == "save":
            return self.save()
        if answer == "drop" and self.state.journal is not None:
            self.state._autosave.stop()
            self.state.journal.drop()
        return answer == "drop"

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self._may_leave():
            event.ignore()
            return
        self.tempo.set_playing(False)
        self.tempo.final.run.cancel()
        self.stage.close_workers()
        self.pack.close_workers()
        self.proof.close_workers()
        self.state.close()
        event.accept()

    # --- words --------------------------------------------------------------------------------

    def _say(self, text: str) -> None:
        self.said.setText(text)
        self._said.start()

    def show_notice(self, text: str) -> None:
        """A sentence over the stage, which stays until it is closed."""
        self.notice_text.setText(text)
        self.notice.show()

    def _show_title(self) -> None:
        document = self.state.document
        mark = " *" if document.unsaved else ""
        self.name.setText(document.effect.name + mark)
        self.setWindowTitle(f"{document.effect.name}{mark} – Tenka")
        for small, label, word in (
            (self.undo_button, document.undo_label, "Undo"),
            (self.redo_button, document.redo_label, "Redo"),
        ):
            small.setEnabled(label is not None)
            small.setToolTip(f"{word}: {label}" if label else f"Nothing to {word.lower()}")


def _rule(level: bool = True) -> QWidget:
    rule = QWidget()
    rule.setStyleSheet(f"background: {theme.RULE};")
    if level:
        rule.setFixedHeight(1)
    else:
        rule.setFixedWidth(1)
    return rule
