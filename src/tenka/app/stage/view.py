"""The stage: the 3D view, drawn by a worker, with orbit, pan, zoom, light drag and the probe."""

from __future__ import annotations

import math
import time
from functools import partial

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.app.dialogs.filming import Filming
from tenka.app.stage.asplayed import PLAYED, Played
from tenka.app.stage.drawn import Drawn, as_image, refined
from tenka.app.stage.hands import Hands
from tenka.app.stage.inspect import Inspector
from tenka.app.stage.painting import bounds_of, paint_final, paint_stand_in, paint_words
from tenka.app.stage.sides import Sides, paint_over
from tenka.app.stage.through import Through
from tenka.app.stage.toolbar import add_tools
from tenka.app.stage.tracing import ENDS, Tracing, end_trace
from tenka.app.stage.words import _fits, _stand_in, probe_text
from tenka.app.state import State
from tenka.app.timers import once
from tenka.base.errors import TenkaError
from tenka.base.jobs import Worker
from tenka.effect.courses import still
from tenka.effect.model import Camera, Effect
from tenka.look.render import Renderer, Shot
from tenka.look.shot import set_of, shot_of, swapped
from tenka.pack.books import books_of
from tenka.run.status import Shown
from tenka.scene.cameras import View, view_of
from tenka.scene.meshes import Mesh, joined
from tenka.scene.poses import scene_moves
from tenka.scene.props import prop_mesh

IDLE_MS = 160


class Stage(QWidget):
    """Shows the present frame; every interaction gets a coarse picture at once and a refined one when
    idle."""

    drawn = pyqtSignal(object)
    asked = pyqtSignal(str, QPoint)  # for the menu of a thing, at a place of the screen
    probed = pyqtSignal(str)
    failed = pyqtSignal(str)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.camera = state.effect.camera
        self.image: QImage | None = None
        self.shown: Shown | None = None
        self.last_ms, self.whole_ms = 0.0, 300.0  # of the last first picture, and the last refined one
        self.filming: Filming | None = None
        self.one_in, self.took = 1, 0.0
        self.turning_light = False
        self.show_box = True
        self.live = False
        self.pace = 1.0  # of what plays: seconds of the effect in one of the clock's, below 0 for backward
        self._following = False
        self._renderer, self._final_renderer = Renderer(), Renderer()
        # preview, the other, or wipe: both with a line between; final run or a trial
        self.which, self.other = "preview", "final"
        self.final_image: QImage | None = None
        self.wander: float | None = None
        self.stands_in, self.elsewhen = "", False
        self.wipe_at = 0.5
        self._worker = Worker("drawing", lambda error: self.failed.emit(str(error)))
        self._prober = Worker("probe", lambda error: None)
        self._mesh: tuple[object, Mesh] | None = None
        self._last_shot: tuple[object, Shot, object, object] | None = None
        self.hands, self.sides, self.through = Hands(self), Sides(), Through(self)
        self.tracing: Tracing | None = None
        self.played = Played()
        self._mouse: QPointF | None = None
        state.points_chosen.connect(self.update)
        self._probe = ""
        self._bearing = 0
        self._idle = once(self, IDLE_MS, lambda: self.redraw(1))
        self.setMinimumSize(320, 200)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Stage")
        self.drawn.connect(self._take)
        self.probed.connect(self._take_probe)
        self.failed.connect(state.said.emit)
        state.opened.connect(self.forget)
        state.changed.connect(self._on_change)
        state.moved.connect(lambda _: self.redraw())
        state.news.connect(self._on_news)
        self.inspector = Inspector(self.state, self)
        tools = add_tools(self)
        self.light_button, self.box_button, self.inspect_button, self.sides_button = tools
        self.inspector.renewed.connect(self.update)

    def forget(self) -> None:
        """Another effect is open: no picture of the last one stands in for one of it."""
        self.image, self.shown, self.final_image, self.wander = None, None, None, None
        self.stands_in, self.elsewhen, self._last_shot = "", False, None
        self.which, self.other = "preview", "final"
        self.inspector.show_frame(None)
        self.update()

    def inspect_mode(self, on: bool) -> None:
        self.inspector.setVisible(on)
        self.inspector.show_frame(self.shown)
        self.update()

    def light_mode(self, on: bool) -> None:
        self.turning_light = on
        self.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)

    def box_mode(self, on: bool) -> None:
        self.show_box = on
        self.update()

    # --- drawing ------------------------------------------------------------------------------

    def mesh(self, index: int | None = None) -> Mesh:
        """All visible props; made again only when they change or move. A prop that cannot be read is left
        out, and said."""
        effect, folder = self.state.effect, self.state.folder
        props = effect.props
        now = (self.state.frame if index is None else index) / effect.rate
        gone = frozenset(swapped(effect, now))
        t = now if scene_moves(effect) else 0.0
        if self._mesh is None or self._mesh[0] != (props, folder, t, gone):
            solo = any(p.solo for p in props)
            meshes = []
            for p in props:
                if not p.hidden and (p.solo or not solo) and p.id not in gone:
                    try:
                        meshes.append(prop_mesh(p, props, folder, t))
                    except TenkaError as error:
                        self.failed.emit(str(error))
            self._mesh = ((props, folder, t, gone), joined(meshes))
        return self._mesh[1]

    @property
    def own_keys(self) -> frozenset[Qt.Key] | None:
        """What ends a drawing is the stage's own while one goes on."""
        return ENDS if self.tracing is not None else None

    def view(self) -> View:
        return view_of(self.camera, self.width(), self.height())

    def reduction(self) -> int:
        """How much smaller the first picture is: as fast as the last ones were, between 2 and 4."""
        return 4 if self.last_ms > 140 else 3 if self.last_ms > 60 else 2

    def redraw_at(self, index: int) -> None:
        """Ask for a frame other than the present one, while playing."""
        self.redraw(index=index)

    def quiet_go(self, frame: int) -> None:
        """Move the head to a frame whose picture is there already."""
        self._following = True
        self.state.go(frame)
        self._following = False

    def redraw(self, coarse: int | None = None, live: bool | None = None, index: int | None = None) -> None:
        """Ask for a picture of the present frame (or of `index`); the newest request wins."""
        if self._following or self.width() < 8 or not self.isVisible() or not self.state.ready:
            return
        if self.live and index is None:
            return  # while playing, the next frame shows every change
        if coarse is None:
            coarse = self.reduction()
        index = self.state.frame if index is None else index
        self.through.follow(index)
        session, effect, view, camera = self.state.session, self.state.effect, self.view(), self.camera
        live = self.live if live is None else live
        package = self.state.package or self.state.package_folder
        renderer, final_renderer, which, other = self._renderer, self._final_renderer, self.which, self.other
        asked, of = time.perf_counter(), self.state.document

        def work() -> None:
            start = time.perf_counter()
            shown = session.frame(index, live)
            if shown is None and live and self.image is not None:
                # nothing new to draw
                self.drawn.emit(Drawn(self.image, None, index, coarse, 0.0, asked, of=of))
                return
            kept = shown
            if shown is None and self.shown is not None and _fits(self.shown, effect):
                kept = self.shown  # what was shown stays until its successor is ready, and says so
            at = index if kept is None else max(kept.index, 0)  # props and particles are of the gas's moment
            words, elsewhen = _stand_in(kept, shown, index, effect)
            mesh, t = self.mesh(at), at / effect.rate
            frames = {} if kept is None else kept.frames
            past = {id: session.past(id, kept.index) for id in frames} if kept is not None else {}
            shot = self._shot(effect, frames, t, mesh, past)
            draw = partial(self.sides.drawn, renderer, camera, shot, still(effect.light, t), view, coarse)
            picture = draw(1 if coarse == 1 and which == "preview" else 0)  # a wipe shows both alike
            image = as_image(picture.rgb)
            beside = which != "preview" and not self.sides.on
            found = session.beside(other, index) if beside and other not in PLAYED else None
            final = None
            if beside and other in PLAYED:
                drawn_by_game, why = self.played.drawn(other, package, t, view)
                final = as_image(drawn_by_game) if drawn_by_game is not None else None
                if why:
                    self.failed.emit(why)
            if found is not None:
                fine, theirs = found
                if other == "final":
                    theirs = effect  # its look may have changed since
                t = index / theirs.rate
                own = mesh if theirs.props == effect.props else set_of(theirs, session.folder, t)
                drawn = self._shot(theirs, fine.frames, t, own, {})
                final = as_image(final_renderer.draw_shot(drawn, still(theirs.light, t), view, coarse).rgb)
            wander = None if found is None or found[0].frame is None else found[0].frame.meta.get("wander")
            ms = 1e3 * (time.perf_counter() - start)
            one_in = picture.one_in
            first = Drawn(image, shown, index, coarse, ms, asked, final, one_in, wander, words, elsewhen, of)
            self.drawn.emit(first)
            if coarse == 1 and not live and final is None and shot.gases:
                for more in refined(first, draw, self._worker):
                    self.drawn.emit(more)

        self._worker.ask(work)
        if coarse > 1 and not self.live:
            self._idle.start()

    def _shot(self, effect: Effect, frames: dict, t: float, mesh: Mesh, past: dict) -> Shot:
        """What is drawn; the same as before while nothing changed, so that what was worked out for it
        holds."""
        looks = tuple(
            (layer.id, layer.look, layer.hidden, layer.solo, layer.passed_over, layer.edits)
            for layer in effect.layers
        )
        key = (tuple((id, id_of(f)) for id, f in frames.items()), looks, effect.lights, id_of(mesh), t)
        if self._last_shot is None or self._last_shot[0] != key:
            books, faults = books_of(effect, self.state.folder)
            for fault in faults:
                self.failed.emit(fault)
            made = shot_of(effect, frames, self.state.folder, t, mesh, past, books)
            self._last_shot = key, made, frames, mesh
        return self._last_shot[1]

    @property
    def busy(self) -> bool:
        return not self._worker.idle

    def _take(self, drawn: Drawn) -> None:
        if drawn.of is not self.state.document:
            return  # of an effect that was open before
        self.image = drawn.image
        self.one_in = drawn.one_in
        if drawn.ms:
            self.final_image, self.wander = drawn.final, drawn.wander
            self.stands_in, self.elsewhen = drawn.stands_in, drawn.elsewhen
        self.took = drawn.ms or self.took
        if drawn.shown is not None:
            self.shown = drawn.shown
            self.inspector.show_frame(self.shown)
        if drawn.coarse == 1 and drawn.ms:
            self.whole_ms = drawn.ms
        if drawn.coarse > 1 and drawn.ms:
            self.last_ms = drawn.ms
        self.update()

    def _on_change(self, path: str) -> None:
        if path == "":
            self.camera = (
                self.state.effect.camera if self._bearing != id(self.state.document) else self.camera
            )
            self._bearing = id(self.state.document)
        elif path == "camera":
            self.camera = self.state.effect.camera
        self.redraw()

    def _on_news(self) -> None:
        if self.state.status.running and (self.shown is None or self.shown.index < 0) and not self.live:
            self.redraw()
            return
        shown, stored = self.shown, self.state.status.stored
        index = self.state.frame
        waiting = shown is None or shown.index != index or shown.key != self.state.session.key_of(index)
        if waiting and index < len(stored) and stored[index] and not self.live:
            self.redraw()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        if self.image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.image.size() != self.size())
            painter.drawImage(self.rect(), self.image)
            paint_final(self, painter)
        else:
            painter.fillRect(self.rect(), theme.colour("#3A3A3A"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_over(self, painter)
        if self.tracing is not None:
            self.tracing.paint(painter)
        self.through.paint(painter)
        paint_stand_in(self, painter)
        paint_words(self, painter)

    def show_run(self, which: str, other: str = "final") -> None:
        """Show the effect as it is, the final run or a trial, or both with a line to wipe between them."""
        self.which, self.other = which, other
        self.redraw()

    def _other_name(self) -> str:
        if self.other in PLAYED:
            return PLAYED[self.other].lower()
        trial = next((t for t in self.state.effect.trials if t.id == self.other), None)
        return trial.name if trial is not None else "final run"

    # --- hands --------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.hands.press(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.hands.let_go()
        self._idle.start()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._mouse = event.position()
        if self.hands.holding:
            self.hands.drag(event.position())
            return
        if not self.turning_light:
            over = self.hands.grip(event.position()) is not None
            self.setCursor(Qt.CursorShape.SizeAllCursor if over else Qt.CursorShape.ArrowCursor)
        self._ask_probe()

    def leaveEvent(self, event: object) -> None:
        self._mouse, self._probe = None, ""
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.hands.step(event.angleDelta().y() / 120.0)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if self.tracing is not None and event.key() in ENDS:
            end_trace(self, event.key() != Qt.Key.Key_Escape)
        elif not self.hands.key(event):
            super().keyPressEvent(event)

    def look_from(self, camera: Camera) -> None:
        """See from elsewhere; a camera that was looked through stays as it is."""
        self.camera, self.through.id = camera, ""
        self.redraw()

    def frame_selected(self) -> None:
        """Look at what is selected, from where one stands."""
        low, high = bounds_of(self)
        centre, radius = (low + high) / 2, max(0.2, float(np.linalg.norm(high - low)) / 2)
        distance = radius / math.sin(math.radians(self.camera.fov) / 2) * 1.05
        self.look_from(
            self.camera.model_copy(update={"target": tuple(float(c) for c in centre), "distance": distance})
        )

    # --- probe --------------------------------------------------------------------------------

    def _ask_probe(self) -> None:
        if self._mouse is None or self.shown is None:
            return
        view, at, shown, session = self.view(), self._mouse, self.shown, self.state.session
        layer = self.state.layer.id if self.state.layer is not None else ""
        self._prober.ask(lambda: self.probed.emit(probe_text(view, at.x(), at.y(), shown, session, layer)))

    def _take_probe(self, text: str) -> None:
        if text != self._probe and self._mouse is not None:
            self._probe = text
            self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.redraw()

    def showEvent(self, event: object) -> None:
        self.redraw()

    def close_workers(self) -> None:
        self._idle.stop()
        self._worker.close()
        self._prober.close()
        self.inspector.close_worker()
        # what was drawn from is large, and a closed window may live on in what it was connected to
        self._renderer, self._final_renderer, self.image = Renderer(), Renderer(), None


id_of = id
