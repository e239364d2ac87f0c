"""Layers drawn without the set, over nothing: what goes into a flipbook."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from tenka.effect.model import Light
from tenka.look.heaven import backdrop_of, behind
from tenka.look.lamps import WIDE
from tenka.look.march import OUTPUTS, march
from tenka.look.over import Over
from tenka.look.points import paint, quads_of, splats_of
from tenka.look.raster import bounce_of, shade
from tenka.look.render import SOFT_EDGE, Shot
from tenka.look.shadows import cast_shadow
from tenka.look.sprites import draw_quads
from tenka.look.swarm import ready
from tenka.look.triangles import FAR, see
from tenka.look.volume import light_volume
from tenka.look.waters import with_waters
from tenka.scene.cameras import View, sun_direction
from tenka.scene.meshes import joined

HEAT = 7
BEHIND = np.float32(5e5)  # m: where a white or black wall stands behind water, whose rays end at 1e6


def drawn_alone(shot: Shot, light: Light, view: View) -> np.ndarray:
    """The layers of a shot over nothing.

    Pieces are opaque and lie before the gas or behind it by their depth; particles are laid over both in the
    order of their depth, and the gas is one slice: a shot of one layer is exact. Thrown water mirrors the sky
    alone; it hides what lies behind as much as it swallows of the colour that it swallows most of, and what
    it lets through more of the others is taken to be light of the surroundings: over that it is exact.

    Returns
    -------
    (height, width, 8) float32: colour (premultiplied, linear), alpha, emitted colour, and the seen
    temperature above the air weighted by alpha (K, of gas alone), as `march` gives them. What is brighter
    than it hides counts as emitted.
    """
    volumes = []
    for n, (frame, look) in enumerate(shot.gases):
        rows = [lamp.row for lamp in shot.on(shot.names[n] if n < len(shot.names) else "")]
        lamps = np.array(rows, np.float32).reshape(-1, WIDE)
        volumes.append(light_volume(frame, look, light, lamps=lamps))
    volumes = [v for v in volumes if not v.empty]
    if len(volumes) == 1 and not shot.swarms and not shot.bodies and not shot.waters:
        return march(volumes[0], view)
    image, alpha, depth = _surfaces(shot, light, view)
    for volume in volumes:
        gas = march(volume, view, depth)
        cover = gas[..., 3]
        image = gas[..., :3] + gas[..., 4:7] + (1.0 - cover[..., None]) * image
        alpha = cover + (1.0 - cover) * alpha
    shading = volumes[0] if volumes else None
    sets = [
        ready(s, light, shading, lamps=np.array([lamp.row for lamp in shot.on(s.name)]).reshape(-1, WIDE))
        for s in shot.swarms
    ]
    rows = [splats_of(s, view) for s in sets if s.book is None]
    if rows:
        paint(np.concatenate(rows), depth, image, alpha)
    for s in sets:
        if s.book is None:
            continue
        quads = quads_of(s, view)
        grid = (s.book.columns, *s.book.cell, s.book.padding)
        veil = np.ones_like(image)  # what sprites without light let through
        dark = tuple(np.concatenate([0 * level[..., :3], level[..., 3:]], axis=2) for level in s.book.levels)
        draw_quads(quads, s.book.levels, grid, depth, SOFT_EDGE, True, image)
        draw_quads(quads, dark, grid, depth, SOFT_EDGE, True, veil)
        alpha = 1.0 - (1.0 - alpha) * veil[..., 0]
    out = np.zeros((view.height, view.width, OUTPUTS), np.float32)
    out[..., :3] = np.minimum(image, alpha[..., None])
    out[..., 3] = alpha
    out[..., 4:7] = image - out[..., :3]
    return out


def surroundings(light: Light, view: View) -> np.ndarray:
    """Light that usually lies behind what is seen, (3,): the ground's or the horizon's, the darker one."""
    now: Any = light
    towards = sun_direction(now.heading, now.height).astype(np.float32)
    x, y = (np.float32(v) for v in view.forward[:2])
    far = behind(backdrop_of(light), np.float32(0.3), x, y, np.float32(0.0), towards)
    return np.minimum(bounce_of(light), far).astype(np.float32)


def _surfaces(shot: Shot, light: Light, view: View) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Pieces and thrown water over nothing: premultiplied light (h, w, 3), how much they hide, depth in m
    (h, w), FAR where nothing is. What water lets through is the difference between a white and a black wall
    behind it."""
    size = view.height, view.width
    if not shot.bodies and not shot.waters:
        return (np.zeros((*size, 3), np.float32), np.zeros(size, np.float32), np.full(size, FAR, np.float32))
    mesh = joined(shot.bodies)
    surfaces, shadow = see(mesh, view), cast_shadow(mesh, light)
    backdrop = shade(surfaces, view, light, shadow, False)
    hit = surfaces.face >= 0
    if not shot.waters:
        image = np.where(hit[..., None], backdrop.still + backdrop.direct, np.float32(0.0))
        depth = np.where(hit, surfaces.depth, FAR).astype(np.float32)
        return np.ascontiguousarray(image), hit.astype(np.float32), depth
    backdrop.depth[...] = np.where(hit, surfaces.depth, BEHIND)
    backdrop.direct[~hit] = 0.0
    seen = []
    for wall in (0.0, 1.0):
        still = np.where(hit[..., None], backdrop.still, np.float32(wall))
        over = Over(surfaces, view, light, shadow, replace(backdrop, still=still))
        laid = with_waters(shot.waters, over)
        seen.append(laid.still + laid.direct)
    through = np.clip(seen[1] - seen[0], 0.0, 1.0)
    least = through.min(axis=2)
    more = (through - least[..., None]) * surroundings(light, view)
    depth = np.where(laid.depth < BEHIND, laid.depth, FAR).astype(np.float32)
    return seen[0] + more, 1.0 - least, depth
