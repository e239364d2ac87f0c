"""Playing a package: its set, its sprites, and what drawing them takes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.effect.courses import value_at
from tenka.effect.model import Camera, Player
from tenka.look.colour import develop
from tenka.look.compose import settled
from tenka.look.heaven import NO_SKY_SHADOW, SkyShadow, sky_shadow
from tenka.look.lamps import NO_DEPTHS, WIDE
from tenka.look.raster import Backdrop, shade
from tenka.look.render import SHADOWED
from tenka.look.shadows import ShadowMap, cast_shadow, lamp_shadow
from tenka.look.sprites import DEPTH, count_layers, draw_quads
from tenka.look.triangles import Surfaces, see
from tenka.package.atlas import Atlas, load_atlas
from tenka.package.manifest import Flipbook, Manifest, read
from tenka.package.stands import light_of, mesh_of, set_of
from tenka.proof.player import quads
from tenka.scene.cameras import View, view_of
from tenka.scene.meshes import Mesh, joined

BLOCK_BYTES = 16  # of a 4 x 4 block with alpha, in the common formats


@dataclass(frozen=True)
class Counts:
    """What one picture took."""

    quads: int
    covered: int  # pixels times layers
    pixels: int  # pixels with at least one layer
    overdraw: float  # mean layers over the pixels that have any
    most: int  # layers on the worst pixel
    texture_bytes: int  # of the blocks read, each once


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
        self.elements: tuple[Flipbook, ...] = self.manifest.elements
        self.atlases: tuple[Atlas, ...] = tuple(load_atlas(self.folder, e) for e in self.elements)
        self.mesh, self.camera = set_of(self.folder, self.manifest.set)
        self._leaving = [(p.at, mesh_of(self.folder / p.file)) for p in self.manifest.set.leaving]
        self._now: tuple[int, Mesh] = (-1, self.mesh)
        self.light = light_of(self.manifest.set)
        self._backdrop: tuple[object, Backdrop, np.ndarray] | None = None
        self._seen: tuple[object, Surfaces, ShadowMap] | None = None
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
        self, levers: dict[str, float] | None = None, tried: dict[str, Player] | None = None
    ) -> tuple[Player, ...]:
        """Each element's settings (or others to try, by element) with lever values, each held to its
        range."""
        found = []
        for element in self.elements:
            player = (tried or {}).get(element.id, element.player)
            for lever in self.manifest.levers:
                of, _, name = lever.path.partition(".player.")
                if of == element.id and levers and lever.id in levers:
                    value: float = min(lever.high, max(lever.low, levers[lever.id]))
                    now = getattr(player, name)
                    changed = round(value) if isinstance(now, int) else value
                    player = player.model_copy(update={name: changed})
            found.append(player)
        return tuple(found)

    def _lamps(self, time: float) -> tuple[np.ndarray, np.ndarray]:
        """The set's lights at a time, those first that throw shadows, and how far these see."""
        lights = sorted(self.manifest.set.lights, key=lambda light: not light.shadows)
        rows = [light.rows[min(max(int(time * light.rate), 0), len(light.rows) - 1)] for light in lights]
        depths: list[np.ndarray] = []
        for light, row in zip(lights, rows):
            if not light.shadows or not len(self._now[1].points) or len(depths) == SHADOWED:
                break
            place = tuple(round(v, 2) for v in row[:3])
            if place not in self._depths:
                while len(self._depths) > 2 * SHADOWED:
                    self._depths.pop(next(iter(self._depths)))
                self._depths[place] = lamp_shadow(self._now[1], np.array(place))
            depths.append(self._depths[place])
        return (np.array(rows, np.float32).reshape(-1, WIDE), np.stack(depths) if depths else NO_DEPTHS)

    def _set(self, view: View, time: float) -> tuple[Backdrop, np.ndarray]:
        mesh = self.mesh_at(time)
        where = (view.packed().tobytes(), view.width, view.height)
        if self._seen is None or self._seen[0] != where:
            self._seen = (where, see(mesh, view), cast_shadow(mesh, self.light))
        lamps, depths = self._lamps(time)
        key = (where, lamps.tobytes())
        if self._backdrop is None or self._backdrop[0] != key:
            _, seen, sun = self._seen
            backdrop = shade(seen, view, self.light, sun, True, lamps, depths, sky_seen=self._dome[1])
            self._backdrop = (
                key,
                backdrop,
                settled(view, backdrop, 1) * 2.0 ** value_at(self.light.exposure, 0.0),
            )
        return self._backdrop[1], self._backdrop[2]

    def draw(
        self,
        time: float,
        view: View,
        players: tuple[Player, ...] | None = None,
        carriers: np.ndarray | None = None,
        heat: bool = False,
    ) -> ProofPicture:
        """The picture a game would show `time` seconds after the effect was started.

        Parameters
        ----------
        players : settings of each element, by default those that it was packed with
        carriers : (copies, 3) offsets in m
        heat : show overdraw in place of the sprites
        """
        players = players or tuple(e.player for e in self.elements)
        backdrop, still = self._set(view, time)
        tables = [quads(e, p, time, view, carriers) for e, p in zip(self.elements, players)]
        layers = np.zeros((view.height, view.width), np.int32)
        for table in tables:
            count_layers(table, layers)
        image = still.copy()
        read = 0
        for n, table in _in_order(tables):
            e, player = self.elements[n], players[n]
            grid = (e.columns, *e.cell, e.padding)
            levels = self.atlases[n].levels
            motion = self.atlases[n].motion
            soft, blend = player.soft_edge, player.blend
            blocks = draw_quads(table, levels, grid, backdrop.depth, soft, blend, image, motion)
            read += sum(blocks) * BLOCK_BYTES * len(e.files)
        rgb = develop(image, 0.0)
        if heat:
            rgb = heat_picture(rgb, layers)
        covered, pixels = int(layers.sum()), int((layers > 0).sum())
        counts = Counts(
            sum(len(table) for table in tables),
            covered,
            pixels,
            covered / pixels if pixels else 0.0,
            int(layers.max()),
            read,
        )
        return ProofPicture(rgb, counts, layers)


def _in_order(tables: list[np.ndarray]) -> Iterator[tuple[int, np.ndarray]]:
    """The quads of all elements from the back to the front, in runs of one element each."""
    which = np.concatenate([np.full(len(t), n) for n, t in enumerate(tables)])
    row = np.concatenate([np.arange(len(t)) for t in tables])
    depth = np.concatenate([t[:, DEPTH] for t in tables])
    order = np.argsort(-depth, kind="stable")
    which, row = which[order], row[order]
    if not len(which):
        return
    starts = np.flatnonzero(np.concatenate([[True], which[1:] != which[:-1]])).tolist()
    for a, b in zip(starts, [*starts[1:], len(which)]):
        yield int(which[a]), tables[int(which[a])][row[a:b]]


HEAT = np.array(
    [
        (0.13, 0.14, 0.15),
        (0.21, 0.42, 0.40),
        (0.36, 0.72, 0.64),
        (0.88, 0.67, 0.27),
        (0.82, 0.38, 0.29),
        (0.98, 0.90, 0.86),
    ]
)
HEAT_AT = np.array([0, 1, 2, 4, 8, 16])


def heat_picture(rgb: np.ndarray, layers: np.ndarray) -> np.ndarray:
    """Layers per pixel as colour (HEAT at HEAT_AT layers), over a dimmed grey picture."""
    grey = rgb.mean(axis=2, keepdims=True) * 0.22
    colour = np.stack([np.interp(layers, HEAT_AT, HEAT[:, c]) for c in range(3)], axis=2) * 255
    share = np.where(layers[..., None] > 0, 0.85, 0.0)
    return (grey * (1 - share) + colour * share).astype(np.uint8)


def package_view(package: Package, width: int, height: int, camera: Camera | None = None) -> View:
    return view_of(camera or package.camera, width, height)


def spread_copies(count: int, spacing: float, right: np.ndarray) -> np.ndarray:
    """Offsets of `count` copies side by side, the first in the middle."""
    order = np.array([((k + 1) // 2) * (1 if k % 2 else -1) for k in range(count)], float)
    return order[:, None] * spacing * np.asarray(right)[None]
