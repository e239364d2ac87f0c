"""A gas made ready to be looked at: what lights each voxel, in blocks that say where anything is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.cache.store import Frame
from tenka.effect.model import Light, Look
from tenka.look.colour import black_body_colour, ramp_table
from tenka.look.light import sky_depth, sun_depth
from tenka.scene.cameras import sun_direction

ZERO = np.float32(0.0)


BLOCK = 4


EMPTY = 1e-4  # density under which a block is skipped


SKY_SHARE = 0.25  # of the extinction, for light that comes from all round


FLAME_SCALE = np.float32(
    6.0
)  # 1/m: light given off along a metre of flame, against that of an opaque surface


@dataclass(frozen=True)
class LitVolume:
    """A frame made ready for marching.

    Attributes
    ----------
    field : (nx, ny, nz, 4): density, depth to the sun, depth to the sky (both times extinction), temperature
    flame : (nx, ny, nz), or one voxel where nothing burns
    dye : (nx, ny, nz, 4) carried colour times density, and the density that carries it, or one voxel
    skip : blocks' distance in blocks to the next one that holds gas
    low, high : occupied box in voxels, (3,)
    """

    field: np.ndarray
    flame: np.ndarray
    dye: np.ndarray
    skip: np.ndarray
    low: np.ndarray
    high: np.ndarray
    origin: np.ndarray
    voxel: float
    colour: np.ndarray
    sun: np.ndarray
    sky: np.ndarray
    ground: np.ndarray
    towards: np.ndarray
    params: np.ndarray

    @property
    def empty(self) -> bool:
        return bool(np.any(self.high <= self.low))


@kernel(parallel=True)
def _assemble(rho, sun, sky, heat, sun_scale, sky_scale, out):
    nx, ny, nz = rho.shape
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                out[i, j, k, 0] = rho[i, j, k]
                out[i, j, k, 1] = sun[i, j, k] * sun_scale
                out[i, j, k, 2] = sky[i, j, k] * sky_scale
                out[i, j, k, 3] = heat[i, j, k]


@kernel(parallel=True)
def _block_most(rho, out):
    nx, ny, nz = rho.shape
    mx, my, mz = out.shape
    for p_ in prange(mx):
        a = np.int64(p_)
        for b in range(my):
            for c in range(mz):
                most = ZERO
                # one voxel more on each side: a sample reads its neighbours
                for i in range(max(a * BLOCK - 1, 0), min(a * BLOCK + BLOCK + 1, nx)):
                    for j in range(max(b * BLOCK - 1, 0), min(b * BLOCK + BLOCK + 1, ny)):
                        for k in range(max(c * BLOCK - 1, 0), min(c * BLOCK + BLOCK + 1, nz)):
                            most = max(most, rho[i, j, k])
                out[a, b, c] = most


def _held(blocks: np.ndarray, shape: tuple[int, ...]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """How many blocks a ray may skip from each one, and the voxels from and to which there is anything."""
    from scipy import ndimage  # loaded with the first picture rather than before the window

    full = blocks > EMPTY
    if not full.any():
        return np.ones(blocks.shape, np.int32), np.zeros(3), np.zeros(3)
    skip = ndimage.distance_transform_cdt(~full, metric="chessboard").astype(np.int32)
    held = np.argwhere(full)
    return skip, held.min(axis=0) * BLOCK, np.minimum((held.max(axis=0) + 1) * BLOCK, shape)


def light_volume(frame: Frame, look: Look, light: Light) -> LitVolume:
    """Light a frame: everything that does not depend on the camera."""
    rho = np.ascontiguousarray(frame.density, np.float32)
    heat = np.ascontiguousarray(frame.temperature, np.float32)
    towards = sun_direction(light.heading, light.height)
    blocks = np.empty([-(-n // BLOCK) for n in rho.shape], np.float32)
    flame = (
        np.zeros((1, 1, 1), np.float32)
        if frame.flame is None
        else np.ascontiguousarray(frame.flame, np.float32)
    )
    dye = (
        np.zeros((1, 1, 1, 4), np.float32)
        if frame.dye is None
        else np.ascontiguousarray(frame.dye, np.float32)
    )
    _block_most(rho, blocks)
    if flame.size > 1 and look.flame > 0:
        hot = np.empty_like(blocks)
        _block_most(flame, hot)
        np.maximum(blocks, hot, out=blocks)
    skip, low, high = _held(blocks, rho.shape)
    field = np.zeros((*rho.shape, 4), np.float32)
    if high.any():
        depth = sun_depth(rho, frame.voxel, towards)
        sky = np.empty_like(rho)
        sky_depth(rho, frame.voxel, sky)
        shade = look.extinction * look.shadow
        _assemble(rho, depth, sky, heat, np.float32(shade), np.float32(shade * SKY_SHARE), field)
    sky_light = light.sky * SKY_COLOUR * look.ambient
    bounce = light.sky * GROUND_COLOUR * look.ambient * (1.0 + light.strength * 0.15 * towards[2])
    return LitVolume(
        field,
        flame,
        dye,
        skip,
        low.astype(np.float32),
        high.astype(np.float32),
        np.asarray(frame.origin, np.float64),
        frame.voxel,
        ramp_table(look.colour),
        (black_body_colour(light.kelvin) * light.strength).astype(np.float32),
        sky_light.astype(np.float32),
        bounce.astype(np.float32),
        towards.astype(np.float32),
        np.array(
            [
                look.extinction,
                1.0 / look.full_density,
                look.forward,
                look.glow,
                look.steps,
                look.flame,
                look.flame_heat,
                look.carried,
            ],
            np.float32,
        ),
    )


SKY_COLOUR = np.array([0.86, 0.95, 1.12])


GROUND_COLOUR = np.array([0.30, 0.28, 0.26])


SUN_IN_GAS = np.float32(
    0.42
)  # sunlight scattered to the eye; a third would be one scattering, the rest stands for more
