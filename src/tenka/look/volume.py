"""A gas made ready to be looked at: what lights each voxel, in blocks that say where anything is."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.vector import float_from_bits
from tenka.cache.store import Frame
from tenka.effect.model import Light, Look
from tenka.look.colour import (
    HEAT_SCALE,
    albedo_of,
    albedo_table,
    black_body_colour,
    flame_colours,
    glow_table,
    ramp_table,
)
from tenka.look.lampcells import lamps_in_cells
from tenka.look.lamps import NO_DEPTHS, NO_LAMPS
from tenka.look.light import sun_depth
from tenka.look.scatter import Around, Cells, Lamp, cell_size, gather_cells, lamp_of_cells, scattered
from tenka.scene.cameras import sun_direction

ZERO = np.float32(0.0)


BLOCK = 4


EMPTY = 1e-4  # density under which a block is skipped


FLAME_SCALE = np.float32(
    6.0
)  # 1/m: light given off along a metre of flame, against that of an opaque surface


@dataclass(frozen=True)
class LitVolume:
    """A frame made ready for marching.

    Attributes
    ----------
    field : (nx, ny, nz, 4): density, optical depth to the sun, flame, temperature
    light : (mx, my, mz, 4) what was scattered or comes from all round, in cells of `cell` voxels
    dye : (nx, ny, nz, 4) carried colour times density, and the density that carries it, or one voxel
    skip : blocks' distance in blocks to the next one that holds gas
    low, high : occupied box in voxels, (3,)
    flames : (LUT, 3) what flames give off, by heat
    colour : (LUT, 3) share of light that goes on when it meets smoke, by density
    around : what shines on it
    cells : what it holds, coarsely; None of nothing
    shimmer : the look's, how many times as strongly as air its heat bends light
    shadow : the look's, a factor on how much it dims light on the way
    """

    field: np.ndarray
    light: np.ndarray
    cell: int
    dye: np.ndarray
    skip: np.ndarray
    low: np.ndarray
    high: np.ndarray
    origin: np.ndarray
    voxel: float
    colour: np.ndarray
    flames: np.ndarray
    around: Around
    cells: Cells | None
    shadow: float
    towards: np.ndarray
    params: np.ndarray
    shimmer: float = 0.0

    @cached_property
    def lamp(self) -> Lamp | None:
        """The light that it gives to what is round it; worked out when a set is drawn with it."""
        if self.cells is None:
            return None
        return lamp_of_cells(self.cells, self.origin, self.cell * self.voxel, self.shadow)

    @property
    def empty(self) -> bool:
        return bool(np.any(self.high <= self.low))


@kernel
def _to_single(half, into):
    """Halves, as their bits, as single floats: exact for all that is finite."""
    least, offset, top = np.float32(2.0**-24), np.int32(112 << 23), np.int32(0x7FFF)
    for k in range(into.size):
        bits = np.int32(half[k])
        plain = bits & top
        usual = float_from_bits(np.int32((plain << np.int32(13)) + offset))
        size = usual if plain >= np.int32(0x400) else np.float32(plain) * least
        into[k] = -size if bits > top else size


@kernel(parallel=True)
def _soften(field, halves, channels, out):
    """The cubic B-spline at the middles of voxels: what alternates from voxel to voxel, as no gas does,
    goes, and sums stay. Channels of a voxel lie along the last axis. One of `field` and `halves` holds it."""
    nx, ny, wide = out.shape
    last = wide - channels
    side, middle = np.float32(1.0 / 6.0), np.float32(4.0 / 6.0)
    for p_ in prange(nx):
        i = np.int64(p_)
        plane, row, three = (
            np.empty((ny, wide), np.float32),
            np.empty(wide, np.float32),
            np.empty((3, wide), np.float32),
        )
        i0, i1 = max(i - 1, 0), min(i + 1, nx - 1)
        for j in range(ny):  # rows as arrays of their own: so the compiler takes several at once
            a, b, c, into = three[0], three[1], three[2], plane[j]
            if halves.size > 0:
                _to_single(halves[i0, j], a)
                _to_single(halves[i, j], b)
                _to_single(halves[i1, j], c)
            else:
                a, b, c = field[i0, j], field[i, j], field[i1, j]
            for k in range(wide):
                into[k] = middle * b[k] + side * (a[k] + c[k])
        for j in range(ny):
            a, b, c, into = plane[max(j - 1, 0)], plane[j], plane[min(j + 1, ny - 1)], out[i, j]
            for k in range(wide):
                row[k] = middle * b[k] + side * (a[k] + c[k])
            for k in range(channels):
                end = last + k
                into[k] = middle * row[k] + side * (row[k] + row[min(k + channels, end)])
                into[end] = middle * row[end] + side * (row[max(end - channels, k)] + row[end])
            own, after, within = row[channels:], row[2 * channels :], into[channels:]
            for k in range(last - channels):
                within[k] = middle * own[k] + side * (row[k] + after[k])


NO_FIELD, NO_HALVES = np.zeros((0, 0, 0), np.float32), np.zeros((0, 0, 0), np.uint16)


def softened(field: np.ndarray) -> np.ndarray:
    """A field (nx, ny, nz) or (nx, ny, nz, channels) as its cubic B-spline has it; one voxel in size changes
    nothing along that axis."""
    nx, ny, nz, *more = field.shape
    channels = more[0] if more else 1
    shape = (nx, ny, nz * channels)
    out = np.empty(shape, np.float32)
    if field.dtype == np.float16:
        halves = np.ascontiguousarray(field).view(np.uint16).reshape(shape)
        _soften(NO_FIELD, halves, channels, out)
    else:
        _soften(np.ascontiguousarray(field, np.float32).reshape(shape), NO_HALVES, channels, out)
    return out.reshape(field.shape)


@kernel(parallel=True)
def _assemble(rho, sun, flame, heat, sun_scale, out):
    nx, ny, nz = rho.shape
    burns = flame.size > 1
    for p_ in prange(nx):
        i = np.int64(p_)
        for j in range(ny):
            for k in range(nz):
                out[i, j, k, 0] = rho[i, j, k]
                out[i, j, k, 1] = sun[i, j, k] * sun_scale
                out[i, j, k, 2] = flame[i, j, k] if burns else ZERO
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


@dataclass(frozen=True)
class Smoothed:
    """The fields of a frame as they are drawn, whatever its look and its light; `blocks` and `hot` are the
    most of the smoke and of the flame in each block."""

    rho: np.ndarray
    heat: np.ndarray
    flame: np.ndarray
    dye: np.ndarray
    blocks: np.ndarray
    hot: np.ndarray | None


def smoothed(frame: Frame) -> Smoothed:
    """What of a lit volume depends on the frame alone."""
    rho, burns = softened(frame.density), frame.flame is not None
    flame = softened(frame.flame) if frame.flame is not None else np.zeros((1, 1, 1), np.float32)
    dye = np.zeros((1, 1, 1, 4), np.float32)
    if frame.dye is not None:
        dye = softened(frame.dye)
    blocks = np.empty([-(-n // BLOCK) for n in rho.shape], np.float32)
    hot = np.empty_like(blocks) if burns else None
    _block_most(rho, blocks)
    if hot is not None:
        _block_most(flame, hot)
    return Smoothed(rho, softened(frame.temperature), flame, dye, blocks, hot)


def light_volume(
    frame: Frame,
    look: Look,
    light: Light,
    fields: Smoothed | None = None,
    lamps: np.ndarray = NO_LAMPS,
    depths: np.ndarray = NO_DEPTHS,
) -> LitVolume:
    """Light a frame: everything that does not depend on the camera.

    Parameters
    ----------
    fields : the frame's, where at hand
    lamps : (n, WIDE) that fall on it, see `tenka.look.lamps`; `depths` (m, 6, size, size): how far the first
        of them see
    """
    fields = smoothed(frame) if fields is None else fields
    rho, heat, flame, dye = fields.rho, fields.heat, fields.flame, fields.dye
    towards = sun_direction(light.heading, light.height)
    blocks = fields.blocks
    if fields.hot is not None and look.flame > 0:
        blocks = np.maximum(blocks, fields.hot)
    skip, low, high = _held(blocks, rho.shape)
    field = np.zeros((*rho.shape, 4), np.float32)
    colour = albedo_of(ramp_table(look.colour)).astype(np.float32)
    around, size = around_of(light, look.ambient), cell_size(rho.shape)
    flames = flame_colours(look.flame_ramp if look.flame_by == "ramp" else None)
    glowing, cells = np.zeros((2, 2, 2, 4), np.float32), None
    if high.any():
        depth = sun_depth(rho, frame.voxel, towards)
        _assemble(rho, depth, flame, heat, np.float32(look.extinction * look.shadow), field)
        edge = size * frame.voxel
        cells = _cells(field, flame, dye, colour, flames, look, size, edge)
        lit = lamps_in_cells(cells, frame.origin, edge, look.shadow, lamps, depths) if len(lamps) else None
        glowing = _padded(scattered(cells, around, edge, look.shadow, lit=lit))
    return LitVolume(
        field,
        glowing,
        size,
        dye,
        skip,
        low.astype(np.float32),
        high.astype(np.float32),
        np.asarray(frame.origin, np.float64),
        frame.voxel,
        colour,
        flames,
        around,
        cells,
        look.shadow,
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
                look.flame_opacity * FLAME_SCALE if look.flame > 0 else 0.0,
                FLAME_SCALE,
                look.wet,
            ],
            np.float32,
        ),
        float(look.shimmer),
    )


def sky_of(light: Light) -> np.ndarray:
    """Radiance of the sky, (3,)."""
    return light.sky * SKY_COLOUR * np.asarray(light.sky_tint)


def around_of(light: Light, ambient: float = 1.0) -> Around:
    """What shines on a gas: the sun, the sky, and the ground that both light."""
    towards = sun_direction(light.heading, light.height)
    sun, sky = black_body_colour(light.kelvin) * light.strength, sky_of(light)
    shade = GROUND_COLOUR * sky
    return Around(
        sun, ambient * sky, ambient * (shade + GROUND_COLOUR * sun * towards[2] / np.pi), ambient * shade
    )


def _cells(
    field: np.ndarray,
    flame: np.ndarray,
    dye: np.ndarray,
    colour: np.ndarray,
    flames: np.ndarray,
    look: Look,
    size: int,
    edge: float,
) -> Cells:
    """What a gas holds, by coarse cells."""
    shape = tuple(-(-n // size) for n in field.shape[:3])
    dims, tint = np.empty((*shape, 2), np.float32), np.empty((*shape, 3), np.float32)
    sunlit, gives = np.empty(shape, np.float32), np.empty((*shape, 3), np.float32)
    f32 = np.float32
    gather_cells(
        field[..., 0],
        field[..., 1],
        flame,
        field[..., 3],
        dye,
        size,
        f32(look.extinction),
        f32(1.0 / look.full_density),
        f32(look.carried),
        f32(look.flame * FLAME_SCALE),
        f32(look.flame_opacity * FLAME_SCALE if look.flame > 0 else 0.0),
        f32(look.glow),
        colour,
        albedo_table(),
        flames,
        glow_table(),
        f32(HEAT_SCALE),
        f32(look.flame_heat),
        f32(edge),
        dims,
        tint,
        sunlit,
        gives,
    )
    floor = np.exp(-field[:, :, 0, 1])
    more = [(0, size * m - n) for m, n in zip(shape, floor.shape)]
    floor = np.pad(floor, more, mode="edge").reshape(shape[0], size, shape[1], size)
    return Cells(size, dims, tint, sunlit, floor.mean(axis=(1, 3)).astype(f32), gives)


def _padded(light: np.ndarray) -> np.ndarray:
    """With two cells along each axis at least, as reads between cells want it."""
    more = [(0, max(0, 2 - n)) for n in light.shape[:3]]
    return np.ascontiguousarray(np.pad(light, [*more, (0, 0)], mode="edge"))


SKY_COLOUR = np.array([0.86, 0.95, 1.12])


GROUND_COLOUR = np.array([0.30, 0.28, 0.26])
