"""Volumes as the page plays them: coarse, with the light that each voxel sends on already in it."""

from __future__ import annotations

import base64
import zlib
from pathlib import Path
from typing import Any

import numpy as np

from tenka.effect.courses import still
from tenka.look.volume import light_volume
from tenka.pack.slicing import slab_of, sliced
from tenka.package.elements.volume import Volume
from tenka.package.grids import frame_of
from tenka.package.manifest import Set
from tenka.package.stands import lamps_at, light_of

SIDE, DEEP, MOMENTS = 56, 40, 24  # voxels along the longer side and in depth; moments that the page holds
THINNEST = 1e-5


def paged_volume(folder: Path, element: Volume, stands: Set) -> dict[str, Any]:
    """Grids of some moments: in each voxel how much light a metre throws back (red, green, blue)
    and how much it hides (alpha), and beside them how much it gives off, all as roots of shares of the
    largest."""
    light, gain = light_of(stands), 2.0**stands.exposure
    slab = slab_of(np.array(element.low), np.array(element.high), -90.0, SIDE, DEEP)
    even = np.linspace(0, len(element.frames) - 1, min(MOMENTS, len(element.frames)))
    chosen = np.unique(even.round().astype(int)).tolist()
    step = float(slab.edges[1] - slab.edges[0])
    grids, glowing = [], []
    for index in chosen:
        t = element.times[index]
        frame = frame_of(folder, element, index)
        volume = light_volume(frame, still(element.look, t), still(light, t), lamps=lamps_at(stands, t))
        parts = sliced(volume, slab)
        alpha = np.clip(parts[..., 3:4], 0.0, 1.0 - 1e-6)
        hides = -np.log1p(-alpha) / step
        # the light of a slice is that of a metre, dimmed on its way out of the slice
        whole = np.where(alpha > THINNEST, hides / np.maximum(alpha, THINNEST), 1.0 / step) * gain
        grids.append(np.concatenate([parts[..., :3] * whole, hides], axis=3).astype(np.float32))
        glowing.append((parts[..., 4:7] * whole).astype(np.float32))
    gives, hides_most = (max(float(max(g[..., c].max() for g in grids)), 1e-6) for c in (slice(0, 3), 3))
    glows = float(max(g.max() for g in glowing))
    scale = np.array([gives] * 3 + [hides_most], np.float32)
    deep, tall, wide, _ = grids[0].shape
    return {
        "shape": [wide, tall, deep],
        "corner": np.round(slab.corner, 5).tolist(),
        "axes": np.round(slab.axes, 5).tolist(),
        "times": [element.times[n] for n in chosen],
        "gives": gives,
        "hides": hides_most,
        "glows": glows,
        "grids": [_packed(grid / scale) for grid in grids],
        "glowing": [_packed(glow / np.float32(glows)) for glow in glowing] if glows > 0 else [],
    }


def _packed(grid: np.ndarray) -> str:
    """Roots of shares as bytes of four channels, slices from the near one, rows from the lowest up, deflated,
    as text."""
    flat = (np.sqrt(np.clip(grid, 0, 1)) * 255 + 0.5).astype(np.uint8)[:, ::-1]
    if flat.shape[3] == 3:
        flat = np.concatenate([flat, np.zeros_like(flat[..., :1])], axis=3)
    return base64.b64encode(zlib.compress(np.ascontiguousarray(flat).tobytes(), 6)).decode()
