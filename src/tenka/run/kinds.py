"""The one registration of each family of layers in the core: its solver, its frames, its figures.

Whatever simulates, stores, measures or tells of a layer asks `kind_of` and never which class it is. A further
family is a class of `tenka.effect.layers.LayerBase`, a `Member`, and a line in `KINDS`.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.words import size_of
from tenka.cache.store import FrameStore
from tenka.effect.courses import most
from tenka.effect.model import Effect, GasLayer, LayerBase, PointLayer, heard, timed
from tenka.gas.grid import Grid
from tenka.gas.held import forces_of
from tenka.particles.solver import STATES_HELD, PointSolver
from tenka.particles.state import BYTES
from tenka.run.between import gas_between, points_between
from tenka.run.findings import Finding, of_gas, of_points
from tenka.run.frames import MEASURES, POINT_MEASURES, get_points
from tenka.run.liquidfindings import of_liquid
from tenka.run.liquids import (
    LIQUID_MEASURES,
    LiquidMember,
    get_liquid,
    liquid_between,
    liquid_bounds,
    liquid_told,
    loose_frame,
)
from tenka.run.members import GasMember, Member, PointMember
from tenka.run.waterfindings import of_water
from tenka.run.watering import WATER_MEASURES, WaterMember, get_water, water_between, water_bounds, water_told

Figures = dict[int, dict[str, Any]]
Box = tuple[np.ndarray, np.ndarray]


@dataclass(frozen=True)
class Kind:
    """A family of layers.

    Attributes
    ----------
    member : its solver in a group
    read : a stored frame by its name; with True also what only a step or a reading of values needs
    told : what it takes and holds, as figures and as words: for `tenka info`
    measures : figures of each frame that make curves: name in its meta, name shown, unit
    between : what it is between two frames that were read whole; 0 is the first, 1 the second;
        `whole` with its velocity, which all but a gas have anyway
    findings : what is likely wrong, from the figures of its frames
    bounds : the box in which it is seen, from the figures of its frames; None when that is not known yet
    finer : the layer as a final run simulates it; None where final runs leave it as it is
    counts : name in the meta of what is counted beside the head of the tempo, if anything
    points : what it hands over as points, of a stored frame
    rank : in a group those of lower rank are stepped first
    """

    member: type[Member]
    read: Callable[[FrameStore, str, bool], Any]
    told: Callable[[Effect, Any, Path | None], tuple[dict[str, Any], str]]
    measures: tuple[tuple[str, str, str], ...]
    between: Callable[..., Any]
    findings: Callable[[Effect, Any, Figures], list[Finding]]
    bounds: Callable[[Effect, Any, Figures], Box | None]
    finer: Callable[[Any], Any] | None = None
    counts: str = ""
    points: Callable[[FrameStore, str], Any] = lambda store, name: get_points(store, name, events=True)
    rank: int = 0


def finer_gas(layer: GasLayer) -> GasLayer:
    """A gas as its final run simulates it."""
    detail = layer.quality.detail
    quality = layer.quality.model_copy(update={"most_substeps": layer.quality.most_substeps * detail})
    domain = layer.domain.model_copy(update={"voxel": layer.domain.voxel / detail})
    return layer.model_copy(update={"domain": domain, "quality": quality})


def _gas_told(effect: Effect, layer: GasLayer, folder: Path | None) -> tuple[dict[str, Any], str]:
    grid = Grid.of(layer.domain)
    x, y, z = grid.shape
    seconds, final = (
        predicted_seconds(gas, effect.frames, effect.rate, {}, None) for gas in (layer, finer_gas(layer))
    )
    return (
        {
            "voxels": [x, y, z],
            "memory_bytes": grid.predicted_bytes(),
            "seconds": round(seconds, 1),
            "final_seconds": round(final, 1),
        },
        f"{x} x {y} x {z} voxels of {grid.voxel:g} m, {grid.predicted_bytes() / 1e6:.0f} MB while it runs, "
        f"about {seconds:.0f} s for all frames and {final:.0f} s more for a final run",
    )


USUAL_MS = 3.0e-4  # of one voxel in one step, on two slow cores; taken until something was measured
ROUND_SOLIDS = 2.8  # times as long a step takes with colliders, mostly
BESIDE = 1.2  # of the steps: what a run takes for storing frames and measuring them
AIR = 288.0  # K


def _usual_steps(layer: GasLayer, rate: float) -> float:
    """Steps in a frame, from how fast what the sources give will be."""
    fastest = 0.0
    for s in heard(layer.sources):
        hot, wide = max(most(s.temperature), 0.0), max(s.size)
        rise = math.sqrt(2.0 * 9.81 * max(most(layer.motion.lift), 0.0) * hot / AIR * wide)
        fastest = max(fastest, float(np.linalg.norm(s.push)), abs(most(s.outward)), rise)
    return _steps_of(fastest * most(layer.time_scale), layer, rate)


def _steps_of(fastest: float, layer: GasLayer, rate: float) -> float:
    """Steps in a frame whose fastest gas goes so many m/s, as the solver counts them."""
    steps = math.ceil(0.5 * fastest / (rate * layer.quality.courant * layer.domain.voxel) - 1e-9)
    return float(min(max(1, steps), layer.quality.most_substeps))


def predicted_seconds(
    layer: GasLayer, frames: int, rate: float, figures: Figures, measured: GasLayer | None
) -> float:
    """How long a gas takes to simulate with its present box, from what was measured of it with the box that
    it
    had.

    Smaller voxels need more steps: the Courant number counts voxels crossed, by the speeds measured.

    Parameters
    ----------
    figures : meta of the frames that are stored, see MEASURES
    measured : the layer that they were made of
    """
    grid = Grid.of(layer.domain)
    known = [
        (sum(m["parts"].values()), _steps_of(m.get("fastest", 0.0), layer, rate))
        for m in figures.values()
        if m.get("parts")
    ]
    count = frames + round(layer.run_up_seconds * rate)
    if not known or measured is None:
        solids = ROUND_SOLIDS if layer.colliders else 1.0
        return count * _usual_steps(layer, rate) * USUAL_MS * solids * grid.voxels / 1e3
    before = Grid.of(measured.domain)
    ms, steps = (float(np.mean([k[n] for k in known])) for n in (0, 1))
    return BESIDE * count * steps * ms / before.voxels * grid.voxels / 1e3


def _points_told(effect: Effect, layer: PointLayer, folder: Path | None) -> tuple[dict[str, Any], str]:
    """How many may be alive at once; of those that are born of particles nobody knows before."""
    ready: Any = timed(effect).layer(layer.id)
    solver = PointSolver(
        ready, forces_of(effect, folder), effect.props, effect.seed, effect.rate, effect.frames, folder
    )
    count = min(solver.predicted(), layer.most)
    need = count * BYTES * STATES_HELD
    return {"most": count, "memory_bytes": need}, f"at most {count:,} at once, {size_of(need)} while it runs"


def _gas_bounds(effect: Effect, layer: GasLayer, figures: Figures) -> Box | None:
    grid = Grid.of(layer.domain)
    low = np.asarray(grid.origin, float)
    return low, low + np.asarray(grid.size)


def _points_bounds(effect: Effect, layer: PointLayer, figures: Figures) -> Box | None:
    """Where particles are seen in the shown frames, with their size round them."""
    seen = [m for f, m in figures.items() if f >= 0]
    if not seen:
        return None
    alive = [m for m in seen if m.get("alive")]
    if not alive:
        return np.zeros(3), np.full(3, 1e-2)
    wide = 0.5 * max(float(m.get("widest", 0.0)) for m in alive) * layer.look.scale * layer.look.most_growth
    wide += layer.look.copies_spread if layer.look.copies > 1 else 0.0
    low = np.min([m["low"] for m in alive], axis=0) - wide
    high = np.max([m["high"] for m in alive], axis=0) + wide
    return low, np.maximum(high, low + 1e-2)


GAS = Kind(
    GasMember,
    lambda store, name, whole: store.get_frame(name, velocity=whole),
    _gas_told,
    MEASURES,
    gas_between,
    of_gas,
    _gas_bounds,
    finer_gas,
    rank=1,
)
PARTICLES = Kind(
    PointMember,
    lambda store, name, whole: get_points(store, name),
    _points_told,
    POINT_MEASURES,
    points_between,
    of_points,
    _points_bounds,
    counts="alive",
)
WATER = Kind(
    WaterMember,
    lambda store, name, whole: get_water(store, name),
    water_told,
    WATER_MEASURES,
    water_between,
    of_water,
    water_bounds,
    rank=1,
)
LIQUID = Kind(
    LiquidMember,
    lambda store, name, whole: get_liquid(store, name),
    liquid_told,
    LIQUID_MEASURES,
    liquid_between,
    of_liquid,
    liquid_bounds,
    counts="count",
    points=loose_frame,
    rank=-1,
)
KINDS: dict[str, Kind] = {
    "gas": GAS,
    "particles": PARTICLES,
    "debris": PARTICLES,
    "water": WATER,
    "liquid": LIQUID,
}


def kind_of(layer: LayerBase) -> Kind:
    """The registration of a layer's family.

    Raises
    ------
    BadInput
        When there is none.
    """
    try:
        return KINDS[layer.kind]
    except KeyError:
        raise BadInput(
            f"{layer.name} is of the kind '{layer.kind}', which nothing here simulates",
            "one of " + ", ".join(KINDS),
        ) from None
