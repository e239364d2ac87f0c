"""The Proof station: the package alone, as the game would play it."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QImage
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout, QWidget

from tenka.app.state import State
from tenka.app.stations.proofbar import ProofBar
from tenka.app.stations.proofload import LoadCurve, Measuring
from tenka.app.stations.proofscreen import Outline, Screen, outlines
from tenka.app.timers import every
from tenka.base.errors import TenkaError
from tenka.base.jobs import Worker
from tenka.effect.catalogue import Settings
from tenka.effect.deliveries import paced
from tenka.effect.model import Camera
from tenka.package.manifest import MANIFEST, PAGE
from tenka.proof.elements.base import Run
from tenka.proof.engine import ONCE, Counts, Package, spread_copies
from tenka.proof.performing import Performance, in_sight
from tenka.proof.riding import RIDES, ride_of
from tenka.proof.walking import cut_hard, walker
from tenka.scene.cameras import View, view_of

FINE = 2  # px of the picture for one of what is measured over time
MEASURING = 0.012  # s after each picture


def _copies(package: Package, count: int, view: View, behind: bool) -> np.ndarray:
    """Offsets of so many of the effect, side by side or one behind the other."""
    wide = max(1.0, *(e.wide for e in package.elements))
    if count == 1:
        return np.zeros((1, 3))
    if not behind:
        return spread_copies(count, wide * 0.8, view.right)
    flat = view.forward * np.array([1.0, 1.0, 0.0])
    aside = 0.35 * wide * view.right * np.array([[-1.0], [1.0]])[np.arange(count) % 2]
    return wide * np.arange(count)[:, None] * flat / max(float(np.linalg.norm(flat)), 1e-6) + aside


class ProofStation(QWidget):
    """Plays the newest package; levers are sliders, and change nothing but this play."""

    drawn = pyqtSignal(object)
    opened = pyqtSignal(object)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.package: Package | None = None
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
        self.load = LoadCurve()
        self.load.sought.connect(self.show_time)
        column.addWidget(self.load)
        self.bar = ProofBar()
        self._connect()
        column.addWidget(self.bar)
        self._busy = False
        self._light: tuple[float, float] | None = None
        self.performance: Performance | None = None
        self._measuring: tuple[object, Measuring] | None = None
        state.changed.connect(lambda _: self.redraw())
        state.opened.connect(self.forget)
        self.drawn.connect(self._take)
        self.opened.connect(self._take_package)

    def _connect(self) -> None:
        """Let the bar's hands do what they say."""
        bar = self.bar
        bar.play.clicked.connect(self.toggle)
        bar.begin.clicked.connect(lambda: self.begin())
        bar.again.clicked.connect(self.trigger)
        bar.opener.clicked.connect(self._choose)
        bar.page.clicked.connect(self.show_page)
        bar.heat.toggled.connect(self._set_heat)
        bar.turn.toggled.connect(self._turn_light)
        bar.ends.toggled.connect(self._stop)
        bar.walks.toggled.connect(self._walk)
        bar.bounds.toggled.connect(lambda _: self.redraw())
        bar.copies.changed.connect(lambda *_: self.redraw())
        bar.rows.activated.connect(lambda _: self.redraw())
        bar.away.toggled.connect(lambda _: self.redraw())
        bar.ride.activated.connect(lambda _: self.begin())
        bar.levers.moved.connect(self.redraw)

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
        of = self.state.document

        def work() -> None:
            try:
                self.opened.emit((of, Package(folder)))
            except TenkaError as error:
                self.opened.emit((of, error))

        self._worker.ask(work)

    def forget(self) -> None:
        """Another effect is open: nothing is left of the last one's package, nor of how it was played."""
        self.package, self.performance, self._asked, self._light = None, None, None, None
        self._measuring, self._busy, self.playing = None, False, True
        self._start, self._at = time.perf_counter(), 0.0
        self.screen_.forget()
        self.load.forget()
        self.bar.forget()
        if self.isVisible():
            self.open_newest()

    def _choose(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "A package's folder", str(self.state.folder or ""))
        if name:
            self.open(Path(name))

    def _take_package(self, told: object) -> None:
        of, result = told if isinstance(told, tuple) else (self.state.document, told)
        if of is not self.state.document:
            return  # of an effect that was open before
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
        self.bar.levers.build(result)
        self.performance = Performance(result.elements, result.manifest.behaviour)
        self.load.marks = tuple((mark.name, mark.at) for mark in result.manifest.marks)
        self.bar.changes.measure(result)
        if result.unplayed:
            self.state.said.emit(f"{', '.join(result.unplayed)}: a game solves it, which Proof does not.")
        self.begin()

    # --- playing ------------------------------------------------------------------------------

    def toggle(self) -> None:
        self.playing = not self.playing
        self.bar.show_playing(self.playing)
        self._start = time.perf_counter() - self._at

    def begin(self, number: int = 0) -> None:
        """Start the effect anew, as if it had not been there; `number`: of the take."""
        if self.performance is not None:
            self.performance.runs = (Run(number=number),)
        self.bar.show_stopped(False)
        self._start, self._at = time.perf_counter(), 0.0
        self.redraw()

    def trigger(self) -> None:
        """Trigger it while it plays, as the package says."""
        if self.performance is None:
            return
        if not self.performance.trigger(self._at):
            self.state.said.emit("It is alive, and refuses to be triggered: so its effect says.")
            return
        self.bar.show_stopped(False)
        if len(self.performance.runs) == 1 and self.performance.runs[0].start == self._at:
            self.begin(self.performance.runs[0].number)
        self.redraw()

    def show_time(self, seconds: float) -> None:
        """Stand still at a time since the start."""
        self.playing, self._at = False, seconds
        self.bar.show_playing(False)
        self.redraw()

    def _stop(self, on: bool) -> None:
        """Stopped from this moment on, or going on again."""
        if self.performance is not None:
            self.performance.stop(self._at) if on else self.performance.resume()
        self.redraw()

    def _walk(self, on: bool) -> None:
        package = self.package
        if on and package is not None:
            hard = cut_hard(package.elements, package.players(self.bar.levers.values, self.players_tried()))
            if hard:
                self.state.said.emit(
                    f"{', '.join(hard)}: with a soft edge of 0 its sprites cut hard into what stands in them."
                )
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
            self._go_on()
            self.redraw()
        elif not self._busy and self._measuring is not None and not self._measuring[1].done:
            self.redraw()

    def _view(self) -> View:
        """From where the package is seen."""
        return view_of(self.screen_.camera, self.screen_.width(), self.screen_.height())

    def _looked(self, view: View) -> View:
        """The same, or the other way."""
        return view.back if self.bar.away.isChecked() else view

    def _go_on(self) -> None:
        """Let time go on, as the effect says of itself where it is out of sight."""
        now, way, package = time.perf_counter(), "on", self.package
        if self.performance is not None and package is not None:
            view = self._view()
            ride = ride_of(RIDES[self.bar.ride.currentIndex()], view.right)
            moved = ride(np.array([self._at]))[0][0] if ride is not None else np.zeros(3)
            low, high = package.reach
            seen = in_sight(low + moved, high + moved, self._looked(view))
            way = self.performance.looked_at(seen)
        if way == "anew":
            self.begin()
        elif way == "asleep":
            self._start = now - self._at
        else:
            self._at = now - self._start

    def players_tried(self) -> dict[str, Settings]:
        """The document's player settings of each element where they differ from those packed: they are tried
        here before a new pack."""
        package = self.package
        if package is None or package.manifest.effect != self.state.effect.name:
            return {}
        routes = {d.id: d.route for d in self.state.played.deliveries}
        return {
            e.id: player
            for e in package.elements
            if e.id in routes
            and routes[e.id].kind == e.route
            and (player := paced(routes[e.id], getattr(e, "period", None))) is not None
            and player != e.turned
        }

    def redraw(self) -> None:
        package = self.package
        if package is None or not self.isVisible():
            return
        tried = self.players_tried()
        self.bar.tried.setVisible(bool(tried))
        at, heat, levers, camera = (
            self._at,
            self.bar.heat.isChecked(),
            dict(self.bar.levers.values),
            self.screen_.camera,
        )
        view = self._view()
        seen, copies = self._looked(view), int(self.bar.copies.value)
        behind = self.bar.rows.currentIndex() == 1
        runs = self.performance.runs if self.performance is not None else ONCE
        ride = ride_of(RIDES[self.bar.ride.currentIndex()], view.right)
        sun, walks, boxed = (
            self._light or package.sun,
            self.bar.walks.isChecked(),
            self.bar.bounds.isChecked(),
        )
        measuring = self._measured(package, levers, tried, camera, copies, runs)
        self._busy, of = True, self.state.document

        def work() -> None:
            package.turn_light(*sun)
            players = package.players(levers, tried)
            carriers = _copies(package, copies, view, behind)
            among = walker(at, *package.bounds, view.right) if walks else None
            picture = package.draw(at, seen, players, carriers, heat, ride, runs, among)
            h, w, _ = picture.rgb.shape
            image = QImage(picture.rgb.tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888).convertToFormat(
                QImage.Format.Format_RGB32
            )
            boxes = outlines(package.boxes(at, players, ride), seen) if boxed else []
            measuring.go_on(MEASURING)
            self.drawn.emit((of, image, picture.counts, at, boxes))

        self._worker.ask(work)

    def _measured(
        self,
        package: Package,
        levers: dict[str, float],
        tried: dict[str, Settings],
        camera: Camera,
        copies: int,
        runs: tuple[Run, ...],
    ) -> Measuring:
        """What is drawn over time with all of this, as far as it is known."""
        size = self.screen_.width() // FINE, self.screen_.height() // FINE
        riding, behind = self.bar.ride.currentIndex(), self.bar.rows.currentIndex() == 1
        turned = (riding, behind, self.bar.away.isChecked())
        key = (id(package), tuple(levers.items()), str(tried), camera, copies, runs, size, turned)
        if self._measuring is None or self._measuring[0] != key:
            view = self._view().sized(*size)
            seen = self._looked(view)
            players, carriers = package.players(levers, tried), _copies(package, copies, view, behind)
            ride = ride_of(RIDES[riding], view.right)

            def covered_at(t: float) -> float:
                return package.load(t, seen, players, carriers, ride, runs)[0] * FINE**2

            self._measuring = (key, Measuring(covered_at, package.span + max(run.start for run in runs)))
        return self._measuring[1]

    def _take(self, result: tuple[object, QImage, Counts, float, list[Outline]]) -> None:
        of, image, counts, at, boxes = result
        if of is not self.state.document:
            return
        self._busy = False
        self.screen_.image, self.screen_.counts, self.screen_.boxes = image, counts, boxes
        asleep = self.performance is not None and self.performance.asleep
        self.bar.clock.setText(f"{at:.2f} s" + ", asleep out of sight" * asleep)
        self.screen_.update()
        self.load.show_time(at)
        if self._measuring is not None and self._measuring[1].done:
            self.load.show_load(self._measuring[1].times, self._measuring[1].covered)

    def close_workers(self) -> None:
        self._tick.stop()
        self._worker.close()
        self.bar.changes.close_workers()
        self.package, self.screen_.image = None, None
