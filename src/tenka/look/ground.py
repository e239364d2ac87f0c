"""The ground over what lies below it, where it is open over sunk waters alone."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.effect.model import Light
from tenka.look.colour import black_body_colour
from tenka.look.heaven import backdrop_of, behind, ground_tile, tone_at
from tenka.look.raster import GROUND, Backdrop
from tenka.look.rays import ray_of
from tenka.look.shadows import ShadowMap, lit
from tenka.look.triangles import Surfaces
from tenka.look.volume import sky_of
from tenka.scene.cameras import View, sun_direction

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)
TWO = np.float32(2.0)
PI = np.float32(np.pi)
BURIED = np.float32(2e-3)  # m below the ground, from which on it hides


def grounded(
    openings: np.ndarray, surfaces: Surfaces, view: View, light: Light, shadow: ShadowMap, backdrop: Backdrop
) -> tuple[Surfaces, Backdrop]:
    """What is seen, with the ground before all that lies below it.

    Parameters
    ----------
    openings : (n, 4) x and y from and to, m, where the ground is open
    """
    now: Any = light
    face = surfaces.face.copy()
    still, direct, reply = backdrop.still.copy(), backdrop.direct.copy(), backdrop.reply.copy()
    depth = backdrop.depth.copy()
    _grounded(
        view.packed(),
        openings,
        sun_direction(now.heading, now.height).astype(np.float32),
        (black_body_colour(now.kelvin) * now.strength).astype(np.float32),
        sky_of(light).astype(np.float32),
        backdrop_of(light),
        ground_tile(),
        shadow.view.packed(),
        shadow.depth,
        face,
        still,
        direct,
        reply,
        depth,
    )
    return replace(surfaces, face=face), replace(
        backdrop, still=still, direct=direct, reply=reply, depth=depth
    )


@kernel(parallel=True)
def _grounded(
    view, openings, towards, sun, sky, heaven, tile, shadow_view, shadow, face, still, direct, reply, depth
):
    height, width = depth.shape
    texel = TWO * shadow_view[12] / np.float32(shadow.shape[0])
    for p_ in prange(height):
        j = np.int64(p_)
        v = ONE - (np.float32(j) + HALF) * TWO / np.float32(height)
        for i in range(width):
            if face[j, i] < 0:
                continue
            u = (np.float32(i) + HALF) * TWO / np.float32(width) - ONE
            ox, oy, oz, dx, dy, dz = ray_of(view, u, v)
            if dz >= np.float32(-1e-6) or oz <= ZERO:
                continue
            straight = max(dx * view[3] + dy * view[4] + dz * view[5], np.float32(1e-6))
            if oz + depth[j, i] / straight * dz > -BURIED:
                continue
            t = -oz / dz
            x, y = ox + t * dx, oy + t * dy
            open_ = False
            for n in range(openings.shape[0]):
                if openings[n, 0] <= x <= openings[n, 2] and openings[n, 1] <= y <= openings[n, 3]:
                    open_ = True
            if open_:
                continue
            tone, faint = tone_at(tile, x, y), t * np.float32(0.018)
            fade = ONE / (ONE + faint * faint * faint)
            red, green, blue = behind(heaven, v, dx, dy, dz, towards)
            off = np.float32(0.012) + np.float32(1.5) * texel
            sunny = towards[2] / PI * lit(x, y, off, shadow_view, shadow, np.float32(0.02) + texel)
            face[j, i], depth[j, i] = -1, t * straight
            for c in range(3):
                own = GROUND[c] * tone * fade
                back = red if c == 0 else (green if c == 1 else blue)
                still[j, i, c] = own * sky[c] * np.float32(0.6) + (ONE - fade) * back
                direct[j, i, c], reply[j, i, c] = own * sun[c] * max(sunny, ZERO), own
