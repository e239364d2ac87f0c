"""The window: stations along the top, tray, stage and sheet in the middle, tempo at the foot."""

from __future__ import annotations

import gc
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QFont
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.app.actions import Actions
from tenka.app.commands import STATIONS, add_actions
from tenka.app.dropped import files_of, take_file
from tenka.app.entries import entries_of, first_focus
from tenka.app.filing import Filing
from tenka.app.finder import Finder
from tenka.app.firelight import FireLight
from tenka.app.guide import Guide
from tenka.app.inhand import InHand
from tenka.app.keys import KeyOwner
from tenka.app.ledger import LedgerBar
from tenka.app.notices import NoticeBar, SaidLine
from tenka.app.sheet.sheet import Sheet
from tenka.app.stage.tracing import end_trace, trace
from tenka.app.stage.view import Stage
from tenka.app.startpage import StartPage
from tenka.app.state import WHOLE, State
from tenka.app.stations.budget import BudgetStation
from tenka.app.stations.pack import PackStation
from tenka.app.stations.proof import ProofStation
from tenka.app.tempo.drawer import HEIGHT as DRAWER
from tenka.app.tempo.drawer import Drawer
from tenka.app.tempo.tempo import Tempo
from tenka.app.timers import once
from tenka.app.tray import Tray
from tenka.app.walk import Walk
from tenka.app.wrapped import rule
from tenka.base.errors import TenkaError
from tenka.effect.document import get
from tenka.effect.presets import with_preset

SETTLE_MS = (1500, 6000)  # by then what a start loads is there: libraries, then kernels


class Window(Filing):
    stage: Stage
    sheet: Sheet
    tempo: Tempo
    tray: Tray
    pack: PackStation
    budget: BudgetStation
    proof: ProofStation

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.setMinimumSize(820, 520)
        self.resize(1280, 800)
        self.station = "shape"
        self._alone = False
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
        self.head = self._head()
        column.addWidget(self.head)
        column.addWidget(rule())
        self.notice = NoticeBar()
        column.addWidget(self.notice)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.addWidget(self._middle())
        self.split.addWidget(self._foot())
        self.split.setStretchFactor(0, 1)
        self.split.setHandleWidth(3)
        self.split.setChildrenCollapsible(False)
        self.split.setSizes([575, 185])
        self.drawer.opened.connect(self._room_for_drawer)
        column.addWidget(self.split, 1)
        self.setCentralWidget(root)
        state.said.connect(self.said.say)
        state.refused.connect(self.said.refuse)
        state.noticed.connect(self.show_notice)
        for part in (self.tempo.final.forget, self.pack.forget, self.drawer.close_all):
            state.opened.connect(part)
        state.settled.connect(self.notice.settle)
        state.changed.connect(lambda _: self.said.done())
        state.changed.connect(lambda _: self._show_title())
        state.changed.connect(self._layers_come_and_go)
        self.setAcceptDrops(True)
        state.trace_asked.connect(self._trace)
        self.fire_light = FireLight(state, self)
        self.in_hand = InHand(state, self.tempo.rows, lambda: self.stage.image)
        self.in_hand.fit = self.fire_light.fit
        self.tempo.rows.asked.connect(lambda path, at: self.in_hand.show_menu(self.tempo.rows, path, at))
        self.stage.asked.connect(lambda path, at: self.in_hand.show_menu(self.stage, path, at))
        self.sheet.value_copied.connect(self.in_hand.copy_value)
        self.sheet.value_pasted.connect(self.in_hand.paste_value)
        self.guide = Guide(self)
        self.walk = Walk(self)
        self.finder = Finder(root, lambda: entries_of(self))
        self.actions_ = Actions(self)
        self._keys = KeyOwner(self)
        add_actions(self)
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
        self.start = StartPage(self)
        for view in (self.stage, self.pack, self.budget, self.proof, self.start):
            self.views.addWidget(view)
        middle = QWidget()
        line = QHBoxLayout(middle)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        self._tray_rule = rule(False)
        line.addWidget(self.tray)
        line.addWidget(self._tray_rule)
        line.addWidget(self.views, 1)
        line.addWidget(rule(False))
        self.sheet.setFixedWidth(344)
        line.addWidget(self.sheet)
        return middle

    def _foot(self) -> QWidget:
        """The drawer of a course over the tempo."""
        self.foot = QWidget()
        under = QVBoxLayout(self.foot)
        under.setContentsMargins(0, 0, 0, 0)
        under.setSpacing(0)
        under.addWidget(rule())
        under.addWidget(self.drawer)
        under.addWidget(self.tempo, 1)
        return self.foot

    def _room_for_drawer(self, opened: bool) -> None:
        """The drawer takes its room from the stage, and gives it back: the tempo stays as it is."""
        stage, foot = self.split.sizes()
        by = DRAWER if opened else -DRAWER
        self.split.setSizes([stage - by, foot + by])

    def _head(self) -> QWidget:
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(14, 3, 14, 0)
        line.setSpacing(4)
        self.name = QPushButton()
        self.name.setStyleSheet(
            "QPushButton { border: none; text-align: left; padding: 0; min-height: 24px; min-width: 84px; }"
            f" QPushButton:focus {{ border-bottom: 1px solid {theme.VERDIGRIS}; }}"
        )
        self.name.setToolTip("The effect itself: its length, its rate, its seed")
        self.name.clicked.connect(self._select_whole)
        self.name.setFont(theme.font(theme.LARGE, QFont.Weight.Medium))
        line.addWidget(self.name)
        self.said = SaidLine()
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
        self.find_button = self._small("search", "Find settings, actions, things to add, effects (Ctrl+K)")
        self.find_button.clicked.connect(lambda: self.finder.open())
        self.menu_buttons = [
            self._small("folder-open", "Open an effect (Ctrl+O)"),
            self._small("save", "Save (Ctrl+S)"),
        ]
        self.menu_buttons[0].clicked.connect(self.ask_open)
        self.menu_buttons[1].clicked.connect(self.save)
        for small in (self.find_button, *self.menu_buttons, self.undo_button, self.redo_button):
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

    def toggle_heat(self) -> None:
        if self.station == "proof":
            self.proof.bar.heat.toggle()

    def space(self) -> None:
        if self.station == "proof":
            self.proof.toggle()
        elif self.station in ("shape", "look"):
            self.tempo.toggle()

    # --- stations -----------------------------------------------------------------------------

    def go_to(self, station: str) -> None:
        """Change station; selection, time and ledger stay."""
        self.station = station
        end_trace(self.stage)
        button = self.group.button([s.lower() for s in STATIONS].index(station))
        assert button is not None
        button.setChecked(True)
        self.views.setCurrentWidget(
            {"pack": self.pack, "budget": self.budget, "proof": self.proof}.get(station, self.stage)
        )
        if station == "shape" and self._nothing_there:
            self.show_start()
        self.tray.setVisible(station == "shape")
        self._tray_rule.setVisible(station == "shape")
        self.foot.setVisible(station in ("shape", "look"))
        self.stage.box_button.setChecked(station == "shape")
        self.stage.light_button.setChecked(station == "look")
        if station not in ("shape", "look") and self.tempo.playing:
            self.tempo.set_playing(False)
        self.sheet.show_station(station)
        self._keep_keyboard()

    def _keep_keyboard(self) -> None:
        """Where what had the keyboard is gone, it is the view's, and not what happens to come first."""
        view = self.views.currentWidget()
        if view is not None and QApplication.focusWidget() in (None, self.name):
            view.setFocus()

    def _trace(self, path: str) -> None:
        """Draw a path or a curve on the stage; a change of station or selection ends it."""
        if self.station not in ("shape", "look"):
            self.go_to("shape")
        self.tempo.set_playing(False)
        trace(self.stage, path)

    def show_start(self) -> None:
        """Show what one may begin with, over the stage; Escape goes back to it."""
        self.views.setCurrentWidget(self.start)
        self._keep_keyboard()

    def leave_start(self) -> None:
        if self.views.currentWidget() is self.start:
            self.views.setCurrentWidget(self.stage)
            self._keep_keyboard()
            self.stage.redraw()

    def _layers_come_and_go(self, _path: str) -> None:
        """The start page stands in for an effect with nothing in it, and goes when there is something."""
        there = not self._nothing_there
        if there and self.views.currentWidget() is self.start:
            self.leave_start()
        elif not there and self.station == "shape":
            self.show_start()

    @property
    def _nothing_there(self) -> bool:
        """Whether the effect has nothing that the stage could show: then one begins at the start page."""
        effect = self.state.effect
        return not (effect.layers or effect.lights or any(p.shape != "figure" for p in effect.props))

    def begin_with(self, name: str) -> None:
        """A new effect from a starting point."""
        if self._may_leave() and self.open(None):
            self.tray.begin(name)
            self.leave_start()

    def begin_with_preset(self, file: Path) -> None:
        """A new effect with a layer that was kept."""
        if self._may_leave() and self.open(None):
            try:
                effect, path = with_preset(self.state.effect, file)
            except TenkaError as error:
                self.state.refuse(error)
                return
            self.state.apply(effect, f"Begin with {get(effect, path).name}")
            self.state.select(path)
            self.leave_start()

    def begin_walk(self) -> None:
        """A first effect, with marks on the window."""
        self.walk.begin()

    def show_thing(self, path: str) -> None:
        """Select a thing, and show it at a station that has it."""
        if self.station not in ("shape", "look"):
            self.go_to("shape")
        self.state.select(path)

    def show_setting(self, path: str, station: str, setting: str) -> None:
        """Show a setting where it stands, with the keyboard in it."""
        self.go_to(station)
        self.state.select(path)
        row = self.sheet.row(setting)
        if row is not None:
            self.sheet.area.ensureWidgetVisible(row, 0, 60)
            first_focus(row.field).setFocus(Qt.FocusReason.ShortcutFocusReason)

    def stage_alone(self) -> None:
        """The stage over the whole screen, without what stands round it; the same again brings it back."""
        alone = not self._alone
        self._alone = alone
        for part in (self.head, self.tray, self._tray_rule, self.sheet, self.foot):
            part.setVisible(not alone)
        if alone:
            self.showFullScreen()
        else:
            self.showNormal()
            self.go_to(self.station)

    def undo(self) -> None:
        label = self.state.document.undo_label
        if self.state.document.undo():
            self.state.said.emit(f"Undone: {label}")

    def redo(self) -> None:
        label = self.state.document.redo_label
        if self.state.document.redo():
            self.state.said.emit(f"Done again: {label}")

    def dragEnterEvent(self, a0: QDragEnterEvent | None) -> None:
        if a0 is not None and files_of(a0.mimeData()):
            a0.acceptProposedAction()

    def dropEvent(self, a0: QDropEvent | None) -> None:
        for file in files_of(a0.mimeData()) if a0 is not None else []:
            take_file(self, file)

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
        self.budget.close_work()
        self.fire_light.close()
        self.state.close()
        event.accept()

    # --- words --------------------------------------------------------------------------------

    def show_notice(self, text: str, about: str = "") -> None:
        """A sentence over the stage, which stays until it is closed or settled; with what mends it."""
        mend, call = {
            "recovered": ("Back to the saved file", self.undo),
            "autosave": ("Save now", self.save),
            "save": ("Save elsewhere…", self.save_as),
            "overwritten": ("Save over it", self.save),
            "open": ("Open another…", self.ask_open),
        }.get(about, ("", None))
        self.notice.tell(text, about, mend, call)

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
