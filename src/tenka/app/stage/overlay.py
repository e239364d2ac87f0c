"""What is drawn over the stage's picture: the domain, sources, forces, paths and curves, handles."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from tenka.app import theme
from tenka.app.kinds import view_of_force, view_of_kind
from tenka.app.stage.handles import arrow_tip, handles_of, lines_of, path_frame
from tenka.app.stage.outlines import outline
from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.base.randomness import stable_seed
from tenka.effect.document import get
from tenka.effect.model import REGIONS, Feed, Force, Placed, PointSource, SceneLight, ramp_at
from tenka.effect.placed import SIZED
from tenka.gas.held import source_of
from tenka.scene.cameras import View
from tenka.scene.poses import Pose, pose_at, way_of


def paint_box(painter: QPainter, view: View, state: State) -> None:
    """The domain, the forces, the sources, the selection's lines and handles."""
    for light in state.effect.lights:
        if not light.hidden and not light.passed_over:
            _light(painter, view, state, light)
    layer = state.layer
    if layer is None:
        return
    low, size = np.array([-1.0, -1.0, 0.0]), np.array([2.0, 2.0, 2.0])
    box = view_of_kind(layer).box(state.effect, layer)
    if box is not None:
        low, size = box
        _edges(painter, view, low, low + size, theme.colour(theme.TEXT, 0.22))
    for force in state.effect.forces:
        if not force.hidden and not force.passed_over:
            _force(painter, view, state, force, low, size)
    for source in layer.sources:
        if not source.hidden and source.shape in REGIONS:
            chosen = state.selection.endswith(f"sources.{source.id}")
            hue = theme.colour(theme.VERDIGRIS, 0.95 if chosen else 0.45)
            _form(painter, view, pose_at(source, state.effect.props, state.time), source, hue)
    _lines(painter, view, state)
    _chosen_points(painter, view, state)
    painter.setPen(QPen(theme.colour(theme.GROUND), 1.0))
    for handle in handles_of(state):
        x, y, depth = view.project(handle.point[None])[0]
        painter.setBrush(theme.colour(theme.VERDIGRIS if handle.knot < 0 else theme.TEXT))
        if depth > 0.05 and handle.knot < 0:
            painter.drawRect(QRectF(x - 4, y - 4, 8, 8))
        elif depth > 0.05:
            painter.drawEllipse(QPointF(x, y), 4.0, 4.0)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _chosen_points(painter: QPainter, view: View, state: State) -> None:
    """A ring round each chosen particle or piece."""
    layer, ids = state.points
    frame = state.session.points_at(state.frame, layer) if ids else None
    if frame is None or not len(frame.points):
        return
    p = frame.points.picked(np.isin(frame.points.id, ids))
    painter.setPen(QPen(theme.colour(theme.SAFFRON), 1.6))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    scale = view.height / (2 * view.half_height)
    for (x, y, depth), width in zip(view.project(p.place.astype(float)).tolist(), p.width.tolist()):
        if depth > 0.05:
            reach = max(7.0, min(0.6 * scale * width / depth, 60.0))
            painter.drawEllipse(QPointF(x, y), reach, reach)


def _lines(painter: QPainter, view: View, state: State) -> None:
    """The selected thing's path, and a source's curve."""
    try:
        node = get(state.effect, state.selection)
    except TenkaError:
        return
    if not isinstance(node, Placed):
        return
    props, t = state.effect.props, state.time
    if isinstance(node, PointSource) and node.shape in REGIONS:
        painter.setPen(QPen(theme.colour(theme.VERDIGRIS, 0.9), 1.3))
        for line in rose_lines(node, pose_at(node, props, t)):
            at = view.project(line)
            if (at[:, 2] > 0.05).all():
                painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in at[:, :2].tolist()]))
    lines = dict(lines_of(node, props, t))
    if "path" in lines:
        lines["path"] = path_frame(node, props, t).to_scene(way_of(node.path)[0])
    painter.setPen(QPen(theme.colour(theme.VERDIGRIS, 0.8), 1.3, Qt.PenStyle.DashLine))
    for points in lines.values():
        at = view.project(points)
        if (at[:, 2] > 0.05).all():
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in at[:, :2].tolist()]))


POINT = 0.05  # m, half of the box that marks a source without a size
ROSE = 0.7  # m, of the rose's longest petal


def rose_lines(source: PointSource, pose: Pose) -> list[np.ndarray]:
    """The arrow along which a source throws, and how many go each way round it: outlines of the rose in two
    planes through the arrow, (n, 3) m in the scene."""
    tip = arrow_tip(source)
    ahead = tip / max(float(np.linalg.norm(tip)), 1e-9)
    side = np.cross(ahead, np.eye(3)[int(np.argmin(np.abs(ahead)))])
    side /= np.linalg.norm(side)
    barbs = [tip - 0.12 * ROSE * (ahead + s * 0.5 * side) for s in (-1, 1)]
    lines = [np.array([np.zeros(3), tip, barbs[0], tip, barbs[1]])]
    share = np.linspace(-1.0, 1.0, 65)
    far = np.maximum(ramp_at(source.rose, np.abs(share)), 0.0)
    far = ROSE * far / max(float(far.max()), 1e-9)
    angle = share * np.radians(source.spread)
    for across in (side, np.cross(ahead, side)):
        petals = far[:, None] * (np.cos(angle)[:, None] * ahead + np.sin(angle)[:, None] * across)
        lines.append(np.concatenate([np.zeros((1, 3)), petals, np.zeros((1, 3))]))
    return [pose.to_scene(line) for line in lines]


def _light(painter: QPainter, view: View, state: State, light: SceneLight) -> None:
    """A light as a ring of its width with rays; a panel as its square and the way it shines."""
    chosen = state.selection == f"lights.{light.id}"
    hue = theme.colour(theme.VERDIGRIS if chosen else theme.TEXT, 0.9 if chosen else 0.5)
    painter.setPen(QPen(hue, 1.3))
    pose = pose_at(light, state.effect.props, state.time)
    half = max(0.5 * light.wide, 0.04)
    if light.shape == "panel":
        square = half * np.array([(0, -1, -1), (0, 1, -1), (0, 1, 1), (0, -1, 1), (0, -1, -1)], float)
        lines = [pose.to_scene(square), pose.to_scene(np.array([(0.0, 0, 0), (3 * half, 0, 0)]))]
    else:
        ways = np.radians(np.arange(0, 360, 45))
        across = np.cos(ways)[:, None] * view.right + np.sin(ways)[:, None] * view.up
        ring = pose.origin + half * np.concatenate([across, across[:1]])
        lines = [ring, *(pose.origin + np.stack([1.4 * half * way, 2.2 * half * way]) for way in across)]
    for points in lines:
        at = view.project(points)
        if (at[:, 2] > 0.05).all():
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in at[:, :2].tolist()]))


def _force(
    painter: QPainter, view: View, state: State, force: Force, low: np.ndarray, size: np.ndarray
) -> None:
    """A force as lines: an arrow of one second's way, a ring of the eddies' size, a coil, a star; and its
    region."""
    chosen = state.selection == f"forces.{force.id}"
    hue = theme.colour(theme.VERDIGRIS if chosen else theme.TEXT, 0.9 if chosen else 0.4)
    painter.setPen(QPen(hue, 1.3))
    t, pose = state.time, pose_at(force, state.effect.props, state.time)
    foot = low + size * (0.5, 0.5, 0.0)
    source = source_of(state.effect, force) if force.region == "source" else None
    if source is not None and source.shape in REGIONS:
        held = pose_at(source, state.effect.props, state.time)
        foot = held.origin
        _form(painter, view, held, source, hue)
    elif force.region not in ("everywhere", "source"):
        foot = pose.origin
        _drawn(painter, view, pose, outline(force.region, np.asarray(force.region_size)), hue)
    lines = view_of_force(force).lines(force, pose, foot, t, stable_seed(state.effect.seed, force.id))
    for points in lines:
        at = view.project(points)
        if (at[:, 2] > 0.05).all():
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in at[:, :2].tolist()]))


def _form(painter: QPainter, view: View, pose: Pose, source: Feed, hue: QColor) -> None:
    """A source's form, as it stands."""
    if source.shape == "curve":
        lines = [way_of(source.curve)[0]]
    else:
        size = np.asarray(source.size) if source.shape in SIZED else np.full(3, 2 * POINT)
        lines = outline(source.shape if source.shape in SIZED else "sphere", size)
    _drawn(painter, view, pose, lines, hue)


def _drawn(painter: QPainter, view: View, pose: Pose, lines: list[np.ndarray], hue: QColor) -> None:
    """Lines of a thing's own axes, those that are before the eye."""
    painter.setPen(QPen(hue, 1.1))
    for line in lines:
        at = view.project(pose.to_scene(line))
        if (at[:, 2] > 0.05).all():
            painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in at[:, :2].tolist()]))


def _edges(painter: QPainter, view: View, low: np.ndarray, high: np.ndarray, hue: object) -> None:
    corners = np.array(
        [
            [(low, high)[i][0], (low, high)[j][1], (low, high)[k][2]]
            for i in (0, 1)
            for j in (0, 1)
            for k in (0, 1)
        ]
    )
    at = view.project(corners)
    painter.setPen(QPen(hue, 1))  # type: ignore[call-overload]
    for a in range(8):
        for bit in (1, 2, 4):
            b = a | bit
            if b != a and at[a, 2] > 0.05 and at[b, 2] > 0.05:
                painter.drawLine(QPointF(*at[a, :2]), QPointF(*at[b, :2]))


def source_box(source: Feed, state: State) -> tuple[np.ndarray, np.ndarray]:
    """Bounds in the scene of a source with a form of its own, at the shown time."""
    pose = pose_at(source, state.effect.props, state.time)
    if source.shape == "curve":
        points = np.asarray(source.curve, float)
        corners = np.concatenate([points - source.thickness, points + source.thickness])
    else:
        half = np.asarray(source.size) / 2 if source.shape in SIZED else np.full(3, POINT)
        return pose.bounds(-half, half)
    placed = pose.to_scene(corners)
    return placed.min(axis=0), placed.max(axis=0)
