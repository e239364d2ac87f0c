"""Playing a package: its set, its sprites, and what drawing them takes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from tenka.effect.catalogue import Settings
from tenka.effect.courses import value_at
from tenka.effect.model import Camera
from tenka.look.colour import develop
from tenka.look.compose import settled
from tenka.look.heaven import NO_SKY_SHADOW, SkyShadow, sky_shadow
from tenka.look.lamps import NO_DEPTHS, NO_LAMPS, WIDE
from tenka.look.over import Over
from tenka.look.raster import Backdrop, shade
from tenka.look.render import SHADOWED
from tenka.look.shadows import ShadowMap, cast_shadow, lamp_shadow
from tenka.look.triangles import Surfaces, see
from tenka.look.volume import LitVolume
from tenka.look.waters import Wet, with_waters
from tenka.package.manifest import Manifest, read
from tenka.package.parts import Element
from tenka.package.stands import lamps_at, light_of, mesh_of, movers_of, set_of
from tenka.proof.elements import PLAYED, UNPLAYED
from tenka.proof.elements.base import ORIGIN, Now, Played, Ride, Run
from tenka.proof.heat import heat_picture
from tenka.scene.cameras import View, view_of
from tenka.scene.meshes import Mesh, joined

LAMP_STEP = 0.05  # m that a lamp moves before its shadows are found anew
Players = tuple[Settings | None, ...]
ONCE = (Run(),)
Box = tuple[np.ndarray, np.ndarray]
Held = tuple[str, np.ndarray, np.ndarray, bool]
"""An element's name, the low and the high corner of its box, and whether it may leave it."""


@dataclass(frozen=True)
class Counts:
    """What one picture took."""

    quads: int
    covered: int  # pixels times layers
    pixels: int  # pixels with at least one layer
    overdraw: float  # mean layers over the pixels that have any
    most: int  # layers on the worst pixel
    texture_bytes: int  # of the blocks read, each once
    particles: int = 0
    triangles: int = 0  # of bodies
    samples: int = 0  # of volumes


@dataclass
class ProofPicture:
    rgb: np.ndarray
    counts: Counts
    layers: np.ndarray


class Package:
    """A package opened for playing.

    Raises
    ------
    BadInput
        When anything in the folder is missing, broken or not what the manifest says.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = Path(folder)
        self.manifest: Manifest = read(self.folder)
        self.elements: tuple[Element, ...] = self.manifest.elements
        self.played: tuple[Played, ...] = tuple(PLAYED[e.route](self.folder, e) for e in self.elements)
        self.mesh, self.camera = set_of(self.folder, self.manifest.set)
        self._leaving = [(p.at, mesh_of(self.folder / p.file)) for p in self.manifest.set.leaving]
        self._movers = movers_of(self.folder, self.manifest.set)
        self._now: tuple[int, Mesh] = (-1, self.mesh)
        self.light = self.packed_light = light_of(self.manifest.set)
        self._backdrop: tuple[object, Backdrop, np.ndarray] | None = None
        self._seen: tuple[object, Surfaces, ShadowMap] | None = None
        self._whole: tuple[object, Mesh] = (None, self.mesh)
        self._held: list[object] = []
        self._depths: dict[tuple[float, ...], np.ndarray] = {}
        self._dome: tuple[int, SkyShadow] = (-1, NO_SKY_SHADOW)

    def mesh_at(self, time: float) -> Mesh:
        """What of the set stands at a time, s since the effect's start; the same while it is the same."""
        there = [mesh for at, mesh in self._leaving if time < at]
        if self._now[0] != len(there):
            self._now = (len(there), joined([self.mesh, *there]))
            self._seen, self._backdrop, self._depths = None, None, {}
            self._dome = (len(there), sky_shadow(self._now[1]))
        return self._now[1]

    def players(
        self, levers: dict[str, float] | None = None, tried: dict[str, Settings] | None = None
    ) -> Players:
        """Each element's settings (or others to try, by element) with lever values, each held to its range;
        None for what has none."""
        found: list[Settings | None] = []
        for element in self.elements:
            player = (tried or {}).get(element.id, element.turned)
            for lever in self.manifest.levers:
                of, _, name = lever.path.partition(".player.")
                if player is not None and of == element.id and levers and lever.id in levers:
                    value: float = min(lever.high, max(lever.low, levers[lever.id]))
                    now = getattr(player, name)
                    changed = round(value) if isinstance(now, int) else value
                    player = player.model_copy(update={name: changed})
            found.append(player)
        return tuple(found)

    def _lamps(self, time: float, thrown: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The set's lights at a time and what elements throw, those first that throw shadows, and how far
        these see."""
        lights = sorted(self.manifest.set.lights, key=lambda light: not light.shadows)
        rows = [*thrown, *lamps_at(self.manifest.set, time)]
        throw = [True] * len(thrown) + [light.shadows for light in lights]
        depths: list[np.ndarray] = []
        for shadows, row in zip(throw, rows):
            if not shadows or not len(self._now[1].points) or len(depths) == SHADOWED:
                break
            place = tuple(round(float(v) / LAMP_STEP) * LAMP_STEP for v in row[:3])
            if place not in self._depths:
                while len(self._depths) > 2 * SHADOWED:
                    self._depths.pop(next(iter(self._depths)))
                self._depths[place] = lamp_shadow(self._now[1], np.array(place))
            depths.append(self._depths[place])
        return (np.array(rows, np.float32).reshape(-1, WIDE), np.stack(depths) if depths else NO_DEPTHS)

    def _set(
        self,
        view: View,
        time: float,
        bodies: list[Mesh],
        thrown: np.ndarray,
        casts: list[LitVolume],
        waters: Sequence[Wet] = (),
    ) -> tuple[Backdrop, np.ndarray]:
        """The set with what stands among it, and the picture of that."""
        mesh = self.mesh_at(time)
        there: object = (id(mesh), *(hash(body.points.tobytes()) for body in bodies))
        if bodies:
            if self._whole[0] != there:
                self._whole = (there, joined([mesh, *bodies]))
            mesh = self._whole[1]
        where = (view.packed().tobytes(), view.width, view.height, there)
        if self._seen is None or self._seen[0] != where:
            self._seen = (where, see(mesh, view), cast_shadow(mesh, self.light))
        lamps, depths = self._lamps(time, thrown)
        key = (where, lamps.tobytes(), *map(id, casts), *map(id, waters))
        if self._backdrop is None or self._backdrop[0] != key:
            _, seen, sun = self._seen
            backdrop = shade(seen, view, self.light, sun, True, lamps, depths, sky_seen=self._dome[1])
            if waters:
                backdrop = with_waters(waters, Over(seen, view, self.light, sun, backdrop))
            self._held = [*casts, *waters]  # so that their ids are not given to others
            self._backdrop = (key, backdrop, settled(view, backdrop, 1, casts) * self.gain)
        return self._backdrop[1], self._backdrop[2]

    def turn_light(self, heading: float, height: float) -> None:
        """Let the sun stand elsewhere: the set and all that can be lit anew follow it."""
        light = self.light.model_copy(update={"heading": heading, "height": height})
        if light != self.light:
            self.light, self._seen, self._backdrop = light, None, None

    def stand_before(self, backdrop: str) -> None:
        """Let another backdrop lie behind the set: its light is as it was packed."""
        if backdrop != self.light.backdrop:
            self.packed_light = self.packed_light.model_copy(update={"backdrop": backdrop})
            self.light = self.light.model_copy(update={"backdrop": backdrop})
            self._seen, self._backdrop = None, None

    @property
    def sun(self) -> tuple[float, float]:
        """Heading and height of the sun as it was packed, degrees."""
        stands = self.manifest.set
        return stands.sun_heading, stands.sun_height

    @property
    def span(self) -> float:
        """How long it is until it has shown all of itself, s."""
        return max(e.span for e in self.elements)

    @property
    def bounds(self) -> Box:
        """Low and high corner of what was packed, m."""
        return np.array(self.manifest.bounds_low), np.array(self.manifest.bounds_high)

    @property
    def reach(self) -> Box:
        """Low and high corner of all that the package can cover as it was packed, m."""
        held = [e.held_in for e in self.elements if e.held_in is not None]
        low, high = ([np.array(box[n]) for box in held] for n in (0, 1))
        return np.min([self.bounds[0], *low], axis=0), np.max([self.bounds[1], *high], axis=0)

    def boxes(self, time: float, players: Players, ride: Ride | None = None) -> list[Held]:
        """The box of each element, where it is now; and whether sprites have left it, as levers may let
        them."""
        found = []
        for e, player in zip(self.elements, players):
            if e.held_in is None:  # lights and the like have none
                continue
            low, high = (np.array(v) for v in e.held_in)
            by = ride(np.array([time]))[0][0] if ride is not None else np.zeros(3)
            own = e.box(player) if ride is None else None
            left = own is not None and bool(
                (np.array(own[0]) < low - 1e-3).any() or (np.array(own[1]) > high + 1e-3).any()
            )
            found.append((e.name, low + by, high + by, left))
        return found

    @property
    def unplayed(self) -> list[str]:
        """Names of what this stand-in does not play: it has no solver."""
        return [e.name for e in self.elements if e.route in UNPLAYED]

    @property
    def unlit(self) -> list[str]:
        """Names of what does not follow the sun: its light was packed."""
        fixed = ("flipbook", "particles")
        return [e.name for e in self.elements if e.route in fixed and getattr(e, "lit", None) is None]

    @property
    def gain(self) -> float:
        """What light is multiplied by before the film."""
        return float(2.0 ** value_at(self.light.exposure, 0.0))

    def _played(
        self,
        time: float,
        view: View,
        players: Players,
        carriers: np.ndarray | None,
        ride: Ride | None,
        runs: tuple[Run, ...],
        held_at: float | None = None,
    ) -> list[tuple[Played, Settings | None, Now]]:
        """Each element for each time that the effect was triggered and is there yet."""
        there = ORIGIN if carriers is None else carriers
        there = there if ride is None else there + ride(np.array([time]))[0]
        relit = self.light != self.packed_light
        lamps = lamps_at(self.manifest.set, time)
        far = np.linalg.norm(there + 0.5 * sum(self.bounds) - view.eye, axis=1)
        away = far if held_at is None else np.full(len(there), held_at)
        shown = [element.shown_at(away) for element in self.elements]
        found = []
        for run in runs:
            if run.start > max(time, 0.0) or time >= run.ended:
                continue
            own = None if ride is None else _later(ride, run.start)
            now = Now(
                time - run.start,
                view,
                there,
                self.light,
                self.gain,
                lamps,
                relit,
                own,
                run.stopped - run.start,
                run.number,
            )
            found += [
                (p, player, now if seen.all() else replace(now, carriers=there[seen]))
                for p, player, seen in zip(self.played, players, shown)
                if seen.any()
            ]
        return found

    def load(
        self,
        time: float,
        view: View,
        players: Players,
        carriers: np.ndarray | None = None,
        ride: Ride | None = None,
        runs: tuple[Run, ...] = ONCE,
    ) -> tuple[int, int]:
        """Pixels times layers that a picture would draw, and pixels with any, without drawing it."""
        layers = np.zeros((view.height, view.width), np.int32)
        for p, player, now in self._played(time, view, players, carriers, ride, runs):
            part = p.drawn(player, now)
            if part is not None:
                part.count(layers)
        return int(layers.sum()), int((layers > 0).sum())

    def draw(
        self,
        time: float,
        view: View,
        players: Players | None = None,
        carriers: np.ndarray | None = None,
        heat: bool = False,
        ride: Ride | None = None,
        runs: tuple[Run, ...] = ONCE,
        among: Mesh | None = None,
        held_at: float | None = None,
        beside: Sequence[Guest] = (),
    ) -> ProofPicture:
        """The picture a game would show at a time, s.

        Parameters
        ----------
        players : settings of each element, by default those that it was packed with
        carriers : (copies, 3) offsets in m
        heat : show overdraw in place of the sprites
        ride : how what carries the effect has moved at given times, see `tenka.proof.riding`
        runs : when the effect was triggered and stopped
        among : what else stands in the set now
        held_at : m, as how far away all counts, wherever it is seen from
        beside : of other packages what plays in the same set
        """
        players = players or self.players()
        played = self._played(time, view, players, carriers, ride, runs, held_at)
        for g in beside:
            played += g.package._played(g.time, view, g.package.players(), g.places, None, g.runs)
        self.mesh_at(time)
        bodies = [m for p, _, now in played if (m := p.standing(now)) is not None]
        bodies += [among] if among is not None else []
        faces = sum(len(mesh.faces) for mesh in bodies)
        bodies += [m for mover in self._movers if (m := mover.at(time)) is not None]
        lamps = [p.lamps(player, now) for p, player, now in played]
        casts = [volume for p, player, now in played for volume in p.casts(player, now)]
        thrown = np.concatenate([NO_LAMPS, *lamps])
        waters = [pool for p, player, now in played for pool in p.waters(player, now)]
        backdrop, still = self._set(view, time, bodies, thrown, casts, waters)
        parts = [d for p, player, now in played if (d := p.drawn(player, now)) is not None]
        layers = np.zeros((view.height, view.width), np.int32)
        for part in parts:
            part.count(layers)
        image, read = still.copy(), 0
        for n, rows in _in_order([part.depth for part in parts]):
            read += parts[n].paint(rows, backdrop.depth, image)
        rgb = develop(image, 0.0)
        if heat:
            rgb = heat_picture(rgb, layers)
        covered, pixels = int(layers.sum()), int((layers > 0).sum())
        counts = Counts(
            sum(part.quads for part in parts),
            covered,
            pixels,
            covered / pixels if pixels else 0.0,
            int(layers.max()),
            read,
            sum(part.particles for part in parts),
            faces,
            sum(part.samples for part in parts),
        )
        return ProofPicture(rgb, counts, layers)


@dataclass(frozen=True)
class Guest:
    """Another package in the same picture.

    Attributes
    ----------
    time : s since it was triggered
    places : (copies, 3) m
    """

    package: Package
    time: float
    places: np.ndarray
    runs: tuple[Run, ...] = ONCE


def _later(ride: Ride, start: float) -> Ride:
    """The same ride on the clock of what was triggered at a time."""
    return lambda times: ride(times + start)


def _in_order(depths: list[np.ndarray]) -> Iterator[tuple[int, np.ndarray]]:
    """The parts of all elements from the back to the front, in runs of one element each."""
    if not depths:
        return
    which = np.concatenate([np.full(len(d), n) for n, d in enumerate(depths)])
    row = np.concatenate([np.arange(len(d)) for d in depths])
    order = np.argsort(-np.concatenate(depths), kind="stable")
    which, row = which[order], row[order]
    if not len(which):
        return
    starts = np.flatnonzero(np.concatenate([[True], which[1:] != which[:-1]])).tolist()
    for a, b in zip(starts, [*starts[1:], len(which)]):
        yield int(which[a]), row[a:b]


def package_view(package: Package, width: int, height: int, camera: Camera | None = None) -> View:
    return view_of(camera or package.camera, width, height)


def spread_copies(count: int, spacing: float, right: np.ndarray) -> np.ndarray:
    """Offsets of `count` copies side by side, the first in the middle."""
    order = np.array([((k + 1) // 2) * (1 if k % 2 else -1) for k in range(count)], float)
    return order[:, None] * spacing * np.asarray(right)[None]
