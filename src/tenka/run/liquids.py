"""A liquid in a group: its solver, its frames, its figures, and what it is between two frames."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tenka.base.clock import step_time
from tenka.cache.store import FrameStore
from tenka.effect.model import Effect, LiquidLayer
from tenka.liquid.nets import sampled, sampled_at, vertices_of
from tenka.liquid.skin import FINEST, Skin, carried, skin_of
from tenka.liquid.solver import LiquidSolver
from tenka.liquid.spread import distance_of
from tenka.liquid.state import Liquid, sort
from tenka.liquid.transfer import counted, slabs_of
from tenka.particles.paths import paths_between
from tenka.particles.state import AirField, Events, Points
from tenka.run.between import points_between
from tenka.run.frames import PointFrame
from tenka.run.given import Links
from tenka.run.members import Member
from tenka.water.pouring import Poured

if TYPE_CHECKING:
    from tenka.run.plans import Plan

LIQUID_MEASURES = (
    ("count", "Particles", ""),
    ("volume", "Volume", "m³"),
    ("highest", "Highest", "m"),
    ("fastest", "Fastest", "m/s"),
    ("energy", "Movement", "J"),
    ("air", "Air mixed in", "%"),
)
"""Figures of each frame of a liquid that make curves: as MEASURES."""
COVERED = -0.02  # voxels of distance to the surface
LIES = 0.8  # voxels over a floor or a prop
LOOSE = 0.55  # of a cell's room that is filled, below which a particle flies alone
ROUNDED = 1.24  # of half a voxel: the width of a ball of a particle's volume
LOOSE_KEPT = ("id", "place", "velocity", "width")


@dataclass
class LiquidFrame:
    """A liquid at a stored moment.

    Attributes
    ----------
    distance : (mx, my, mz) int8, to the surface, below 0 inside, FINEST steps to a voxel; (0, 0, 0) without
        any
    foam : (nx, ny, nz) uint8, air in each voxel of the same box
    flow : (3, nx, ny, nz) float16, m/s at the voxels' middles
    origin : of the box's low corner, m; cell : m between distances; voxel : m
    loose : what flies alone; its colour tells how much air each has mixed in, its heat whether the surface
        covers it (1), so that it is no drop of its own
    """

    distance: np.ndarray
    foam: np.ndarray
    flow: np.ndarray
    origin: tuple[float, float, float]
    cell: float
    voxel: float
    loose: Points
    time: float
    meta: dict[str, Any] = field(default_factory=dict)

    @property
    def shape(self) -> tuple[int, int, int]:
        x, y, z = self.foam.shape
        return x, y, z

    @property
    def points(self) -> Points:
        return self.loose

    @property
    def skin(self) -> Skin | None:
        """The surface, as numbers that can be read between."""
        if not self.distance.size:
            return None
        return Skin(self.distance.astype(np.float32) / np.float32(FINEST), self.origin, self.cell)


def _loose(liquid: Liquid, share: np.ndarray, solver: LiquidSolver) -> Points:
    """The particles that fly alone."""
    grid = solver.grid
    cell = np.floor((liquid.place - np.asarray(grid.origin)) / grid.voxel).astype(np.int64)
    inside = ((cell >= 0) & (cell < grid.shape)).all(axis=1)
    full = np.zeros(len(liquid), np.float32)
    full[inside] = share[tuple(cell[inside].T)]
    rows = np.flatnonzero((full < LOOSE) & ~_lies(liquid, solver))
    order = rows[np.argsort(liquid.id[rows], kind="stable")]
    n = len(order)
    width = ROUNDED * 0.5 * grid.voxel * solver.layer.foam.drops
    return Points(
        liquid.id[order],
        np.zeros(n),
        np.full(n, np.inf, np.float32),
        liquid.place[order],
        liquid.velocity[order],
        np.full(n, width, np.float32),
        np.zeros(n, np.float32),
        np.zeros(n, np.int16),
        np.zeros(n, np.uint8),
        np.full(n, -1, np.int8),
        np.repeat(liquid.air[order][:, None], 3, axis=1),
    )


def _lies(liquid: Liquid, solver: LiquidSolver) -> np.ndarray:
    """Which particles lie on a floor or on a prop: they are a film, and no drops."""
    grid, near = solver.grid, LIES * solver.grid.voxel
    found = np.zeros(len(liquid), bool)
    if not grid.open_low[2]:
        found |= liquid.place[:, 2] < grid.origin[2] + near
    space = solver.space(solver.moment(liquid.time))
    if space.distance is not None:
        at = (liquid.place - np.asarray(grid.origin, np.float32)) / np.float32(grid.voxel) - np.float32(0.5)
        found |= sampled_at(space.distance, at) < near
    return found


class LiquidMember(Member):
    """A liquid layer in a group."""

    solver: LiquidSolver

    def __init__(self, plan: Plan, links: Links) -> None:
        super().__init__(plan, links)
        e = plan.effect
        self.solver = LiquidSolver(plan.layer, plan.forces, e.props, e.seed, e.rate, plan.folder, links.water)
        self._count, self._tells = 1, False

    def start(self) -> Liquid:
        return self.solver.start()

    def begin(self, state: Liquid) -> tuple[Liquid, int]:
        return self.solver.begin(state)

    def part(self, state: Liquid, index: int, sub: int, count: int) -> Liquid:
        rate, self._count = self.solver.rate, count
        start, end = step_time(index, sub, count, rate), step_time(index, sub + 1, count, rate)
        if not self._tells:
            return self.solver.part(state, start, end - start)
        before = _loose(state, self.solver.work.share, self.solver)
        after = self.solver.part(state, start, end - start)
        now = _loose(after, self.solver.work.share, self.solver)
        self.links.live_paths[self.plan.layer.id] = paths_between(before, now, start, end)
        return after

    def stands_alone(self) -> None:
        self._tells = True

    def take_settings(self, plan: Plan) -> bool:
        return self.solver.take_settings(plan.layer, plan.forces, plan.effect.props)

    def field_of(self, state: Liquid) -> AirField | None:
        return None

    def poured_of(self, state: Liquid) -> Poured | None:
        return state.poured

    def events_of(self, state: Liquid, kind: str) -> Events:
        return Events()

    def frame_of(self, state: Liquid, final: bool = False) -> LiquidFrame:
        solver, grid = self.solver, self.solver.grid
        work = solver.work
        now = state.copy()
        slabs = slabs_of(sort(now, grid))
        count, distance, share = (np.empty_like(a) for a in (work.count, work.distance, work.share))
        counted(now.place, now.air, slabs, grid, count)
        distance_of(count, solver.space(solver.moment(state.time)), distance, share)
        figures = solver.ended(state, self._count)
        loose = _loose(now, share, solver)
        skin = skin_of(now, distance, grid, self.plan.layer.quality.surface == "fine")
        if skin is None:
            figures["loose"] = len(loose)
            none = np.zeros((0, 0, 0))
            return LiquidFrame(
                none.astype(np.int8),
                none.astype(np.uint8),
                np.zeros((3, 0, 0, 0), np.float16),
                grid.origin,
                grid.voxel,
                grid.voxel,
                loose,
                state.time,
                figures,
            )
        loose.heat[:] = sampled(skin.distance, loose.place, skin.origin, skin.cell) < COVERED
        part = round(grid.voxel / skin.cell)
        low = np.round((np.asarray(skin.origin) - grid.origin) / grid.voxel).astype(int)
        high = low + np.array(skin.distance.shape) // part
        here = tuple(slice(a, b) for a, b in zip(low, high))
        middles = []
        for axis, face in enumerate(work.faces):
            f = np.moveaxis(face, axis, 0)
            middles.append(np.moveaxis(0.5 * (f[1:] + f[:-1]), 0, axis)[here])
        mass = count[here][..., 0]
        air = np.where(mass > 0, count[here][..., 1] / np.maximum(mass, 1e-6), 0.0)
        kept = np.clip(np.round(skin.distance * FINEST), -127, 127).astype(np.int8)
        inside = float(np.clip(0.5 - skin.distance * part, 0.0, 1.0).sum(dtype=np.float64))
        figures["loose"] = int(np.count_nonzero(loose.heat < 0.5))
        figures["drawn"] = inside * skin.cell**3
        figures["skin"] = vertices_of(skin)
        return LiquidFrame(
            kept,
            np.round(255.0 * np.clip(air, 0.0, 1.0)).astype(np.uint8),
            np.clip(np.stack(middles), -6e4, 6e4).astype(np.float16),
            skin.origin,
            skin.cell,
            grid.voxel,
            loose,
            state.time,
            figures,
        )

    def put(self, store: FrameStore, name: str, frame: LiquidFrame) -> None:
        loose = {f"loose_{n}": a for n, a in frame.loose.arrays().items() if n in LOOSE_KEPT}
        loose["loose_air"] = frame.loose.colour[:, 0]
        loose["loose_covered"] = frame.loose.heat.astype(np.uint8)
        store.put(
            name,
            {"distance": frame.distance, "foam": frame.foam, "flow": frame.flow, **loose},
            {
                "time": frame.time,
                "origin": list(frame.origin),
                "cell": frame.cell,
                "voxel": frame.voxel,
                **frame.meta,
            },
        )

    def of_frame(self, frame: LiquidFrame, store: FrameStore, name: str) -> Liquid | None:
        if not name:
            return None
        return _state(store, self.plan.state_name(self._index(name)), self.solver)

    def _index(self, name: str) -> int:
        return next((f for f in self.plan.keys if self.plan.name(f) == name), self.plan.first)

    def resume(self, store: FrameStore, f: int, ending: str = "") -> Liquid | None:
        return _state(store, self.plan.state_name(f) + ending, self.solver)

    def check_point(self, store: FrameStore, state: Liquid, f: int, ending: str = "") -> None:
        name = self.plan.state_name(f) + ending
        if not store.has(name):
            arrays = {n: getattr(state, n) for n in STATE}
            store.put(name, arrays, {n: getattr(state, n) for n in NUMBERS})


STATE = ("place", "velocity", "affine", "air", "id", "pressure")
NUMBERS = ("time", "first", "next_id", "came", "went", "joined")


def _state(store: FrameStore, name: str, solver: LiquidSolver) -> Liquid | None:
    def made(arrays: dict[str, np.ndarray], meta: dict[str, Any]) -> Liquid:
        whole: dict[str, Any] = {n: arrays[n] for n in STATE} | {n: meta[n] for n in NUMBERS}
        liquid = Liquid(**whole)
        count = len(liquid.id)
        widths = {"place": (count, 3), "velocity": (count, 3), "affine": (count, 3, 3), "air": (count,)}
        if any(arrays[n].shape != shape for n, shape in widths.items()):
            raise ValueError("particles that do not fit each other")
        return liquid

    liquid = store.made(name, made)
    return liquid if liquid is not None and liquid.pressure.shape == solver.grid.shape else None


def get_liquid(store: FrameStore, name: str) -> LiquidFrame | None:
    """A stored frame of liquid; None when it is not there or was damaged."""

    def made(arrays: dict[str, np.ndarray], meta: dict[str, Any]) -> LiquidFrame:
        n = len(arrays["loose_id"])
        loose = Points(
            arrays["loose_id"],
            np.zeros(n),
            np.full(n, np.inf, np.float32),
            arrays["loose_place"],
            arrays["loose_velocity"],
            arrays["loose_width"],
            arrays["loose_covered"].astype(np.float32),
            np.zeros(n, np.int16),
            np.zeros(n, np.uint8),
            np.full(n, -1, np.int8),
            np.repeat(arrays["loose_air"][:, None], 3, axis=1),
        )
        x, y, z = (float(v) for v in meta.pop("origin"))
        if not arrays["distance"].ndim == arrays["foam"].ndim == 3 or arrays["flow"].ndim != 4:
            raise ValueError("boxes that do not fit each other")
        return LiquidFrame(
            arrays["distance"],
            arrays["foam"],
            arrays["flow"],
            (x, y, z),
            float(meta.pop("cell")),
            float(meta.pop("voxel")),
            loose,
            float(meta.pop("time")),
            meta,
        )

    return store.made(name, made)


def loose_frame(store: FrameStore, name: str) -> PointFrame | None:
    """What flies alone in a stored frame of liquid, as other layers take it."""
    frame = get_liquid(store, name)
    return None if frame is None else PointFrame(frame.loose, frame.time, frame.meta)


def liquid_between(a: LiquidFrame, b: LiquidFrame, share: float, whole: bool = True) -> LiquidFrame:
    """The liquid between two frames: each carried to the moment by its flow, and blended there."""
    t = a.time + share * (b.time - a.time)
    early, late = (PointFrame(f.loose, f.time, {}) for f in (a, b))
    loose = points_between(early, late, share).points
    if not a.distance.size or not b.distance.size or a.cell != b.cell:
        near = a if share < 0.5 else b
        return LiquidFrame(**{**vars(near), "time": t, "loose": loose})
    part = round(a.voxel / a.cell)
    low = np.minimum(a.origin, b.origin)
    ends = [np.asarray(f.origin) + np.asarray(f.foam.shape) * f.voxel for f in (a, b)]
    shape = np.round((np.maximum(*ends) - low) / a.voxel).astype(int)
    shifts = [np.round((np.asarray(f.origin) - low) / a.voxel).astype(np.int64) for f in (a, b)]
    out = np.empty(tuple(shape * part), np.int8)
    air = np.empty(tuple(shape), np.uint8)
    flow = np.zeros((3, *shape), np.float32)
    for f, shift, weight in zip((a, b), shifts, (1.0 - share, share)):
        window = tuple(slice(s, s + n) for s, n in zip(shift, f.foam.shape))
        flow[(slice(None), *window)] += np.float32(weight) * f.flow.astype(np.float32)
    step = np.float32((b.time - a.time) / a.voxel)
    fields = [f.distance.astype(np.float32) / np.float32(FINEST) for f in (a, b)]
    carried(*fields, *(s * part for s in shifts), flow, step, np.float32(share), part, out)
    froth = [np.zeros(tuple(shape), np.float32) for _ in range(2)]
    for f, shift, field_ in zip((a, b), shifts, froth):
        field_[tuple(slice(s, s + n) for s, n in zip(shift, f.foam.shape))] = f.foam
    air[:] = np.round((1.0 - share) * froth[0] + share * froth[1])
    x, y, z = (float(v) for v in low)
    meta = dict(a.meta)
    return LiquidFrame(out, air, flow.astype(np.float16), (x, y, z), a.cell, a.voxel, loose, t, meta)


def liquid_told(effect: Effect, layer: LiquidLayer, folder: Path | None) -> tuple[dict[str, Any], str]:
    """What a liquid takes and holds."""
    solver = LiquidSolver(layer, (), effect.props, effect.seed, effect.rate, folder)
    x, y, z = solver.grid.shape
    need = layer.predicted_bytes
    return (
        {"voxels": [x, y, z], "voxel": layer.tank.voxel, "memory_bytes": need},
        f"{x} x {y} x {z} voxels of {layer.tank.voxel:g} m, at most {need / 1e6:.0f} MB while it runs",
    )


def liquid_bounds(effect: Effect, layer: LiquidLayer, figures: dict[int, dict[str, Any]]) -> Any:
    """The box in which it was seen."""
    seen = [m for f, m in figures.items() if f >= 0 and m.get("count")]
    if not seen:  # not known yet, or nothing ever comes
        return None if not figures else (np.zeros(3), np.full(3, 1e-2))
    margin = layer.tank.voxel
    low = np.min([m["low"] for m in seen], axis=0) - margin
    return low, np.max([m["high"] for m in seen], axis=0) + margin
