"""A jar breaks where it is hit: fragments of itself, one held, one deleted, three takes."""

from __future__ import annotations

import numpy as np
import trimesh
from PyQt6.QtCore import QItemSelectionModel

from bench.jobs.checks import counted, stored
from bench.jobs.hand import Hand
from tenka.demo import FOLDER
from tenka.package.manifest import read
from tenka.package.rows import stands_of

TITLE = "A jar breaks where it is hit"
MENDED = "Debris began as a flipbook: it goes as pieces that move."


def do(hand: Hand) -> None:
    hand.new()
    hand.drop(FOLDER / "props" / "slip_jug.glb")
    jar = hand.state.selection
    hand.vector("position", 0.0, 0.0, 0.0)
    hand.foot("Let it break")
    pieces = hand.state.selection
    hand.seen |= {"jar": jar, "pieces": pieces}
    hand.type("pieces.cuts", 40 if not hand.small else 14)
    hand.type("pieces.wall", "2 cm")
    hand.select(next(f"{pieces}.sources.{s.id}" for s in hand.effect.layers[-1].sources))
    place = hand.got("position")
    hand.type("position", place[0] - 0.15, 0)
    hand.type("speed", 2.5)
    hand.whole()
    hand.type("seconds", 2 if not hand.small else 0.8)
    hand.see((place[0], place[1], 0.3), 3.2, -75.0, 12.0)
    hand.simulated()
    hand.select(pieces)
    hand.at(round(0.6 * hand.effect.rate))
    hand.foot("Table…")
    table = hand.window.sheet.point_foot.table
    hand.until(lambda: table.model.rowCount() > 4, "the table", 20)
    hand.seen["born"] = table.model.rowCount()
    for row, button in ((1, table.hold), (3, table.delete)):
        more = QItemSelectionModel.SelectionFlag.ClearAndSelect | QItemSelectionModel.SelectionFlag.Rows
        hand.count += 1
        table.view.selectionModel().select(table.model.index(row, 0), more)
        hand.click(button)
        hand.spin(0.1)
    table.close()
    hand.simulated()
    hand.station("pack")
    hand.route("bodies")
    hand.type("route.takes", 3)
    hand.deliver()
    hand.button("Trigger")


def holds(hand: Hand) -> dict[str, str]:
    layer = hand.effect.layers[-1]
    assert len(layer.held) == 1 and len(layer.deleted) == 1
    (element,) = read(hand.packages[1]).elements
    assert element.route == "bodies" and element.takes == 3
    mesh = next(iter(trimesh.load(hand.packages[1] / element.mesh.file, process=False).geometry.values()))
    assert len(mesh.vertices) > 50
    _, turns = stands_of(hand.packages[1], element)
    there = np.linalg.norm(turns, axis=2) > 0.5
    pair = there[1:] & there[:-1]
    same = np.einsum("tpc,tpc->tp", turns[1:], turns[:-1])[pair]
    assert same.min() > 0.0, "a turn flips its sign"
    last = stored(hand, layer.id, hand.effect.frames - 1)
    assert len(last.points) == hand.seen["born"]
    counted(hand)
    return {
        "Pieces": f"{element.pieces}, in three takes",
        "Turns": f"{np.degrees(2 * np.arccos(min(same.min(), 1.0))):.0f} degrees at most from row to row",
    }
