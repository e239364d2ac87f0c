"""A crate is thrown through haze past a post that must not part it; the camera moves; the final run keeps the
preview's motion, and the layers of its pictures put together are the picture."""

from __future__ import annotations

from unittest.mock import patch

import numpy as np
import OpenEXR
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog

from bench.jobs.barehand import CTRL, SHIFT
from bench.jobs.checks import counted, stored
from bench.jobs.hand import Hand

TITLE = "A crate is thrown through haze past a post"
MENDED = (
    "Frames were drawn level alone, and haze that is looked down on was a thin line in the game: *pitch* "
    "draws them from above."
)


def do(hand: Hand) -> None:
    hand.new("Mist")
    hand.coarse(24, 1.0)
    mist = "layers.mist"
    if not hand.small:
        hand.whole()
        hand.type("seconds", 2.5)
    crate = hand.tray("Prop", "Box")
    hand.vector("size", 0.5, 0.5, 0.5)
    hand.vector("position", 0.0, 0.0, 0.35)
    hand.draw("path", [(-1.8, -0.2, 0.35), (0.0, 0.1, 0.35), (1.8, 0.0, 0.35)])
    hand.tray("Block")
    post = hand.tray("Prop", "Cylinder")
    hand.vector("size", 0.16, 0.16, 1.4)
    hand.vector("position", 0.5, 0.7, 0.0)
    hand.seen |= {"crate": crate, "post": post}
    stage = hand.window.stage
    for frame, heading in ((0, -95.0), (hand.effect.frames - 1, -65.0)):
        hand.at(frame)
        hand.see((0.0, 0.0, 0.5), 6.0, heading, 12.0)
        stage.setFocus()
        hand.keys(Qt.Key.Key_O, SHIFT)
    hand.select(mist)
    hand.type("quality.detail", 2)
    hand.simulated()
    hand.click(hand.window.tempo.final.button)
    run = hand.window.tempo.final.run
    hand.until(lambda: not run.running and run.made == hand.effect.frames, "the final run", 900)
    assert not run.problem, run.problem
    middle = hand.effect.frames // 2
    hand.keys(Qt.Key.Key_M, CTRL | SHIFT)
    film = stage.filming
    hand.choose_from(film.kind, ".exr")
    hand.choose_from(film.run, "final")
    hand.choose_from(film.large, film.large.itemData(0))
    for field in (film.first, film.last):
        hand._type(field, str(middle + 1))
    out = hand.file.with_name("haze.exr")
    hand.seen["exr"] = out
    with patch.object(QFileDialog, "getSaveFileName", lambda *_, **__: (str(out), "")):
        hand.button("Write…", film)
    hand.until(lambda: film.said.text().startswith("Wrote"), "the picture", 300)
    film.close()
    hand.station("pack")
    hand.type("route.pitch", 12)
    hand.type("route.player.nearer", 0.6)
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    gas = hand.effect.gases[0]
    assert [f"props.{c.prop}" for c in gas.colliders] == [hand.seen["crate"]]
    (camera,) = hand.effect.cameras
    assert camera.turn != camera.turn.at(0.0)
    (file,) = hand.seen["exr"].parent.glob("haze*.exr")
    with OpenEXR.File(str(file), separate_channels=True) as opened:
        held = {name: c.pixels.astype(np.float32) for name, c in opened.channels().items()}

    def layer(name: str) -> np.ndarray:
        begin = f"{name}." if name else ""
        return np.stack([held[f"{begin}{c}"] for c in "RGB"], axis=2)

    whole = (layer("set") - layer("shadow")) * (1.0 - held["A"][..., None]) + layer("effect")
    off = float(np.abs(whole - layer("")).max())
    assert off < 0.01 and held["A"].max() > 0.05
    counted(hand)
    index = hand.effect.frames // 2
    preview = stored(hand, gas.id, index)
    assert preview.density.max() > 0
    return {"Layers": f"put together they differ from the picture by {off:.4f} at most"}
