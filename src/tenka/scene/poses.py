"""Poses over time: where a placed thing stands, carried by its parents, and how fast it moves.

A pose takes a thing's own coordinates to the scene's: first its tilt (about its y axis), then its turn (about
the vertical), then its position, with where it is on its path and what it has shifted; then its parent's
pose.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from tenka.effect.courses import Course, Value, value_at
from tenka.effect.model import Effect, Placed, Prop

CORNERS = np.array([[i, j, k] for i in (0, 1) for j in (0, 1) for k in (0, 1)])
"""Of a box: whether low or high, on each axis."""


@dataclass(frozen=True)
class Pose:
    """A rigid placing: `world = points @ turn.T + origin`.

    Attributes
    ----------
    turn : (3, 3) rotation
    origin : (3,) m
    """

    turn: np.ndarray
    origin: np.ndarray

    def to_scene(self, points: np.ndarray) -> np.ndarray:
        return points @ self.turn.T + self.origin

    def bounds(self, low: np.ndarray, high: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Bounds in the scene of a box that is given in the thing's own coordinates, (3,) m each."""
        ends = np.stack([low, high]).astype(float)
        points = self.to_scene(ends[CORNERS, [0, 1, 2]])
        return points.min(axis=0), points.max(axis=0)

    def to_own(self, points: np.ndarray) -> np.ndarray:
        return (points - self.origin) @ self.turn

    def same_as(self, other: Pose) -> bool:
        return bool(np.array_equal(self.turn, other.turn) and np.array_equal(self.origin, other.origin))


STILL = Pose(np.eye(3), np.zeros(3))


def turns(q: np.ndarray) -> np.ndarray:
    """Rotation matrices of quaternions, (n, 3, 3)."""
    w, x, y, z = q.astype(np.float64).T
    return np.stack(
        [
            np.stack([1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)], axis=1),
            np.stack([2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)], axis=1),
            np.stack([2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)], axis=1),
        ],
        axis=1,
    )


ALONG = 24  # straight pieces between two points of a path


@lru_cache(maxsize=64)
def way_of(points: tuple[tuple[float, float, float], ...]) -> tuple[np.ndarray, np.ndarray]:
    """A smooth way through points: (n, 3) places close together, and the share of the length at which each
    lies.

    Catmull-Rom with centripetal spacing (Yuksel, Schaefer & Keyser 2011): it passes every point and makes no
    loops of its own.
    """
    p = np.array([q for i, q in enumerate(points) if i == 0 or q != points[i - 1]], float)
    if len(p) == 1:
        return np.repeat(p, 2, axis=0), np.array([0.0, 1.0])
    p = np.concatenate([[2 * p[0] - p[1]], p, [2 * p[-1] - p[-2]]])
    knots = np.concatenate([[0.0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(p, axis=0), axis=1)))])
    pieces = []
    for i in range(1, len(p) - 2):
        t0, t1, t2, t3 = knots[i - 1 : i + 3]
        t = np.linspace(t1, t2, ALONG, endpoint=False)[:, None]
        a1 = (t1 - t) / (t1 - t0) * p[i - 1] + (t - t0) / (t1 - t0) * p[i]
        a2 = (t2 - t) / (t2 - t1) * p[i] + (t - t1) / (t2 - t1) * p[i + 1]
        a3 = (t3 - t) / (t3 - t2) * p[i + 1] + (t - t2) / (t3 - t2) * p[i + 2]
        b1 = (t2 - t) / (t2 - t0) * a1 + (t - t0) / (t2 - t0) * a2
        b2 = (t3 - t) / (t3 - t1) * a2 + (t - t1) / (t3 - t1) * a3
        pieces.append((t2 - t) / (t2 - t1) * b1 + (t - t1) / (t2 - t1) * b2)
    way = np.concatenate([*pieces, p[-2:-1]])
    length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(way, axis=0), axis=1))])
    return way, length / length[-1]


def along(points: tuple[tuple[float, float, float], ...], share: float) -> tuple[np.ndarray, float]:
    """Where a path is at a share of its length, and the heading in radians in which it goes there."""
    way, lengths = way_of(points)
    share = min(1.0, max(0.0, share))
    i = min(int(np.searchsorted(lengths, share, side="right")), len(way) - 1)
    step = way[i] - way[i - 1]
    place = np.array([np.interp(share, lengths, way[:, a]) for a in range(3)])
    return place, math.atan2(step[1], step[0])


def own_pose(placed: Placed, at: Callable[[Value], float]) -> Pose:
    a, b = math.radians(at(placed.turn)), math.radians(at(placed.tilt))
    origin = np.asarray(placed.position, float)
    if placed.path:
        place, heading = along(placed.path, at(placed.travel))
        origin = origin + place
        a += heading if placed.faces_path else 0.0
    round_z = np.array([[math.cos(a), -math.sin(a), 0.0], [math.sin(a), math.cos(a), 0.0], [0.0, 0.0, 1.0]])
    round_y = np.array([[math.cos(b), 0.0, math.sin(b)], [0.0, 1.0, 0.0], [-math.sin(b), 0.0, math.cos(b)]])
    shift = (at(placed.shift_x), at(placed.shift_y), at(placed.shift_z))
    return Pose(round_z @ round_y, origin + shift)


def pose_of(placed: Placed, props: tuple[Prop, ...], at: Callable[[Value], float]) -> Pose:
    """The pose of a placed thing.

    Parameters
    ----------
    props : among which its parents are; one that is missing carries nothing
    at : gives the value of a course at the moment that is asked for
    """
    pose, parent = own_pose(placed, at), placed.parent
    for _ in range(len(props)):
        carrier = next((p for p in props if p.id == parent), None)
        if carrier is None:
            break
        outer = own_pose(carrier, at)
        pose = Pose(outer.turn @ pose.turn, outer.to_scene(pose.origin))
        parent = carrier.parent
    return pose


def pose_at(placed: Placed, props: tuple[Prop, ...], t: float) -> Pose:
    """The pose at `t` seconds."""
    return pose_of(placed, props, lambda value: value_at(value, t))


def carriers(placed: Placed, props: tuple[Prop, ...]) -> list[Prop]:
    """The props that carry a thing, nearest first."""
    found: list[Prop] = []
    parent = placed.parent
    while parent and len(found) < len(props):
        carrier = next((p for p in props if p.id == parent), None)
        if carrier is None:
            break
        found.append(carrier)
        parent = carrier.parent
    return found


def moves(placed: Placed, props: tuple[Prop, ...]) -> bool:
    """Whether a thing, or what carries it, has a course."""
    names = {"turn", "tilt", "shift_x", "shift_y", "shift_z", "travel"}
    return any(
        isinstance(getattr(item, name), Course)
        for item in (placed, *carriers(placed, props))
        for name in names
    )


def scene_moves(effect: Effect) -> bool:
    """Whether any prop that is drawn moves."""
    return any(not p.hidden and (p.clip or moves(p, effect.props)) for p in effect.props)


@dataclass(frozen=True)
class Motion:
    """How a rigid thing moves between two poses `dt` seconds apart: v(x) = speed + spin x (x - centre)."""

    speed: np.ndarray
    spin: np.ndarray
    centre: np.ndarray

    def at(self, points: np.ndarray) -> np.ndarray:
        """Velocity of its points, (n, 3) m/s."""
        return self.speed + np.cross(np.broadcast_to(self.spin, points.shape), points - self.centre)


def motion_between(before: Pose, after: Pose, dt: float) -> Motion:
    """The mean velocity from one pose to the next (rotation by its axis and angle)."""
    change = after.turn @ before.turn.T
    cosine = min(1.0, max(-1.0, (np.trace(change) - 1.0) / 2.0))
    axis = np.array([change[2, 1] - change[1, 2], change[0, 2] - change[2, 0], change[1, 0] - change[0, 1]])
    length = float(np.linalg.norm(axis))
    angle = math.acos(cosine)
    spin = axis / length * angle / dt if length > 1e-12 else np.zeros(3)
    return Motion((after.origin - before.origin) / dt, spin, 0.5 * (before.origin + after.origin))
