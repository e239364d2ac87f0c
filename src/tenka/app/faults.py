"""What happens when something of ours fails: the work is written to the journal, the fault to a log, one
sentence is said, and the program goes on."""

from __future__ import annotations

import contextlib
import faulthandler
import sys
import threading
import time
import traceback
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

from platformdirs import user_log_path
from PyQt6.QtCore import QObject, pyqtSignal

MOST_LOG_BYTES = 1_000_000


class Faults(QObject):
    """Takes every exception that nobody caught, from any thread, while the window is open.

    Without it an exception in a slot ends the program: the framework aborts when the interpreter's own hook
    is in place.

    Parameters
    ----------
    save : writes the journal; called from the interface thread
    say : shows a sentence
    """

    _told = pyqtSignal(str)

    def __init__(
        self, save: Callable[[], object], say: Callable[[str], object], folder: Path | None = None
    ) -> None:
        super().__init__()
        self.file = (folder or user_log_path("tenka")) / "faults.txt"
        self._save, self._say = save, say
        self._log = None
        self._before = (sys.excepthook, threading.excepthook)
        self._told.connect(self._show)  # queued where another thread tells it
        with contextlib.suppress(OSError):
            self.file.parent.mkdir(parents=True, exist_ok=True)
            if self.file.exists() and self.file.stat().st_size > MOST_LOG_BYTES:
                self.file.replace(self.file.with_suffix(".earlier.txt"))
            self._log = open(self.file, "a", encoding="utf-8")  # noqa: SIM115
            faulthandler.enable(self._log)  # a crash below Python leaves its place there too

    def install(self) -> None:
        sys.excepthook = self.take
        threading.excepthook = lambda found: self.take(
            found.exc_type, found.exc_value or found.exc_type(), found.exc_traceback
        )

    def remove(self) -> None:
        sys.excepthook, threading.excepthook = self._before
        if self._log is not None:
            faulthandler.disable()
            self._log.close()
            self._log = None

    def take(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None = None
    ) -> None:
        """One exception that nobody caught."""
        if issubclass(kind, KeyboardInterrupt):
            self._before[0](kind, error, trace)
            return
        text = "".join(traceback.format_exception(kind, error, trace))
        with contextlib.suppress(OSError, ValueError):
            if self._log is not None:
                self._log.write(f"{time.strftime('%Y-%m-%d %H:%M:%S')}\n{text}\n")
                self._log.flush()
        with contextlib.suppress(RuntimeError):  # the window is gone already
            said = str(error).splitlines()[0][:160] if str(error) else ""
            self._told.emit(f"{kind.__name__}: {said}" if said else kind.__name__)

    def _show(self, what: str) -> None:
        with contextlib.suppress(Exception):
            self._save()
        with contextlib.suppress(Exception):
            self._say(
                f"Something in Tenka failed ({what}). Your work is in the autosave, the details are in "
                f"{self.file}."
            )
