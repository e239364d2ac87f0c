"""What stops particles: signed distances as kernels see them, and when and how a particle meets a surface."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from pathlib import Path
from typing import NamedTuple

import numpy as np
from scipy.spatial import cKDTree

from tenka.base.jit import kernel
from tenka.effect.model import FOR_EVER_HELD, PointCollider, PointLayer, Prop, heard
from tenka.gas.settings import Moment
from tenka.scene.distance import DistanceField, field_of
from tenka.scene.poses import Motion, Pose, motion_between
from tenka.scene.props import deforms, own_mesh

GROUND, SPHERE, BOX, CYLINDER, FIELD = 0, 1, 2, 3, 4
BOUNCE, STICK, DIE = 0, 1, 2
FORMS = {"sphere": SPHERE, "box": BOX, "cylinder": CYLINDER}
RESPONSES = {"bounce": BOUNCE, "stick": STICK, "die": DIE}
(
    FORM,
    RESPONSE,
    SIZE,
    TURN0,
    ORIGIN0,
    TURN1,
    ORIGIN1,
    SPEED,
    SPIN,
    CENTRE,
    BOUNCINESS,
    FRICTION,
    SKIN,
    HOLD,
    RADIUS,
    SHAPE,
    START,
    CORNER,
    STEP,
    FLOWS,
    COLUMNS,
) = (0, 1, 2, 5, 14, 17, 26, 29, 32, 35, 38, 39, 40, 41, 42, 43, 46, 47, 50, 51, 52)
NEAR = 3.0  # steps of a distance field from the surface, within which its motion is known
FIELD_CELLS = 64  # along a mesh's longest side


def table_of(parts: tuple[np.ndarray, ...], rows: int, columns: int) -> np.ndarray:
    """Arrays of as many rows side by side, as one table of float64."""
    if not rows:
        return np.zeros((0, columns))
    return np.concatenate([np.asarray(p, np.float64).reshape(rows, -1) for p in parts], axis=1)


class Packed(NamedTuple):
    """Stops as kernels take them: one table, (k, COLUMNS), and all distance fields, one after the other."""

    rows: np.ndarray
    values: np.ndarray


@dataclass
class Stops:
    """All that stops a layer during one step, as arrays of a row for each; the ground, where it takes part,
    is the first.

    Attributes
    ----------
    form, response : (k,) codes
    size : (k, 3) m of a plain form
    turn0, origin0, turn1, origin1 : poses at the step's start and end
    speed, spin, centre : (k, 3) how each moves: v(x) = speed + spin x (x - centre)
    traits : (k, 4) bounce, friction, skin in m, what sticks is held against, m/s^2
    radius : (k,) m from its origin within which it lies
    values : all distance fields, one after the other; shape, start, corner and step say which part is whose
    flows : (k,) whether three fields of velocity in its own axes follow, of what changes its form
    """

    form: np.ndarray
    response: np.ndarray
    size: np.ndarray
    turn0: np.ndarray
    origin0: np.ndarray
    turn1: np.ndarray
    origin1: np.ndarray
    speed: np.ndarray
    spin: np.ndarray
    centre: np.ndarray
    traits: np.ndarray
    radius: np.ndarray
    values: np.ndarray
    shape: np.ndarray
    start: np.ndarray
    corner: np.ndarray
    step: np.ndarray
    flows: np.ndarray

    def packed(self) -> Packed:
        """All of it as one table and the distance fields: kernels are faster with few arrays."""
        n = len(self.form)
        parts = (
            self.form,
            self.response,
            self.size,
            self.turn0,
            self.origin0,
            self.turn1,
            self.origin1,
            self.speed,
            self.spin,
            self.centre,
            self.traits,
            self.radius,
            self.shape,
            self.start,
            self.corner,
            self.step,
            self.flows,
        )
        return Packed(table_of(parts, n, COLUMNS), self.values)


@dataclass
class _Row:
    form: int = GROUND
    response: int = BOUNCE
    size: tuple[float, ...] = (1.0, 1.0, 1.0)
    before: Pose = field(default_factory=lambda: Pose(np.eye(3), np.zeros(3)))
    after: Pose = field(default_factory=lambda: Pose(np.eye(3), np.zeros(3)))
    motion: Motion | None = None
    traits: tuple[float, float, float, float] = (0.0, 0.0, 0.0, FOR_EVER_HELD)
    radius: float = math.inf
    values: np.ndarray | None = None
    corner: np.ndarray = field(default_factory=lambda: np.zeros(3))
    step: float = 1.0
    flow: np.ndarray | None = None


def _own_flow(prop: Prop, moment: Moment, folder: Path | None, own: DistanceField) -> np.ndarray:
    """How the surface of a prop that changes its form moves, in its own axes: (3, nx, ny, nz) m/s on the
    nodes of its distance field, near the surface that of the nearest point of its mesh."""
    before, after = (own_mesh(prop, folder, moment.t + s * moment.dt).points.astype(float) for s in (0, 1))
    flow = np.zeros((3, *own.values.shape), np.float32)
    near = np.abs(own.values) < NEAR * own.step
    nodes = own.origin + np.argwhere(near) * own.step
    nearest = cKDTree(0.5 * (before + after)).query(nodes)[1]
    flow[:, near] = ((after - before) / moment.span)[nearest].T
    return flow


def _of_prop(collider: PointCollider, prop: Prop, moment: Moment, folder: Path | None) -> _Row:
    before, after = moment.pose(prop, 0.0), moment.pose(prop, 1.0)
    motion = None if before.same_as(after) else motion_between(before, after, moment.span)
    row = _Row(
        response=RESPONSES[collider.response],
        before=before,
        after=after,
        motion=motion,
        traits=(collider.bounce, collider.friction, collider.skin, collider.hold),
    )
    if prop.shape in FORMS and prop.copies == 1:
        row.form, row.size = FORMS[prop.shape], prop.size
        row.radius = float(np.linalg.norm([prop.size[0] / 2, prop.size[1] / 2, prop.size[2]]))
    else:
        own = field_of(
            prop,
            folder,
            max(max(prop.size) / FIELD_CELLS, 0.01) if prop.shape != "mesh" else 0.02,
            moment.t + 0.5 * moment.dt,
        )
        row.form, row.values, row.corner, row.step = FIELD, own.values, own.origin, own.step
        if deforms(prop):
            row.flow = _own_flow(prop, moment, folder, own)
        high = own.origin + (np.asarray(own.values.shape) - 1) * own.step
        row.radius = float(np.linalg.norm(np.maximum(np.abs(own.origin), np.abs(high))))
    row.radius += max(collider.skin, 0.0)
    return row


def stops_of(layer: PointLayer, props: tuple[Prop, ...], moment: Moment, folder: Path | None) -> Stops:
    """What stops a layer's particles in a step; raises as a prop's mesh does."""
    rows = []
    m = layer.motion
    if m.ground != "none":
        rows.append(_Row(response=RESPONSES[m.ground], traits=(m.bounce, m.friction, 0.0, m.hold)))
    for collider in heard(layer.colliders):
        prop = next((p for p in props if p.id == collider.prop), None)
        if prop is not None:
            rows.append(_of_prop(collider, prop, moment, folder))
    n, none = len(rows), np.zeros(3)
    f32 = np.float32
    fields = [[f for f in (r.values, r.flow) if f is not None] or [np.zeros(0)] for r in rows]
    flat = [np.concatenate([f.reshape(-1).astype(f32) for f in own]) for own in fields]
    start = np.cumsum([0, *(len(f) for f in flat)])[:n].astype(np.int64)

    def table(items: list, shape: tuple[int, ...], dtype: type = np.float64) -> np.ndarray:
        return np.array(items, dtype).reshape(n, *shape)

    return Stops(
        table([r.form for r in rows], (), np.int64),
        table([r.response for r in rows], (), np.int64),
        table([r.size for r in rows], (3,)),
        table([r.before.turn for r in rows], (3, 3)),
        table([r.before.origin for r in rows], (3,)),
        table([r.after.turn for r in rows], (3, 3)),
        table([r.after.origin for r in rows], (3,)),
        table([r.motion.speed if r.motion else none for r in rows], (3,)),
        table([r.motion.spin if r.motion else none for r in rows], (3,)),
        table([r.motion.centre if r.motion else none for r in rows], (3,)),
        table([r.traits for r in rows], (4,)),
        table([r.radius for r in rows], ()),
        np.concatenate([*flat, np.zeros(1, f32)]),
        table([r.values.shape if r.values is not None else (1, 1, 1) for r in rows], (3,), np.int64),
        start,
        table([r.corner for r in rows], (3,)),
        table([r.step for r in rows], ()),
        table([r.flow is not None for r in rows], ()),
    )


@kernel
def field_at(values, start, nx, ny, nz, x, y, z):
    """Trilinear value of a flat field at grid coordinates, and outside it that of its border with the way to
    it, in steps, apart."""
    a, b, c = min(max(0.0, x), nx - 1.0), min(max(0.0, y), ny - 1.0), min(max(0.0, z), nz - 1.0)
    away = math.sqrt((x - a) ** 2 + (y - b) ** 2 + (z - c) ** 2)
    i, j, k = min(int(a), max(nx - 2, 0)), min(int(b), max(ny - 2, 0)), min(int(c), max(nz - 2, 0))
    f, g, h = a - i, b - j, c - k
    sx, sy, sz = (ny * nz if nx > 1 else 0), (nz if ny > 1 else 0), (1 if nz > 1 else 0)
    o = start + (i * ny + j) * nz + k
    low = (values[o] * (1 - h) + values[o + sz] * h) * (1 - g) + (
        values[o + sy] * (1 - h) + values[o + sy + sz] * h
    ) * g
    o += sx
    high = (values[o] * (1 - h) + values[o + sz] * h) * (1 - g) + (
        values[o + sy] * (1 - h) + values[o + sy + sz] * h
    ) * g
    return low * (1 - f) + high * f, away


@kernel
def form_at(form, sx, sy, sz, x, y, z):
    """Signed distance of a plain form that stands on the origin; see tenka.scene.distance.form_distance."""
    hx, hy, hz = sx / 2, sy / 2, sz / 2
    z -= hz
    if form == SPHERE:
        k0 = math.sqrt((x / hx) ** 2 + (y / hy) ** 2 + (z / hz) ** 2)
        k1 = math.sqrt((x / (hx * hx)) ** 2 + (y / (hy * hy)) ** 2 + (z / (hz * hz)) ** 2)
        return k0 * (k0 - 1) / k1 if k1 > 1e-9 else -min(hx, hy, hz)
    if form == BOX:
        qx, qy, qz = abs(x) - hx, abs(y) - hy, abs(z) - hz
        return math.sqrt(max(qx, 0.0) ** 2 + max(qy, 0.0) ** 2 + max(qz, 0.0) ** 2) + min(
            max(qx, max(qy, qz)), 0.0
        )
    radius = min(hx, hy)
    side, up = math.sqrt((x / hx) ** 2 + (y / hy) ** 2) * radius - radius, abs(z) - hz
    return math.sqrt(max(side, 0.0) ** 2 + max(up, 0.0) ** 2) + min(max(side, up), 0.0)


@kernel
def _own_place(w, n, share, p):
    """A point in the own axes of the collider in row `n`."""
    s, (x, y, z) = 1 - share, p
    dx = x - w[n, ORIGIN0] * s - w[n, ORIGIN1] * share
    dy = y - w[n, ORIGIN0 + 1] * s - w[n, ORIGIN1 + 1] * share
    dz = z - w[n, ORIGIN0 + 2] * s - w[n, ORIGIN1 + 2] * share
    px = py = pz = 0.0
    for a in range(3):
        d = dx if a == 0 else (dy if a == 1 else dz)
        px += (w[n, TURN0 + 3 * a] * s + w[n, TURN1 + 3 * a] * share) * d
        py += (w[n, TURN0 + 3 * a + 1] * s + w[n, TURN1 + 3 * a + 1] * share) * d
        pz += (w[n, TURN0 + 3 * a + 2] * s + w[n, TURN1 + 3 * a + 2] * share) * d
    return px, py, pz


@kernel
def _own_value(stops, n, which, p):
    """The field `which` of a collider (0 is its distance) at a point in its own axes, and how far outside of
    the field that is, m."""
    w, (x, y, z) = stops.rows, p
    nx, ny, nz, h = int(w[n, SHAPE]), int(w[n, SHAPE + 1]), int(w[n, SHAPE + 2]), w[n, STEP]
    start = int(w[n, START]) + which * nx * ny * nz
    x, y, z = (x - w[n, CORNER]) / h, (y - w[n, CORNER + 1]) / h, (z - w[n, CORNER + 2]) / h
    value, away = field_at(stops.values, start, nx, ny, nz, x, y, z)
    return value, away * h


@kernel
def distance_to(n, stops, share, p):
    """Distance from a point to a collider at a share of the step, less its skin; `stops` are `Packed`."""
    w = stops.rows
    form = int(w[n, FORM])
    if form == GROUND:
        return p[2] - w[n, SKIN]
    own = _own_place(w, n, share, p)
    if form != FIELD:
        return form_at(form, w[n, SIZE], w[n, SIZE + 1], w[n, SIZE + 2], own[0], own[1], own[2]) - w[n, SKIN]
    value, away = _own_value(stops, n, 0, own)
    return value + away - w[n, SKIN]


@kernel
def slope_of(n, stops, share, p):
    """Unit direction away from a collider."""
    w, (x, y, z) = stops.rows, p
    if w[n, FORM] == GROUND:
        return 0.0, 0.0, 1.0
    e = 0.5 * w[n, STEP] if w[n, FORM] == FIELD else 1e-3
    gx = gy = gz = 0.0
    for k in range(6):  # one call in a loop: written out, it would take six times as long to compile
        sign = 1.0 if k < 3 else -1.0
        axis = k if k < 3 else k - 3
        d = sign * distance_to(
            n,
            stops,
            share,
            (
                x + (sign * e if axis == 0 else 0.0),
                y + (sign * e if axis == 1 else 0.0),
                z + (sign * e if axis == 2 else 0.0),
            ),
        )
        if axis == 0:
            gx += d
        elif axis == 1:
            gy += d
        else:
            gz += d
    r = math.sqrt(gx * gx + gy * gy + gz * gz)
    if r < 1e-12:
        return 0.0, 0.0, 1.0
    return gx / r, gy / r, gz / r


@kernel
def surface_speed(n, stops, p):
    """How fast a collider's own points move there; what changes its form hands on that too."""
    w, (x, y, z) = stops.rows, p
    dx, dy, dz = x - w[n, CENTRE], y - w[n, CENTRE + 1], z - w[n, CENTRE + 2]
    u = w[n, SPEED] + w[n, SPIN + 1] * dz - w[n, SPIN + 2] * dy
    v = w[n, SPEED + 1] + w[n, SPIN + 2] * dx - w[n, SPIN] * dz
    s = w[n, SPEED + 2] + w[n, SPIN] * dy - w[n, SPIN + 1] * dx
    if w[n, FLOWS] > 0:
        own = _own_place(w, n, 0.5, p)
        for a in range(3):
            value, _ = _own_value(stops, n, 1 + a, own)
            u += 0.5 * (w[n, TURN0 + a] + w[n, TURN1 + a]) * value
            v += 0.5 * (w[n, TURN0 + 3 + a] + w[n, TURN1 + 3 + a]) * value
            s += 0.5 * (w[n, TURN0 + 6 + a] + w[n, TURN1 + 6 + a]) * value
    return u, v, s
