"""Light that was scattered before it reaches a voxel: a coarse volume of it, swept along fourteen directions.

Discrete ordinates (S. Chandrasekhar, "Radiative Transfer", 1960) on cells of a few voxels: along six face
and eight corner directions (weights 1/15 and 3/40, which integrate polynomials of the fifth order over the
sphere) light is carried from cell to cell, dimmed by what each holds and fed by what it scatters and gives
off. What all directions bring on average is what the cell scatters in the next round.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.look.colour import LUT, glow_at
from tenka.look.lamps import widened

CELL = 4  # voxels along a cell's edge, or more in large boxes
MOST_CELLS = 40_000
ROUNDS = 6
REMEMBERED = 3  # rounds that are mixed
DIRECTIONS = np.array(
    [(s if a == 0 else 0, s if a == 1 else 0, s if a == 2 else 0) for a in range(3) for s in (-1, 1)]
    + [(x, y, z) for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)],
    np.int64,
)
WEIGHTS = np.array([1 / 15] * 6 + [3 / 40] * 8, np.float32)
ZERO, ONE = np.float32(0.0), np.float32(1.0)
HALF, QUARTER = np.float32(0.5), np.float32(0.25)
FOUR_PI = np.float32(4.0 * math.pi)


@dataclass(frozen=True)
class Around:
    """What shines on a gas from all round.

    Attributes
    ----------
    sun : (3,) light of the sun on what faces it
    sky : (3,) radiance of the sky
    ground : (3,) radiance of the ground in the sun; (3,) `shade`: in a shadow
    """

    sun: np.ndarray
    sky: np.ndarray
    ground: np.ndarray
    shade: np.ndarray


@dataclass(frozen=True)
class Cells:
    """What a gas holds, by coarse cells.

    Attributes
    ----------
    size : voxels along an edge
    dims : (mx, my, mz, 2): what scatters and what only takes light away, 1/m
    tint : (mx, my, mz, 3) share of what meets smoke that goes on
    sunlit : (mx, my, mz) share of the sun that comes to what scatters there
    clear : (mx, my) the same for the floor below each column
    gives : (mx, my, mz, 3) light given off, per m
    """

    size: int
    dims: np.ndarray
    tint: np.ndarray
    sunlit: np.ndarray
    clear: np.ndarray
    gives: np.ndarray


def cell_size(shape: tuple[int, ...]) -> int:
    """Voxels along a cell's edge in a box of so many."""
    size = CELL
    while np.prod([-(-n // size) for n in shape]) > MOST_CELLS:
        size += 1
    return size


@kernel
def _escapes(depth):
    """Share of the light given off evenly along a depth that leaves it."""
    return (ONE - np.exp(-depth)) / depth if depth > np.float32(1e-3) else ONE - HALF * depth


@kernel(parallel=True)
def gather_cells(
    rho,
    sun,
    flame,
    heat,
    dye,
    size,
    extinction,
    per_density,
    carried,
    fire,
    hide,
    glow,
    tints,
    of_dye,
    flames,
    glows,
    heat_scale,
    flame_heat,
    edge,
    dims,
    tint,
    sunlit,
    gives,
):
    """Fill the arrays of `Cells` from fields on voxels; see `tenka.look.volume` for the settings."""
    nx, ny, nz = rho.shape
    mx, my, mz = sunlit.shape
    burns, dyed = flame.size > 1 and fire > ZERO, dye.size > 4 and carried > ZERO
    whole = ONE / np.float32(size * min(size, ny) * size)
    top = np.float32(LUT - 1)
    for p_ in prange(mx):
        a = np.int64(p_)
        for b in range(my):
            for c in range(mz):
                held, lit, fires = ZERO, ZERO, ZERO
                t0, t1, t2 = ZERO, ZERO, ZERO
                for i in range(a * size, min(a * size + size, nx)):
                    for j in range(b * size, min(b * size + size, ny)):
                        for k in range(c * size, min(c * size + size, nz)):
                            r = rho[i, j, k]
                            if r > ZERO:
                                held += r
                                lit += r * np.exp(-sun[i, j, k])
                                tone = np.int64(min(max(ZERO, r * per_density * top), top))
                                x, y, z, share = ZERO, ZERO, ZERO, ZERO
                                if dyed and dye[i, j, k, 3] > np.float32(1e-4):
                                    d = dye[i, j, k, 3]
                                    share = carried * min(d / r, ONE)
                                    x = of_dye[np.int64(min(max(ZERO, dye[i, j, k, 0] / d * top), top))]
                                    y = of_dye[np.int64(min(max(ZERO, dye[i, j, k, 1] / d * top), top))]
                                    z = of_dye[np.int64(min(max(ZERO, dye[i, j, k, 2] / d * top), top))]
                                t0 += r * (tints[tone, 0] + share * (x - tints[tone, 0]))
                                t1 += r * (tints[tone, 1] + share * (y - tints[tone, 1]))
                                t2 += r * (tints[tone, 2] + share * (z - tints[tone, 2]))
                            if burns and flame[i, j, k] > ZERO:
                                fires += flame[i, j, k]
                dims[a, b, c, 0] = extinction * held * whole
                dims[a, b, c, 1] = hide * fires * whole
                sunlit[a, b, c] = lit / held if held > ZERO else ZERO
                tint[a, b, c, 0] = t0 / held if held > ZERO else ZERO
                tint[a, b, c, 1] = t1 / held if held > ZERO else ZERO
                tint[a, b, c, 2] = t2 / held if held > ZERO else ZERO
                g0, g1, g2 = ZERO, ZERO, ZERO
                mean = dims[a, b, c, 0] + dims[a, b, c, 1]
                least = _escapes(mean * edge)
                if fires > ZERO or (glow > ZERO and held > ZERO):
                    for i in range(a * size, min(a * size + size, nx)):
                        for j in range(b * size, min(b * size + size, ny)):
                            for k in range(c * size, min(c * size + size, nz)):
                                f = flame[i, j, k] if burns else ZERO
                                hot = heat[i, j, k]
                                glows_here = glow > ZERO and hot > np.float32(300.0)
                                if f <= ZERO and not glows_here:
                                    continue
                                # what gives light is mostly thicker than its cell, and keeps more of it
                                own = extinction * rho[i, j, k] + hide * f
                                out = min(_escapes(own * edge) / least, ONE) if own > mean else ONE
                                warm, embers = hot * flame_heat * heat_scale, hot * heat_scale
                                lit, of_smoke = out * fire * f, out * extinction * glow * rho[i, j, k]
                                g0 += lit * glow_at(flames, warm, 0)
                                g1 += lit * glow_at(flames, warm, 1)
                                g2 += lit * glow_at(flames, warm, 2)
                                if glows_here:
                                    g0 += of_smoke * glow_at(glows, embers, 0)
                                    g1 += of_smoke * glow_at(glows, embers, 1)
                                    g2 += of_smoke * glow_at(glows, embers, 2)
                gives[a, b, c, 0] = g0 * whole
                gives[a, b, c, 1] = g1 * whole
                gives[a, b, c, 2] = g2 * whole


@kernel(parallel=True)
def _dimming(dims, shadow, lengths, out):
    """What is kept of light across each cell, how much of it and of what the cell feeds is there on average:
    (2, 3, mx, my, mz), of ways from face to face and from corner to corner."""
    mx, my, mz = dims.shape[:3]
    for p_ in prange(mx):
        i = np.int64(p_)
        for j in range(my):
            for k in range(mz):
                for c in range(2):
                    depth = (shadow * dims[i, j, k, 0] + dims[i, j, k, 1]) * lengths[c]
                    half = _escapes(depth)
                    out[c, 0, i, j, k] = np.exp(-depth)
                    out[c, 1, i, j, k] = half
                    out[c, 2, i, j, k] = (
                        (ONE - half) / depth if depth > np.float32(1e-3) else HALF - depth / np.float32(6.0)
                    )


@kernel(parallel=True)
def _fed(dims, tint, sunlit, gives, light, lit, sun, shadow, out):
    """What each cell sends into every direction, per m: scattered and given off; (3, mx, my, mz)."""
    mx, my, mz = sunlit.shape
    for p_ in prange(mx):
        a = np.int64(p_)
        for n in range(3):
            for b in range(my):
                for c in range(mz):
                    comes = sun[n] * sunlit[a, b, c] / FOUR_PI + light[n, a, b, c]
                    if lit.size > 0:
                        comes += lit[n, a, b, c]
                    out[n, a, b, c] = (
                        shadow * (dims[a, b, c, 0] * tint[a, b, c, n] * comes) + gives[a, b, c, n]
                    )


@kernel(parallel=True)
def _sweep(dims, fed, lengths, ways, flow, mean):
    """Carry light along each direction through all cells, whose border of one cell holds what comes from
    outside; `mean` (14, 3, mx, my, mz) is what is in each on average."""
    mx, my, mz = fed.shape[1:]
    for p_ in prange(ways.shape[0]):
        d = np.int64(p_)
        x, y, z = ways[d, 0], ways[d, 1], ways[d, 2]
        way = 0 if abs(x) + abs(y) + abs(z) == 1 else 1
        length = lengths[way]
        for n in range(3):
            for i_ in range(mx):
                i = i_ if x >= 0 else mx - 1 - i_
                for j_ in range(my):
                    j = j_ if y >= 0 else my - 1 - j_
                    came, went = flow[d, n, i + 1 - x, j + 1 - y], flow[d, n, i + 1, j + 1]
                    kept, half, rest = dims[way, 0, i, j], dims[way, 1, i, j], dims[way, 2, i, j]
                    source, held = fed[n, i, j], mean[d, n, i, j]
                    if x == 0 and y == 0:
                        for k_ in range(mz):
                            k = k_ if z >= 0 else mz - 1 - k_
                            here, gives = came[k + 1 - z], source[k] * length
                            went[k + 1] = here * kept[k] + gives * half[k]
                            held[k] = here * half[k] + gives * rest[k]
                    else:
                        for k in range(mz):
                            here, gives = came[k + 1 - z], source[k] * length
                            went[k + 1] = here * kept[k] + gives * half[k]
                            held[k] = here * half[k] + gives * rest[k]


@kernel(parallel=True)
def _average(mean, weights, out):
    mx, my, mz = out.shape[1:]
    for p_ in prange(mx):
        i = np.int64(p_)
        for n in range(3):
            for j in range(my):
                row = out[n, i, j]
                for k in range(mz):
                    row[k] = ZERO
                for d in range(weights.size):
                    one, weight = mean[d, n, i, j], weights[d]
                    for k in range(mz):
                        row[k] += weight * one[k]


@dataclass(frozen=True)
class Lamp:
    """Light that a gas gives off and that leaves it.

    Attributes
    ----------
    place : (3,) m
    strength : (3,) light per steradian, of what is seen per m^2
    radius : m, of what gives it
    """

    place: np.ndarray
    strength: np.ndarray
    radius: float


def _carried(
    cells: Cells,
    around: Around,
    light: np.ndarray,
    edge: float,
    shadow: float,
    rounds: int,
    lit: np.ndarray | None = None,
) -> np.ndarray:
    """Carry light through all cells, round after round, from a first guess of what comes from all round;
    `light` (3, mx, my, mz) is filled with the last. Returns what goes along each direction in the end, with a
    border of one cell, (14, 3, mx + 2, my + 2, mz + 2)."""
    f32 = np.float32
    shape = cells.sunlit.shape
    below = (around.shade + cells.clear[..., None] * (around.ground - around.shade)).astype(f32)
    below = np.pad(below, ((1, 1), (1, 1), (0, 0)), mode="edge").transpose(2, 0, 1)[..., None]
    sides = (HALF * (around.sky + around.ground)).astype(f32)[:, None, None, None]
    sky = around.sky.astype(f32)[:, None, None, None]
    flow = np.empty((len(WEIGHTS), 3, *(n + 2 for n in shape)), f32)
    for d, way in enumerate(DIRECTIONS):
        flow[d] = sky if way[2] < 0 else below if way[2] > 0 else sides
    lengths = (edge * np.sqrt([1.0, 3.0])).astype(f32)
    dims, fed = np.empty((2, 3, *shape), f32), np.empty((3, *shape), f32)
    _dimming(cells.dims, f32(shadow), lengths, dims)
    mean, steps = np.empty((len(WEIGHTS), 3, *shape), f32), _Mixing(light)
    sun, lamps = around.sun.astype(f32), np.zeros((3, 0, 0, 0), f32) if lit is None else lit
    for _ in range(rounds):
        _fed(cells.dims, cells.tint, cells.sunlit, cells.gives, light, lamps, sun, f32(shadow), fed)
        _sweep(dims, fed, lengths, DIRECTIONS, flow, mean)
        _average(mean, WEIGHTS, light)
        steps.mix(light)
    return flow


def scattered(
    cells: Cells,
    around: Around,
    edge: float,
    shadow: float = 1.0,
    rounds: int = ROUNDS,
    lit: np.ndarray | None = None,
) -> np.ndarray:
    """Mean radiance, from all directions, of all light but the sun's straight one, (mx, my, mz, 4) with the
    fourth unused; with what comes straight from lamps.

    Parameters
    ----------
    edge : of a cell, m
    shadow : a factor on how much the smoke dims and scatters on the way
    lit : (3, mx, my, mz) mean radiance that comes straight from lamps
    """
    # to begin with: two octaves of the sun's scattering, and half of what is all round
    sunny = np.maximum(cells.sunlit, 1e-12)[..., None]
    octaves = HALF * np.sqrt(sunny) + QUARTER * np.sqrt(np.sqrt(sunny))
    first = around.sun / FOUR_PI * cells.tint * octaves + HALF * HALF * (around.sky + around.shade)
    light = np.ascontiguousarray(np.moveaxis(first, 3, 0), np.float32)
    if lit is not None:
        light += HALF * np.moveaxis(cells.tint, 3, 0) * lit
    _carried(cells, around, light, edge, shadow, rounds, lit)
    if lit is not None:
        light += lit
    out = np.zeros((*cells.sunlit.shape, 4), np.float32)
    out[..., :3] = np.moveaxis(light, 0, 3)
    return out


class _Mixing:
    """Rounds that come to rest sooner: each goes on from the mixture of the last ones whose change would be
    least (D. Anderson, "Iterative procedures for nonlinear integral equations", 1965). Light that goes
    through thick white smoke is scattered hundreds of times, and as many plain rounds would be needed."""

    def __init__(self, first: np.ndarray) -> None:
        self._from = first.copy()  # what the present round began with
        self._before: list[tuple[np.ndarray, np.ndarray]] = []  # beginnings and changes of rounds

    def mix(self, light: np.ndarray) -> None:
        """Put what the next round begins with in the place of what a round gave."""
        change = light - self._from
        for n in range(3) if self._before else ():
            steps = np.stack([(change - c)[n].ravel() for _, c in self._before])
            moves = np.stack([(self._from - b)[n].ravel() for b, _ in self._before])
            square = (steps @ steps.T).astype(float)
            square[np.diag_indices(len(square))] += 1e-9 * max(float(np.trace(square)), 1e-30)
            share = np.linalg.solve(square, steps @ change[n].ravel()).astype(np.float32)
            light[n] -= (share @ (steps + moves)).reshape(light.shape[1:])
        np.maximum(light, ZERO, out=light)
        self._before = [(self._from, change), *self._before][:REMEMBERED]
        self._from = light.copy()


DARK = Around(*np.zeros((4, 3)))
LAMP_ROUNDS = 2  # the light that leaves a fire has mostly met little


def lamp_of_cells(
    cells: Cells, origin: np.ndarray, edge: float, shadow: float = 1.0, rounds: int = LAMP_ROUNDS
) -> Lamp | None:
    """What the gas itself gives off as one lamp, of the light that leaves it; None when it gives none."""
    total = cells.gives.sum(axis=3, dtype=np.float64)
    if not total.max() > 0:
        return None
    flow = _carried(cells, DARK, np.zeros((3, *total.shape), np.float32), edge, shadow, rounds)
    power = np.zeros(3)
    for way, weight, one in zip(DIRECTIONS, WEIGHTS, flow[:, :, 1:-1, 1:-1, 1:-1]):
        leaves = np.zeros(total.shape, bool)
        for axis in np.nonzero(way)[0]:
            leaves[(slice(None),) * axis + (-1 if way[axis] > 0 else 0,)] = True
        # a face is narrower across the way than it is along itself
        power += float(weight) / math.sqrt(np.abs(way).sum()) * one[:, leaves].sum(axis=1, dtype=float)
    power *= 4.0 * math.pi * edge * edge
    places = np.moveaxis(np.indices(total.shape), 0, -1) + 0.5
    share = (total / total.sum())[..., None]
    middle = (share * places).sum(axis=(0, 1, 2))
    spread = float((share * (places - middle) ** 2).sum())
    return Lamp(np.asarray(origin, float) + edge * middle, power / (4.0 * math.pi), edge * math.sqrt(spread))


def lamp_row(lamp: Lamp) -> np.ndarray:
    """A lamp as kernels take it."""
    return widened(np.array([*lamp.place, *lamp.strength, lamp.radius**2]))
