"""Several effects on one time axis: their moments and places, what they take together, and how they look."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.app.board.sceneaxis import SceneAxis
from tenka.app.board.scenework import SceneWork
from tenka.app.scroll import upright_area
from tenka.app.sheet.fields import NumberField
from tenka.app.stage.drawn import as_image
from tenka.app.state import State
from tenka.app.timers import once
from tenka.base.words import counted, span
from tenka.effect.catalogue import plain_number
from tenka.effect.scenes import SUFFIX

SHOW_MS = 60
EMPTY = (
    "A scene holds several effects on one time axis, each with its moment and its place: begin one with "
    "Open…, then add effects."
)


class Shown(QWidget):
    """The picture of all together."""

    def __init__(self, work: SceneWork) -> None:
        super().__init__()
        self.work = work
        self.words = EMPTY
        self.setMinimumSize(160, 90)
        self.setAccessibleName("The scene as a game plays it")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.colour(theme.GROUND))
        picture = self.work.picture
        if picture is None:
            painter.setPen(theme.colour(theme.QUIET))
            box = QRectF(self.rect()).adjusted(32, 0, -32, 0)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.words)
            return
        h, w, _ = picture.shape
        scale = min(self.width() / w, self.height() / h)
        place = QRectF(0, 0, w * scale, h * scale)
        place.moveCenter(QRectF(self.rect()).center())
        painter.drawImage(place, as_image(picture))


class ScenePage(QWidget):
    """The scene that is open."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state, self.work = state, SceneWork(state)
        self.one = -1
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 8, 16, 8)
        column.setSpacing(6)
        column.addLayout(self._top())
        self.shown, self.axis = Shown(self.work), SceneAxis(self.work)
        column.addWidget(self.shown, 3)
        self.axis.moved.connect(self._move)
        self.axis.sought.connect(self.work.draw)
        self.axis.chosen.connect(self.choose)
        area = upright_area()
        area.setWidget(self.axis)
        column.addWidget(area, 2)
        column.addLayout(self._foot())
        self._soon = once(self, SHOW_MS, self._show)
        self.work.changed.connect(self._soon.start)
        state.tier_chosen.connect(self._another_tier)
        self._show()

    def _top(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.opens = self._button("Open…", "Open a scene, or begin one in a new file", self.ask_open)
        self.adds = self._button("Add…", "Put effects into the scene, at the head", self.ask_add)
        self.own = self._button("Add this", "Put the effect that is open into the scene", self.add_own)
        self.removes = self._button("Remove", "Take the chosen effect out of the scene", self.remove)
        self.back = self._tool("undo-2", "Undo in the scene", self.work.undo)
        self.again = self._tool("redo-2", "Do again in the scene", self.work.redo)
        self.plays = self._button(
            "Show together", "Pack all effects, and show them as a game plays them", self._play
        )
        self.plays.setProperty("main", True)
        for part in (self.opens, self.adds, self.own, self.removes, self.back, self.again):
            line.addWidget(part)
        line.addStretch(1)
        line.addWidget(self.plays)
        return line

    def _foot(self) -> QHBoxLayout:
        line = QHBoxLayout()
        self.when = self._field("at", "s", "When it is triggered.", 0.0, 600.0)
        self.places = [self._field(x, "m", "By how much it stands elsewhere.", -1e4, 1e4) for x in "xyz"]
        self.when.changed.connect(lambda v, token: self._edit("at", v, token))
        for n, field in enumerate(self.places):
            field.changed.connect(lambda v, token, n=n: self._edit(n, v, token))
        self._token: object = None
        for field in (self.when, *self.places):
            label = QLabel(field.p.label)
            label.setProperty("quiet", True)
            line.addWidget(label)
            line.addWidget(field)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(48)
        self.told = QLabel()
        self.told.setProperty("quiet", True)
        self.told.setMinimumWidth(40)
        line.addWidget(self.bar)
        line.addWidget(self.told, 1)
        tip = (
            "One folder with a package for each effect, and a file that says when and where each is triggered"
        )
        self.together = self._button("Pack…", tip, lambda: self.ask_pack(False))
        self.apart = self._button("Apart…", "A package for each effect alone", lambda: self.ask_pack(True))
        line.addWidget(self.together)
        line.addWidget(self.apart)
        return line

    @staticmethod
    def _field(label: str, unit: str, help: str, low: float, high: float) -> NumberField:
        field = NumberField(plain_number(label, unit, help, low, high, (0.0, 4.0), 0.05, "number"), 0.0)
        field.setMaximumWidth(84)
        return field

    @staticmethod
    def _button(name: str, tip: str, call: object) -> QPushButton:
        button = QPushButton(name)
        button.setToolTip(tip)
        button.clicked.connect(lambda _=False: call())  # type: ignore[operator]
        return button

    @staticmethod
    def _tool(icon: str, tip: str, call: object) -> QToolButton:
        button = QToolButton()
        button.setIcon(theme.icon(icon))
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.clicked.connect(lambda _=False: call())  # type: ignore[operator]
        return button

    # --- what is done -------------------------------------------------------------------------

    def ask_open(self) -> None:
        start = str(self.state.folder or Path.home())
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Open a scene, or name a new one",
            start,
            f"Scenes (*{SUFFIX})",
            options=QFileDialog.Option.DontConfirmOverwrite,
        )
        if name:
            file = Path(name)
            self.open(file if file.name.endswith(SUFFIX) else file.with_name(file.name + SUFFIX))

    def open(self, file: Path) -> None:
        self.one = -1
        self.work.open(file)

    def ask_add(self) -> None:
        start = str(self.work.folder)
        names, _ = QFileDialog.getOpenFileNames(self, "Effects for the scene", start, "Effects (*.tenka)")
        for name in names:
            self.work.add(Path(name), round(self.work.time, 2))
        self.choose(len(self.work.scene.members) - 1)

    def add_own(self) -> None:
        file = self.state.document.file
        if file is None:
            self.state.said.emit("Save the effect first, so that the scene can name its file.")
            return
        self.work.add(file, round(self.work.time, 2))
        self.choose(len(self.work.scene.members) - 1)

    def remove(self) -> None:
        if 0 <= self.one < len(self.work.scene.members):
            self.work.apply(self.work.scene.without(self.one))
            self.choose(min(self.one, len(self.work.scene.members) - 1))

    def choose(self, n: int) -> None:
        self.one = n
        self._show()

    def ask_pack(self, apart: bool) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder for the packages", str(self.work.folder))
        if name:
            self.work.pack(Path(name), apart)

    def _play(self) -> None:
        if self.work.progress is not None:
            self.work.stop()
        else:
            self.work.play()

    def _move(self, n: int, at: float, merge: bool) -> None:
        member = self.work.scene.members[n].model_copy(update={"at": min(600.0, at)})
        self.work.apply(self.work.scene.put(n, member), merge)

    def _edit(self, which: object, value: float, token: object) -> None:
        if not 0 <= self.one < len(self.work.scene.members):
            return
        member = self.work.scene.members[self.one]
        if isinstance(which, int):
            place = list(member.place)
            place[which] = value
            member = member.model_copy(update={"place": tuple(place)})
        else:
            member = member.model_copy(update={"at": value})
        merge = token is not None and token is self._token
        self._token = token
        self.work.apply(self.work.scene.put(self.one, member), merge)

    def _another_tier(self) -> None:
        if self.work.scene.members:
            self.work.standing, self.work.picture = [], None
            self.work.weigh()
        self._soon.start()

    # --- what is shown ------------------------------------------------------------------------

    def showEvent(self, a0: QShowEvent | None) -> None:
        super().showEvent(a0)
        self._show()

    def _show(self) -> None:
        if not self.isVisible():
            return
        work, there = self.work, bool(self.work.scene.members)
        begun = work.file != Path()
        self.one = min(self.one, len(work.scene.members) - 1)
        self.axis.refresh(self.one)
        self.shown.words = EMPTY if not begun else "Show together packs all effects and plays them here."
        self.shown.update()
        chosen = work.scene.members[self.one] if self.one >= 0 else None
        for field in (self.when, *self.places):
            field.setEnabled(chosen is not None)
        if chosen is not None:
            for field, value in zip((self.when, *self.places), (chosen.at, *chosen.place)):
                field.show_value(value)
        for part in (self.adds, self.own):
            part.setEnabled(begun)
        self.removes.setEnabled(chosen is not None)
        self.back.setEnabled(work.can_undo)
        self.again.setEnabled(work.can_redo)
        busy = work.progress is not None
        self.plays.setText("Stop" if busy else "Show together")
        self.plays.setEnabled(busy or there)
        for part in (self.together, self.apart):
            part.setEnabled(there and not busy)
        self.bar.setVisible(busy)
        words = work.problem or (f"{work.file.name}: {counted(len(work.scene.members), 'effect')}")
        if work.progress is not None:
            self.bar.setRange(0, max(1, work.progress.total))
            self.bar.setValue(work.progress.done)
            left = work.progress.seconds_left
            words = f"{work.progress.what or 'Packing'}{f', {span(left)} left' if left else ''}"
            self._soon.start(250)
        elif not begun:
            words = ""
        self.told.setText(words)
        self.told.setToolTip(words)
