"""The window in use for a while: playing, editing, looking about, going from station to station; and what
that does to memory, threads and handles. `python -m bench soak --minutes M`.

Memory goes up and down with what is shown, by far more than a leak adds in a minute; a leak lifts the least
that it comes down to. So the floor of the last third is held against the floor of the third before.
"""

from __future__ import annotations

import os
import random
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

EVERY = 10.0  # s between two rows
SETTLED = 60.0  # s after which memory should not grow any more
MOST_GROWTH = 5.0  # MB a minute; an hour tells smaller leaks apart


def resident_mb() -> float:
    """Memory of this process, MB."""
    with open("/proc/self/statm") as file:
        return int(file.read().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def run(minutes: float, file: Path, seed: int = 1) -> int:
    """Use the window; 1 when memory goes on growing."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtCore import QPoint, Qt
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from tenka.app import theme
    from tenka.app.state import State
    from tenka.app.window import STATIONS, Window
    from tenka.base.memory import settle_memory
    from tenka.cache.store import FrameStore
    from tenka.effect.catalogue import walk
    from tenka.effect.courses import Course

    settle_memory()
    rng = random.Random(seed)
    app = QApplication.instance() or QApplication(["soak"])
    assert isinstance(app, QApplication)
    theme.apply(app)
    rows: list[tuple[float, float]] = []
    with tempfile.TemporaryDirectory(prefix="tenka-soak-") as name:
        window = Window(State(FrameStore(Path(name) / "frames", 600 * 1024**2), Path(name) / "journal"))
        window.ask_before_closing = lambda: "drop"
        window.open(file)
        window.resize(1280, 800)
        window.show()
        window.tempo.set_playing(True)
        numbers = [
            (path, p)
            for path, p, value, _ in walk(window.state.effect)
            if p.kind == "number"
            and not isinstance(value, Course)
            and "domain" not in path
            and "trials" not in path
        ]
        begun = told = time.monotonic()
        steps = 0
        print(f"{'s':>6} {'MB':>8} {'blocks':>9} {'threads':>8} {'handles':>8}", flush=True)
        while time.monotonic() - begun < minutes * 60:
            steps += 1
            act = rng.randrange(8)
            if act < 3:
                path, p = rng.choice(numbers)
                low, high = p.soft
                window.state.edit(
                    path, p.clamp(low + rng.random() * (high - low)), "Soak", ("soak", steps // 4)
                )
            elif act == 3:
                window.undo()
            elif act == 4:
                window.go_to(rng.choice([s.lower() for s in STATIONS]))
            elif act == 5:
                window.go_to("shape")
                window.tempo.set_playing(rng.random() < 0.8)
            elif act == 6:
                start = QPoint(400, 300)
                QTest.mousePress(window.stage, Qt.MouseButton.LeftButton, pos=start)
                QTest.mouseMove(window.stage, start + QPoint(rng.randrange(-60, 60), rng.randrange(-20, 20)))
                QTest.mouseRelease(window.stage, Qt.MouseButton.LeftButton, pos=start)
            else:
                lines = [line.path for line in window.tempo.rows.lines() if line.path]
                window.state.select(rng.choice(lines))
            QTest.qWait(int(500 * rng.random()))  # unlike processEvents, it deletes what waits for that
            if time.monotonic() - told >= EVERY:
                told = time.monotonic()
                rows.append((told - begun, resident_mb()))
                threads, handles = len(os.listdir("/proc/self/task")), len(os.listdir("/proc/self/fd"))
                print(
                    (
                        f"{rows[-1][0]:6.0f} {rows[-1][1]:8.1f} {sys.getallocatedblocks():9d} "
                        f"{threads:8d} {handles:8d}"
                    ),
                    flush=True,
                )
        window.close()
    print(f"{steps} acts")
    return verdict(rows, minutes)


def verdict(rows: list[tuple[float, float]], minutes: float) -> int:
    """Say how memory grows, from rows of seconds and MB; 1 when it goes on growing."""
    third = minutes * 20
    middle = [mb for s, mb in rows if max(SETTLED, third) <= s < 2 * third]
    last = [mb for s, mb in rows if s >= 2 * third]
    if min(len(middle), len(last)) < 6:
        print("too short to tell how memory grows")
        return 0
    growth = (min(last) - min(middle)) * 60 / third
    print(
        f"least and mean of the second third {min(middle):.0f} and {np.mean(middle):.0f} MB, of the last "
        f"{min(last):.0f} and {np.mean(last):.0f} MB: the floor goes by {growth:+.2f} MB a minute"
    )
    return 1 if growth > MOST_GROWTH else 0
