"""The first start on a machine: nothing is compiled and nothing simulated. `python -m bench first`.

The window is started as `tenka open` starts it, off-screen, in a process of its own with an empty cache.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time

WINDOW_WITHIN = 10.0  # s
MOVES_WITHIN = 60.0  # s

WATCHED = """
import os, sys, time
start = float(sys.argv[1])
from PyQt6.QtWidgets import QApplication
from tenka.app.main import run_window
from tenka.app.stage.view import Stage
from tenka.app.window import Window
show, take = Window.show, Stage._take
def shown(window):
    show(window)
    print("window", time.time() - start, flush=True)
seen = []
def taken(stage, drawn):
    take(stage, drawn)
    if not stage.state.ready or stage.shown is None or stage.shown.index in seen:
        return
    seen.append(stage.shown.index)
    if len(seen) == 3:
        print("moves", time.time() - start, flush=True)
    if seen[-1] > 2:
        print("frames", time.time() - start, flush=True)
        QApplication.instance().quit()
Window.show, Stage._take = shown, taken
sys.exit(run_window(None, None, "shape", (1280, 800)))
"""


def run() -> int:
    """Start once; 1 when the window or the playing plume came too late."""
    with tempfile.TemporaryDirectory(prefix="tenka-first-") as home:
        process = subprocess.run(
            [sys.executable, "-c", WATCHED, str(time.time())],
            env={
                **os.environ,
                "XDG_CACHE_HOME": home,
                "XDG_STATE_HOME": home,
                "QT_QPA_PLATFORM": "offscreen",
            },
            capture_output=True,
            text=True,
            timeout=900,
        )
    said = dict(line.split() for line in process.stdout.splitlines() if line.count(" ") == 1)
    if "frames" not in said:
        print(process.stderr[-2000:] or "the plume never played")
        return 1
    window, moves, frames = (float(said[name]) for name in ("window", "moves", "frames"))
    print(f"the window stands after {window:.1f} s (target {WINDOW_WITHIN:.0f} s)")
    print(f"the plume moves on the stage after {moves:.0f} s (target {MOVES_WITHIN:.0f} s)")
    print(f"its run-up is over, and its own frames play, after {frames:.0f} s")
    return 0 if window <= WINDOW_WITHIN and moves <= MOVES_WITHIN else 1
