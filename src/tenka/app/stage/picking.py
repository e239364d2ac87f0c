"""A click on the stage selects what is there: a source, a force, a prop, a piece, a gas; the same click again
what lies behind it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from tenka.app.kinds import view_of_force
from tenka.app.stage.overlay import source_box
from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.cache.store import Frame
from tenka.effect.model import REGIONS, Placed
from tenka.look.inspect import cells_along
from tenka.look.liquids import along_skin
from tenka.run.frames import PointFrame
from tenka.run.liquids import LiquidFrame
from tenka.run.watering import WaterFrame, reached_at
from tenka.scene.cameras import View, camera_at, view_of
from tenka.scene.picking import box_hit, mesh_hit
from tenka.scene.poses import pose_at
from tenka.scene.props import prop_mesh

if TYPE_CHECKING:
    from tenka.app.stage.view import Stage

CATCH = 10.0  # px round a particle or the place of a force
SEEN = 0.05  # density that can be clicked on
NEARER = 0.02  # m by which a source is taken before what it lies on


def under(stage: Stage, x: float, y: float) -> list[str]:
    """Paths of all that lies under a pixel, the nearest first."""
    if stage.sides.on:
        return []  # four pictures, of which none fills the stage
    state, view = stage.state, stage.view()
    start, way = view.ray(x, y)
    found: list[tuple[float, str]] = []
    if state.layer is not None:
        for layer in state.effect.layers:
            for source in layer.sources:
                if source.shape in REGIONS and not source.hidden:
                    far = box_hit(start, way, *source_box(source, state))
                    found.append((far - NEARER, f"layers.{layer.id}.sources.{source.id}"))
    found += _forces(state, view, x, y)
    for light in state.effect.lights:
        if not light.hidden:
            found += _near(state, view, x, y, light, f"lights.{light.id}")
    for camera in state.effect.cameras:
        if camera.id != stage.through.id:
            eye = view_of(camera_at(camera, state.effect.props, state.time), 16, 9).eye
            found += _near_place(view, x, y, eye, f"cameras.{camera.id}")
    for prop in state.effect.props:
        if not prop.hidden:
            try:
                mesh = prop_mesh(prop, state.effect.props, state.folder, state.time)
            except TenkaError:
                continue
            found.append((mesh_hit(start, way, mesh), f"props.{prop.id}"))
    found += _shown(stage, view, x, y, start, way)
    return [path for far, path in sorted(found) if math.isfinite(far)]


def _forces(state: State, view: View, x: float, y: float) -> list[tuple[float, str]]:
    """Forces that have a place, near the pixel."""
    found = []
    for force in state.effect.forces:
        placed = force.region not in ("everywhere", "source") or view_of_force(force).placed
        if placed and not force.hidden:
            found += _near(state, view, x, y, force, f"forces.{force.id}")
    return found


def _near(state: State, view: View, x: float, y: float, thing: Placed, path: str) -> list[tuple[float, str]]:
    """A thing that has a place and no form, when that is near the pixel."""
    return _near_place(view, x, y, pose_at(thing, state.effect.props, state.time).origin, path)


def _near_place(view: View, x: float, y: float, place: np.ndarray, path: str) -> list[tuple[float, str]]:
    at = view.project(place[None])[0]
    near = at[2] > 0.05 and math.hypot(at[0] - x, at[1] - y) <= CATCH
    return [(float(at[2]), path)] if near else []


def _shown(
    stage: Stage, view: View, x: float, y: float, start: np.ndarray, way: np.ndarray
) -> list[tuple[float, str]]:
    """Layers by what is drawn of them: the nearest particle at the pixel, or the first dense gas."""
    found = []
    for id, frame in stage.shown.frames.items() if stage.shown is not None else ():
        if isinstance(frame, PointFrame) and len(frame.points):
            at = view.project(frame.points.place.astype(float))
            near = (np.hypot(at[:, 0] - x, at[:, 1] - y) < CATCH) & (at[:, 2] > 0.05)
            if near.any():
                found.append((float(at[near, 2].min()), f"layers.{id}"))
        elif isinstance(frame, Frame):
            t, index = cells_along(frame, start, way)
            dense = frame.density[tuple(index.T)] > SEEN
            if dense.any():
                found.append((float(t[np.argmax(dense)]), f"layers.{id}"))
        elif isinstance(frame, LiquidFrame):
            skin = frame.skin
            met = along_skin(skin, start, way) if skin is not None else None
            if met is not None:
                found.append((met, f"layers.{id}"))
        elif isinstance(frame, WaterFrame):
            reached = reached_at(frame, start, way)
            if reached is not None:
                found.append((reached, f"layers.{id}"))
    return found


def point_at(stage: Stage, layer: str, x: float, y: float) -> int | None:
    """Id of a layer's particle or piece nearest to the eye at a pixel."""
    frame = stage.shown.frames.get(layer) if stage.shown is not None else None
    if not isinstance(frame, PointFrame) or not len(frame.points):
        return None
    at = stage.view().project(frame.points.place.astype(float))
    near = np.flatnonzero((np.hypot(at[:, 0] - x, at[:, 1] - y) < CATCH) & (at[:, 2] > 0.05))
    if not len(near):
        return None
    return int(frame.points.id[near[np.argmin(at[near, 2])]])


def pick(stage: Stage, x: float, y: float, again: bool = True) -> str:
    """Select what is under a pixel, or with `again` what lies behind it when that is selected; its path, ''
    for nothing."""
    paths = under(stage, x, y)
    if not paths:
        return ""
    chosen = stage.state.selection
    behind = again and chosen in paths
    path = paths[(paths.index(chosen) + 1) % len(paths)] if behind else paths[0]
    stage.state.select(path)
    if path.count(".") == 1 and path.startswith("layers."):
        layer = path.split(".")[1]
        id = point_at(stage, layer, x, y)
        stage.state.choose_points(layer, (id,) if id is not None else ())
    return path
