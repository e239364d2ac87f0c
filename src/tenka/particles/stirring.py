"""Eddies where particles are: the curl of the same turning spline potential as a gas has, at single points.

For few particles this costs less than a grid laid round them all, and strays far away feel what is there. The
gradient of the spline is taken in closed form (Bridson, Hourihan & Nordenstam 2007 for the potential, see
tenka.gas.eddies); a region cuts the potential down, not its curl.
"""

from __future__ import annotations

import math

import numpy as np

from tenka.base.jit import kernel, prange
from tenka.base.randomness import stable_seed, unit4
from tenka.base.vectors import cross, plus, put, row, times
from tenka.gas.eddies import BSPLINE_RMS
from tenka.gas.felt import TurbulenceInput
from tenka.gas.placed import BORDER, ORIGIN, LocalInput, own_axes, placed_table, region_at

SIZE, SCALE, TURNED, GRIP, COUNTS, PLACE, FIRST_SEED, OCTAVE = 0, 1, 2, 3, 4, 5, 6, 12
"""Columns of the table of octaves: m; m^2/s of a lattice value; turns by now at an even pace; 1/s, and
whether it counts as the force's own (of its first octave only); row of its region, -1 without; seeds of the
three components' phases and paces; how many there are."""
SPAN = 4  # nodes of a cubic spline along an axis
STEP = 1e-3  # of a border, over which a region's slope is taken


@kernel
def _weights(x, size, out):
    """Index of the first node that reaches a coordinate; its spline's weights and their slopes into
    `out`."""
    place = x / size
    first = math.floor(place) - 1
    for a in range(SPAN):
        d = place - (first + a)
        far = abs(d)
        sign = 1.0 if d >= 0 else -1.0
        if far < 1.0:
            out[0, a] = (4.0 - 6.0 * far * far + 3.0 * far * far * far) / 6.0
            out[1, a] = sign * (9.0 * far * far - 12.0 * far) / (6.0 * size)
        else:
            rest = max(0.0, 2.0 - far)
            out[0, a] = rest * rest * rest / 6.0
            out[1, a] = -sign * rest * rest / (2.0 * size)
    return first


@kernel
def _octave(octaves, n, p, weights):
    """Potential of one octave at a point, and its curl."""
    size, turned = octaves[n, SIZE], octaves[n, TURNED]
    i, j, k = (
        _weights(p[0], size, weights[0]),
        _weights(p[1], size, weights[1]),
        _weights(p[2], size, weights[2]),
    )
    x, y, z = weights[0], weights[1], weights[2]
    potential, curl = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0)
    for component in range(3):
        phases = np.int64(octaves[n, FIRST_SEED + 2 * component])
        paces = np.int64(octaves[n, FIRST_SEED + 2 * component + 1])
        value, along_x, along_y, along_z = 0.0, 0.0, 0.0, 0.0
        for a in range(SPAN):
            for b in range(SPAN):
                for c in range(SPAN):
                    turn = unit4(phases, i + a, j + b, k + c)
                    turn += turned * (0.6 + 0.8 * unit4(paces, i + a, j + b, k + c))
                    node = math.cos(2.0 * math.pi * turn)
                    value += node * x[0, a] * y[0, b] * z[0, c]
                    along_x += node * x[1, a] * y[0, b] * z[0, c]
                    along_y += node * x[0, a] * y[1, b] * z[0, c]
                    along_z += node * x[0, a] * y[0, b] * z[1, c]
        way = (1.0 if component == 0 else 0.0, 1.0 if component == 1 else 0.0, 1.0 if component == 2 else 0.0)
        potential = plus(potential, value, way)
        curl = plus(curl, 1.0, cross((along_x, along_y, along_z), way))
    return times(octaves[n, SCALE], potential), times(octaves[n, SCALE], curl)


@kernel
def _share(regions, m, p):
    """How strongly a region acts at a point."""
    own = own_axes(
        regions, m, p[0] - regions[m, ORIGIN], p[1] - regions[m, ORIGIN + 1], p[2] - regions[m, ORIGIN + 2]
    )
    return region_at(regions, m, p[0], p[1], p[2], own[0], own[1], own[2])


@kernel
def _stirred_at(octaves, regions, p, weights):
    """Sum of all octaves at a point: rate times velocity, and rate."""
    push, rate = (0.0, 0.0, 0.0), 0.0
    for n in range(octaves.shape[0]):
        potential, curl = _octave(octaves, n, p, weights)
        share, m = 1.0, int(octaves[n, PLACE])
        if m >= 0:
            share, h = _share(regions, m, p), STEP * regions[m, BORDER]
            slope = (
                (_share(regions, m, plus(p, h, (1.0, 0.0, 0.0))) - share) / h,
                (_share(regions, m, plus(p, h, (0.0, 1.0, 0.0))) - share) / h,
                (_share(regions, m, plus(p, h, (0.0, 0.0, 1.0))) - share) / h,
            )
            curl = plus(times(share, curl), 1.0, cross(slope, potential))
        push = plus(push, octaves[n, GRIP], curl)
        rate += octaves[n, COUNTS] * octaves[n, GRIP] * share
    return push, rate


@kernel(parallel=True)
def _stirred(octaves, regions, places, out):
    for p_ in prange(places.shape[0]):
        i = np.int64(p_)
        push, rate = _stirred_at(octaves, regions, row(places, i), np.empty((3, 2, SPAN)))
        put(out, i, push)
        out[i, 3] = rate


def _table(forces: tuple[TurbulenceInput, ...], t: float) -> tuple[np.ndarray, np.ndarray]:
    """Rows of all octaves at a time, and of the regions that some are kept to."""
    rows: list[tuple[float, ...]] = []
    regions: list[LocalInput] = []
    for force in forces:
        place = -1
        if force.within is not None:
            place = len(regions)
            regions.append(force.within)
        share = math.sqrt(1.0 / (1.0 + force.detail**2))
        for octave, amount in ((0, share), (1, share * force.detail)):
            if amount > 0:
                size = force.size / (1 << octave)
                scale = amount * force.strength / math.sqrt(3.0) * size / BSPLINE_RMS
                phases = [stable_seed(force.seed, octave, c) for c in range(3)]
                seeds = [s for phase in phases for s in (phase, phase + 1)]
                turned = force.rate * (octave + 1) * t
                rows.append((size, scale, turned, force.grip, octave == 0, place, *seeds))
    return np.array(rows, float).reshape(-1, OCTAVE), placed_table(tuple(regions))


def octaves_of(forces: tuple[TurbulenceInput, ...]) -> int:
    return sum(2 if f.detail > 0 else 1 for f in forces)


def stirred(forces: tuple[TurbulenceInput, ...], places: np.ndarray, t: float) -> np.ndarray:
    """Sum of all turbulences at points: rate times velocity (m/s^2), and rate (1/s), (n, 4) float32.

    Parameters
    ----------
    places : (n, 3) m
    """
    out = np.zeros((len(places), 4), np.float32)
    _stirred(*_table(forces, t), np.ascontiguousarray(places, np.float64), out)
    return out
