"""Compiling kernels behind the window: first what the opened effect needs, then the rest at low priority."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable

from PyQt6.QtCore import QObject, QProcess, pyqtSignal

from tenka.app.timers import once
from tenka.base.jit import is_compiled
from tenka.budget.warm import PARTS, PROCESSES, first_parts, next_part
from tenka.effect.model import Effect

WAIT = 1000  # ms between two looks at whether the window is busy


class Warming(QObject):
    """Processes that compile part after part; nothing is compiled in the window itself.

    `ready` is told once the parts that the effect needs are there; at once when they were. What it does not
    need waits while the window is `busy`.
    """

    ready = pyqtSignal()
    moved = pyqtSignal(str)

    def __init__(self, effect: Effect, busy: Callable[[], bool] = lambda: False) -> None:
        super().__init__()
        self._busy = busy
        self._later = once(self, WAIT, self._go_on)
        self._first = [part for part in first_parts(effect) if not is_compiled(part)]
        self._rest = [part for part in PARTS if part not in self._first and not is_compiled(part)]
        self._wanted = set(self._first)
        self._whole = sum(PARTS[part].kernels for part in self._first)
        self._counts: dict[str, int] = {}
        self._running: dict[QProcess, str] = {}
        self.waiting = bool(self._first)

    def start(self) -> None:
        if not self._first:
            self.ready.emit()
        self._go_on()

    def _go_on(self) -> None:
        """Start as many processes as there are cores for; the rest one at a time, and gently."""
        while len(self._running) < PROCESSES and (part := next_part(self._first, self._running.values())):
            self._begin(part, [])
        if self._wanted or self._running or not self._rest:
            return
        if self._busy():
            self._later.start()
        elif part := next_part(self._rest, ()):
            self._begin(part, ["--gently"])

    def _begin(self, part: str, more: list[str]) -> None:
        process = QProcess(self)
        self._running[process] = part
        process.readyReadStandardOutput.connect(lambda: self._read(process))
        process.finished.connect(lambda *_: self._end(process))
        process.start(sys.executable, ["-m", "tenka.cli", "warm", "--part", part, "--json", *more])

    def _read(self, process: QProcess) -> None:
        for line in bytes(process.readAllStandardOutput().data()).splitlines():
            try:
                row = json.loads(line)
            except ValueError:
                continue
            if "kernels" in row:
                self._counts[row["part"]] = min(row["kernels"], PARTS[row["part"]].kernels)
        if self._wanted:
            done = sum(n for part, n in self._counts.items())
            self.moved.emit(
                f"First start: compiling what this effect needs, {min(done, self._whole)} of about "
                f"{self._whole} "
                "parts. It is done once on a machine."
            )

    def _end(self, process: QProcess) -> None:
        part = self._running.pop(process, "")
        process.deleteLater()
        self._wanted.discard(part)
        self._counts[part] = PARTS[part].kernels if part in PARTS else 0
        if self.waiting and not self._wanted:
            self.waiting = False
            self.ready.emit()
        self._go_on()

    def close(self) -> None:
        """Stop what is still being compiled."""
        self._first, self._rest = [], []
        self._later.stop()
        for process in list(self._running):
            process.finished.disconnect()
            process.kill()
            process.waitForFinished(500)
