"""The tempo: playing, the time axis, and the rows of layers, sources, forces and props, which are the outline
too."""

from __future__ import annotations

from time import perf_counter as _now

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.stage.view import Drawn, Stage
from tenka.app.state import State
from tenka.app.tempo.final import FinalBar
from tenka.app.tempo.rowpicture import EDGE_SECONDS
from tenka.app.tempo.rows import Rows
from tenka.app.timers import every
from tenka.effect.additions import with_cue
from tenka.effect.document import reseeded


class Tempo(QWidget):
    """Play controls above the rows.

    While playing, the next frame is asked for when the last one was shown, so that a slow simulation
    slows the play and never the window.
    """

    def __init__(self, state: State, stage: Stage) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.state, self.stage = state, stage
        self.playing = False
        self.every_frame = False
        self._behind = 0.0
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(self._bar())
        self.rows = Rows(state)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.rows)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(area, 1)
        self._tick = every(self, 8, self._step)
        self._clock = 0.0
        state.moved.connect(lambda _: self._show_where())
        state.changed.connect(lambda _: self._show_where())
        stage.drawn.connect(self._on_drawn)
        self._waiting = False
        self._hold = 0.0
        self._last_shown: float | None = None
        self._show_where()

    def _bar(self) -> QHBoxLayout:
        """Playing, the time, cues, seeds and the final run, over the rows."""
        state, stage = self.state, self.stage
        bar = QHBoxLayout()
        bar.setContentsMargins(8, 4, 8, 4)
        bar.setSpacing(4)
        self.rewind = self._button("skip-back", "To the first frame (Home)")
        self.rewind.clicked.connect(lambda: state.go(0))
        self.play = self._button("play", "Play or pause (Space)")
        self.play.clicked.connect(self.toggle)
        self.mode = self._button("list-video", "Every frame in turn, or at the true rate (R)")
        self.mode.setCheckable(True)
        self.mode.toggled.connect(self._set_mode)
        self.where = QLabel()
        self.where.setFont(theme.font(theme.BODY))
        self.pace = QLabel()
        self.pace.setProperty("quiet", True)
        for part in (self.rewind, self.play, self.mode):
            bar.addWidget(part)
        bar.addSpacing(8)
        bar.addWidget(self.where)
        bar.addSpacing(12)
        bar.addWidget(self.pace)
        bar.addStretch(1)
        self.cue = self._button(
            "flag", "A cue here: a moment that sources can hang on, and that moves all of them at once"
        )
        self.cue.clicked.connect(self._add_cue)
        bar.addWidget(self.cue)
        self.seed = self._button(
            "dices",
            (
                "Keep this as a trial and try another seed: another variation of everything that is left "
                "to chance"
            ),
        )
        self.seed.clicked.connect(self._reseed)
        bar.addWidget(self.seed)
        self.final = FinalBar(state)
        self.final.picked.connect(stage.show_run)
        self.final.run.changed.connect(
            lambda: stage.redraw() if stage.which != "preview" and stage.final_image is None else None
        )
        bar.addWidget(self.final)
        return bar

    def _button(self, name: str, tip: str) -> QToolButton:
        button = QToolButton()
        button.setIcon(theme.icon(name))
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        return button

    def _add_cue(self) -> None:
        effect, path = with_cue(self.state.effect, self.state.time)
        self.state.apply(effect, "Add a cue")
        self.state.select(path)

    def _reseed(self) -> None:
        effect, seed = reseeded(self.state.effect)
        self.state.apply(effect, "Try another seed")
        self.state.said.emit(f"Seed {seed}; the one before is kept as {effect.trials[-1].name}.")

    def _set_mode(self, on: bool) -> None:
        self.every_frame = on
        self._show_where()

    def _show_where(self) -> None:
        e = self.state.effect
        self.where.setText(f"{self.state.frame + 1} / {e.frames}   {self.state.time:.2f} s")
        if not self.playing:
            self.pace.setText("every frame" if self.every_frame else f"true rate, {e.rate:g} a second")

    def toggle(self) -> None:
        self.set_playing(not self.playing)

    def set_playing(self, on: bool) -> None:
        self.playing = on
        self.stage.live = on
        self.play.setIcon(theme.icon("pause" if on else "play"))
        self._waiting = False
        self._last_shown = None
        if on:
            self._clock = _now() - self.state.frame / self.state.effect.rate
            self._tick.start()
        else:
            self._tick.stop()
            self.stage.redraw(live=False)
        self._show_where()

    def _step(self) -> None:
        """Ask for the next frame when its time has come and the last picture has arrived."""
        if self._waiting or _now() < self._hold:
            return
        e = self.state.effect
        if self.every_frame:
            following = (self.state.frame + 1) % e.frames
        else:
            due = int((_now() - self._clock) * e.rate)
            if due < self.state.frame + 1:
                return
            following = due
            stored = self.state.status.stored
            # only stored frames may be dropped to keep the rate; the edge of a running simulation is walked
            # frame by frame
            while following > self.state.frame + 1 and not (following < len(stored) and stored[following]):
                following -= 1
            if following >= e.frames:
                following = 0
                self._clock = _now()
        self._waiting = True
        self.stage.redraw_at(following)

    def _on_drawn(self, drawn: Drawn) -> None:
        if not self.playing or not self._waiting:
            return
        self._waiting = False
        if drawn.shown is None or drawn.shown.index < 0:
            self._hold = _now() + EDGE_SECONDS
            self._clock = _now() - self.state.frame / self.state.effect.rate  # wait at the edge
            return
        now = _now()
        if self._last_shown is not None:
            pace = 1.0 / max(1e-3, now - self._last_shown)
            self._behind = 0.8 * self._behind + 0.2 * pace if self._behind else pace
            self.pace.setText(
                f"{self._behind:.0f} frames a second" + (", loose" if drawn.shown.loose else "")
            )
        self._last_shown = now
        if self.state.frame + 1 < drawn.shown.index or drawn.shown.loose:
            self._clock = now - drawn.shown.index / self.state.effect.rate
        self.stage.quiet_go(drawn.shown.index)
