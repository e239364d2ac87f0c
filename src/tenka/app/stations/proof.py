"""The Proof station: the package alone, as the game would play it."""

from __future__ import annotations

import math
import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QImage
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.app.sheet.fields import NumberField, shown
from tenka.app.sheet.groups import LineSlider
from tenka.app.state import State
from tenka.app.stations.proofscreen import Screen
from tenka.app.timers import every
from tenka.base.jobs import Worker
from tenka.effect.catalogue import Settings, plain_number
from tenka.package.manifest import MANIFEST, PAGE
from tenka.proof.engine import Counts, Package, spread_copies
from tenka.proof.riding import RIDES, ride_of
from tenka.scene.cameras import view_of

STEPS = 200


COPIES = plain_number("copies", "", "How many of the effect stand side by side.", 1, 64, (1, 12))


class ProofStation(QWidget):
    """Plays the newest package; levers are sliders, and change nothing but this play."""

    drawn = pyqtSignal(object)
    opened = pyqtSignal(object)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.package: Package | None = None
        self.levers: dict[str, float] = {}
        self.playing = True
        self._asked: tuple[Path, int] | None = None
        self._start = time.perf_counter()
        self._at = 0.0
        self._worker = Worker("proof", lambda error: self.opened.emit(error))
        self._tick = every(self, 30, self._step)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.screen_ = Screen()
        self.screen_.looked.connect(lambda _: self.redraw())
        self.screen_.sun_turned.connect(self._sun)
        column.addWidget(self.screen_, 1)
        column.addWidget(self._bar())
        self._busy = False
        self._light: tuple[float, float] | None = None
        self._stopped = math.inf
        self.sliders: dict[str, QSlider] = {}
        state.changed.connect(lambda _: self.redraw())
        self.drawn.connect(self._take)
        self.opened.connect(self._take_package)

    def _bar(self) -> QWidget:
        """What plays, triggers, multiplies and opens, under the picture."""
        foot = QWidget()
        foot.setObjectName("bench")
        foot.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        rows = QVBoxLayout(foot)
        rows.setContentsMargins(12, 8, 12, 8)
        rows.setSpacing(6)
        self._line = QHBoxLayout()
        self._line.setSpacing(10)
        rows.addLayout(self._line)
        self.play = QToolButton()
        self.play.setIcon(theme.icon("pause"))
        self.play.setToolTip("Play or pause (Space)")
        self.play.setAccessibleName("Play or pause")
        self.play.clicked.connect(self.toggle)
        again = QToolButton()
        again.setIcon(theme.icon("skip-back"))
        again.setToolTip("Trigger the effect again")
        again.setAccessibleName("Trigger the effect again")
        again.clicked.connect(self.trigger)
        self.heat = QPushButton("Overdraw")
        self.heat.setCheckable(True)
        self.heat.setToolTip("Show overdraw as heat (H)")
        self.heat.toggled.connect(self._set_heat)
        self.copies = NumberField(COPIES, 1)
        self.copies.setFixedWidth(60)
        self.copies.setToolTip("How many of the effect stand side by side")
        self.copies.changed.connect(lambda *_: self.redraw())
        label = QLabel("copies")
        label.setProperty("quiet", True)
        opener = QPushButton("Package…")
        opener.setToolTip("Open another package")
        opener.clicked.connect(self._choose)
        self.page = QPushButton("In a browser")
        self.page.setToolTip("Open the package's own page, which plays it on this device's graphics")
        self.page.clicked.connect(self.show_page)
        self.turn = QPushButton("Turn light")
        self.turn.setCheckable(True)
        self.turn.setToolTip("Drag in the picture to turn the sun; what was packed with its light is named")
        self.turn.toggled.connect(self._turn_light)
        self.ends = QPushButton("Stop births")
        self.ends.setCheckable(True)
        self.ends.setToolTip("No sprite is born from now on; what lives plays to its end")
        self.ends.toggled.connect(self._stop_births)
        self.ride = QComboBox()
        self.ride.setAccessibleName("What carries it")
        self.ride.setToolTip(
            "How what carries the effect moves; sprites stay where they were born, or keep a share"
        )
        self.ride.addItems([f"it {name}" for name in RIDES])
        self.ride.activated.connect(lambda _: self.trigger())
        tries = QHBoxLayout()
        tries.setSpacing(10)
        for tried in (self.ends, self.turn, self.ride):
            tries.addWidget(tried)
        tries.addStretch(1)
        rows.addLayout(tries)
        for part in (self.play, again, self.heat, label, self.copies):
            self._line.addWidget(part)
        levers = QHBoxLayout()
        self.slots_ = QHBoxLayout()
        self.slots_.setSpacing(10)
        levers.addLayout(self.slots_)
        levers.addStretch(1)
        rows.addLayout(levers)
        self._line.addStretch(1)
        self.tried = QLabel("tried, not packed yet")
        self.tried.setStyleSheet(f"color: {theme.SAFFRON};")
        self.tried.setToolTip("The sheet's settings differ from the package's; packing again writes them.")
        self.tried.hide()
        self._line.addWidget(self.tried)
        self.clock = QLabel()
        self._line.addWidget(self.clock)
        self._line.addWidget(self.page)
        self._line.addWidget(opener)
        return foot

    def show_page(self) -> None:
        """Open the page of the package that is played."""
        page = self.package.folder / PAGE if self.package is not None else None
        if page is None or not page.is_file():
            self.state.said.emit("This package has no page: it is made by packing again.")
        elif not QDesktopServices.openUrl(QUrl.fromLocalFile(str(page.resolve()))):
            self.state.said.emit(f"No browser could be opened; the page is {page}.")

    # --- the package --------------------------------------------------------------------------

    def showEvent(self, event: object) -> None:
        self.open_newest()
        self._tick.start()

    def hideEvent(self, event: object) -> None:
        self._tick.stop()

    def open_newest(self) -> None:
        """Open the package that was written last, when it is not open already."""
        folder = self.state.package
        if folder is None and (self.state.package_folder / MANIFEST).exists():
            folder = self.state.package_folder
        if folder is None:
            self.screen_.image, self.screen_.words = None, "There is no package yet: station 3 packs one."
            self.screen_.update()
            return
        self.open(folder)

    def open(self, folder: Path) -> None:
        try:
            mark = (folder, (folder / MANIFEST).stat().st_mtime_ns)
        except OSError:
            mark = (folder, 0)
        if mark == self._asked:
            return
        self._asked = mark
        self.screen_.words = "Opening…"
        self._worker.ask(lambda: self.opened.emit(Package(folder)))

    def _choose(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "A package's folder", str(self.state.folder or ""))
        if name:
            self.open(Path(name))

    def _take_package(self, result: object) -> None:
        self._busy = False
        if isinstance(result, Exception):
            self._asked = None
            if self.package is None:
                self.screen_.image, self.screen_.words = None, str(result)
                self.screen_.update()
            else:
                self.state.refuse(result)
            return
        assert isinstance(result, Package)
        self.package = result
        self.screen_.camera = result.camera
        self.levers = {}
        self._build_levers(result)
        if result.unplayed:
            self.state.said.emit(f"{', '.join(result.unplayed)}: a game solves it, which Proof does not.")
        self.trigger()
        self.redraw()

    def _build_levers(self, package: Package) -> None:
        while self.slots_.count():
            item = self.slots_.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        self.sliders = {}
        for lever in package.manifest.levers:
            of, _, setting = lever.path.partition(".player.")
            player = next(e.turned for e in package.elements if e.id == of)
            now = float(getattr(player, setting))
            name, value = QLabel(lever.name), QLabel(shown(now, 0.01))
            name.setProperty("quiet", True)
            value.setFixedWidth(36)
            slider = LineSlider()
            slider.setRange(0, STEPS)
            slider.setFixedWidth(90)
            slider.setValue(round((now - lever.low) / (lever.high - lever.low) * STEPS))
            slider.setAccessibleName(lever.name)
            slider.setToolTip(f"A lever of the game: {lever.name}, {lever.low:g} to {lever.high:g}")

            def move(at: int, lever=lever, value=value) -> None:
                self.levers[lever.id] = lever.low + (lever.high - lever.low) * at / STEPS
                value.setText(shown(self.levers[lever.id], 0.01))
                self.redraw()

            slider.valueChanged.connect(move)
            self.sliders[lever.id] = slider
            for part in (name, slider, value):
                self.slots_.addWidget(part)

    # --- playing ------------------------------------------------------------------------------

    def toggle(self) -> None:
        self.playing = not self.playing
        self.play.setIcon(theme.icon("pause" if self.playing else "play"))
        self._start = time.perf_counter() - self._at

    def trigger(self) -> None:
        """Start the effect anew."""
        self._stopped = math.inf
        self.ends.blockSignals(True)
        self.ends.setChecked(False)
        self.ends.blockSignals(False)
        self._start, self._at = time.perf_counter(), 0.0
        self.redraw()

    def show_time(self, seconds: float) -> None:
        """Stand still at a time since the start."""
        self.playing, self._at = False, seconds
        self.play.setIcon(theme.icon("play"))
        self.redraw()

    def _stop_births(self, on: bool) -> None:
        """No births from this moment on, or births again."""
        self._stopped = self._at if on else math.inf
        self.redraw()

    def _turn_light(self, on: bool) -> None:
        """Let drags turn the sun; when that is over, the sun stands where it did."""
        self.screen_.turns_light = on
        package = self.package
        if package is None:
            return
        if on and package.unlit:
            self.state.said.emit(f"{', '.join(package.unlit)}: packed with its light, which does not turn.")
        if not on:
            self._light = None
            self.redraw()

    def _sun(self, heading: float, height: float) -> None:
        if self.package is None:
            return
        was = self._light or self.package.sun
        self._light = ((was[0] + heading + 180) % 360 - 180, min(89.0, max(3.0, was[1] + height)))
        self.redraw()

    def _set_heat(self, on: bool) -> None:
        self.screen_.heat = on
        self.redraw()

    def _step(self) -> None:
        self.open_newest() if self.state.package is not None else None
        if self.playing and not self._busy:
            self._at = time.perf_counter() - self._start
            self.redraw()

    def players_tried(self) -> dict[str, Settings]:
        """The document's player settings of each element where they differ from those packed: they are tried
        here before a new pack."""
        package = self.package
        if package is None or package.manifest.effect != self.state.effect.name:
            return {}
        routes = {d.id: d.route for d in self.state.played.deliveries}
        now = {id: getattr(route, "player", None) for id, route in routes.items()}
        return {
            e.id: player
            for e in package.elements
            if e.id in routes
            and routes[e.id].kind == e.route
            and (player := now[e.id]) is not None
            and player != e.turned
        }

    def redraw(self) -> None:
        package = self.package
        if package is None or not self.isVisible():
            return
        tried = self.players_tried()
        self.tried.setVisible(bool(tried))
        at, heat, levers, camera = self._at, self.heat.isChecked(), dict(self.levers), self.screen_.camera
        view = view_of(camera, self.screen_.width(), self.screen_.height())
        copies, stopped = int(self.copies.value), self._stopped
        ride = ride_of(RIDES[self.ride.currentIndex()], view.right)
        sun = self._light or package.sun
        self._busy = True

        def work() -> None:
            package.turn_light(*sun)
            players = package.players(levers, tried)
            wide = max(1.0, *(e.wide for e in package.elements))
            carriers = spread_copies(copies, wide * 0.8, view.right) if copies > 1 else np.zeros((1, 3))
            picture = package.draw(at, view, players, carriers, heat, ride, stopped)
            h, w, _ = picture.rgb.shape
            image = QImage(picture.rgb.tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888).convertToFormat(
                QImage.Format.Format_RGB32
            )
            self.drawn.emit((image, picture.counts, at))

        self._worker.ask(work)

    def _take(self, result: tuple[QImage, Counts, float]) -> None:
        self._busy = False
        self.screen_.image, self.screen_.counts, at = result
        self.clock.setText(f"{at:.2f} s")
        self.screen_.update()

    def close_workers(self) -> None:
        self._tick.stop()
        self._worker.close()
        self.package, self.screen_.image = None, None
