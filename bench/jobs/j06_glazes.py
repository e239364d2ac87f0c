"""Two glazes are poured into a vat as ink: a million points, and a look for each."""

from __future__ import annotations

import re
from unittest.mock import patch

import numpy as np
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog

from bench.jobs.barehand import CTRL, SHIFT
from bench.jobs.checks import counted, stored
from bench.jobs.hand import Hand
from tenka.look.flip import flip_error

TITLE = "Two glazes poured into a vat as ink, a million points"
MENDED = (
    "How many particles there will be, and the memory for them, was known only afterwards: it is told before."
)
GLAZES = ((-0.35, (0.05, 0.42, 0.4), (0.02, 0.16, 0.2)), (0.35, (0.85, 0.5, 0.16), (0.5, 0.16, 0.06)))
EACH = 500_000


def do(hand: Hand) -> None:
    hand.new()
    hand.whole()
    hand.type("seconds", 2.4 if not hand.small else 1)
    hand.remove("props.prop")
    gas = hand.tray("Layer", "Gas")
    hand.select(f"{gas}.sources.source")
    hand.vector("position", GLAZES[0][0], 0.0, 1.35)
    for n, (x, _, _) in enumerate(GLAZES):
        if n:
            hand.tray("Source")
            hand.vector("position", x, 0.0, 1.35)
        hand.vector("size", 0.24, 0.24, 0.2)
        hand.type("density", 1)
        hand.type("temperature", 0)
        hand.vector("push", -1.2 * np.sign(x) * 0.25, 0.0, -1.4)
        hand.type("end", 1)
    hand.select(gas)
    hand.type("motion.lift", 0)
    hand.vector("domain.origin", -0.9, -0.9, 0.0)
    hand.vector("domain.size", 1.8, 1.8, 1.6)
    hand.type("domain.voxel", "4 cm" if not hand.small else "12 cm")
    for name in ("domain.open_low", "domain.open_high"):
        for part in (0, 1):
            hand.wall(name, part)
    hand.tray("Eddies")  # the water in the vat is not still
    hand.type("strength", 0.9)
    hand.type("size", 0.25)
    for x, light, dark in GLAZES:
        layer = hand.tray("Layer", "Dust")
        hand.select(f"{layer}.sources.puff")
        hand.vector("position", x, 0.0, 1.35)
        hand.vector("size", 0.2, 0.2, 0.16)
        hand.type("rate", EACH if not hand.small else 4000)
        hand.type("end", 1)
        hand.type("life", 9)
        hand.type("width", "5 mm")
        hand.type("speed", 0)
        hand.select(layer)
        hand.type("motion.gravity", 0)
        hand.type("motion.drag", 0)
        hand.seen["told"] = hand.window.sheet.point_foot.told.text()
        hand.station("look")
        hand.type("look.scale", 1 if not hand.small else 4)
        hand.type("look.opacity", 0.35)
        hand.type("look.vary", 0.3)
        hand.colours("look.colour", (0.0, light), (1.0, dark))
        hand.station("shape")
    hand.station("look")
    hand.type("light.heading", 160)
    hand.type("light.height", 35)
    hand.choose("light.backdrop", "dark")
    hand.station("shape")
    if hand.small:
        hand.state.edit("rate", 12.0)
    hand.see((0.0, 0.0, 0.68), 2.6, -80.0, 5.0)
    hand.simulated()
    middle = hand.effect.frames // 2
    hand.seen["stills"] = []
    for n, shutter in enumerate((0.0, 0.8)):
        hand.keys(Qt.Key.Key_M, CTRL | SHIFT)
        film = hand.window.stage.filming
        hand.choose_from(film.kind, ".png")
        hand.choose_from(film.large, film.large.itemData(0))
        for field in (film.first, film.last):
            hand._type(field, str(middle + 1))
        hand._type(film.shutter, str(shutter))
        out = hand.file.with_name(f"glazes{n}.png")
        with patch.object(QFileDialog, "getSaveFileName", lambda *_, out=out, **__: (str(out), "")):
            hand.button("Write…", film)
        hand.until(lambda film=film: film.said.text().startswith("Wrote"), "the picture", 600)
        film.close()
        hand.seen["stills"].append(next(out.parent.glob(f"glazes{n}*.png")))
    hand.moment = round(0.8 * hand.effect.frames)
    hand.station("pack")
    hand.delivery("Dust")
    hand.draws("Dust 2")
    hand.draws("Gas")
    hand.type("route.player.count", 1)
    for name in ("Dust 2", "Gas"):  # all are in one atlas
        hand.delivery(name)
        hand.click(hand.window.pack.choice.less)
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    glazes = [layer for layer in hand.effect.layers if layer.kind == "particles"]
    last = hand.effect.frames - 1
    counts = [len(stored(hand, layer.id, last).points) for layer in glazes]
    assert min(counts) > (0.95 * EACH if not hand.small else 3000), counts
    assert len({layer.look.colour for layer in glazes}) == 2
    still, smeared = (np.asarray(Image.open(f).convert("RGB")) for f in hand.seen["stills"])
    smear = float(flip_error(still, smeared))
    assert smear > 0.001, smear
    counted(hand)
    most = int(
        re.search(r"at most ([\d,]+) at once, [\d.,]+ [kKMG]?B", hand.seen["told"]).group(1).replace(",", "")
    )
    assert max(counts) <= most < 1.1 * max(counts), (hand.seen["told"], counts)
    return {
        "Points": f"{sum(counts):,}",
        "Memory told before": hand.seen["told"],
        "Shutter": f"FLIP {smear:.3f} between a shutter of 0 and of 0.8",
    }
