"""What is made anew while the window is used goes when it is replaced, without waiting for the collector."""

from __future__ import annotations

import gc
from collections import Counter

from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from tenka.app.window import STATIONS, Window
from tenka.effect.model import Effect
from tenka.run.plans import Plan


def test_nothing_large_is_left_in_cycles(window: Window):
    paths = [line.path for line in window.tempo.rows.lines() if line.path]
    look = f"layers.{window.state.effect.layers[0].id}.look.density"

    def use() -> None:
        for path in paths:
            window.state.select(path)
            QTest.qWait(10)
        for station in STATIONS:
            window.go_to(station.lower())
            QTest.qWait(10)
        window.go_to("shape")
        for n in range(3):
            window.state.edit(look, 1.5 + 0.1 * n, "Density", ("density", n))
            QTest.qWait(10)
            window.undo()
            QTest.qWait(10)

    use()  # what is loaded once
    gc.collect()
    gc.disable()
    gc.set_debug(gc.DEBUG_SAVEALL)
    try:
        use()
        gc.collect()
        left = Counter(type(o).__name__ for o in gc.garbage if isinstance(o, (QWidget, Plan, Effect)))
    finally:
        gc.set_debug(0)
        gc.garbage.clear()
        gc.enable()
    assert not left
