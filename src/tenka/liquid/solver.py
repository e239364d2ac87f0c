"""A liquid layer as it is stepped: sources, forces, props and foam round the step of its particles."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import TooLarge, Unstable
from tenka.base.timing import timed
from tenka.effect.fading import rate_of
from tenka.effect.model import Force, LiquidLayer, Prop, heard
from tenka.effect.ownclock import OwnClock, clock_of
from tenka.gas.grid import MEMORY_SHARE, Grid, free_bytes
from tenka.gas.settings import GRAVITY, ColliderInput, Moment
from tenka.gas.solids import Solids, find_solids
from tenka.liquid.giving import give
from tenka.liquid.pushing import Pushes, push_particles, pushes, thicken
from tenka.liquid.spread import Space, distance_of, space_of
from tenka.liquid.state import Liquid, outside, particle_volume, sort
from tenka.liquid.step import Foaming, Work, step
from tenka.liquid.transfer import counted, slabs_of
from tenka.water.felt import WaterField
from tenka.water.pouring import Poured

LIQUID_VERSION = 4
FIRST = 1e-6  # s before a run, in which that is given which is there
MOST_SPEED = 1e4  # m/s
BEYOND = 1.0  # of the box's height, that what flies out may be over it
WHOLE = 4.0  # times what tears a liquid, at which it is torn wholly


class LiquidSolver:
    """Steps one liquid layer.

    Parameters
    ----------
    layer : with its cues put into delays
    forces, props : of the effect
    seed, rate : of the effect; rate in frames a second
    folder : where the effect's files lie
    water : the surface that a layer of an id hands over
    """

    def __init__(
        self,
        layer: LiquidLayer,
        forces: tuple[Force, ...],
        props: tuple[Prop, ...],
        seed: int,
        rate: float,
        folder: Path | None,
        water: Callable[[str], WaterField | None] = lambda _: None,
    ) -> None:
        need, free = layer.predicted_bytes, free_bytes()
        if need > MEMORY_SHARE * free:
            raise TooLarge(
                f"{layer.name} has {layer.tank.voxels:,} voxels, which need up to {need / 1e9:.1f} GB when "
                f"they are full; {free / 1e9:.1f} GB are free. Take larger voxels, a smaller box, or fewer "
                "particles at most."
            )
        self.layer, self.forces, self.props = layer, forces, props
        self.seed, self.rate, self.folder, self.water = seed, rate, folder, water
        self.grid = Grid.of(layer.tank)  # type: ignore[arg-type]
        self.work = Work(self.grid)
        self.substeps = 0
        self._solids: Solids | None = None
        self._space: Space | None = None
        self._by = Pushes(None, None, 0.0)

    @property
    def parts(self) -> dict[str, float]:
        """Seconds that each part of the step took."""
        return self.work.parts

    @property
    def clock(self) -> OwnClock:
        return clock_of(self.layer.time_scale, self.rate)

    def _moment(self, t: float, dt: float) -> Moment:
        return Moment(self.props, self.rate, t, dt, self.clock)

    def moment(self, t: float) -> Moment:
        """A moment at which nothing goes on."""
        return self._moment(t, FIRST)

    def space(self, moment: Moment) -> Space:
        """The room between props and walls, in a step."""
        found = []
        for collider in heard(self.layer.colliders):
            prop = next((p for p in self.props if p.id == collider.prop), None)
            if prop is not None:
                middle = moment.t + 0.5 * moment.dt
                how: Any = collider
                found.append(ColliderInput(how, prop, *moment.placing(prop), middle, moment.stretch))
        if not found:
            if self._space is None or self._solids is not None:
                self._space, self._solids = space_of(self.grid, None), None
            return self._space
        marks = self._solids.shown_by if self._solids is not None else None
        self._solids = find_solids(tuple(found), self.grid, self.folder, self._solids)
        if self._space is None or marks != self._solids.shown_by:
            self._space = space_of(self.grid, self._solids)
        return self._space

    # --- stepping

    def start(self) -> Liquid:
        """The liquid at the beginning of the run-up: what fills at once is there."""
        t = -round(self.layer.tank.run_up * self.rate) / self.rate
        liquid = Liquid.none(self.grid.shape, t)
        moment = self._moment(t - FIRST, FIRST)
        space = self.space(moment)
        fills = tuple(s for s in self.layer.sources if s.gives == "fill")
        most = self.layer.quality.most
        refused = give(liquid, fills, moment, self.grid, space, self.seed, self.folder, most)
        liquid.velocity /= np.float32(moment.stretch)
        liquid.figures = {"wished": 1, "refused": refused}
        return liquid

    def begin(self, liquid: Liquid) -> tuple[Liquid, int]:
        """Make ready for the next frame, and say how many steps it wants."""
        liquid = liquid.copy()
        moment = self._moment(liquid.time, 1.0 / self.rate)
        self._by = pushes(self.layer, self.forces, liquid, moment, self.seed)
        if self._by.winds is not None:  # how full cells are must not hang on the step before: a run may go on
            slabs = slabs_of(sort(liquid, self.grid))
            counted(liquid.place, liquid.air, slabs, self.grid, self.work.count)
            distance_of(self.work.count, self.space(moment), self.work.distance, self.work.share)
        fastest = moment.stretch * float(np.abs(liquid.velocity).max()) if len(liquid) else 0.0
        coming = [
            float(np.linalg.norm(s.push)) * abs(moment.at(s.push_over))
            for s in heard(self.layer.sources)
            if s.gives == "jet"
        ]
        fastest = max([fastest, *coming]) + abs(moment.at(self.layer.motion.gravity)) * GRAVITY * moment.span
        crossed = fastest * moment.span / self.grid.voxel
        wished = max(1, math.ceil(crossed / self.layer.quality.courant - 1e-9))
        liquid.figures = {"wished": wished, "refused": 0}
        return liquid, min(wished, self.layer.quality.most_steps)

    def part(self, liquid: Liquid, t: float, dt: float) -> Liquid:
        """One step from `t` for `dt` seconds of the effect, in place."""
        moment, layer, grid = self._moment(t, dt), self.layer, self.grid
        own = moment.span
        scale = dt / own if own else 1.0
        if own != dt and dt > 0:
            liquid.velocity *= np.float32(scale)
            liquid.affine *= np.float32(scale)
        with timed(self.parts, "collision"):
            space = self.space(moment)
        with timed(self.parts, "source"):
            most = layer.quality.most
            refused = give(liquid, layer.sources, moment, grid, space, self.seed, self.folder, most)
            liquid.figures["refused"] = liquid.figures.get("refused", 0) + refused
        if self._by.share > 0.0:
            with timed(self.parts, "forces"):
                share = self.work.share
                push_particles(liquid, self._by, moment.own, own, share, np.asarray(grid.origin), grid.voxel)
        gravity = moment.at(layer.motion.gravity) * GRAVITY
        amount = moment.at(layer.motion.viscosity, 0.0) * own / grid.voxel**2

        def push(faces: list[np.ndarray], _: np.ndarray, step_dt: float) -> None:
            faces[2] -= np.float32(gravity * step_dt)
            if amount > 0.0:
                thicken(faces, self.work.given, amount)

        f = layer.foam
        foam = Foaming(moment.at(f.mixes, 0.0), f.torn_from, WHOLE * f.torn_from, float(rate_of(f.half_life)))
        step(liquid, space, self.work, own, push, layer.motion.turns_kept, foam)
        with timed(self.parts, "ends"):
            self._end(liquid)
        if own != dt and dt > 0:
            liquid.velocity /= np.float32(scale)
            liquid.affine /= np.float32(scale)
        with timed(self.parts, "ends"):
            self._join(liquid, t + dt)
        fastest = float(np.abs(liquid.velocity).max()) if len(liquid) else 0.0
        if not fastest < MOST_SPEED:
            raise Unstable(
                f"{layer.name} came apart at {t:.2f} s: its speed is {fastest:.3g} m/s; look for a force "
                "or a push that is far too strong, or let it make more steps."
            )
        liquid.time = t + dt
        self.substeps += 1
        return liquid

    def _end(self, liquid: Liquid) -> None:
        """What has left the box by an open wall is gone; over its top it may fly, and come back."""
        low, size = np.asarray(self.grid.origin, float), np.asarray(self.grid.size, float)
        high = low + size
        high[2] += BEYOND * size[2]
        inside = np.empty(len(liquid), np.bool_)
        gone = outside(liquid.place, low, high, inside)
        if gone:
            liquid.picked(inside)
            liquid.went += gone * particle_volume(self.grid)

    def _join(self, liquid: Liquid, t: float) -> None:
        """What falls below the surface of the water that it flows into is taken in there."""
        liquid.poured = None
        field = self.water(self.layer.ends.joins) if self.layer.ends.joins else None
        if field is None or not len(liquid):
            return
        rows = np.flatnonzero(liquid.velocity[:, 2] < 0.0)
        height = field.height(liquid.place[rows].astype(np.float64), np.full(len(rows), t))
        rows = rows[liquid.place[rows, 2] < height]  # not so where that is no number
        if not len(rows):
            return
        each = particle_volume(self.grid)
        liquid.poured = Poured(liquid.place[rows], liquid.velocity[rows], each)
        liquid.joined += len(rows) * each
        kept = np.ones(len(liquid), np.bool_)
        kept[rows] = False
        liquid.picked(kept)

    def ended(self, liquid: Liquid, count: int) -> dict[str, Any]:
        """Figures of a frame of `count` steps."""
        volume = particle_volume(self.grid)
        pace = np.linalg.norm(liquid.velocity, axis=1) if len(liquid) else np.zeros(1)
        rounds = self.work.rounds[-count:]
        found = {
            **liquid.figures,
            "count": len(liquid),
            "volume": len(liquid) * volume,
            "fastest": float(pace.max()),
            "energy": float(0.5 * np.square(pace, dtype=np.float64).sum() * volume * 1000.0),
            "air": 0.0,
            "highest": self.grid.origin[2],
            "came": liquid.came,
            "went": liquid.went,
            "joined": liquid.joined,
            "steps": count,
            "rounds": float(np.mean(rounds)) if rounds else 0.0,
        }
        if len(liquid):
            low, high = liquid.place.min(axis=0).tolist(), liquid.place.max(axis=0).tolist()
            found |= {"air": float(liquid.air.mean()), "highest": high[2], "low": low, "high": high}
        return found

    def take_settings(self, layer: LiquidLayer, forces: tuple[Force, ...], props: tuple[Prop, ...]) -> bool:
        """Go on with new settings from the running state; False when the box itself changed."""
        if replace(self.grid) != Grid.of(layer.tank):  # type: ignore[arg-type]
            return False
        self.layer, self.forces, self.props = layer, forces, props
        self._space = None
        return True
