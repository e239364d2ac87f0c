"""Timers in one line."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt, QTimer


def once(parent: QObject, ms: int, call: Callable[[], object]) -> QTimer:
    """A timer that calls once, `ms` after its last start."""
    timer = every(parent, ms, call)
    timer.setSingleShot(True)
    return timer


def every(parent: QObject, ms: int, call: Callable[[], object]) -> QTimer:
    """A timer that calls every `ms` while it runs."""
    timer = QTimer(parent)
    timer.setTimerType(Qt.TimerType.PreciseTimer)
    timer.setInterval(ms)
    timer.timeout.connect(call)
    return timer
