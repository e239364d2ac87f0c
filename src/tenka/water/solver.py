"""A water layer as it is stepped: bed, hulls, sources and forces round the step of its surface."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from scipy.ndimage import label

from tenka.base.errors import BadInput
from tenka.base.timing import timed
from tenka.effect.courses import value_at
from tenka.effect.model import Force, InWater, Prop, WaterLayer, heard
from tenka.effect.ownclock import OwnClock, clock_of
from tenka.gas.grid import MEMORY_SHARE, free_bytes
from tenka.gas.settings import Moment
from tenka.water.airy import COARSE, Airy
from tenka.water.basin import Basin
from tenka.water.blowing import Acting, acting, blown
from tenka.water.feeding import Footprints, dents, fed_by, gifts, pushed
from tenka.water.foam import Foaming, foamed
from tenka.water.follow import BORDER, damp, damping, moved_on, shifted
from tenka.water.lumps import Lumps
from tenka.water.movers import displaced
from tenka.water.pouring import Poured, carried_on, taken_in
from tenka.water.running import Water, figures_of
from tenka.water.spilling import spilled
from tenka.water.stands import Ground, Met, ground_of, hulls_in, take_in
from tenka.water.step import Thick, longest, step

WATER_VERSION = 6
MOST_STEPS = 96  # in a frame
HIGHER = 0.02  # m over the level at rest, from which on a bed is a wall of the prop that it is inside of
TEARS = 3.0  # 1/s of foam that a source gives, from which it tears the water wholly
ALIKE = 1e-6  # of a step: those that differ less are alike
BREAKS_SPAN = 0.35  # over which a wave goes from beginning to break to breaking wholly
THICK_FOAM = 0.005  # m^2/s: what is as thick makes no foam


class WaterSolver:
    """Steps one water layer.

    Parameters
    ----------
    layer : with its cues put into delays
    forces, props : of the effect
    seed, rate : of the effect; rate in frames a second
    folder : where the effect's files lie
    events : deaths of the particles of another layer, by its id and the word
    lumps : the pieces of another layer at a time, s
    poured : what of a liquid falls in, in the step
    """

    def __init__(
        self,
        layer: WaterLayer,
        forces: tuple[Force, ...],
        props: tuple[Prop, ...],
        seed: int,
        rate: float,
        folder: Path | None,
        events: Callable[[str, str], Any] | None = None,
        lumps: Callable[[str, float], Lumps | None] = lambda _a, _b: None,
        poured: Callable[[str], Poured | None] = lambda _: None,
    ) -> None:
        need, free = layer.predicted_bytes, free_bytes()
        if need > MEMORY_SHARE * free:
            nx, ny = layer.basin.cells
            raise BadInput(
                f"{layer.name} has {nx:,} x {ny:,} cells, which need {need / 1e9:.1f} GB while it runs; "
                f"{free / 1e9:.1f} GB are free",
                "larger cells, or a smaller basin",
            )
        self.layer, self.forces, self.props = layer, forces, props
        self.seed, self.rate, self.folder = seed, rate, folder
        self.events, self.lumps, self.poured = events, lumps, poured
        self.parts: dict[str, float] = {}
        self.substeps = 0
        self._airy: tuple[np.ndarray, float, Airy] | None = None
        self._acts = Acting(None, ())
        self._ground: Ground | None = None
        self._damping: tuple[tuple[int, int], np.ndarray] | None = None
        self._prints = Footprints()

    # --- settings of a moment

    @property
    def clock(self) -> OwnClock:
        return clock_of(self.layer.time_scale, self.rate)

    def _moment(self, t: float, dt: float) -> Moment:
        return Moment(self.props, self.rate, t, dt, self.clock)

    def _meets(self, how: str) -> list[tuple[InWater, Prop]]:
        by_id = {p.id: p for p in self.props}
        return [(c, by_id[c.prop]) for c in heard(self.layer.colliders) if c.acts == how and c.prop in by_id]

    def _met(self, water: Water, moment: Moment) -> Met:
        """All that pushes the water, at the end of a step."""
        assert self._ground is not None
        met = hulls_in(self._meets("hull"), water.basin, self._ground.floor, moment, self.folder)
        for stop in heard(self.layer.colliders):
            share, lumps = moment.at(stop.push, 0.0), None
            if stop.acts == "pieces" and stop.of and share > 0.0:
                lumps = self.lumps(stop.of, moment.t + moment.dt)
            if lumps is not None and len(lumps):
                take_in(met, stop, lumps, share, water.basin, water.state.rise)
        return met

    def _beds(self) -> list[tuple[InWater, Prop]]:
        """What stands in it, with the prop that it is inside of."""
        found, id = self._meets("bed"), self.layer.basin.within
        wall = next((p for p in self.props if p.id == id), None)
        if wall is not None and all(p.id != id for _, p in found):
            found.append((InWater(id="within", name="Walls", prop=id, acts="bed"), wall))
        return found

    def _thick(self, moment: Moment) -> Thick:
        flow = self.layer.flow
        return Thick(moment.at(flow.viscosity, 0.0), moment.at(flow.stress, 0.0) / flow.density)

    def _foaming(self, moment: Moment) -> Foaming:
        f, thick = self.layer.foam, self._thick(moment)
        clear = max(0.0, 1.0 - thick.viscosity / THICK_FOAM) if thick.stress <= 0.0 else 0.0
        return Foaming(
            clear * moment.at(f.breaking, 0.0),
            clear * moment.at(f.contact, 0.0),
            f.breaks_from,
            f.breaks_from + BREAKS_SPAN,
            f.half_life,
            f.spread,
        )

    # --- where it is

    def _first_origin(self, t: float) -> tuple[float, float]:
        box = self.layer.basin
        x, y = box.origin[:2]
        if box.follows:
            prop = next((p for p in self.props if p.id == box.follows), None)
            if prop is not None:
                place = self._moment(t, 1.0 / self.rate).pose(prop, 0.0).origin
                nx, ny = box.cells
                di, dj = self._cells_to((x, y), place, (nx, ny))
                return x + di * box.edge, y + dj * box.edge
        return x, y

    def _cells_to(
        self, origin: tuple[float, float], place: np.ndarray, shape: tuple[int, int]
    ) -> tuple[int, int]:
        """Whole cells by which a window goes on for a place to lie in its middle."""
        edge = self.layer.basin.edge
        di, dj = (round((p - o) / edge - 0.5 * n) for p, o, n in zip(place, origin, shape))
        return int(di), int(dj)

    def floor(self, basin: Basin) -> np.ndarray:
        """Height of the bed without props, (nx, ny) m."""
        box, (rise_x, rise_y) = self.layer.basin, self.layer.slope
        x, y = basin.middles()
        middle = [o + 0.5 * s for o, s in zip(box.origin, box.size)]
        floor = box.origin[2] + rise_x * (x - middle[0]) + rise_y * (y - middle[1])
        return np.broadcast_to(floor, basin.shape).astype(np.float32)

    def _with_bed(self, basin: Basin, moment: Moment) -> tuple[Basin, Ground]:
        beds = self._beds()
        ground = ground_of(self.floor(basin), basin, beds, moment, self.folder)
        floor = self._walled(basin, ground.floor, moment)
        rest = np.float32(basin.level) - floor
        return Basin(basin.cell, rest.astype(np.float32), basin.origin, basin.level), ground

    def _walled(self, basin: Basin, floor: np.ndarray, moment: Moment) -> np.ndarray:
        """The bed, with all that lies beyond the walls of the prop that the water is inside of raised over
        any wave."""
        prop = next((p for p in self.props if p.id == self.layer.basin.within), None)
        if prop is None:
            return floor
        parts, count = label(floor < basin.level + HIGHER)
        i, j = (
            int(np.clip((p - o) / basin.cell, 0, n - 1))
            for p, o, n in zip(moment.pose(prop, 0.0).origin, basin.origin, basin.shape)
        )
        if not count or not parts[i, j]:
            raise BadInput(
                f"{self.layer.name} is to be inside of {prop.name}, whose middle is no hollow at the "
                "water's level",
                "a prop with walls round its own origin, or another depth",
            )
        top = self.layer.basin.origin[2] + max(self.layer.basin.size[2], self.layer.basin.depth) + 1.0
        return np.where(parts == parts[i, j], floor, np.maximum(floor, np.float32(top)))

    def start(self) -> Water:
        """The water at rest, at the beginning of the run-up."""
        box = self.layer.basin
        t = -round(box.run_up * self.rate) / self.rate
        bare = Basin(box.edge, np.zeros(box.cells, np.float32), self._first_origin(t), box.level)
        moment = self._moment(t, 1e-3 / self.rate)
        basin, self._ground = self._with_bed(bare, moment)
        state = basin.still()
        state.time = t
        if box.depth <= 0.0:
            state.rise = np.maximum(-basin.rest, np.float32(-1e6))
        foam = np.zeros(basin.shape, np.float32)
        water = Water(basin, state, foam, foam.copy(), foam.copy(), foam.copy())
        met = self._met(water, self._moment(t, 0.0))
        water.immersed, water.under, water.afloat = met.immersed, met.under, met.afloat
        water.held = state.volume(basin)
        return water

    # --- stepping

    def begin(self, water: Water) -> tuple[Water, int]:
        """Make ready for the next frame: the window goes on, the bed is where it is now; and how many steps
        the frame wants."""
        water = water.copy()
        frame = 1.0 / self.rate
        moment = self._moment(water.time, frame)
        with timed(self.parts, "bed"):
            self._follow(water, moment)
            self._settle_bed(water, moment)
        self._acts = acting(self.layer, self.forces, water.basin, moment, self.seed)
        water.figures = {}
        scale = moment.span / frame if frame else 1.0
        speed = max(float(np.abs(water.state.u).max()), float(np.abs(water.state.v).max())) * scale
        hulls = max((self._pace(prop, moment) for _, prop in self._meets("hull")), default=0.0)
        deepest = max(float((water.state.rise + water.basin.rest).max()), self._coming(moment))
        wished = math.ceil(moment.span / longest(water.basin.cell, deepest, max(speed, hulls)) - 1e-9)
        water.figures["wished"] = wished
        return water, int(min(max(1, wished), MOST_STEPS))

    def _coming(self, moment: Moment) -> float:
        """Depth that sources hold or bring at least, m."""
        held = [
            self.layer.basin.depth + value_at(s.stands, moment.t)
            for s in heard(self.layer.sources)
            if s.gives == "level"
        ]
        return max([2.0 * self.layer.basin.edge, *held])

    def _pace(self, prop: Prop, moment: Moment) -> float:
        motion = moment.placing(prop)[1]
        return 0.0 if motion is None else float(np.linalg.norm(motion.speed[:2]))

    def _follow(self, water: Water, moment: Moment) -> None:
        prop = next((p for p in self.props if p.id == self.layer.basin.follows), None)
        if prop is None:
            return
        basin = water.basin
        place = moment.pose(prop, 0.0).origin
        # by whole cells of the waves' correction: short waves grow where what shares one of these changes
        di, dj = (int(n / COARSE) * COARSE for n in self._cells_to(basin.origin, place, basin.shape))
        if not di and not dj:
            return
        x, y = basin.origin
        bare = Basin(basin.cell, basin.rest, (x + di * basin.cell, y + dj * basin.cell), basin.level)
        after, self._ground = self._with_bed(bare, moment)
        water.basin, water.state = moved_on(basin, water.state, di, dj, after.rest)
        water.foam = shifted(water.foam, di, dj)
        water.immersed, water.under = shifted(water.immersed, di, dj), shifted(water.under, di, dj)
        lost = water.state.volume(water.basin)
        water.held, water.given = lost, 0.0  # what is in the window is not what was

    def _settle_bed(self, water: Water, moment: Moment) -> None:
        """The bed as it is now; the water on what rises or sinks goes with it, as deep as it was."""
        beds = self._beds()
        known = self._ground is not None and self._ground.floor.shape == water.basin.shape
        if known and not any(self._moves(prop, moment) for _, prop in beds):
            return
        after, self._ground = self._with_bed(water.basin, moment)
        change = after.rest - water.basin.rest
        if not change.any():
            return
        deep = np.maximum(water.state.rise + water.basin.rest, 0.0)
        water.basin = after
        water.state.rise = np.where(change != 0, deep - after.rest, water.state.rise).astype(np.float32)

    def _moves(self, prop: Prop, moment: Moment) -> bool:
        return self._pace(prop, moment) > 0 or moment.placing(prop)[1] is not None or bool(prop.clip)

    def part(self, water: Water, t: float, dt: float) -> Water:
        """One step from `t` for `dt` seconds of the effect, in place."""
        moment = self._moment(t, dt)
        basin, state, layer = water.basin, water.state, self.layer
        own = moment.span
        if own != dt and dt > 0:  # speeds that are kept are of the effect's clock
            state.u *= np.float32(dt / own)
            state.v *= np.float32(dt / own)
        if self._ground is None:
            self._ground = self._with_bed(basin, moment)[1]
        with timed(self.parts, "hulls"):
            met = self._met(water, moment)
            given = None
            if met.immersed.any() or water.immersed.any():
                change = (met.afloat - water.afloat) / basin.cell**2
                given = displaced(water.immersed, met.immersed, change)
            water.afloat = met.afloat
        if given is not None:  # a hull that comes in or goes out
            water.given += float(given.sum(dtype=np.float64)) * basin.cell**2
        with timed(self.parts, "source"):
            fed = gifts(layer, basin, moment, self.folder, self._prints)
            dented = dents(layer, basin, self.seed, moment, self._prints, self.events)
            if dented is not None:
                given = dented if given is None else given + dented
            head, more, came = fed_by(fed, basin, state)
            taken = taken_in(layer, basin, state, moment, self.poured)
            if taken is not None:
                head = taken.head if head is None else head + taken.head
                more = taken.height if more is None else more + taken.height
                came += float(taken.height.sum(dtype=np.float64)) * basin.cell**2
            water.given += came
            if more is not None:  # before the step: what is there can be taken, and no more
                np.maximum(state.rise + more, -basin.rest, out=state.rise)
        before = state.rise.copy()
        with timed(self.parts, "waves"):
            airy = self._correction(basin, own) if layer.flow.lengths == "every" else None
        thick = self._thick(moment)
        with timed(self.parts, "step"):
            step(
                basin,
                state,
                own,
                airy,
                moment.at(layer.flow.drag, 0.0),
                given,
                thick,
                head,
                self._ground.room,
            )
        with timed(self.parts, "forces"):
            pushed(state, fed)
            if taken is not None:
                carried_on(state, basin, taken)
            blown(layer, self._acts, basin, state, moment, own)
        if layer.basin.sides == "open" or layer.basin.follows:
            damp(state, basin, self._border(basin.shape), own)
        with timed(self.parts, "foam"):
            if met.immersed.any():
                before += met.immersed - water.immersed  # what a hull lifts is no wave that rises
            torn = np.empty_like(water.foam)
            how = self._foaming(moment)
            water.foam = foamed(basin, state, before, water.foam, own, how, met.work, torn)
            for g in fed:
                if g.foam > 0:
                    water.foam += (1.0 - water.foam) * g.share * np.float32(g.foam)
                    np.maximum(
                        torn, g.share * np.float32(min(g.foam / max(own, 1e-9) / TEARS, 1.0)), out=torn
                    )
            if taken is not None:
                water.foam += (1.0 - water.foam) * taken.foam
                np.maximum(torn, taken.cover, out=torn)
            water.torn += torn * np.float32(dt * self.rate)
            if thick.viscosity <= 0.0 and thick.stress <= 0.0:
                state.rise = spilled(state.rise, basin.rest, basin.cell, own)
        water.immersed, water.under = met.immersed, met.under
        self._note(water, met)
        if own != dt and dt > 0:
            state.u *= np.float32(own / dt)
            state.v *= np.float32(own / dt)
        state.time = t + dt
        self.substeps += 1
        return water

    def _correction(self, basin: Basin, own: float) -> Airy:
        held = self._airy
        same = held is not None and (held[0] is basin.rest or np.array_equal(held[0], basin.rest))
        if held is None or not same or abs(held[1] - own) > ALIKE * own:
            held = self._airy = (basin.rest, own, Airy(basin, own))
        return held[2]

    def _border(self, shape: tuple[int, int]) -> np.ndarray:
        if self._damping is None or self._damping[0] != shape:
            self._damping = (shape, damping(shape, min(BORDER, max(2, min(shape) // 8))))
        return self._damping[1]

    def _note(self, water: Water, met: Met) -> None:
        figures = water.figures
        touched = set(figures.get("touching", [])) | met.touching
        figures["touching"] = sorted(touched)
        figures["deep"], figures["wide"] = met.deep, met.wide

    def ended(self, water: Water, count: int) -> dict[str, Any]:
        """Figures of a frame of `count` steps."""
        return figures_of(water, self.layer.flow.density, count)

    def take_settings(self, layer: WaterLayer, forces: tuple[Force, ...], props: tuple[Prop, ...]) -> bool:
        """Go on with new settings from the running state; False when the basin itself changed."""
        had, now = self.layer.basin, layer.basin
        if (had.cells, had.edge, had.level, had.follows) != (now.cells, now.edge, now.level, now.follows):
            return False
        if had.origin != now.origin:
            return False
        self.layer, self.forces, self.props = layer, forces, props
        self._ground = None
        return True

    def knows(self, water: Water) -> None:
        """Go on from a stored water: its bed is found again."""
        self._ground = self._with_bed(water.basin, self._moment(water.time, 1e-3 / self.rate))[1]
