"""Long work: progress with time left, cancel, and worker threads that keep only the newest request."""

from __future__ import annotations

import signal
import threading
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from tenka.base.errors import Cancelled
from tenka.base.threads import give_way

DRAWING_NICE = 4
_stopping = threading.Event()


def stop_on_interrupt() -> None:
    """Let Ctrl+C stop all work that reports its progress, besides raising KeyboardInterrupt.

    Raised alone it is lost now and then: Python drops what is raised while it tidies an object away.
    """

    def asked(_number: int, _frame: Any) -> None:
        _stopping.set()
        raise KeyboardInterrupt

    signal.signal(signal.SIGINT, asked)


@dataclass
class Progress:
    """Progress of one piece of work; passed down into it, read from any thread.

    `listen` is called (from the working thread) whenever the count moves.
    """

    total: int = 0
    done: int = 0
    what: str = ""
    listen: Callable[[Progress], None] | None = None
    started: float = field(default_factory=time.monotonic)
    _cancel: threading.Event = field(default_factory=threading.Event)

    def begin(self, total: int, what: str) -> None:
        self.total, self.done, self.what, self.started = total, 0, what, time.monotonic()
        self._tell()

    def step(self, count: int = 1) -> None:
        """Count finished units; raises `Cancelled` when a cancel was asked for."""
        self.done = min(self.done + count, max(self.total, self.done))  # never more than all
        self._tell()
        self.check()

    def check(self) -> None:
        if self._cancel.is_set() or _stopping.is_set():
            raise Cancelled

    def cancel(self) -> None:
        self._cancel.set()

    @property
    def cancelled(self) -> bool:
        return self._cancel.is_set()

    @property
    def seconds_left(self) -> float | None:
        """Estimated seconds to the end, from the pace so far; None before the first unit is done."""
        if not self.done or not self.total:
            return None
        return (time.monotonic() - self.started) / self.done * max(0, self.total - self.done)

    def _tell(self) -> None:
        if self.listen is not None:
            self.listen(self)


class Worker:
    """One thread with one slot: a new request replaces one that has not started.

    Parameters
    ----------
    name : str
        Thread name, shown by debuggers.
    failed : callable, optional
        Called in the worker's thread with an exception that a request raised; `Cancelled` is not told.
    """

    def __init__(self, name: str, failed: Callable[[Exception], None] | None = None) -> None:
        self._wake = threading.Condition()
        self._next: Callable[[], Any] | None = None
        self._busy = False
        self._closed = False
        self._failed = failed
        self._thread = threading.Thread(target=self._loop, name=name, daemon=True)
        self._thread.start()

    def ask(self, call: Callable[[], Any]) -> None:
        """Run `call` as soon as the current request ends; drops one that still waits."""
        with self._wake:
            self._next = call
            self._wake.notify()

    @property
    def idle(self) -> bool:
        with self._wake:
            return self._next is None and not self._busy

    @property
    def wanted(self) -> bool:
        """Whether something newer waits: what goes on only to be finer should end."""
        with self._wake:
            return self._next is not None or self._closed

    def close(self, seconds: float = 5.0) -> None:
        with self._wake:
            self._closed = True
            self._next = None
            self._wake.notify()
        self._thread.join(seconds)

    def _loop(self) -> None:
        give_way(DRAWING_NICE)
        while True:
            with self._wake:
                while self._next is None and not self._closed:
                    self._wake.wait()
                if self._closed:
                    return
                call, self._next = self._next, None
                self._busy = True
            try:
                assert call is not None
                call()
            except Cancelled:
                pass
            except Exception as error:
                if self._failed is None:
                    traceback.print_exc()
                else:
                    self._failed(error)
            finally:
                with self._wake:
                    self._busy = False
