"""Volumes as the page plays them: coarse, with the light that each voxel sends on already in it."""

from __future__ import annotations

import base64
import io
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

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
    """Grids of some moments as pictures: in each voxel how much light a metre gives (red, green, blue) and
    how much it hides (alpha), both as roots of shares of the largest."""
    light, gain = light_of(stands), 2.0**stands.exposure
    slab = slab_of(np.array(element.low), np.array(element.high), -90.0, SIDE, DEEP)
    chosen = np.unique(
        np.linspace(0, len(element.frames) - 1, min(MOMENTS, len(element.frames))).round().astype(int)
    )
    step = float(slab.edges[1] - slab.edges[0])
    grids = []
    for index in chosen.tolist():
        t = element.times[index]
        frame = frame_of(folder, element, index)
        volume = light_volume(frame, still(element.look, t), still(light, t), lamps=lamps_at(stands, t))
        parts = sliced(volume, slab)
        alpha = np.clip(parts[..., 3], 0.0, 1.0 - 1e-6)
        hides = -np.log1p(-alpha) / step
        # light of a slice is what a metre gives, dimmed on its way out of the slice
        gives = (
            parts[..., :3]
            * np.where(alpha > THINNEST, hides / np.maximum(alpha, THINNEST), 1.0 / step)[..., None]
        )
        grids.append(np.concatenate([gives * gain, hides[..., None]], axis=3).astype(np.float32))
    most = [max(float(max(g[..., c].max() for g in grids)), 1e-6) for c in (slice(0, 3), 3)]
    pictures = []
    for grid in grids:
        scaled = np.sqrt(np.clip(grid / np.array([most[0]] * 3 + [most[1]], np.float32), 0, 1))
        flat = (scaled * 255 + 0.5).astype(np.uint8)[
            :, ::-1
        ]  # rows from the lowest up, as textures have them
        out = io.BytesIO()
        deep, tall, wide, _ = flat.shape
        Image.fromarray(np.ascontiguousarray(flat.reshape(deep * tall, wide, 4)), "RGBA").save(out, "PNG")
        pictures.append(base64.b64encode(out.getvalue()).decode())
    deep, tall, wide, _ = grids[0].shape
    return {
        "shape": [wide, tall, deep],
        "corner": np.round(slab.corner, 5).tolist(),
        "axes": np.round(slab.axes, 5).tolist(),
        "times": [element.times[n] for n in chosen.tolist()],
        "gives": most[0],
        "hides": most[1],
        "grids": pictures,
        "samples": element.player.samples,
    }
