"""Water in a group: its solver, its frames, its figures, what is likely wrong with it, and what it is between
two frames."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tenka.base.clock import step_time
from tenka.cache.store import FrameStore
from tenka.effect.model import Effect, WaterLayer
from tenka.run.given import Links
from tenka.run.members import Member
from tenka.water.basin import DRY, Basin, WaterState
from tenka.water.blowing import ignored
from tenka.water.felt import WaterField, beside_hulls
from tenka.water.running import Water
from tenka.water.solver import WaterSolver

if TYPE_CHECKING:
    from tenka.run.plans import Plan

WATER_MEASURES = (
    ("volume", "Water", "m³"),
    ("level", "Level over rest", "m"),
    ("highest", "Highest wave", "m"),
    ("lowest", "Deepest trough", "m"),
    ("foam", "Foam", "m²"),
    ("energy", "Movement", "J"),
    ("fastest", "Fastest", "m/s"),
)
"""Figures of each frame of water that make curves: as MEASURES."""
FASTEST_RISE = 2.0
"""m/s of a surface that goes on as it did: a bore passes a place faster than its water rises."""
ARRAYS = ("rise", "u", "v", "foam", "rest", "immersed", "under", "torn")


@dataclass
class WaterFrame:
    """A water at a stored moment.

    Attributes
    ----------
    rise : (nx, ny) m over the level at rest; rest : depth there, m, below 0 where the bed stands out
    u, v : speeds on the faces, m/s
    foam : (nx, ny) cover; under : (nx, ny) share of each cell that a hull covers; immersed : m
    torn : (nx, ny) how much it broke or was worked at since the frame before, 0 to 1
    origin : x, y of the low corner, m; cell, level : m
    """

    rise: np.ndarray
    u: np.ndarray
    v: np.ndarray
    foam: np.ndarray
    rest: np.ndarray
    immersed: np.ndarray
    under: np.ndarray
    torn: np.ndarray
    origin: tuple[float, float]
    cell: float
    level: float
    time: float
    meta: dict[str, Any] = field(default_factory=dict)

    @property
    def shape(self) -> tuple[int, int]:
        nx, ny = self.rise.shape
        return nx, ny

    @property
    def depth(self) -> np.ndarray:
        """(nx, ny) m."""
        return np.asarray(np.maximum(self.rise + self.rest, 0.0))

    @property
    def speed(self) -> tuple[np.ndarray, np.ndarray]:
        """Speeds at the middles of cells, m/s."""
        return 0.5 * (self.u[1:] + self.u[:-1]), 0.5 * (self.v[:, 1:] + self.v[:, :-1])

    def water(self) -> Water:
        """What a run goes on from."""
        basin = Basin(self.cell, self.rest, self.origin, self.level)
        state = WaterState(self.rise.copy(), self.u.copy(), self.v.copy(), self.time)
        return Water(
            basin,
            state,
            self.foam.copy(),
            self.immersed.copy(),
            self.under.copy(),
            self.torn.copy(),
            float(self.meta.get("given", 0.0)),
            float(self.meta.get("held", 0.0)),
            float(self.meta.get("afloat", 0.0)),
        )


class WaterMember(Member):
    """A water layer in a group."""

    whole_frames = True
    solver: WaterSolver

    def __init__(self, plan: Plan, links: Links) -> None:
        super().__init__(plan, links)
        e = plan.effect
        self.solver = WaterSolver(
            plan.layer,
            plan.forces,
            e.props,
            e.seed,
            e.rate,
            plan.folder,
            links.events,
            links.lumps,
            links.poured,
        )
        self._count = 1

    def start(self) -> Water:
        return self.solver.start()

    def begin(self, state: Water) -> tuple[Water, int]:
        return self.solver.begin(state)

    def part(self, state: Water, index: int, sub: int, count: int) -> Water:
        rate, self._count = self.solver.rate, count
        start, end = step_time(index, sub, count, rate), step_time(index, sub + 1, count, rate)
        return self.solver.part(state, start, end - start)

    def take_settings(self, plan: Plan) -> bool:
        return self.solver.take_settings(plan.layer, plan.forces, plan.effect.props)

    def surface_of(self, state: Water) -> WaterField:
        return flowing(self._now(state), 1.0 / self.solver.rate, self.plan.layer.flow.density)

    def _now(self, state: Water) -> WaterFrame:
        s, b = state.state, state.basin
        return WaterFrame(
            s.rise,
            s.u,
            s.v,
            state.foam,
            b.rest,
            state.immersed,
            state.under,
            state.torn,
            b.origin,
            b.cell,
            b.level,
            s.time,
        )

    def frame_of(self, state: Water, final: bool = False) -> WaterFrame:
        figures = self.solver.ended(state, self._count)
        figures |= {"given": state.given, "held": state.held, "afloat": state.afloat}
        names = ignored(self.plan.forces)
        if names:
            figures["ignored"] = list(names)
        s = state.state
        return WaterFrame(
            s.rise.copy(),
            s.u.copy(),
            s.v.copy(),
            state.foam.copy(),
            state.basin.rest,
            state.immersed.copy(),
            state.under.copy(),
            state.torn.copy(),
            state.basin.origin,
            state.basin.cell,
            state.basin.level,
            s.time,
            figures,
        )

    def put(self, store: FrameStore, name: str, frame: WaterFrame) -> None:
        store.put(
            name,
            {a: getattr(frame, a) for a in ARRAYS},
            {
                "time": frame.time,
                "origin": list(frame.origin),
                "cell": frame.cell,
                "rests_at": frame.level,
                **frame.meta,
            },
        )

    def of_frame(self, frame: WaterFrame, store: FrameStore, name: str) -> Water | None:
        box = self.solver.layer.basin
        if frame.shape != box.cells or frame.cell != box.edge or frame.level != box.level:
            return None
        water = frame.water()
        self.solver.knows(water)
        return water

    def resume(self, store: FrameStore, f: int, ending: str = "") -> Water | None:
        frame = get_water(store, self.plan.name(f) + ending)
        if frame is None:
            return None
        water = frame.water()
        self.solver.knows(water)
        return water


def field_of(a: WaterFrame, b: WaterFrame, weighs: float) -> WaterField:
    """The surface between two frames as particles feel it; a window that went on is that of the later."""
    before = a if a.origin == b.origin and a.shape == b.shape else b
    u, v = b.speed
    early, late = (beside_hulls(f.rise, f.under, f.rest) for f in (before, b))
    return WaterField(early, late, b.rest, u, v, b.torn, b.origin, b.cell, b.level, a.time, b.time, weighs)


def flowing(now: WaterFrame, dt: float, weighs: float) -> WaterField:
    """The surface as it is and as it goes on for `dt` s, by what flows into each cell."""
    early = beside_hulls(now.rise, now.under, now.rest)
    deep = now.depth.astype(np.float32)
    change = np.zeros_like(deep)
    for axis, speed in enumerate((now.u, now.v)):
        face, from_, out = (np.moveaxis(f, axis, 0) for f in (speed, deep, change))
        flow = face[1:-1] * np.where(face[1:-1] > 0, from_[:-1], from_[1:])
        out[:-1] -= flow
        out[1:] += flow
    most = np.float32(FASTEST_RISE * dt)
    after = early + np.clip(change * np.float32(dt / now.cell) * (1.0 - now.under), -most, most)
    np.maximum(after, -now.rest, out=after)
    u, v = now.speed
    return WaterField(
        early,
        after,
        now.rest,
        u,
        v,
        now.torn,
        now.origin,
        now.cell,
        now.level,
        now.time,
        now.time + dt,
        weighs,
    )


def get_water(store: FrameStore, name: str) -> WaterFrame | None:
    """A stored frame of water; None when it is not there or was damaged."""

    def made(arrays: dict[str, np.ndarray], meta: dict[str, Any]) -> WaterFrame:
        fields = {a: arrays[a] for a in ARRAYS}
        nx, ny = fields["rise"].shape
        faces = {"u": (nx + 1, ny), "v": (nx, ny + 1)}
        if any(field.shape != faces.get(name, (nx, ny)) for name, field in fields.items()):
            raise ValueError("fields that do not fit each other")
        x, y = (float(v) for v in meta.pop("origin"))
        cell, level = float(meta.pop("cell")), float(meta.pop("rests_at"))
        return WaterFrame(
            **fields, origin=(x, y), cell=cell, level=level, time=float(meta.pop("time")), meta=meta
        )

    return store.made(name, made)


def water_between(a: WaterFrame, b: WaterFrame, share: float, whole: bool = True) -> WaterFrame:
    """The water between two frames: a straight blend of what both have; a window that went on between them
    is that of the nearer."""
    if a.origin != b.origin or a.shape != b.shape or a.cell != b.cell:
        near = a if share < 0.5 else b
        time = a.time + share * (b.time - a.time)
        return WaterFrame(**{**vars(near), "time": time})
    s = np.float32(share)
    fields = {n: getattr(a, n) + s * (getattr(b, n) - getattr(a, n)) for n in ARRAYS}
    return WaterFrame(
        **fields,
        origin=a.origin,
        cell=a.cell,
        level=a.level,
        time=a.time + share * (b.time - a.time),
        meta=dict(a.meta),
    )


def water_told(effect: Effect, layer: WaterLayer, folder: Path | None) -> tuple[dict[str, Any], str]:
    """What a water takes and holds."""
    box, need = layer.basin, layer.predicted_bytes
    nx, ny = box.cells
    return (
        {"cells": [nx, ny], "cell": box.edge, "memory_bytes": need, "level": box.level},
        f"{nx} x {ny} cells of {box.edge:g} m, {need / 1e6:.0f} MB while it runs",
    )


def water_bounds(effect: Effect, layer: WaterLayer, figures: dict[int, dict[str, Any]]) -> Any:
    """The basin, as high as its water was."""
    low = np.asarray(layer.basin.origin, float)
    high = low + np.asarray(layer.basin.size)
    tops = [m.get("highest", 0.0) for f, m in figures.items() if f >= 0]
    if tops:
        high[2] = max(layer.basin.level + max(tops), low[2] + 0.02)
    return low, high


def reached_at(frame: WaterFrame, start: np.ndarray, way: np.ndarray) -> float | None:
    """How far along a ray the water's level at rest lies over water, m; None where it does not."""
    if abs(way[2]) < 1e-9:
        return None
    t = float((frame.level - start[2]) / way[2])
    at = start + t * way
    i, j = (int(np.floor((p - o) / frame.cell)) for p, o in zip(at, frame.origin))
    if t <= 0 or not (0 <= i < frame.shape[0] and 0 <= j < frame.shape[1]):
        return None
    return t if frame.depth[i, j] > DRY else None
