"""Layers drawn without the set, over nothing: what goes into a flipbook."""

from __future__ import annotations

import numpy as np

from tenka.effect.model import Light
from tenka.look.lamps import WIDE
from tenka.look.march import OUTPUTS, march
from tenka.look.points import paint, quads_of, splats_of
from tenka.look.raster import shade
from tenka.look.render import SOFT_EDGE, Shot
from tenka.look.shadows import cast_shadow
from tenka.look.sprites import draw_quads
from tenka.look.swarm import ready
from tenka.look.triangles import FAR, see
from tenka.look.volume import light_volume
from tenka.scene.cameras import View
from tenka.scene.meshes import joined

HEAT = 7


def drawn_alone(shot: Shot, light: Light, view: View) -> np.ndarray:
    """The layers of a shot over nothing.

    Pieces are opaque and lie before the gas or behind it by their depth; particles are laid over both in the
    order of their depth, and the gas is one slice: a shot of one layer is exact.

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
    if len(volumes) == 1 and not shot.swarms and not shot.bodies:
        return march(volumes[0], view)
    image: np.ndarray = np.zeros((view.height, view.width, 3), np.float32)
    alpha: np.ndarray = np.zeros((view.height, view.width), np.float32)
    depth: np.ndarray = np.full((view.height, view.width), FAR, np.float32)
    if shot.bodies:
        mesh = joined(shot.bodies)
        surfaces = see(mesh, view)
        backdrop = shade(surfaces, view, light, cast_shadow(mesh, light), False)
        hit = surfaces.face >= 0
        image[hit] = (backdrop.still + backdrop.direct)[hit]
        alpha[hit] = 1.0
        depth = np.where(hit, surfaces.depth, FAR).astype(np.float32)
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
