"""A whole picture: props, ground and gas, developed to 8 bits. What does not change is kept between
pictures."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import TypeVar

import numpy as np

from tenka.cache.store import Frame
from tenka.effect.courses import value_at
from tenka.effect.model import Camera, Light, Look
from tenka.look.colour import develop
from tenka.look.compose import lay_known, lay_over, settled
from tenka.look.heaven import sky_shadow
from tenka.look.lamps import NO_DEPTHS, WIDE, SceneLamp
from tenka.look.march import SEEN, march_slices, reached
from tenka.look.over import Over
from tenka.look.points import paint, quads_of, splats_of
from tenka.look.raster import Backdrop, lamplit, shade
from tenka.look.scatter import lamp_row
from tenka.look.shadows import ShadowMap, lamp_shadow, looked_at, shadow_view
from tenka.look.shimmer import bent
from tenka.look.sprites import DEPTH, draw_quads
from tenka.look.swarm import PointSet, Swarm, lamp_of, ready, ticked
from tenka.look.triangles import depth_of, see
from tenka.look.volume import LitVolume, light_volume, smoothed
from tenka.look.waters import Wet, with_waters
from tenka.scene.cameras import View, view_of
from tenka.scene.meshes import Mesh

T = TypeVar("T")


@dataclass
class Picture:
    """A finished picture and what it was made from."""

    rgb: np.ndarray  # (h, w, 3) uint8
    linear: np.ndarray  # (h, w, 3) before the film
    alpha: np.ndarray  # (h, w) the gas's own
    one_in: int = 1  # particles: so many are stood for by each that is drawn
    layers: dict[str, np.ndarray] = field(default_factory=dict)  # what it is made of, on request


class _Kept:
    """The newest few results of one kind, by key."""

    def __init__(self, most: int = 2) -> None:
        self._most = most
        self._items: dict[object, tuple[object, object]] = {}

    def get(self, key: object, make: Callable[[], T], of: object = None) -> T:
        """What was made for a key. `of` is what an id in it is of: held, so that no other gets that id."""
        if key not in self._items:
            while len(self._items) >= self._most:
                self._items.pop(next(iter(self._items)))
            self._items[key] = (make(), of)
        return self._items[key][0]  # type: ignore[return-value]


@dataclass
class _Sum:
    """The mean of passes over one gas, each of which draws a pixel of four."""

    volume: LitVolume  # so that its id is not given to another
    mean: np.ndarray  # (slices, h, w, 4)
    count: int = 0


@dataclass(eq=False)
class Shot:
    """All that is drawn of a moment.

    Attributes
    ----------
    gases : frames and their looks; swarms : particles
    mesh : props, and pieces
    bodies : the pieces alone; later : for each, gives it as it is going to be so many seconds later
    still : the props without the pieces, where there are some; lamps : lights of the effect
    names : of the gases' layers; stood_for : whether a light stands for a gas's own
    waters : surfaces of water, and what is thrown
    """

    gases: list[tuple[Frame, Look]]
    mesh: Mesh
    swarms: list[Swarm] = field(default_factory=list)
    bodies: list[Mesh] = field(default_factory=list)
    later: list[Callable[[float], Mesh | None]] = field(default_factory=list)
    still: Mesh | None = None
    lamps: list[SceneLamp] = field(default_factory=list)
    names: list[str] = field(default_factory=list)
    stood_for: list[bool] = field(default_factory=list)
    waters: list[Wet] = field(default_factory=list)

    def on(self, name: str) -> list[SceneLamp]:
        """The lights of the effect that fall on a layer."""
        return [lamp for lamp in self.lamps if lamp.on_layer(name)]


MOST_FIRST = 480_000  # particles of a layer in a first picture, by the square of how coarse it is
GOLDEN = 0.6180339887  # of a step: passes that lie so far apart fill it evenly, however many there are
QUARTER = 0.25
PLACES = ((0, 0), (1, 1), (1, 0), (0, 1))  # of each four pixels, in the order in which passes draw them
STEPS = 4  # where the params of a lit volume hold its samples a voxel
SHADOWED = 2  # lamps that cast shadows, the brightest first
FARTHEST_LAMP = 1e6  # m
LAMP_STEP, COARSE_STEP = 0.05, 0.2  # m that a lamp moves before its shadows are found anew
SOFT_EDGE = 0.3  # m over which flipbook sprites fade at a surface
SLICES, COARSE_SLICES = 8, 2  # of the gas's depth, between which particles lie


class Renderer:
    """Draws frames of one scene; keeps the lit volumes, the shadow map and the shaded backdrop while they
    hold.

    Not for several threads at once; `views` are drawn by turns.
    """

    def __init__(self, views: int = 1) -> None:
        self._lamps = _Kept(2 * SHADOWED)
        self._sums: dict[object, _Sum] = {}  # of the newest picture that was averaged
        self._summed: set[object] = set()
        two = 2 * views
        self._lit, self._shadow, self._seen, self._smooth = _Kept(4), _Kept(views), _Kept(two), _Kept(4)
        self._views, self._ready, self._dome = views, _Kept(6), _Kept(1)
        self._shaded, self._set, self._suns, self._bare, self._wet = (_Kept(two) for _ in range(5))
        self._held: tuple[object, ...] = ()  # so that their ids are not given to others

    def _volumes(self, shot: Shot, light: Light, walls: Mesh) -> list[LitVolume]:
        held = (*(f for f, _ in shot.gases), *shot.swarms)
        if len(held) != len(self._held) or any(a is not b for a, b in zip(held, self._held)):
            self._lit, self._ready, self._set, self._held = _Kept(4), _Kept(6), _Kept(2 * self._views), held
            self._smooth = _Kept(4)
        lit = []
        for n, (frame, look) in enumerate(shot.gases):
            lamps, depths = self._falling(shot.on(shot.names[n] if n < len(shot.names) else ""), walls)
            key = (n, look, light, lamps.tobytes(), id(walls) if len(depths) else 0)
            lit.append(self._lit.get(key, partial(self._light, n, frame, look, light, lamps, depths), walls))
        return lit

    def _light(
        self, n: int, frame: Frame, look: Look, light: Light, lamps: np.ndarray, depths: np.ndarray
    ) -> LitVolume:
        fields = self._smooth.get(n, lambda: smoothed(frame))
        return light_volume(frame, look, light, fields, lamps, depths)

    def _falling(self, lamps: list[SceneLamp], walls: Mesh) -> tuple[np.ndarray, np.ndarray]:
        """Rows of lights of the effect, those first that throw shadows, and how far these see."""
        order = sorted(lamps, key=lambda lamp: (not lamp.shadows, -float(lamp.row[3:6].sum())))
        rows = np.array([lamp.row for lamp in order], np.float32).reshape(-1, WIDE)
        throw = [lamp for lamp in order if lamp.shadows][:SHADOWED] if len(walls.points) else []
        return rows, self._depths(walls, [lamp.row for lamp in throw])

    def _depths(self, walls: Mesh, rows: Sequence[np.ndarray], step: float = LAMP_STEP) -> np.ndarray:
        if not len(rows):
            return NO_DEPTHS
        return np.stack([self._lamp(walls, row[:3], step) for row in rows])

    def _lamp(self, mesh: Mesh, place: np.ndarray, step: float) -> np.ndarray:
        """What a lamp sees; looked for anew only where it has moved away."""
        held = np.clip(np.nan_to_num(place), -FARTHEST_LAMP, FARTHEST_LAMP)
        spot = tuple(round(float(v) / step) for v in held)
        return self._lamps.get(
            (id(mesh), spot, step), lambda: lamp_shadow(mesh, step * np.array(spot, float)), mesh
        )

    def draw(
        self, frame: Frame | None, look: Look, light: Light, view: View, mesh: Mesh, coarse: int = 1
    ) -> Picture:
        """One picture of one gas, or of the scene without it; see `draw_shot`."""
        return self.draw_shot(Shot([] if frame is None else [(frame, look)], mesh), light, view, coarse)

    def _marched(
        self, volume: LitVolume, view: View, edges: np.ndarray, stops: np.ndarray, detail: float, passes: int
    ) -> np.ndarray:
        """A gas in slices of depth, as the mean of so many passes whose samples lie apart; those that were
        made for a picture with fewer are made use of."""
        if not passes:
            return march_slices(volume, view, edges, stops, detail)
        detail *= min(1.0, 1.0 / float(volume.params[STEPS]))
        where = (view.packed().tobytes(), view.width, view.height, edges.tobytes(), stops.tobytes(), detail)
        key = (id(volume), hash(where))
        if key not in self._sums:  # another picture takes the room of one that is no more shown
            shape = (len(edges) - 1, view.height, view.width, SEEN)
            old = {k: v for k, v in self._sums.items() if k not in self._summed}
            room = next((v.mean for v in old.values() if v.mean.shape == shape), None)
            self._sums = {k: v for k, v in self._sums.items() if k in self._summed}
            self._sums[key] = _Sum(volume, np.empty(shape, np.float32) if room is None else room)
        self._summed.add(key)
        held = self._sums[key]
        for n in range(held.count, passes):
            round_, place = divmod(n, len(PLACES))
            places, shift = (2, *PLACES[place]), (round_ * GOLDEN + place * QUARTER) % 1.0
            march_slices(volume, view, edges, stops, detail, shift, places, 1.0 / (round_ + 1), held.mean)
            held.count = n + 1
        return held.mean

    def draw_shot(
        self, shot: Shot, light: Light, view: View, coarse: int = 1, passes: int = 0, layers: bool = False
    ) -> Picture:
        """One picture.

        Parameters
        ----------
        coarse : gas is drawn at 1/coarse of the size and half the samples when above 1, and edges are not
            smoothed
        passes : over how many passes, each of a pixel of four and a sample a voxel, the gas is averaged: from
            32 on it has no grain; 0 is one pass of all, with as many samples as its look asks for
        layers : keep what the picture is made of: the effect over black, the set without it, the light that
            it keeps from the set, that which it throws there, and the depth of the set, m
        """
        mesh = shot.mesh
        self._summed = set()
        walls = shot.still if coarse > 1 and shot.still is not None else mesh
        volumes = self._volumes(shot, light, walls)
        stands = [*shot.stood_for, *([False] * len(volumes))]
        burning = [v.lamp for v, stood in zip(volumes, stands) if not v.empty and not stood]
        fires = [lamp_row(lamp) for lamp in burning if lamp is not None]
        volumes = [v for v in volumes if not v.empty]
        fine = 2 if coarse == 1 else 1
        big = view.sized(view.width * fine, view.height * fine)
        where = (id(mesh), big.packed().tobytes(), big.width, big.height)
        surfaces = self._seen.get(where, lambda: see(mesh, big), mesh)
        sun = self._suns.get(
            (where, light.heading, light.height),
            lambda: shadow_view(mesh, light, looked_at(surfaces, big)),
            mesh,
        )
        shadow = self._shadow.get(
            (id(mesh), sun.packed().tobytes()), lambda: ShadowMap(sun, depth_of(mesh, sun)), mesh
        )
        lamp = light.model_copy(update={"exposure": 0.0})
        shading = max(volumes, key=lambda v: v.field[..., 0].sum()) if volumes else None
        fewer = (
            max([1, *(-(-len(s.points) * s.look.copies * coarse**2 // MOST_FIRST) for s in shot.swarms)])
            if coarse > 1
            else 1
        )
        gases = tuple(look for _, look in shot.gases)  # they dim the sun for particles, and light them
        sets = [
            self._ready.get(
                (n, s.look, light, fewer, gases, *(lamp.row.tobytes() for lamp in shot.on(s.name))),
                lambda: ready(
                    s, light, shading, fewer, np.array([*fires, *(lamp.row for lamp in shot.on(s.name))])
                ),
            )
            for n, s in enumerate(shot.swarms)
        ]
        given = [*map(lamp_of, sets), *fires]
        own = [lamp for lamp in shot.lamps if lamp.on_set]
        throw = sorted(
            [*(r for r in given if r[3:6].any()), *(lamp.row for lamp in own if lamp.shadows)],
            key=lambda row: -float(row[3:6].sum()),
        )
        rest = [lamp.row for lamp in own if not lamp.shadows]
        near = COARSE_STEP if coarse > 1 else LAMP_STEP
        depths = self._depths(walls, throw[:SHADOWED], near) if len(mesh.points) else NO_DEPTHS
        lamps = np.array([*throw, *rest], np.float32).reshape(-1, WIDE)
        still = mesh if shot.still is None else shot.still
        dome = self._dome.get(id(still), lambda: sky_shadow(still), still)
        run = coarse if coarse > 1 else 2 * fine if passes and not layers else fine
        share = coarse if coarse > 1 else fine
        bare = self._bare.get(
            (*where, lamp, run),
            lambda: shade(surfaces, big, light, shadow, run=run, sky_seen=dome, share=share),
            mesh,
        )
        backdrop = self._shaded.get(
            (id(bare), lamps.tobytes()), lambda: lamplit(surfaces, big, bare, lamps, depths, run), bare
        )
        if shot.waters:
            backdrop = self._wet.get(
                (id(backdrop), *map(id, shot.waters)),
                partial(with_waters, shot.waters, Over(surfaces, big, light, shadow, backdrop, coarse)),
                (backdrop, *shot.waters),
            )
        step = fine if coarse == 1 else coarse
        set_ = self._set.get(
            (id(backdrop), passes > 0, *map(id, volumes)),
            lambda: settled(big, backdrop, fine, volumes, max(coarse, 2 if passes else 1)),
            (backdrop, *volumes),
        )
        for volume in volumes:
            if volume.shimmer > 0:
                deep = backdrop.depth[fine // 2 :: fine, fine // 2 :: fine]
                set_ = bent(set_, volume, view, np.ascontiguousarray(deep), volume.shimmer)
        linear, alpha = set_.copy(), np.zeros(set_.shape[:2], np.float32)
        self._mixed(linear, alpha, sets, volumes, backdrop, view, fine, step, coarse, passes)
        found = Picture(develop(linear, value_at(light.exposure, 0.0)), linear, alpha, fewer)
        if layers:
            open_, unlit = settled(big, backdrop, fine), settled(big, bare, fine)
            found.layers.update(
                effect=linear - (1.0 - alpha)[..., None] * set_,
                set=open_,
                shadow=open_ - set_,
                lamps=open_ - unlit,
                depth=backdrop.depth[fine // 2 :: fine, fine // 2 :: fine],
            )
        return found

    def _mixed(
        self,
        linear: np.ndarray,
        alpha: np.ndarray,
        sets: list[PointSet],
        volumes: list[LitVolume],
        backdrop: Backdrop,
        view: View,
        fine: int,
        step: int,
        coarse: int,
        passes: int,
    ) -> None:
        """Gas and particles over the backdrop, from the back to the front: the gas in slices, with the
        particles of each depth between them."""
        depth = np.ascontiguousarray(backdrop.depth[fine // 2 :: fine, fine // 2 :: fine])
        plain = [s for s in sets if s.book is None]
        books = [(s.book, quads_of(s, view)) for s in sets if s.book is not None]
        found = [splats_of(s, view) for s in (*plain, *(ticked(s) for s in sets if len(s.ticks)))]
        rows = np.concatenate(found) if found else np.zeros((0, 12), np.float32)
        between = np.concatenate([rows[:, 5], *(q[:, DEPTH] for _, q in books)])
        edges = _edges(between, volumes, view, COARSE_SLICES if coarse > 1 else SLICES)
        stops = _stops(backdrop, view, step, coarse)
        order = sorted(volumes, key=lambda v: -float(_depths(v, view).mean()))
        small, rising = view.sized(stops.shape[1], stops.shape[0]), np.array(edges[::-1])
        detail = 0.5 if coarse > 1 else 1.0
        sliced = [self._marched(v, small, rising, stops, detail, passes) for v in order]
        count, known = len(rising) - 1, np.zeros((2, 2), np.bool_)
        for place in PLACES[: passes or len(PLACES)]:
            known[place] = True
        for n, (far, near) in enumerate(zip(edges, edges[1:])):
            here = (rows[:, 5] <= far) & (rows[:, 5] > near)
            if here.any():
                paint(rows[here], depth, linear, alpha)
            for book, quads in books:
                between = quads[(quads[:, DEPTH] <= far) & (quads[:, DEPTH] > near)]
                if len(between):
                    draw_quads(
                        between,
                        book.levels,
                        (book.columns, *book.cell, book.padding),
                        depth,
                        SOFT_EDGE,
                        True,
                        linear,
                    )
            for volume, gas in zip(order, sliced):
                held = _depths(volume, view)
                if held.max() > near and held.min() < far:
                    slice_, window = gas[count - 1 - n], reached(volume, small)
                    if coarse > 1:
                        lay_over(slice_, coarse, window, linear, alpha)
                    else:
                        lay_known(slice_, known, stops, window, linear, alpha)


def _stops(backdrop: Backdrop, view: View, step: int, coarse: int) -> np.ndarray:
    """Where rays through gas stop, at the size at which gas is drawn."""
    h, w = -(-view.height // coarse), -(-view.width // coarse)
    stops = backdrop.depth[step // 2 :: step, step // 2 :: step]
    return np.ascontiguousarray(
        np.pad(stops, ((0, h - stops.shape[0]), (0, w - stops.shape[1])), mode="edge")
    )


def _depths(volume: LitVolume, view: View) -> np.ndarray:
    """Depths of the corners of a gas's occupied box, (8,)."""
    low, high = (volume.origin + b * volume.voxel for b in (volume.low, volume.high))
    corners = np.array(
        [[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
    )
    return (corners - view.eye) @ view.forward


def _edges(depths: np.ndarray, volumes: list[LitVolume], view: View, count: int) -> list[float]:
    """Depths that part slices, from far to near: as many particles between two as between the next."""
    if not volumes or (len(volumes) == 1 and not len(depths)):
        return [1e9, 0.0]
    low, high = (float(f([f(_depths(v, view)) for v in volumes])) for f in (np.min, np.max))
    low, high = max(low, 0.0) - 1e-3, high + 1e-3
    inside = depths[(depths > low) & (depths < high)]
    if not len(inside):
        return [1e9, high, max(low, 0.0), 0.0] if low > 0 else [1e9, high, 0.0]
    cuts = np.unique(np.quantile(inside, np.linspace(0, 1, count + 1)))
    return [
        1e9,
        high,
        *[c for c in cuts[::-1].tolist() if low + 1e-3 < c < high - 1e-3],
        *([low] if low > 0 else []),
        0.0,
    ]


def picture(
    frame: Frame | None, look: Look, light: Light, camera: Camera, mesh: Mesh, width: int, height: int
) -> Picture:
    """One refined picture, for callers that draw once."""
    return Renderer().draw(frame, look, light, view_of(camera, width, height), mesh)
