"""How long the window takes for what a hand asks of it: selecting, changing station, opening; and the longest
pause of random gestures."""

from __future__ import annotations

import os
import random
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from bench.result import Result

DEMO = "boiler_burst"  # with five layers, forces and props the fullest sheet
GESTURES = 400


def hands() -> Iterator[Result]:
    """In a process of its own, off screen, with simulated frames."""
    with tempfile.TemporaryDirectory() as folder:
        done = subprocess.run(
            [sys.executable, "-m", "bench.hands", folder],
            capture_output=True,
            text=True,
            check=True,
            env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        )
    for line in done.stdout.splitlines():
        name, size, ms, most = line.split("|")
        target = f"at most {most} ms" if most else ""
        yield Result(name, size, float(ms), target=target, met=float(ms) <= float(most) if most else None)


def measure(folder: Path) -> None:
    from PyQt6.QtWidgets import QApplication

    from tenka.app import theme
    from tenka.app.state import State
    from tenka.app.window import Window
    from tenka.cache.store import FrameStore
    from tenka.demo import FOLDER

    app = QApplication([])
    theme.apply(app)
    window = Window(State(FrameStore(folder / "frames"), folder / "journal"))
    window.ask_before_closing = lambda: "drop"
    window.resize(1280, 800)
    window.show()

    def spin(seconds: float) -> None:
        end = time.perf_counter() + seconds
        while time.perf_counter() < end:
            app.processEvents()
            time.sleep(0.002)

    def took(act: Callable[[], object]) -> float:
        start = time.perf_counter()
        act()
        app.processEvents()
        return 1e3 * (time.perf_counter() - start)

    opening = [took(lambda: window.open(FOLDER / f"{DEMO}.tenka")) for _ in range(3)]
    state = window.state
    state.session.wait_until_stored(300)
    spin(1.0)
    e = state.effect
    paths = [
        *(f"layers.{x.id}" for x in e.layers),
        *(f"layers.{x.id}.sources.{s.id}" for x in e.layers for s in x.sources),
        *(f"forces.{f.id}" for f in e.forces),
        *(f"props.{p.id}" for p in e.props),
    ]
    selecting = []
    for path in (*paths, *paths):
        selecting.append(took(lambda p=path: state.select(p)))  # type: ignore[misc]
        spin(0.03)
    stations = []
    for station in ("look", "pack", "budget", "proof", "shape") * 3:
        stations.append(took(lambda s=station: window.go_to(s)))  # type: ignore[misc]
        spin(0.3)
    chance = random.Random(1)
    acts: list[Callable[[], object]] = [
        lambda: state.select(chance.choice(paths)),
        lambda: window.go_to(chance.choice(("shape", "look", "pack", "budget", "proof"))),
        lambda: state.go(chance.randrange(state.effect.frames)),
        lambda: window.tempo.set_playing(not window.tempo.playing),
        lambda: window.stage.light_button.toggle(),
        lambda: window.stage.inspect_button.toggle(),
        lambda: window.stage.box_button.toggle(),
        lambda: window.tempo.rows.toggle_fold(chance.choice(("forces", "props", "measures"))),
        lambda: window.tempo.rows.zoom(chance.choice((0.8, 1.25))),
        lambda: state.edit("light.height", chance.uniform(10, 80)),
        lambda: state.edit("forces.wind.speed", chance.uniform(0, 3)),
        lambda: window.undo(),
        lambda: window.stage.hands.orbit(chance.uniform(-9, 9), 0),
    ]
    pauses = []
    for _ in range(GESTURES):
        pauses.append(took(chance.choice(acts)))
        spin(0.02)
    pauses.sort()
    median = sorted(selecting)[len(selecting) // 2]
    print(f"opening an effect, longest call|{DEMO}|{max(opening[1:]):.1f}|")
    print(f"selecting, median of {len(selecting)}|{DEMO}|{median:.1f}|50")
    print(f"selecting, slowest|{DEMO}|{max(selecting):.1f}|")
    print(f"changing station, slowest of {len(stations)}|{DEMO}|{max(stations):.1f}|80")
    print(f"random gestures, 95 of 100|{GESTURES}|{pauses[int(0.95 * len(pauses))]:.1f}|50")
    print(f"random gestures, slowest|{GESTURES}|{pauses[-1]:.1f}|")
    window.close()


if __name__ == "__main__":
    measure(Path(sys.argv[1]))
