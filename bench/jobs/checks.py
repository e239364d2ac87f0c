"""What several jobs ask of what they made."""

from __future__ import annotations

import json
import shutil
import subprocess
from pathlib import Path
from typing import Any

from bench.jobs.hand import Hand
from tenka.base.jobs import Progress
from tenka.board.sweeping import Bench, measure_all
from tenka.budget.overtime import over_time
from tenka.effect.document import replaced
from tenka.effect.model import Effect
from tenka.package.openvdbread import load

REFERENCE = """
import json, sys
import pyopenvdb
grids, about = pyopenvdb.readAll(sys.argv[1])
print(json.dumps({grid.name: grid.activeVoxelCount() for grid in grids}))
"""
SYSTEM = "/usr/bin/python3"


def stored(hand: Hand, layer: str, index: int) -> Any:
    """A layer's frame."""
    hand.until(lambda: hand.state.session.frame(index) is not None, f"frame {index}", 120)
    found = hand.state.session.frame(index)
    assert found is not None
    return found.frames[layer]


def flips(
    hand: Hand, tier: str, *variants: dict[str, object], sides: tuple[float, ...] = (0.0,)
) -> list[float]:
    """FLIP between the stage and packages with other values of settings, by their paths; from sides in
    degrees."""
    folder, store = hand.state.folder, hand.state.store
    bench = Bench(hand.effect, tier, folder, store, Progress(), sides)
    found = []
    for values in variants:
        made: Effect = hand.effect
        for path, value in values.items():
            made = replaced(made, path, value)
        tried = next(measure_all(bench, [(values, made, bench.book(made))]))
        assert not tried.fault and tried.likeness is not None, tried.fault
        found.append(tried.likeness.flip)
    return found


def counted(hand: Hand) -> None:
    """All that is seen is counted on every tier."""
    for tier in hand.effect.tiers:
        assert not hand.state.ledgers[tier.id].uncounted, hand.state.ledgers[tier.id].uncounted


def worst(hand: Hand, tier: str, *triggers: float) -> tuple[float, float]:
    """The worst moment of an effect that is triggered at times, s: ms and s."""
    figures = {id: own.figures for id, own in hand.state.status.layers.items()}
    return over_time(hand.state.ledgers[tier], hand.effect, figures, triggers or (0.0,)).worst


def read_vdb(file: Path) -> dict[str, int]:
    """Active voxels of each grid of an OpenVDB file, by the library that made the format where it is
    installed, else by our own reader."""
    if shutil.which(SYSTEM) is not None:
        told = subprocess.run(
            [SYSTEM, "-c", REFERENCE, str(file)], capture_output=True, text=True, timeout=60
        )
        if told.returncode == 0:
            return dict(json.loads(told.stdout))
    return {name: int((grid.values != 0).sum()) for name, grid in load(file).items()}
