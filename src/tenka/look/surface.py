"""Dense gas as a wet surface: its slope, and what a film of water on it throws back."""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel
from tenka.base.vector import make_lerp_channels
from tenka.look.rays import ONE, ZERO

HALF = np.float32(0.5)
FOUR_PI = np.float32(4.0 * np.pi)
lerp_density = make_lerp_channels(4, 2)


@kernel
def _density_at(field, x, y, z, ends, strides):
    """Density between the middles of voxels."""
    x, y, z = min(max(ZERO, x), ends[0]), min(max(ZERO, y), ends[1]), min(max(ZERO, z), ends[2])
    a, b, c = min(np.int64(x), ends[3]), min(np.int64(y), ends[4]), min(np.int64(z), ends[5])
    rho, _ = lerp_density(
        field,
        ((a * ends[6] + b) * ends[7] + c) * 4,
        strides[0],
        strides[1],
        x - np.float32(a),
        y - np.float32(b),
        z - np.float32(c),
    )
    return rho


@kernel
def slope_at(field, q, ends, strides):
    """How density rises along each axis, per voxel.

    Parameters
    ----------
    field : flat, four channels of which density is the first
    q : place in voxels, counted from the middle of the first
    ends : highest places, highest lower corners, voxels along y and z
    """
    x, y, z = q
    ahead_x, back_x = (
        _density_at(field, x + ONE, y, z, ends, strides),
        _density_at(field, x - ONE, y, z, ends, strides),
    )
    ahead_y, back_y = (
        _density_at(field, x, y + ONE, z, ends, strides),
        _density_at(field, x, y - ONE, z, ends, strides),
    )
    ahead_z, back_z = (
        _density_at(field, x, y, z + ONE, ends, strides),
        _density_at(field, x, y, z - ONE, ends, strides),
    )
    return HALF * (ahead_x - back_x), HALF * (ahead_y - back_y), HALF * (ahead_z - back_z)


@kernel
def gloss_of(nx, ny, nz, dx, dy, dz, towards):
    """What a wet surface throws back to the eye: of the sun, as a share of its light times 4 pi, and of what
    is all round. A film of water (Schlick 1994) over a rough ground (Blinn 1977, normalised)."""
    hx, hy, hz = towards[0] - dx, towards[1] - dy, towards[2] - dz
    over = ONE / max(np.sqrt(hx * hx + hy * hy + hz * hz), np.float32(1e-6))
    hx, hy, hz = hx * over, hy * over, hz * over
    cosine = max(nx * hx + ny * hy + nz * hz, ZERO)
    sharp = cosine * cosine  # to the 64th power
    for _ in range(5):
        sharp *= sharp
    glance = ONE - max(-(nx * dx + ny * dy + nz * dz), ZERO)
    grazing = glance * glance * glance * glance * glance
    back = np.float32(0.03) + np.float32(0.97) * grazing
    facing = max(nx * towards[0] + ny * towards[1] + nz * towards[2], ZERO)
    half = ONE - max(hx * towards[0] + hy * towards[1] + hz * towards[2], ZERO)
    film = np.float32(0.03) + np.float32(0.97) * half * half * half * half * half
    lobe = np.float32(72.0 / (8.0 * np.pi)) * sharp * film * min(facing * np.float32(4.0), ONE)
    return FOUR_PI * lobe, np.float32(0.6) * back
