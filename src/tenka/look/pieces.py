"""Pieces as they stand at a moment: which shape each is, how it is turned, how large; and all as one mesh."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from scipy.spatial.transform import Rotation

from tenka.base.randomness import unit_array
from tenka.effect.courses import value_at
from tenka.effect.model import Effect, PointLayer
from tenka.look.swarm import life_of, over, turned
from tenka.particles.pieces import Piece, kind_of, pieces_of
from tenka.particles.state import Points
from tenka.scene.meshes import Mesh, joined
from tenka.scene.poses import turns
from tenka.scene.props import own_mesh

MOST_BODIES = 20_000


def lives_of(layer: PointLayer, t: float) -> np.ndarray:
    """The life of each of a layer's sources, s."""
    return np.array([value_at(s.life, t) for s in layer.sources], np.float32)


def kept_pieces(layer: PointLayer, p: Points) -> Points:
    """Without the pieces that were deleted, and those that were moved or turned by hand where they stand
    now."""
    gone = layer.deleted_ids
    p = p.picked(~np.isin(p.id, np.asarray(gone, np.int64))) if gone else p
    of = {s.id: s for s in layer.shifts}
    rows = np.flatnonzero(np.isin(p.id, list(of))) if of else ()
    if not len(rows):
        return p
    place, turn = p.place.copy(), p.turn.copy()
    for n in rows:
        shift = of[int(p.id[n])]
        place[n] += np.array(shift.by, np.float32)
        if p.rigid and any(shift.about):
            by = Rotation.from_euler("xyz", shift.about, degrees=True)
            own = Rotation.from_quat(turn[n], scalar_first=True)
            turn[n] = (by * own).as_quat(scalar_first=True)
    return replace(p, place=place, turn=turn)


def about_axes(id: np.ndarray, angle: np.ndarray) -> np.ndarray:
    """Quaternions that turn each by an angle about an axis of its own, (n, 4)."""
    u, v = (unit_array(735 + k, id & 0xFFFFFFFF, id >> 32) for k in range(2))
    z, a = 2 * u - 1, 2 * np.pi * v
    r = np.sqrt(np.maximum(0.0, 1 - z * z))
    s = np.sin(angle / 2)
    return np.stack([np.cos(angle / 2), s * r * np.cos(a), s * r * np.sin(a), s * z], axis=1)


def shapes_of(layer: PointLayer, effect: Effect, folder: Path | None) -> tuple[Piece, ...] | None:
    """The meshes that a layer is drawn as, or None when it is none."""
    if layer.cut is not None:
        at = {c.id: c.at for c in effect.cues} if layer.assembled else {}
        if at:  # where its prop is when it is struck may hang on a cue
            sources = tuple(
                s.model_copy(update={"delay": s.delay + at.get(s.cue, 0.0)}) for s in layer.sources
            )
            layer = layer.model_copy(update={"sources": sources})
        return pieces_of(layer, effect.props, folder)
    prop = next((p for p in effect.props if p.id == layer.look.mesh), None)
    if prop is None:
        return None
    mesh = own_mesh(prop, folder)
    size = max(float(np.ptp(mesh.points, axis=0).max()), 1e-9)
    middle = 0.5 * (mesh.points.max(axis=0) + mesh.points.min(axis=0))
    return (Piece(mesh.moved((mesh.points - middle) / size), np.zeros((0, 3)), np.ones(3)),)


@dataclass(frozen=True)
class Posed:
    """How pieces stand: which shape each is, its quaternion w x y z, its size in m (nothing at the end of its
    life)."""

    kind: np.ndarray
    turn: np.ndarray
    size: np.ndarray


def posed(layer: PointLayer, p: Points, t: float, count: int) -> Posed:
    """How a layer's pieces stand at `t`; those at the end of their life shrink away. `count`: of shapes."""
    look = layer.look
    life = life_of(p, t, lives_of(layer, t))
    size = (
        p.width
        * look.scale
        * over(look.size_over, life)
        * np.cbrt(np.clip(over(look.opacity_over, life), 0, 1))
    )
    kinds = kind_of(layer, p.id, count) if layer.cut is not None else np.zeros(len(p), np.int64)
    return Posed(kinds, p.turn if p.rigid else about_axes(p.id, turned(look, p, t)), size)


def bodies_mesh(layer: PointLayer, p: Points, t: float, effect: Effect, folder: Path | None) -> Mesh | None:
    """A layer's pieces as one mesh where they are."""
    shapes = shapes_of(layer, effect, folder)
    p = kept_pieces(layer, p)
    if shapes is None or not len(p):
        return None
    p = p.picked(np.arange(min(len(p), MOST_BODIES)))
    stand = posed(layer, p, t, len(shapes))
    kinds, size, turn = stand.kind, stand.size, turns(stand.turn)
    parts = []
    for kind, shape in enumerate(shapes):
        rows = np.flatnonzero((kinds == kind) & (size > 1e-6))
        if not len(rows):
            continue
        m = shape.mesh
        points = (
            np.einsum("nij,vj->nvi", turn[rows], m.points.astype(np.float64)) * size[rows][:, None, None]
            + p.place[rows][:, None, :]
        )
        faces = m.faces[None] + (np.arange(len(rows)) * len(m.points))[:, None, None]
        parts.append(
            Mesh(
                points.reshape(-1, 3).astype(np.float32),
                faces.reshape(-1, 3).astype(np.int32),
                np.tile(m.colours, (len(rows), 1)),
            )
        )
    return joined(parts) if parts else None
