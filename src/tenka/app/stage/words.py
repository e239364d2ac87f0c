"""What the stage says in words: of which moment a picture is, how much is shown, values under the pointer."""

from __future__ import annotations

import numpy as np

from tenka.app.kinds import view_of_kind
from tenka.app.state import State
from tenka.cache.store import Frame
from tenka.effect.model import AMBIENT_KELVIN, Effect, heard
from tenka.look.inspect import cells_along
from tenka.particles.state import ASLEEP
from tenka.run.frames import PointFrame
from tenka.run.session import Session, Shown
from tenka.scene.cameras import View


def _stand_in(kept: Shown | None, shown: Shown | None, index: int, effect: Effect) -> tuple[str, bool]:
    """What a picture says when it is not of the frame that was asked for, and whether it is of another
    moment."""
    if kept is None:
        return (f"frame {index + 1} is not simulated yet", False) if effect.layers else ("", False)
    if kept.index < 0:
        return "run-up, before the first frame", True
    if kept.index != index:
        return f"frame {kept.index + 1} is shown: frame {index + 1} is not simulated yet", True
    if shown is None:
        return "as before the last change: simulating", False
    missing = [layer.name for layer in heard(effect.layers) if layer.id not in kept.frames]
    return (f"without {', '.join(missing)}: not simulated yet", False) if missing else ("", False)


def _fits(shown: Shown, effect: Effect) -> bool:
    """Whether frames that were shown can stand for others of the effect for a moment."""
    by_id = {layer.id: layer for layer in effect.layers}
    for id, frame in shown.frames.items():
        layer = by_id.get(id)
        domain = getattr(layer, "domain", None)
        if layer is None or (isinstance(frame, Frame) and (domain is None or domain.voxel != frame.voxel)):
            return False
    return True


def _counted(shown: Shown, state: State) -> list[str]:
    """How much is shown of the layer that is worked on."""
    layer = state.layer
    frame = shown.frames.get(layer.id) if layer is not None else None
    words = view_of_kind(layer).counted(layer, frame) if layer is not None and frame is not None else ""
    return [words] if words else []


REACH_PX = 9.0


def nearest_point(view: View, px: float, py: float, shown: Shown, layer: str) -> str:
    """Values of the particle nearest to the eye under a pixel, of the layer that is worked on; empty without
    one."""
    frame = shown.frames.get(layer)
    if not isinstance(frame, PointFrame) or not len(frame.points):
        return ""
    p = frame.points
    at = view.project(p.place)
    near = np.flatnonzero((np.hypot(at[:, 0] - px, at[:, 1] - py) < REACH_PX) & (at[:, 2] > 0.05))
    if not len(near):
        return ""
    i = near[np.argmin(at[near, 2])]
    life = f" of {p.life[i]:.2f} s" if np.isfinite(p.life[i]) else ""
    x, y, z = p.place[i]
    asleep = "    asleep" if p.state[i] & ASLEEP else ""
    return (
        f"age {p.age(frame.time)[i]:.2f} s{life}    size {100 * p.width[i]:.1f} cm    speed "
        f"{np.linalg.norm(p.velocity[i]):.2f} m/s    "
        f"{p.heat[i] + AMBIENT_KELVIN:.0f} K    at {x:.2f}, {y:.2f}, {z:.2f} m{asleep}"
    )


def probe_text(view: View, px: float, py: float, shown: Shown, session: Session, layer: str = "") -> str:
    """Values at the densest point under a pixel, with units; empty where the ray meets no gas."""
    frame = shown.gas(layer)
    particle = nearest_point(view, px, py, shown, layer)
    if particle:
        return particle
    if frame is None:
        return ""
    if frame.velocity is None:
        whole = session.frame_with_velocity(
            shown.index, layer if isinstance(shown.frames.get(layer), Frame) else None
        )
        if whole is None:
            return ""
        frame = whole
    start, direction = view.ray(px, py)
    t, index = cells_along(frame, start, direction)
    if not len(t):
        return ""
    points = start + t[:, None] * direction
    density = frame.density[index[:, 0], index[:, 1], index[:, 2]].astype(float)
    k = int(np.argmax(density))
    if density[k] < 1e-3:
        return ""
    i, j, n = index[k]
    assert frame.velocity is not None
    v = frame.velocity[:, i, j, n].astype(float)
    x, y, z = points[k]
    warm = float(frame.temperature[i, j, n]) + AMBIENT_KELVIN
    return (
        f"density {density[k]:.2f}    temperature {warm:.0f} K    velocity {np.linalg.norm(v):.2f} m/s "
        f"({v[0]:.1f}, {v[1]:.1f}, {v[2]:.1f})    at {x:.2f}, {y:.2f}, {z:.2f} m"
    )
