"""The one registration of each family of layers in the window: how it is told apart, what the sheet shows of
it,
what can be added, and what is drawn over the stage.

A family without a line here is shown by its own settings alone.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QWidget

from tenka.app.sheet.liquidfoot import LiquidFoot
from tenka.app.sheet.pointfoot import PointFoot
from tenka.app.stage.handle import Handle, wall_handles
from tenka.app.state import State
from tenka.base.words import counted, singular
from tenka.effect.courses import value_at
from tenka.effect.model import Effect, GasLayer, LayerBase, LiquidLayer, PointLayer, WaterLayer
from tenka.gas.bent import axis_of, is_bent
from tenka.gas.felt import fastest_at
from tenka.gas.grid import Grid
from tenka.scene.poses import Pose

Box = tuple[np.ndarray, np.ndarray]
NOT_OF_PIECES = frozenset(("mesh", "turned", "spin", "spin_slower", "spin_fade"))
"""Looks that pieces have by themselves."""
NOT_OF_LIQUIDS = frozenset(("bed", "ripples", "ripples_long", "ripples_to", "wets", "normals"))
"""Looks that only a water over a bed has."""


@dataclass(frozen=True)
class LayerView:
    """A family of layers in the window.

    Attributes
    ----------
    icon : of its row
    parts : what the sheet shows of it, in the order of the work; '' is the layer itself
    hidden : settings of its look that it does not read
    foot : what stands above its rows
    starters : further layers of the family that the tray offers: name in tenka.effect.additions, icon
    handles : what can be taken hold of on the stage when it is selected
    box : the box that is drawn round it: low corner and extent, m
    counted : what is said in the stage's corner of a frame
    """

    icon: str
    parts: tuple[str, ...] = ("",)
    hidden: frozenset[str] = frozenset()
    foot: Callable[[State, Any], QWidget] | None = None
    starters: tuple[tuple[str, str], ...] = ()
    handles: Callable[[str, Any], list[Handle]] = lambda _path, _layer: []
    box: Callable[[Effect, Any], Box | None] = lambda _effect, _layer: None
    counted: Callable[[Any, Any], str] = lambda _layer, _frame: ""


def _gas_box(effect: Effect, layer: GasLayer) -> Box | None:
    grid = Grid.of(layer.domain)
    return np.asarray(grid.origin, float), np.asarray(grid.size, float)


def _water_box(effect: Effect, layer: WaterLayer) -> Box | None:
    return np.asarray(layer.basin.origin, float), np.asarray(layer.basin.size, float)


def _cells(layer: LayerBase, frame: Any) -> str:
    x, y = frame.shape
    return f"{x} × {y} cells"


def _liquid_box(effect: Effect, layer: LiquidLayer) -> Box | None:
    return np.asarray(layer.tank.origin, float), np.asarray(layer.tank.size, float)


def _particles(layer: LayerBase, frame: Any) -> str:
    return counted(int(frame.meta.get("count", 0)), "particle")


def _points_box(effect: Effect, layer: PointLayer) -> Box | None:
    """That of the gas which carries them."""
    gas = next((g for g in effect.gases if g.id == layer.motion.follows), None)
    return _gas_box(effect, gas) if gas is not None else None


def _voxels(layer: LayerBase, frame: Any) -> str:
    x, y, z = frame.shape
    return f"{x} × {y} × {z} voxels"


def _alive(layer: LayerBase, frame: Any) -> str:
    return counted(len(frame.points), singular(layer.UNITS))


VIEWS: dict[str, LayerView] = {
    "gas": LayerView(
        "cloud",
        ("domain", "fire", "motion", "fading", "quality", ""),
        starters=(("Gas", "cloud"),),
        handles=wall_handles,
        box=_gas_box,
        counted=_voxels,
    ),
    "particles": LayerView(
        "sparkles",
        ("motion", "ends", "bed", "look", ""),
        foot=PointFoot,
        starters=(("Sparks", "sparkles"), ("Embers", "flame"), ("Dust", "cloud-fog")),
        box=_points_box,
        counted=_alive,
    ),
    "debris": LayerView(
        "gem",
        ("pieces", "motion", "bodies", "ends", "look", ""),
        NOT_OF_PIECES,
        PointFoot,
        (("Debris", "gem"),),
        box=_points_box,
        counted=_alive,
    ),
    "liquid": LayerView(
        "glass-water",
        ("tank", "motion", "foam", "ends", "quality", ""),
        NOT_OF_LIQUIDS,
        LiquidFoot,
        starters=(("Liquid", "glass-water"),),
        handles=wall_handles,
        box=_liquid_box,
        counted=_particles,
    ),
    "water": LayerView(
        "droplets",
        ("basin", "flow", "foam", ""),
        starters=(("Water", "droplets"),),
        handles=wall_handles,
        box=_water_box,
        counted=_cells,
    ),
}
PLAIN = LayerView("layers")


def view_of_kind(layer: LayerBase) -> LayerView:
    """The registration of a layer's family, or a plain one."""
    return VIEWS.get(layer.kind, PLAIN)


Line = np.ndarray
Lines = Callable[[Any, Pose, np.ndarray, float, int], list[Line]]


@dataclass(frozen=True)
class ForceView:
    """A kind of force in the window.

    Attributes
    ----------
    kind : that of its document class
    name, icon, tip : in the tray
    lines : what is drawn of it on the stage: (force, its pose, a foot on the floor in m,
        time in s, its seed)
    placed : whether it can be taken hold of even when it acts everywhere
    """

    kind: str
    name: str
    icon: str
    tip: str
    lines: Lines
    placed: bool = False


def arrow(foot: np.ndarray, heading: float, rise: float, length: float) -> Line:
    """An arrow as one line, from degrees."""
    a, b = math.radians(heading), math.radians(rise)
    ahead = np.array([math.cos(a) * math.cos(b), math.sin(a) * math.cos(b), math.sin(b)])
    aside = np.array([-math.sin(a), math.cos(a), 0.0])
    tip = foot + ahead * length
    barbs = [tip - (ahead + side * 0.5 * aside) * 0.22 * length for side in (-1, 1)]
    return np.array([foot, tip, barbs[0], tip, barbs[1]])


def _wind_lines(force: Any, pose: Pose, foot: np.ndarray, t: float, seed: int) -> list[Line]:
    return [arrow(foot, value_at(force.heading, t), 0.0, value_at(force.speed, t))]


def _eddy_lines(force: Any, pose: Pose, foot: np.ndarray, t: float, seed: int) -> list[Line]:
    around = np.linspace(0, 2 * math.pi, 33)
    return [foot + force.size / 2 * np.stack([np.cos(around), np.sin(around), np.zeros(33)], axis=1)]


def _swirl_lines(force: Any, pose: Pose, foot: np.ndarray, t: float, seed: int) -> list[Line]:
    axis = axis_of(force, seed, t)
    share = np.linspace(0.0, 1.0, 97)
    at = np.stack([np.interp(share, np.linspace(0, 1, len(axis)), axis[:, a]) for a in range(3)], axis=1)
    ahead = np.gradient(at, axis=0)
    ahead /= np.maximum(np.linalg.norm(ahead, axis=1), 1e-9)[:, None]
    side = np.cross(ahead, (0.0, 1.0, 1e-3))
    side /= np.maximum(np.linalg.norm(side, axis=1), 1e-9)[:, None]
    across = np.cross(ahead, side)
    way = 1.0 if value_at(force.spin, t) >= 0 else -1.0
    turns = 6 * math.pi * share[:, None]
    coil = at + fastest_at(force) * (np.cos(turns) * side + way * np.sin(turns) * across)
    around = np.linspace(0, 2 * math.pi, 49)[:, None]
    rim = at[0] + force.reach * (np.cos(around) * side[0] + np.sin(around) * across[0])
    bent = [pose.to_scene(at)] if is_bent(force) else []
    return [pose.to_scene(coil), pose.to_scene(rim), *bent]


def _pull_lines(force: Any, pose: Pose, foot: np.ndarray, t: float, seed: int) -> list[Line]:
    points = np.concatenate([np.eye(3), -np.eye(3)])
    return [np.stack([pose.origin + 0.15 * force.reach * p, pose.origin + force.reach * p]) for p in points]


def _gravity_lines(force: Any, pose: Pose, foot: np.ndarray, t: float, seed: int) -> list[Line]:
    return [arrow(foot, value_at(force.heading, t), value_at(force.rise, t), value_at(force.strength, t))]


FORCES: dict[str, ForceView] = {
    "wind": ForceView("wind", "Wind", "wind", "Wind with gusts", _wind_lines),
    "eddies": ForceView("turbulence", "Eddies", "waves", "Turbulence: swirls that stir the gas", _eddy_lines),
    "swirl": ForceView(
        "swirl",
        "Swirl",
        "tornado",
        "A swirl column: gas turns round an axis and rises along it",
        _swirl_lines,
        True,
    ),
    "pull": ForceView(
        "pull", "Pull", "magnet", "A point that draws gas in, or pushes it away", _pull_lines, True
    ),
    "drag": ForceView("drag", "Drag", "hand", "Drag everywhere or in a region", lambda *_: []),
    "gravity": ForceView(
        "gravity", "Gravity", "arrow-down-to-line", "A further gravity, in any direction", _gravity_lines
    ),
}
"""Forces in the window, by the words of tenka.effect.forces.NEW_FORCES."""
BY_KIND = {view.kind: view for view in FORCES.values()}
UNKNOWN_FORCE = ForceView("", "Force", "plus", "", lambda *_: [])


def view_of_force(force: Any) -> ForceView:
    """The registration of a force's kind, or a plain one."""
    return BY_KIND.get(force.kind, UNKNOWN_FORCE)
