"""The final run: a process of its own, with its progress, and what of it is shown beside the preview."""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QObject, QProcess, QProcessEnvironment, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QToolButton, QWidget

from tenka.app import theme
from tenka.app.state import State
from tenka.effect import storage

SOON_MS = 300
SHOWN = (("preview", "Preview"), ("final", "Final"), ("wipe", "Wipe"))


class FinalRun(QObject):
    """Runs `tenka simulate --quality final` on a copy of the effect as it is now. It may be stopped or killed at any time and goes on later."""

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
        storage.save(storage.moved(effect, self.state.folder, file.parent) if self.state.folder is not None else effect, file)
        process = QProcess(self)
        environment = QProcessEnvironment.systemEnvironment()
        environment.insert("TENKA_FRAMES", str(self.state.store.folder))
        process.setProcessEnvironment(environment)
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(self._end)
        self.problem, self.made, self._text = "", 0, b""
        self._process = process
        process.start(sys.executable, ["-m", "tenka.cli", "simulate", str(file), "--quality", "final", "--json"])
        self.changed.emit()

    def cancel(self) -> None:
        """Stop at once: asked first, killed soon after. What is stored stays, and the next run goes on from there."""
        process = self._process
        if process is not None:
            process.terminate()
            if not process.waitForFinished(SOON_MS):
                process.kill()
                process.waitForFinished(SOON_MS)

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
        said = bytes(process.readAllStandardError().data()).decode(errors="replace").strip() if process is not None else ""
        if code == 2 and status == QProcess.ExitStatus.NormalExit:
            self.problem = said.splitlines()[-1] if said else "The final run stopped."
            self.state.said.emit(self.problem)
        if self._folder is not None:
            self._folder.cleanup()
            self._folder = None
        self.changed.emit()


class FinalBar(QWidget):
    """Start or stop the final run, how far it is, and which of the two the stage shows."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.run = FinalRun(state)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        self.told = QLabel()
        self.told.setProperty("quiet", True)
        line.addWidget(self.told)
        self.button = QToolButton()
        self.button.setToolButtonStyle(self.button.toolButtonStyle().ToolButtonTextBesideIcon)
        self.button.clicked.connect(self._click)
        line.addWidget(self.button)
        self.shown = QComboBox()
        self.shown.setAccessibleName("Which run the stage shows")
        self.shown.setToolTip("The preview, the final run, or both with a line to wipe between them")
        for id, name in SHOWN:
            self.shown.addItem(name, id)
        line.addWidget(self.shown)
        self.run.changed.connect(self.refresh)
        state.changed.connect(self.refresh)
        self.refresh()

    def _click(self) -> None:
        if self.run.running:
            self.run.cancel()
        else:
            self.run.start()

    def refresh(self, _: str = "") -> None:
        running, count = self.run.running, self.state.effect.frames
        self.button.setIcon(theme.icon("x" if running else "layers"))
        self.button.setText("Stop" if running else "Final run")
        self.button.setToolTip("Stop it; what is stored stays, and it goes on from there later" if running else
                               "Simulate finer, in a process of its own, keeping the preview's motion")  # fmt: skip
        left = self.run.seconds_left
        text = ""
        if running:
            text = f"final: {self.run.made} of {count}" + (f", {left:.0f} s left" if left is not None else "")
        elif self.run.made:
            text = f"final: {self.run.made} of {count} frames"
        self.told.setText(text)
