"""The tempo: playing, the time axis, and the rows of layers, sources, forces and props, which are the outline
too."""

from __future__ import annotations

from dataclasses import replace
from time import perf_counter as _now

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.scroll import upright_area
from tenka.app.sheet.fields import ChoiceField, NumberField
from tenka.app.stage.view import Drawn, Stage
from tenka.app.state import State
from tenka.app.tempo.final import FinalBar
from tenka.app.tempo.player import SPEEDS, WORDS, Player
from tenka.app.tempo.rowpicture import EDGE_SECONDS
from tenka.app.tempo.rows import Rows
from tenka.app.timers import every
from tenka.effect.additions import with_cue
from tenka.effect.catalogue import plain_number
from tenka.effect.document import reseeded

FRAME = plain_number("frame", "", "The frame that is shown.", 1.0, 1.0, (1.0, 2.0))


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
        self.player = Player()
        self._behind = 0.0
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.rows = Rows(state)
        column.addLayout(self._bar())
        self.rows.spanned.connect(self._show_span)
        area = upright_area(False)
        area.setWidget(self.rows)
        column.addWidget(area, 1)
        self._tick = every(self, 8, self._step)
        self._clock = 0.0
        state.moved.connect(lambda _: self._show_where())
        state.changed.connect(lambda _: self._show_where())
        stage.drawn.connect(self._on_drawn)
        self._waiting, self._asked = False, 0
        self._hold = 0.0
        self._last_shown: float | None = None
        self._show_span()

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
        self.back = self._button("rewind", "Play backward (Shift+Space)")
        self.back.setCheckable(True)
        self.back.toggled.connect(self._set_backward)
        self.speed = ChoiceField("Pace of playing", [(str(n), w) for n, w in zip(SPEEDS, WORDS)])
        self.speed.setToolTip("How fast it plays: slower (Ctrl+,) or faster (Ctrl+.) than in the game")
        self.speed.setCurrentText("1 ×")
        self.speed.currentIndexChanged.connect(lambda n: self._set_speed(SPEEDS[n]))
        self.entry = NumberField(FRAME, 1.0)
        self.entry.setFixedWidth(64)
        self.entry.setToolTip("The frame that is shown: type its number, or drag")
        self.entry.changed.connect(lambda v, _: self._enter(round(v) - 1))
        self.entry.told.connect(state.said)
        self.where = QLabel()
        self.where.setFont(theme.font(theme.BODY))
        self.pace = QLabel()
        self.pace.setProperty("quiet", True)
        self.whole = self._button("repeat", "Play all again, not a stretch alone (\\)")
        self.whole.clicked.connect(lambda: self.rows.play_only(None))
        for part in (self.rewind, self.back, self.play, self.mode, self.speed, self.whole):
            bar.addWidget(part)
        bar.addSpacing(8)
        bar.addWidget(self.entry)
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

    @property
    def every_frame(self) -> bool:
        return self.player.every_frame

    def _set_mode(self, on: bool) -> None:
        self.player.every_frame = on
        self._show_where()

    def _set_backward(self, on: bool) -> None:
        self.player.backward = on
        self._pace_changed()

    def _set_speed(self, speed: float) -> None:
        self.player.speed = speed
        self._pace_changed()
        self._show_where()

    def _pace_changed(self) -> None:
        self._clock = _now()
        self.stage.pace = -self.player.speed if self.player.backward else self.player.speed

    def pace_by(self, steps: int) -> None:
        """Play slower or faster by so many of the paces that there are."""
        self.speed.setCurrentIndex(min(max(self.speed.currentIndex() + steps, 0), len(SPEEDS) - 1))

    def play_backward(self) -> None:
        """Play against time, or stop that."""
        on = not (self.playing and self.player.backward)
        self.back.setChecked(on)
        self.set_playing(on)

    def _enter(self, frame: int) -> None:
        """Go to a frame that was typed; one that there is not is told."""
        self.state.go(frame)
        self._show_where()

    def mark(self, end: str) -> None:
        """Let what is played over and over begin or end at the head."""
        last = self.state.effect.frames - 1
        a, b = self.rows.span.stretch or (0, last)
        now = self.state.frame
        self.rows.play_only((now, max(b, now)) if end == "begin" else (min(a, now), now))

    def _show_span(self) -> None:
        stretch = self.rows.span.stretch
        self.whole.setVisible(stretch is not None)
        self._show_where()

    def _show_where(self) -> None:
        e, stretch = self.state.effect, self.rows.span.stretch
        self.entry.p = replace(FRAME, high=float(e.frames), soft=(1.0, float(e.frames)))
        self.entry.show_value(self.state.frame + 1.0)
        first, last = self.rows.span.played(e.frames)
        part = f", of {first + 1} to {last + 1}" if stretch is not None else ""
        self.where.setText(f"of {e.frames}   {self.state.time:.2f} s{part}")
        if not self.playing:
            rate = f"{e.rate * self.player.speed:g} a second"
            self.pace.setText(
                "every frame"
                if self.every_frame
                else f"true rate, {e.rate:g} a second"
                if self.player.speed == 1.0
                else f"{self.speed.currentText()}, {rate}"
            )

    def toggle(self) -> None:
        self.set_playing(not self.playing)

    def set_playing(self, on: bool) -> None:
        self.playing = on
        self.stage.live = on
        self.play.setIcon(theme.icon("pause" if on else "play"))
        self._waiting = False
        self._last_shown = None
        if on:
            self._clock = _now()
            self._tick.start()
        else:
            self._tick.stop()
            self.stage.redraw(live=False)
        self._show_where()

    def _step(self) -> None:
        """Ask for the next frame when its time has come and the last picture has arrived."""
        if self._waiting or _now() < self._hold:
            return
        e, now = self.state.effect, _now()
        stored = self.state.status.stored
        played = self.rows.span.played(e.frames)
        following = self.player.following(self.state.frame, now - self._clock, e.rate, played, stored)
        if following is None:
            return
        steps, on = abs(following - self.state.frame), following > self.state.frame
        turned = on == self.player.backward  # to the other end of what is played
        self._clock = now if turned else self._clock + steps / (e.rate * self.player.speed)
        if self.rows.span.follow(following / e.rate, e.seconds):
            self.rows.repaint_all()
        self._waiting, self._asked = True, following
        self.stage.redraw_at(following)

    def _on_drawn(self, drawn: Drawn) -> None:
        if not self.playing or not self._waiting or drawn.asked != self._asked:
            return  # a picture that was under way before
        self._waiting = False
        if drawn.shown is None or drawn.shown.index < 0:
            self._hold = _now() + EDGE_SECONDS
            self._clock = _now()  # wait at the edge
            return
        now = _now()
        if self._last_shown is not None:
            pace = 1.0 / max(1e-3, now - self._last_shown)
            self._behind = 0.8 * self._behind + 0.2 * pace if self._behind else pace
            self.pace.setText(
                f"{self._behind:.0f} frames a second" + (", loose" if drawn.shown.loose else "")
            )
        self._last_shown = now
        if drawn.shown.loose:
            self._clock = now
        self.stage.quiet_go(drawn.shown.index)
