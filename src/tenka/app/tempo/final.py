"""The final run: a process of its own, with its progress, and what of it is shown beside the preview."""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QObject, QProcess, QProcessEnvironment, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QProgressBar, QToolButton, QWidget

from tenka.app import theme
from tenka.app.stage.asplayed import PLAYED
from tenka.app.state import State
from tenka.base.words import counted, memory, span
from tenka.effect import storage
from tenka.effect.document import with_trial
from tenka.effect.model import heard
from tenka.gas.grid import Grid
from tenka.run.kinds import finer_gas, predicted_seconds

SOON_MS = 300


class FinalRun(QObject):
    """Runs `tenka simulate --quality final` on a copy of the effect as it is now. It may be stopped or killed
    at any time and goes on later."""

    changed = pyqtSignal()

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.made = 0
        self.problem = ""
        self._process: QProcess | None = None
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self._started = 0.0
        self._first = 0
        self._text = b""

    @property
    def running(self) -> bool:
        return self._process is not None

    @property
    def seconds_left(self) -> float | None:
        """From the pace since the first frame came."""
        count = self.state.effect.frames
        if self.made <= self._first:
            return None
        return (time.monotonic() - self._started) / (self.made - self._first) * max(0, count - self.made)

    def start(self) -> None:
        if self.running or not self.state.effect.layers:
            return
        self._folder = tempfile.TemporaryDirectory(prefix="tenka-final-")
        file = Path(self._folder.name) / "effect.tenka"
        effect = self.state.effect
        storage.save(
            storage.moved(effect, self.state.folder, file.parent)
            if self.state.folder is not None
            else effect,
            file,
        )
        process = QProcess(self)
        environment = QProcessEnvironment.systemEnvironment()
        environment.insert("TENKA_FRAMES", str(self.state.store.folder))
        environment.insert("TENKA_OWNER", self.state.store.owner)
        process.setProcessEnvironment(environment)
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(self._end)
        self.problem, self.made, self._text = "", 0, b""
        self._process = process
        process.start(
            sys.executable, ["-m", "tenka.cli", "simulate", str(file), "--quality", "final", "--json"]
        )
        self.changed.emit()

    def cancel(self) -> None:
        """Stop at once: asked first, killed soon after. What is stored stays, and the next run goes on from
        there."""
        process = self._process
        if process is not None:
            process.terminate()
            if not process.waitForFinished(SOON_MS):
                process.kill()
                process.waitForFinished(SOON_MS)

    def forget(self) -> None:
        """End what is under way, and tell no more of it."""
        self.cancel()
        self.made, self.problem = 0, ""

    def _read(self) -> None:
        assert self._process is not None
        self._text += bytes(self._process.readAllStandardOutput().data())
        *lines, self._text = self._text.split(b"\n")
        for line in lines:
            row = json.loads(line)
            if "frame" in row:
                if not self.made:
                    self._started, self._first = time.monotonic(), row["frame"] + 1
                self.made = row["frame"] + 1
            elif "reused" in row:
                self.made = row["reused"] + row["simulated"]
        self.changed.emit()

    def _end(self, code: int, status: QProcess.ExitStatus) -> None:
        process, self._process = self._process, None
        said = (
            bytes(process.readAllStandardError().data()).decode(errors="replace").strip()
            if process is not None
            else ""
        )
        if code == 2 and status == QProcess.ExitStatus.NormalExit:
            self.problem = said.splitlines()[-1] if said else "The final run stopped."
            self.state.said.emit(self.problem)
        if self._folder is not None:
            self._folder.cleanup()
            self._folder = None
        self.changed.emit()


class FinalBar(QWidget):
    """Start or stop the final run, how far it is; keep trials; and what the stage shows beside the effect as
    it is."""

    picked = pyqtSignal(str, str)  # preview, final or wipe; the final run or a trial's id

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.run = FinalRun(state)
        self._rows: list[tuple[str, str]] = []
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        self.told = QLabel()
        self.told.setProperty("quiet", True)
        line.addWidget(self.told)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(80)
        self.bar.hide()
        line.addWidget(self.bar)
        self.button = QToolButton()
        self.button.setToolButtonStyle(self.button.toolButtonStyle().ToolButtonTextBesideIcon)
        self.button.clicked.connect(self._click)
        line.addWidget(self.button)
        self.keep = QToolButton()
        self.keep.setIcon(theme.icon("bookmark"))
        self.keep.setAccessibleName("Keep as a trial")
        self.keep.setToolTip("Keep this state and its frames as a trial, to compare with and to go back to")
        self.keep.clicked.connect(self.keep_trial)
        line.addWidget(self.keep)
        self.shown = QComboBox()
        self.shown.setAccessibleName("What the stage shows")
        self.shown.setToolTip(
            "The effect as it is, the final run, a trial or the package; or two of them with a line to wipe"
        )
        self.shown.setMinimumContentsLength(9)
        self.shown.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.shown.activated.connect(self._pick)
        line.addWidget(self.shown)
        self.run.changed.connect(self.refresh)
        state.changed.connect(self.refresh)
        self.refresh()

    def keep_trial(self) -> None:
        """Keep the effect as it is as a trial."""
        if not self.state.effect.layers:
            return
        effect, trial = with_trial(self.state.effect)
        self.state.apply(effect, f"Keep {trial.name}")
        self.state.said.emit(f"{trial.name} is kept: the tempo lists it, and the choice beside shows it.")

    def show_beside(self, which: str, other: str) -> None:
        """Pick what the stage shows, as a click does."""
        self.shown.setCurrentIndex(max(0, self.shown.findData(f"{which} {other}")))
        self._pick()

    def _pick(self) -> None:
        which, _, other = self.shown.currentData().partition(" ")
        self.picked.emit(which, other)

    def _fill(self) -> None:
        """List what can be shown; a trial that is gone gives way to the effect as it is."""
        others = [("final", "Final"), *((t.id, t.name) for t in self.state.effect.trials)]
        rows = [("preview final", "Preview")]
        for id, name in others:
            rows += [(f"final {id}", name), (f"wipe {id}", f"Wipe: {name}" if id != "final" else "Wipe")]
        for id, name in PLAYED.items():
            rows += [(f"final {id}", name), (f"wipe {id}", f"Wipe: {name.lower()}")]
        if rows == self._rows:
            return
        was, self._rows = self.shown.currentData(), rows
        self.shown.clear()
        for data, name in rows:
            self.shown.addItem(name, data)
        at = self.shown.findData(was) if was is not None else 0
        self.shown.setCurrentIndex(max(0, at))
        if at < 0:
            self._pick()

    def _takes(self) -> str:
        """About how long a final run of what is there now takes, and how much memory, before it starts."""
        e, pace = self.state.effect, self.state.status.pace
        finer = [finer_gas(gas) for gas in heard(e.gases)]
        if not finer:
            return ""
        seconds = sum(predicted_seconds(g, e.frames, e.rate, *(pace.get(g.id) or ({}, None))) for g in finer)
        need = max(Grid.of(g.domain).predicted_bytes() for g in finer)
        return f".\nAbout {span(seconds)} and {memory(need)} of memory for all {counted(e.frames, 'frame')}"

    def forget(self) -> None:
        """Another effect is open: what was told of the last one goes."""
        self.run.forget()
        self.show_beside("preview", "final")
        self.refresh()

    def _click(self) -> None:
        if self.run.running:
            self.run.cancel()
        else:
            self.run.start()

    def refresh(self, _: str = "") -> None:
        self._fill()
        running, count = self.run.running, self.state.effect.frames
        self.button.setIcon(theme.icon("x" if running else "layers"))
        self.button.setText("Stop" if running else "Final run")
        self.button.setToolTip(
            "Stop it; what is stored stays, and it goes on from there later"
            if running
            else "Simulate finer, in a process of its own, keeping the preview's motion" + self._takes()
        )
        self.bar.setVisible(running)
        self.bar.setMaximum(max(1, count))
        self.bar.setValue(self.run.made)
        left = self.run.seconds_left
        text = ""
        if running:
            text = f"final: {self.run.made:,} of {count:,}" + (
                f", {span(left)} left" if left is not None else ""
            )
        elif self.run.made:
            text = f"final: {self.run.made:,} of {counted(count, 'frame')}"
        self.told.setText(text)
