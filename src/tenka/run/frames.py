"""What is stored of a moment: a gas as fields, particles as they are; and full states from which a broken run
goes on."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tenka.cache.store import Frame, FrameStore
from tenka.effect.model import PointLayer
from tenka.gas.grid import BURNT, DENSITY, FUEL, TEMPERATURE, GasState, Grid, Workspace
from tenka.gas.pressure import project
from tenka.gas.solver import GasSolver
from tenka.gas.vorticity import centre_fields
from tenka.gas.window import offset_of
from tenka.particles.state import NEW, AirField, Events, Points, PointState

HALF_LIMIT = 6e4
AIR_DENSITY = 1.2  # kg/m^3
FILLED = 0.002  # density from which on a voxel counts as filled
MEASURES = (
    ("mass", "Smoke", "m³"),
    ("heat", "Heat", "K m³"),
    ("fuel", "Fuel", "m³"),
    ("burnt", "Burnt in a frame", "m³"),
    ("energy", "Movement", "J"),
    ("fastest", "Fastest", "m/s"),
    ("divergence", "Divergence left", "1/s"),
    ("residual", "Residual", ""),
)
"""Figures of each frame that make curves: name in its meta, name shown, unit (of a density of 1 in a cubic
metre)."""


def _leaving(density: np.ndarray, velocity: np.ndarray) -> list[float]:
    """How fast smoke goes out at each wall, m/s: low and high x, y, z."""
    found = []
    for axis in range(3):
        for end, way in ((0, -1.0), (-1, 1.0)):
            smoke = np.moveaxis(density, axis, 0)[end]
            out = np.maximum(way * np.moveaxis(velocity[axis], axis, 0)[end], 0.0)
            total = float(smoke.sum())
            found.append(float((smoke * out).sum()) / total if total > 0 else 0.0)
    return found


def frame_of_state(
    state: GasState, grid: Grid, final: bool = False, work: Workspace | None = None, box: Grid | None = None
) -> Frame:
    """What is stored of a state: half floats in previews, float32 in final runs. `work` adds what the solver
    measured; `box` is the whole
    box when the grid follows the gas in it."""
    kind = np.float32 if final else np.float16
    velocity = np.empty((3, *grid.shape), np.float32)
    centre_fields(state.u, state.v, state.w, velocity)
    scalars = state.scalars
    density = scalars[..., DENSITY]
    walls = [float(np.moveaxis(density, axis, 0)[end].max()) for axis in range(3) for end in (0, -1)]
    if box is not None:  # a side of the window is no wall
        ends = [(a == 0, a + n == m) for a, n, m in zip(offset_of(grid, box), grid.shape, box.shape)]
        walls = [w if at_wall else 0.0 for w, at_wall in zip(walls, (end for pair in ends for end in pair))]
    if grid.shape[1] == 1:
        walls[2] = walls[3] = 0.0  # a flat box has no sides there to be cut at
    volume = grid.voxel**3
    sums = scalars.sum(axis=(0, 1, 2), dtype=np.float64) * volume
    meta = {
        "wall": walls,
        "leaving": _leaving(density, velocity),
        "densest": float(density.max()),
        "filled": int(np.count_nonzero(density > FILLED)),
        "fastest": state.fastest,
        "mass": float(sums[DENSITY]),
        "heat": float(sums[TEMPERATURE]),
        "fuel": float(sums[FUEL]),
        "flame": float(sums[BURNT]),
        "energy": 0.5 * AIR_DENSITY * float(np.vdot(velocity, velocity)) * volume,
    }
    if work is not None:
        meta.update(work.figures, burnt=work.burnt)
    burning = bool(sums[FUEL] > 0 or sums[BURNT] > 0)

    def kept(field: np.ndarray) -> np.ndarray:
        return (field if final else np.clip(field, -HALF_LIMIT, HALF_LIMIT)).astype(kind)

    return Frame(
        kept(density),
        kept(scalars[..., TEMPERATURE]),
        kept(velocity),
        grid.origin,
        grid.voxel,
        state.time,
        meta,
        flame=kept(scalars[..., BURNT]) if burning else None,
        fuel=kept(scalars[..., FUEL]) if burning else None,
        dye=kept(state.dye) if state.dye is not None else None,
    )


def state_of_frame(grid: Grid, frame: Frame) -> GasState:
    """A state to go on from by live editing: near what the run had, since velocity was kept at centres."""
    assert frame.velocity is not None
    state = GasState.still(grid, frame.time)
    state.scalars[..., DENSITY] = frame.density
    state.scalars[..., TEMPERATURE] = frame.temperature
    if frame.fuel is not None and frame.flame is not None:
        state.scalars[..., FUEL], state.scalars[..., BURNT] = frame.fuel, frame.flame
    if frame.dye is not None:
        state.dye = frame.dye.astype(np.float32)
    for axis, face in enumerate((state.u, state.v, state.w)):
        c = np.moveaxis(frame.velocity[axis].astype(np.float32), axis, 0)
        f = np.moveaxis(face, axis, 0)
        f[1:-1] = 0.5 * (c[1:] + c[:-1])
        f[0], f[-1] = c[0], c[-1]
    project(state, grid, Workspace(grid))
    return state


def put_state(
    store: FrameStore, name: str, state: GasState, guesses: np.ndarray, origin: tuple[float, ...]
) -> None:
    """`origin`: of the window that it lies in; `guesses` are the pressures from which the next solutions
    round colliders begin: without them a resumed run would differ."""
    arrays = {"u": state.u, "v": state.v, "w": state.w, "scalars": state.scalars, "guesses": guesses}
    if state.dye is not None:
        arrays["dye"] = state.dye
    store.put(name, arrays, {"time": state.time, "origin": origin})


def get_state(store: FrameStore, name: str, solver: GasSolver) -> GasState | None:
    """A full state, with the window of the solver where it was; None when it is not there or was damaged."""

    def made(arrays: dict[str, np.ndarray], meta: dict[str, Any]) -> GasState:
        x, y, z = meta["origin"]
        guesses, nx, ny, nz = arrays.pop("guesses"), *arrays["scalars"].shape[:3]
        state = GasState(**arrays, time=float(meta["time"]))
        faces = {"u": (nx + 1, ny, nz), "v": (nx, ny + 1, nz), "w": (nx, ny, nz + 1)}
        if any(arrays[name].shape != shape for name, shape in faces.items()):
            raise ValueError("faces that do not fit the voxels")
        solver.look_at((x, y, z), (nx, ny, nz))
        solver.work.guesses[:] = guesses
        return state

    return store.made(name, made)


@dataclass
class PointFrame:
    """Particles at a stored moment: their whole state, and figures of the frame."""

    points: Points
    time: float
    meta: dict[str, Any] = field(default_factory=dict)
    events: dict[str, Events] = field(default_factory=dict)

    def state(self) -> PointState:
        return PointState(self.points, self.time, dict(self.meta.get("lost", {})), self.events)


POINT_MEASURES = (
    ("alive", "Alive", ""),
    ("born", "Born in a frame", ""),
    ("died", "Died in a frame", ""),
    ("fastest", "Fastest", "m/s"),
)
"""Figures of each frame of particles that make curves: as MEASURES."""


def point_figures(state: PointState, layer: PointLayer, before: dict[str, int]) -> dict[str, Any]:
    """What was counted of a frame; `before` is what had been lost by the frame before it."""
    p, lost = state.points, state.lost
    gone = {kind: lost.get(kind, 0) - before.get(kind, 0) for kind in lost}
    low, high = (
        (p.place.min(axis=0).tolist(), p.place.max(axis=0).tolist()) if len(p) else ([0.0] * 3, [0.0] * 3)
    )
    fastest = float(np.linalg.norm(p.velocity, axis=1).max()) if len(p) else 0.0
    return {
        "alive": len(p),
        "born": int(np.count_nonzero(p.state & NEW)),
        "died": gone.get("age", 0) + gone.get("ends", 0),
        "aged": gone.get("age", 0),
        "refused": gone.get("refused", 0),
        "lost": dict(lost),
        "fastest": fastest,
        "low": low,
        "high": high,
        "widest": float(p.width.max()) if len(p) else 0.0,
        "area": float(np.square(p.width, dtype=np.float64).sum()),
        "swept": float((p.width * np.linalg.norm(p.velocity, axis=1)).sum()),
        "steps": layer.steps,
    }


def put_points(store: FrameStore, name: str, frame: PointFrame) -> None:
    arrays = frame.points.arrays()
    for kind, events in frame.events.items():
        arrays |= {f"{kind}.{part}": values for part, values in events.arrays().items()}
    store.put(name, arrays, {"time": frame.time, **frame.meta})


def get_points(store: FrameStore, name: str, events: bool = False) -> PointFrame | None:
    """A stored frame of particles; None when it is not there or was damaged."""
    own = set(Points().arrays())

    def made(arrays: dict[str, np.ndarray], meta: dict[str, Any]) -> PointFrame:
        kinds = {n.split(".")[0] for n in arrays if "." in n}
        held = {kind: Events(**{p: arrays[f"{kind}.{p}"] for p in Events().arrays()}) for kind in kinds}
        points = Points(**{n: arrays[n] for n in own})
        return PointFrame(points, float(meta.pop("time")), meta, held)

    return store.made(name, made, None if events else own)


def _air(velocity: np.ndarray, density: np.ndarray) -> np.ndarray:
    """Velocity (3, nx, ny, nz) and density as particles read them, (nx, ny, nz, 4)."""
    out = np.empty((*density.shape, 4), np.float32)
    for c in range(3):
        out[..., c] = velocity[c]
    out[..., 3] = density
    return out


def live_field(state: GasState, grid: Grid) -> AirField:
    """A gas as it is now."""
    velocity = np.empty((3, *grid.shape), np.float32)
    centre_fields(state.u, state.v, state.w, velocity)
    air = _air(velocity, state.scalars[..., DENSITY])
    return AirField(air, grid.origin, air, grid.origin, grid.voxel, state.time, state.time)


class StoredField:
    """A gas between stored frames; the newest two frames are kept."""

    def __init__(self) -> None:
        self._kept: dict[str, tuple[np.ndarray, tuple[float, float, float], float]] = {}

    def _air_of(
        self, store: FrameStore, name: str
    ) -> tuple[np.ndarray, tuple[float, float, float], float] | None:
        if name not in self._kept:
            frame = store.get_frame(name, velocity=True)
            if frame is None or frame.velocity is None:
                return None
            while len(self._kept) > 1:
                self._kept.pop(next(iter(self._kept)))
            self._kept[name] = (_air(frame.velocity, frame.density), frame.origin, frame.voxel)
        return self._kept[name]

    def between(
        self, store: FrameStore, before: str, after: str, start: float, end: float
    ) -> AirField | None:
        a = self._air_of(store, before)
        b = self._air_of(store, after) if a is not None else None
        if a is None or b is None:
            return None
        return AirField(a[0], a[1], b[0], b[1], a[2], start, end)


def wander(coarse: Frame, fine: Frame) -> float:
    """How far the middle of a finer frame's smoke is from that of the coarse one, m."""
    middles = []
    for frame in (coarse, fine):
        whole = float(frame.density.sum(dtype=np.float64))
        if whole <= 0:
            return 0.0
        sums = [
            frame.density.sum(axis=tuple(a for a in range(3) if a != axis), dtype=np.float64)
            for axis in range(3)
        ]
        middles.append(
            np.array(
                [
                    o + frame.voxel * (float(s @ np.arange(len(s))) / whole + 0.5)
                    for o, s in zip(frame.origin, sums)
                ]
            )
        )
    return float(np.linalg.norm(middles[1] - middles[0]))


def drift(coarse: Frame, fine: Frame, factor: int) -> float:
    """How far a finer frame is from the coarse one: mean difference of density at the coarse scale, as a
    share of the coarse mean.

    Both are compared over the box that holds either, so that windows may differ.
    """
    low = np.minimum(coarse.origin, fine.origin)
    shape = np.ceil((np.maximum(coarse.high, fine.high) - low) / coarse.voxel - 1e-3).astype(int)
    sums = []
    for frame, step in ((coarse, 1), (fine, factor)):
        whole = np.zeros(shape * step, np.float32)
        first = np.round((np.asarray(frame.origin) - low) / frame.voxel).astype(int)
        place = tuple(slice(a, min(a + n, m)) for a, n, m in zip(first, frame.shape, whole.shape))
        whole[place] = frame.density[tuple(slice(0, p.stop - p.start) for p in place)]
        x, y, z = shape
        sums.append(whole.reshape(x, step, y, step, z, step).mean(axis=(1, 3, 5)))
    return float(np.abs(sums[0] - sums[1]).sum() / max(float(sums[0].sum()), 1e-9))
