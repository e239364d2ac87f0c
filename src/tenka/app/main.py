"""Starting the window, or drawing it to a picture."""

from __future__ import annotations

import math
import os
import shutil
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from tenka.base.errors import TenkaError
from tenka.base.jobs import Progress
from tenka.demo import PLUME
from tenka.effect import storage
from tenka.effect.model import Effect


def run_window(file: Path | None, picture: Path | None, station: str | None, size: tuple[int, int]) -> int:
    """Open the window on `file`, or at its start page; with `picture` draw it off-screen and leave: a station
    without an effect shows the kiln's plume."""
    if picture is not None:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    elif not _has_display():
        print(
            "There is no display here. To see the window all the same: ./start --picture OUT.png",
            file=sys.stderr,
        )
        return 2
    from PyQt6.QtGui import QIcon
    from PyQt6.QtWidgets import QApplication

    from tenka.app import theme
    from tenka.app.faults import Faults
    from tenka.app.recent import keep_stand, stand_as_before
    from tenka.app.state import State
    from tenka.app.warming import Warming
    from tenka.app.window import STATIONS, Window
    from tenka.base.memory import settle_memory
    from tenka.budget.warm import warm_up

    if station is not None and station not in {s.lower() for s in STATIONS}:
        print(
            (
                f"--station: '{station}' is not a station; expected one of "
                f"{', '.join(s.lower() for s in STATIONS)}."
            ),
            file=sys.stderr,
        )
        return 2
    settle_memory()
    app = QApplication(["tenka"])
    app.setDesktopFileName("tenka")
    app.setWindowIcon(QIcon(str(theme.ASSETS / "tenka.svg")))
    theme.apply(app)
    state = State()
    window = Window(state)
    faults = Faults(state.keep_now, window.show_notice)
    faults.install()
    window.resize(*size)
    wanted = PLUME if file is None and picture is not None and station is not None else file
    warming = Warming(_peek(wanted), lambda: state.status.running)
    if picture is not None and wanted is None:  # the start page needs none of them
        window.open(None)
        window.show()
        code = _draw_start(app, window, picture)
        faults.remove()
        return code
    if picture is not None and warming.waiting:
        print("Compiling the kernels (once on a machine)", file=sys.stderr)
        warm_up(Progress())
        warming = Warming(_peek(wanted))
    if warming.waiting:
        return _wait_for_kernels(app, window, warming, wanted, faults)
    opened = window.open(wanted)
    if not opened and file is not None:
        print(window.notice.text.text(), file=sys.stderr)
        if picture is not None:
            return 2
        window.open(None)
    if picture is None:
        stand_as_before(window)
    window.show()
    if picture is None:
        window.tempo.set_playing(wanted is not None)
        warming.start()
        code = app.exec()
        keep_stand(window)
        warming.close()
    else:
        code = _draw(app, window, picture, station or "shape")
    faults.remove()
    return code


def _has_display() -> bool:
    names = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    return not sys.platform.startswith("linux") or any(os.environ.get(name) for name in names)


def _peek(file: Path | None) -> Effect:
    """The effect that will be opened, or an empty one when it cannot be: what is wrong is said later. At the
    start page a plume is taken to come next."""
    try:
        return storage.load(file or PLUME)
    except TenkaError:
        return Effect()


def _wait_for_kernels(app: Any, window: Any, warming: Any, file: Path | None, faults: Any) -> int:
    """The window with progress in it; the effect opens when the kernels are there that it needs. The start
    page is there at once."""

    def go_on() -> None:
        window.notice.hide()
        window.state.ready = True
        if file is not None:
            if not window.open(file):
                window.open(None)
            window.tempo.set_playing(True)
        else:
            window.stage.redraw()

    window.state.ready = False
    if file is None:
        window.open(None)
    warming.moved.connect(window.show_notice)
    warming.ready.connect(go_on)
    window.show_notice("First start: compiling what this effect needs. It is done once on a machine.")
    window.show()
    warming.start()
    code = app.exec()
    warming.close()
    faults.remove()
    return code


def _save(window: Any, picture: Path) -> int:
    """Write the window's picture."""
    if not window.grab().save(str(picture)):
        print(f"{picture}: cannot be written; expected a folder that you may write to.", file=sys.stderr)
        return 2
    print(f"Drew the window to {picture}.")
    return 0


def _draw_start(app: Any, window: Any, picture: Path) -> int:
    """Save a picture of the start page."""
    for _ in range(3):
        app.processEvents()
    code = _save(window, picture)
    window.close()
    return code


def _draw(app: object, window: object, picture: Path, station: str) -> int:
    """Wait until the station shows everything, then save the window's picture."""
    from tenka.app.window import Window

    assert isinstance(window, Window)
    state = window.state

    def settle(ready: object, seconds: float) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end and not ready():  # type: ignore[operator]
            app.processEvents()  # type: ignore[attr-defined]
            time.sleep(0.01)

    print("Simulating what is not stored yet", file=sys.stderr)
    settle(
        lambda: (
            (state.status.stored and all(state.status.stored) and not state.status.running)
            or state.status.problem
        ),
        900,
    )
    state.go(round(state.effect.frames * 0.62))
    window.go_to(station)
    if station == "proof":
        window.pack.set_target(Path(tempfile.mkdtemp(prefix="tenka-")) / "package")
        window.go_to("pack")
        window.pack.start()
        settle(lambda: window.pack.progress is None, 900)
        window.go_to("proof")
        settle(
            lambda: window.proof.package is not None and window.proof.package.folder == window.pack.target(),
            60,
        )
        package = window.proof.package
        ends = [e.end(0.0, math.inf) for e in (package.elements if package is not None else ())]
        window.proof.show_time(min(9.0, 0.6 * min(ends, default=math.inf)))  # while all of it is there
        settle(lambda: window.proof.bar.clock.text() == "9.00 s", 120)
    app.processEvents()  # type: ignore[attr-defined]
    window.stage.redraw(1)
    begun = time.monotonic()
    view = window.pack.views["flipbook"]
    from tenka.app.pack.flipbook import ContactView

    assert isinstance(view, ContactView)
    cells = view.contact
    settle(
        lambda: (
            time.monotonic() - begun > 1.5
            and not window.stage.busy
            and state.ledgers
            and (station != "pack" or len(cells.cells) >= cells.count > 0)
        ),
        60,
    )
    for _ in range(3):
        app.processEvents()  # type: ignore[attr-defined]
    code = _save(window, picture)
    state.document.mark_saved(state.document.file or PLUME)
    window.close()
    if station == "proof":
        shutil.rmtree(window.pack.target().parent, ignore_errors=True)
    return code
