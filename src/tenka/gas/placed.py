"""Forces that act in a place, as the table that kernels read, and where each of them acts."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tenka.base.jit import kernel
from tenka.scene.poses import STILL, Pose

EVERYWHERE, SPHERE, BOX, CYLINDER, FORM = 0, 1, 2, 3, 4
REGIONS = {"everywhere": EVERYWHERE, "sphere": SPHERE, "box": BOX, "cylinder": CYLINDER, "source": FORM}
BLOW, SWIRL, PULL, BRAKE, GRAVITY, BENT = 0, 1, 2, 3, 4, 5
"""What a placed force does: draws towards a velocity, turns round an axis, draws to a point, slows, falls,
turns round a bent axis."""

KIND, REGION, SIZE, BORDER, TURN, ORIGIN, NUMBERS, TARGET, CURVES, AXIS = 0, 1, 2, 5, 6, 15, 18, 25, 28, 96
SAMPLES = (AXIS - CURVES) // 4
KNOTS, SPANS = 33, 8
BALLS = AXIS + 3 * KNOTS
FORM_TURN = BALLS + 4 * SPANS
FORM_LOW, FORM_STEP, FORM_VALUES = FORM_TURN + 12, FORM_TURN + 15, FORM_TURN + 18
ACROSS = 20
"""Columns of the table of placed forces: code; region, its size and border; the turn into the force's own
axes, row by row; its place; its own numbers (at most 7); a direction or a velocity in the scene; four curves,
as samples; the KNOTS points of a bent axis, and round each of its SPANS parts a ball, middle and radius; of a
form that it is held to, turn and place, low corner, step, and
distances at ACROSS points along each axis (only where some force has one)."""
MOST_NUMBERS = TARGET - NUMBERS


@dataclass(frozen=True)
class FormField:
    """Distances to a form that a force is held to, m.

    Attributes
    ----------
    values : (ACROSS, ACROSS, ACROSS), at `low + index * step` in its own axes
    pose : of those in the scene
    """

    values: np.ndarray
    low: np.ndarray
    step: np.ndarray
    pose: Pose


@dataclass(frozen=True)
class LocalInput:
    """A force that acts in a place; `numbers` and `target` are what its code in
    tenka.gas.felt reads, `axis` the (KNOTS, 3) points of a bent one, m in its own axes."""

    code: int
    numbers: tuple[float, ...]
    pose: Pose = STILL
    region: str = "everywhere"
    size: tuple[float, float, float] = (1.0, 1.0, 1.0)
    border: float = 0.1
    target: tuple[float, float, float] = (0.0, 0.0, 0.0)
    curves: tuple[tuple[float, ...], ...] = ()
    axis: np.ndarray | None = None
    form: FormField | None = None


def placed_table(forces: tuple[LocalInput, ...]) -> np.ndarray:
    """Placed forces as the kernels take them, a row of float64 for each."""
    held = any(f.form is not None for f in forces)
    out = np.zeros((len(forces), FORM_VALUES + ACROSS**3 if held else FORM_TURN))
    for row, force in zip(out, forces):
        row[KIND], row[REGION], row[SIZE:BORDER], row[BORDER] = (
            force.code,
            REGIONS[force.region],
            force.size,
            force.border,
        )
        row[TURN:ORIGIN] = np.asarray(force.pose.turn, float).T.reshape(-1)
        row[ORIGIN:NUMBERS] = force.pose.origin
        row[NUMBERS : NUMBERS + len(force.numbers)] = force.numbers
        row[TARGET:CURVES] = force.target
        for c, curve in enumerate(force.curves):
            row[CURVES + c * SAMPLES : CURVES + (c + 1) * SAMPLES] = curve
        if force.axis is not None:
            row[AXIS:BALLS] = force.axis.reshape(-1)
            every = (KNOTS - 1) // SPANS
            for part in range(SPANS):
                knots = force.axis[part * every : (part + 1) * every + 1]
                middle = 0.5 * (knots.min(axis=0) + knots.max(axis=0))
                far = np.linalg.norm(knots - middle, axis=1).max()
                row[BALLS + 4 * part : BALLS + 4 * part + 4] = (*middle, far)
        if force.form is not None:
            row[FORM_TURN : FORM_TURN + 9] = np.asarray(force.form.pose.turn, float).T.reshape(-1)
            row[FORM_TURN + 9 : FORM_LOW] = force.form.pose.origin
            row[FORM_LOW:FORM_STEP], row[FORM_STEP:FORM_VALUES] = force.form.low, force.form.step
            row[FORM_VALUES:] = force.form.values.reshape(-1)
    return out


@kernel
def _form_at(t, n, x, y, z):
    """Distance to the form that force `n` is held to, at a point of the scene; outside of what is sampled
    that of its border and the way to it."""
    dx, dy, dz = x - t[n, FORM_TURN + 9], y - t[n, FORM_TURN + 10], z - t[n, FORM_TURN + 11]
    away, first, fx, fy, fz = 0.0, 0, 0.0, 0.0, 0.0
    for a in range(3):
        turn = FORM_TURN + 3 * a
        own = t[n, turn] * dx + t[n, turn + 1] * dy + t[n, turn + 2] * dz
        step = t[n, FORM_STEP + a]
        at = (own - t[n, FORM_LOW + a]) / step
        held = min(max(0.0, at), ACROSS - 1.001)
        away += (step * (at - held)) ** 2
        cell = int(held)
        first = first * ACROSS + cell if a > 0 else cell
        if a == 0:
            fx = held - cell
        elif a == 1:
            fy = held - cell
        else:
            fz = held - cell
    first += FORM_VALUES
    found = 0.0
    for k in range(8):
        a, b, c = k & 1, (k >> 1) & 1, k >> 2
        weight = (fx if a else 1.0 - fx) * (fy if b else 1.0 - fy) * (fz if c else 1.0 - fz)
        found += weight * t[n, first + (a * ACROSS + b) * ACROSS + c]
    return found + math.sqrt(away)


def _region_at(t, n, x, y, z, px, py, pz):
    """How strongly placed force `n` acts at a point of the scene, which in its own axes is `p`: 1 inside,
    fading to 0 over the border."""
    region = int(t[n, REGION])
    if region == EVERYWHERE:
        return 1.0
    if region == FORM:
        out = _form_at(t, n, x, y, z)
        f = min(max(0.0, 0.5 - out / t[n, BORDER]), 1.0)
        return f * f * (3.0 - 2.0 * f)
    hx, hy, hz = 0.5 * t[n, SIZE], 0.5 * t[n, SIZE + 1], 0.5 * t[n, SIZE + 2]
    if region == SPHERE:
        out = (math.sqrt((px / hx) ** 2 + (py / hy) ** 2 + (pz / hz) ** 2) - 1.0) * min(hx, hy, hz)
    elif region == BOX:
        qx, qy, qz = abs(px) - hx, abs(py) - hy, abs(pz) - hz
        out = math.sqrt(max(qx, 0.0) ** 2 + max(qy, 0.0) ** 2 + max(qz, 0.0) ** 2) + min(max(qx, qy, qz), 0.0)
    else:
        side = (math.sqrt((px / hx) ** 2 + (py / hy) ** 2) - 1.0) * min(hx, hy)
        up = abs(pz) - hz
        out = math.sqrt(max(side, 0.0) ** 2 + max(up, 0.0) ** 2) + min(max(side, up), 0.0)
    f = min(max(0.0, 0.5 - out / t[n, BORDER]), 1.0)
    return f * f * (3.0 - 2.0 * f)


region_at = kernel(inline=True)(_region_at)


@kernel
def curve_at(t, n, which, x):
    """One of the curves of placed force `n`, at a share of what it runs over."""
    at = min(max(0.0, x), 1.0) * (SAMPLES - 1)
    k = min(int(at), SAMPLES - 2)
    start, f = CURVES + which * SAMPLES + k, at - k
    return t[n, start] * (1.0 - f) + t[n, start + 1] * f


@kernel(inline=True)
def own_axes(t, n, dx, dy, dz):
    """A way in the scene, in the axes of placed force `n`."""
    return (
        t[n, TURN] * dx + t[n, TURN + 1] * dy + t[n, TURN + 2] * dz,
        t[n, TURN + 3] * dx + t[n, TURN + 4] * dy + t[n, TURN + 5] * dz,
        t[n, TURN + 6] * dx + t[n, TURN + 7] * dy + t[n, TURN + 8] * dz,
    )
