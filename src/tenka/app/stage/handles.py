"""Handles on the stage: things are carried by hand, walls of the domain are pulled, and a carry while playing
is kept as a course."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tenka.app.kinds import view_of_force, view_of_kind
from tenka.app.stage.handle import Handle
from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.effect.courses import Key, Keys
from tenka.effect.document import get
from tenka.effect.model import REGIONS, Feed, LayerBase, Placed, PointSource, Prop, Vec3
from tenka.scene.cameras import View
from tenka.scene.poses import Pose, carriers, pose_at

NEAR = 12.0  # px: a target of 24
ARROW = 0.875  # m, of the arrow along which a source throws
LEAST_BOX = 4  # voxels that a pulled wall leaves


def handles_of(state: State) -> list[Handle]:
    """What the selection offers, at the shown time."""
    chosen, effect = state.selection, state.effect
    try:
        node = get(effect, chosen) if chosen and chosen != "effect" else None
    except TenkaError:
        return []
    if isinstance(node, LayerBase):
        return view_of_kind(node).handles(chosen, node)
    if not isinstance(node, Placed):
        return []
    knots = [
        Handle(chosen, point, line=name, knot=i)
        for name, points in lines_of(node, effect.props, state.time)
        for i, point in enumerate(points)
    ]
    if isinstance(node, Feed) and node.shape not in REGIONS:
        return []
    if getattr(node, "region", "") == "everywhere" and not view_of_force(node).placed:
        return []
    pose = pose_at(node, effect.props, state.time)
    if isinstance(node, PointSource):
        knots.append(Handle(chosen, pose.to_scene(arrow_tip(node)[None])[0], line="arrow", knot=0))
    return [Handle(chosen, pose.origin), *knots]


def arrow_tip(source: PointSource) -> np.ndarray:
    """Where the arrow ends along which a source throws, (3,) m in its own coordinates."""
    ahead = np.asarray(source.arrow, float)
    return np.asarray(ARROW * ahead / max(float(np.linalg.norm(ahead)), 1e-9))


def lines_of(node: Placed, props: tuple[Prop, ...], t: float) -> list[tuple[str, np.ndarray]]:
    """The points of a thing's path, and of a source's or a swirl's curve, where they are in the scene; by the
    name of the setting."""
    found = []
    if node.path:
        found.append(("path", path_frame(node, props, t).to_scene(np.asarray(node.path, float))))
    bent: tuple[Vec3, ...] = getattr(node, "curve", ())
    if bent and getattr(node, "shape", "curve") == "curve":
        found.append(("curve", pose_at(node, props, t).to_scene(np.asarray(bent, float))))
    return found


def path_frame(node: Placed, props: tuple[Prop, ...], t: float) -> Pose:
    """In which a thing's path lies: its position, carried by its parents, without what moves it itself."""
    still = {"turn": 0.0, "tilt": 0.0, "path": (), "shift_x": 0.0, "shift_y": 0.0, "shift_z": 0.0}
    return pose_at(node.model_copy(update=still), props, t)


def under(handles: list[Handle], view: View, x: float, y: float) -> Handle | None:
    """The handle at a pixel, the nearest to the eye first."""
    held = []
    for handle in handles:
        px, py, depth = view.project(handle.point[None])[0]
        if depth > 0.05 and np.hypot(px - x, py - y) <= NEAR:
            held.append((depth, handle))
    return min(held, key=lambda pair: pair[0])[1] if held else None


@dataclass
class Carry:
    """One drag of a handle. `samples`: (time, way from the start in the parent's coordinates), while
    playing."""

    state: State
    handle: Handle
    view: View
    token: object = field(default_factory=object)
    samples: list[tuple[float, np.ndarray]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.before = self.state.effect
        self.node = get(self.before, self.handle.path)
        self._began, self._from = time.monotonic(), self.state.time

    def _hands_time(self, pace: float) -> float:
        """Seconds of the effect by the hand's own clock: each move is simulated anew, so that what is drawn
        may be far behind the hand, or stand."""
        return (self._from + (time.monotonic() - self._began) * pace) % self.before.seconds

    def move(self, x: float, y: float, pace: float) -> None:
        """Follow the pointer: a thing in the plane that faces the view, a wall along its axis.

        Parameters
        ----------
        x, y : pixels of the stage
        pace : seconds of the effect in one of the clock's while it plays, else 0
        """
        start, way = self.view.ray(x, y)
        if self.handle.axis >= 0:
            self._pull(start, way)
            return
        facing = self.view.forward
        reach = float((self.handle.point - start) @ facing / max(float(way @ facing), 1e-6))
        there = start + reach * way
        if self.handle.knot >= 0:
            self._bend(there)
            return
        shift = self._to_parent(there - self.handle.point)
        if pace > 0.0:
            self.samples.append((self._hands_time(pace), shift))
        position = tuple(round(float(p + s), 4) for p, s in zip(self.node.position, shift))
        self.state.edit(f"{self.handle.path}.position", position, f"Move {self.node.name}", self.token)

    def _bend(self, there: np.ndarray) -> None:
        """Take a point of the curve or the path there."""
        name, props = self.handle.line, self.before.props
        frame = (
            path_frame(self.node, props, self.state.time)
            if name == "path"
            else pose_at(self.node, props, self.state.time)
        )
        place = frame.to_own(there[None])[0]
        if name == "arrow":
            way = place / max(float(np.linalg.norm(place)), 1e-6)
            arrow = tuple(round(float(v), 3) for v in way)
            self.state.edit(f"{self.handle.path}.arrow", arrow, f"Aim {self.node.name}", self.token)
            return
        own = tuple(round(float(v), 4) for v in place)
        points = tuple(own if i == self.handle.knot else p for i, p in enumerate(getattr(self.node, name)))
        self.state.edit(
            f"{self.handle.path}.{name}", points, f"Bend the {name} of {self.node.name}", self.token
        )

    def _to_parent(self, shift: np.ndarray) -> np.ndarray:
        carrier = next(iter(carriers(self.node, self.before.props)), None)
        return shift if carrier is None else shift @ pose_at(carrier, self.before.props, self.state.time).turn

    def _pull(self, start: np.ndarray, way: np.ndarray) -> None:
        """The wall goes to the point of its axis that is nearest to the ray."""
        box: Any = self.node
        axis, h = self.handle.axis, self.handle
        along = np.eye(3)[axis]
        across = way - (way @ along) * along
        gap = h.point - start
        flat = gap - (gap @ along) * along
        reach = float(flat @ across / max(float(across @ across), 1e-9))
        place = float((start + reach * way)[axis])
        low, high = box.origin[axis], box.origin[axis] + box.size[axis]
        least = LEAST_BOX * box.edge
        low, high = (low, max(place, low + least)) if h.high else (min(place, high - least), high)
        origin, size = list(box.origin), list(box.size)
        origin[axis], size[axis] = round(low, 3), round(high - low, 3)
        self.state.edit(
            self.handle.path,
            box.model_copy(update={"origin": tuple(origin), "size": tuple(size)}),
            "Pull a wall of the domain",
            self.token,
        )

    def done(self) -> None:
        """End the drag; one that went on while playing becomes courses of the thing's shift, from its old
        position."""
        path = path_of(self.samples, self.before.rate)
        if path is None:
            return
        node = self.node
        for axis, course in zip("xyz", path):
            node = node.model_copy(update={f"shift_{axis}": course})
        self.state.edit(self.handle.path, node, f"Keep the way of {node.name}", self.token)
        self.state.said.emit("The way was kept as courses of its shift; the wave marks open them.")


def path_of(samples: list[tuple[float, np.ndarray]], rate: float) -> tuple[Keys, Keys, Keys] | None:
    """Keys of the longest stretch of a carry in which time ran forwards, at most one in a frame; None for
    less than two."""
    stretches: list[list[tuple[float, np.ndarray]]] = [[]]
    for t, shift in samples:
        kept = stretches[-1]
        if kept and t < kept[-1][0] - 1e-6:  # the play came round
            kept = []
            stretches.append(kept)
        if kept and t - kept[-1][0] < 0.5 / rate:
            kept[-1] = (kept[-1][0], shift)
        else:
            kept.append((t, shift))
    best = max(stretches, key=len)
    if len(best) < 2:
        return None
    x, y, z = (
        Keys(keys=tuple(Key(t=round(t, 4), v=round(float(s[a]), 4), ease="linear") for t, s in best))
        for a in range(3)
    )
    return x, y, z
