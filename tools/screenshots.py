"""Makes the pictures of the window in docs/screenshots, and from them those of the guide:
`python tools/screenshots.py [NAME ...]`. Off screen, with the demos; stored frames are used again."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("XDG_CACHE_HOME", str(Path.home() / ".cache"))  # kernels and frames that are there
os.environ["HOME"] = tempfile.mkdtemp()  # no place of this machine is in a picture
os.environ["XDG_STATE_HOME"] = os.environ["HOME"]

from PIL import Image
from PyQt6.QtWidgets import QApplication, QWidget

from tenka.app import theme
from tenka.app.pack.base import CurveView
from tenka.app.pack.flipbook import ContactView
from tenka.app.state import State
from tenka.app.window import Window
from tenka.cache.store import FrameStore
from tenka.demo import FOLDER
from tenka.effect.courses import Key, Keys, Wave
from tenka.effect.document import with_trial
from tenka.effect.placed import ramp
from tenka.package.manifest import PAGE

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
from bench import browser  # noqa: E402

OUT = ROOT / "docs" / "screenshots"
SPARE = Path(os.environ["HOME"])  # of pictures that the guide alone shows a part of
GUIDE = ROOT / "src" / "tenka" / "guide" / "pictures"
CROPS = {
    "fire": ("fire", (76, 38, 936, 612)),
    "mesh": ("mesh", (936, 38, 1280, 612)),
    "tempo": ("tempo", (0, 446, 1280, 800)),
    "inside": ("inspect", (76, 38, 936, 612)),
    "burst": ("burst", (76, 38, 936, 612)),
    "ash": ("ash", (76, 38, 936, 612)),
    "water": ("water", (76, 38, 936, 612)),
    "thrown": ("thrown", (76, 38, 936, 612)),
    "table": ("table", (0, 0, 900, 460)),
    "pack": ("pack", (0, 38, 936, 800)),
    "life": ("life", (0, 38, 936, 644)),
    "cuts": ("cuts", (0, 38, 936, 644)),
    "light": ("light", (76, 38, 1280, 612)),
    "walk": ("walk", (0, 38, 640, 420)),
    "wins": ("wins", (0, 38, 936, 800)),
    "scene": ("scene", (0, 38, 936, 800)),
}  # of the guide: from which picture, and which part of it
GROWS = ramp((0.0, 0.5), (0.4, 0.85), (1.0, 1.0))
WIDE = 520  # px of a picture in the guide


class Studio:
    """A window that is put into a state and grabbed."""

    def __init__(self) -> None:
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        self.app = app
        self.window = Window(State(FrameStore(), Path(os.environ["HOME"]) / "journal"))
        self.window.ask_before_closing = lambda: "drop"
        self.window.resize(1280, 800)
        self.window.show()
        self.state = self.window.state

    def spin(self, seconds: float) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            self.app.processEvents()
            time.sleep(0.01)

    def until(self, ready: Callable[[], object], seconds: float = 600.0) -> None:
        end = time.monotonic() + seconds
        while not ready():
            if time.monotonic() > end:
                raise TimeoutError
            self.spin(0.02)

    def settle(self) -> None:
        stage = self.window.stage
        self.spin(0.4)
        self.until(
            lambda: not (stage.busy or stage._idle.isActive() or stage.stands_in) and stage.image is not None
        )
        self.spin(0.2)

    def simulated(self) -> None:
        state = self.state
        self.spin(0.5)
        self.until(
            lambda: (
                not state.status.running
                and len(state.status.stored) == state.effect.frames
                and all(state.status.stored)
            )
        )

    def open(self, name: str, frame: int = 0, select: str = "") -> None:
        self.window.leave_for(FOLDER / f"{name}.tenka")
        self.simulated()
        if select:
            self.state.select(select)
        self.state.go(frame)
        self.settle()

    def save(self, name: str, widget: QWidget | None = None, spare: bool = False) -> None:
        (widget or self.window).grab().save(str((SPARE if spare else OUT) / f"{name}.png"))
        print(name, flush=True)


def shape(s: Studio) -> None:
    s.open("kiln_plume", 60)
    s.save("shape")


def start(s: Studio) -> None:
    s.open("boiler_burst")
    s.open("kiln_plume")
    s.window.new()
    s.spin(0.6)
    s.save("start")


def walk(s: Studio) -> None:
    s.window.walk.begin()
    s.spin(0.6)
    s.save("walk")
    s.window.walk.leave()


def tempo(s: Studio) -> None:
    s.open("kiln_plume", 40)
    layer = s.state.effect.layers[0]
    source = f"layers.{layer.id}.sources.{layer.sources[0].id}"
    s.state.edit(
        f"{source}.temperature",
        Keys(keys=(Key(t=0.5, v=100), Key(t=1.5, v=400, ease="through"), Key(t=2.5, v=200))),
    )
    s.state.edit(f"layers.{layer.id}.motion.lift", Wave(base=0.5, amount=0.2, period=1.0))
    s.state.course_asked.emit(f"layers.{layer.id}.motion.lift")
    s.state.course_asked.emit(f"{source}.temperature")
    s.window.drawer.plot.chosen = 1
    s.window.drawer.show_key()
    s.window.tempo.rows.toggle_fold("forces")
    s.window.tempo.rows.play_only((20, 60))
    s.state.select(source)
    s.simulated()
    s.settle()
    s.save("tempo")
    s.window.drawer.close_all()
    s.window.tempo.rows.play_only(None)
    s.window.tempo.rows.toggle_fold("forces")


def look(s: Studio) -> None:
    s.open("kiln_plume", 60)
    s.window.go_to("look")
    s.settle()
    s.save("look")
    s.window.go_to("shape")


def light(s: Studio) -> None:
    s.open("furnace_mouth", 26)
    window = s.window
    window.state.select(f"layers.{window.state.effect.gas().id}")
    window.fire_light.fit()
    s.until(lambda: window.fire_light.progress is None and bool(window.state.effect.lights))
    s.settle()
    s.save("light")
    window.undo()


def pack(s: Studio) -> None:
    s.open("kiln_plume", 60)
    s.window.go_to("pack")
    s.spin(0.5)
    s.window.pack.start()
    s.until(lambda: s.window.pack.progress is None)
    s.spin(2.0)
    s.save("pack")
    book = next(d.id for d in s.window.state.effect.deliveries)
    for name, value in (("alpha_floor", 0.02), ("cut_out", "each frame"), ("player.size_over", GROWS)):
        s.window.state.edit(f"deliveries.{book}.route.{name}", value)
    view = s.window.pack.views["flipbook"]
    assert isinstance(view, ContactView)
    s.until(lambda: view.contact.cut is not None)
    s.spin(1.0)
    s.save("cuts", spare=True)
    view.tabs.button(1).click()
    s.spin(1.0)
    s.save("life")
    for _ in range(3):
        s.window.undo()
    view.tabs.button(0).click()
    s.spin(1.0)
    s.window.go_to("budget")
    s.window.state.choose_tier("low")
    for name, value in (("ms", 0.2), ("mb", 1.8)):  # so that savings are asked for
        s.window.state.edit(f"tiers.low.{name}", value)
    s.window.budget.show_part(1)
    board = s.window.budget.board
    board.savings.click()
    s.until(lambda: board.work.foretold and not board.work.running)
    board.choose(board.work.points[0], True)
    s.spin(1.0)
    s.save("budget")
    for _ in range(2):
        s.window.undo()
    s.window.state.choose_tier("mid")
    s.window.go_to("proof")
    s.spin(6.0)
    s.save("proof")
    package = s.window.state.package
    if package is not None and browser.NAME is not None:
        browser.picture(package / PAGE, "", (1280, 800), OUT / "page.png", patience=3000)
    s.window.go_to("shape")


def fire(s: Studio) -> None:
    s.open("furnace_mouth", 26)
    s.save("fire")


def mesh(s: Studio) -> None:
    s.open("canvas_steam", 75, "props.canvas")
    s.save("mesh")


def ash(s: Studio) -> None:
    s.open("ash_floor", 60)
    s.save("ash", spare=True)


def water(s: Studio) -> None:
    s.open("sluice_basin", 66)
    s.save("water")


def burst(s: Studio) -> None:
    s.open("boiler_burst", 22)
    s.save("burst")


def routes(s: Studio) -> None:
    s.open("boiler_burst", 22)
    s.window.go_to("pack")
    s.window.pack.choice.choose("plates")
    view = s.window.pack.views["bodies"]
    assert isinstance(view, CurveView)
    s.until(lambda: len(view.moments) > 0 and len(view.pictures) == len(view.moments))
    s.spin(0.6)
    s.save("routes")
    s.window.go_to("shape")


def thrown(s: Studio) -> None:
    s.open("burst_main", 48, "layers.burst")
    s.save("thrown")


def table(s: Studio) -> None:
    s.open("wheel_sparks", 30)
    s.window.sheet.point_foot.open_table()
    table = s.window.sheet.point_foot.table
    table.resize(900, 460)
    s.spin(0.6)
    s.save("table", table, spare=True)
    table.close()


def inspect(s: Studio) -> None:
    s.open("shutter_slam", 30)
    s.window.stage.inspect_button.click()
    panel = s.window.stage.inspector
    panel.slice_button.click()
    panel.flow_button.click()
    for combo, data in ((panel.paths.span, 2), (panel.paths.colour, "speed")):
        combo.setCurrentIndex(combo.findData(data))
        combo.activated.emit(combo.currentIndex())
    s.spin(1.0)
    s.until(lambda: not panel.busy and panel.seen and panel.seen.lines is not None)
    s.settle()
    s.save("inspect", spare=True)
    s.window.stage.inspect_button.click()


def trial(s: Studio) -> None:
    s.open("wheel_sparks", 30)
    effect, kept = with_trial(s.state.effect)
    s.state.apply(effect, "Keep a trial")
    s.state.edit(f"layers.{effect.layers[0].id}.motion.gravity", 0.2)
    s.simulated()
    s.window.tempo.final.show_beside("wipe", kept.id)
    s.until(lambda: s.window.stage.final_image is not None)
    s.settle()
    s.save("trial")


def weigh(s: Studio) -> None:
    """Routes by distance, and a scene."""
    s.open("kiln_plume", 60)
    s.state.choose_tier("mid")
    s.window.go_to("budget")
    budget = s.window.budget
    budget.compare_routes()
    s.until(lambda: not budget.routes.work.running)
    budget.routes.choose(budget.routes.work.stood[2])
    s.spin(1.0)
    s.save("wins", spare=True)
    s.open("boiler_burst", 20)
    s.state.choose_tier("mid")
    s.window.go_to("budget")
    budget.show_part(3)
    page, work = budget.scene, budget.scene.work
    page.open(SPARE / "yard.scene.json")
    for name, at, place in (
        ("boiler_burst", 0.0, (0.0, 0.0, 0.0)),
        ("kiln_plume", 0.6, (4.0, 3.0, -2.5)),
        ("wheel_sparks", 1.2, (-2.5, -1.0, 0.0)),
    ):
        work.add(FOLDER / f"{name}.tenka", at)
        last = len(work.scene.members) - 1
        work.apply(work.scene.put(last, work.scene.members[last].model_copy(update={"place": place})))
    page.choose(2)
    work.play()
    s.until(lambda: work.progress is None and work.book is not None and work.picture is not None)
    work.draw(1.6)
    s.spin(2.0)
    s.save("scene")
    s.window.go_to("shape")


PICTURES = (
    shape,
    tempo,
    start,
    walk,
    look,
    pack,
    weigh,
    fire,
    mesh,
    ash,
    water,
    burst,
    routes,
    thrown,
    table,
    inspect,
    trial,
    light,
)


def guide() -> None:
    """The guide's pictures, each a part of one of these."""
    GUIDE.mkdir(exist_ok=True)
    for name, (source, box) in CROPS.items():
        file = next((f / f"{source}.png" for f in (OUT, SPARE) if (f / f"{source}.png").exists()), None)
        if file is None:  # it was not asked for now
            continue
        with Image.open(file) as whole:
            part = whole.convert("RGB").crop(box)
            high = round(part.height * WIDE / part.width)
            part.resize((WIDE, high), Image.Resampling.LANCZOS).quantize(192).save(
                GUIDE / f"{name}.png", optimize=True
            )


def main(names: list[str]) -> None:
    app = QApplication([])
    theme.apply(app)
    studio = Studio()
    for make in PICTURES:
        if not names or make.__name__ in names:
            make(studio)
    guide()
    sys.stdout.flush()
    os._exit(0)  # no worker is waited for


if __name__ == "__main__":
    main(sys.argv[1:])
