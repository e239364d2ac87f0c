"""From an effect and its frames to what is drawn: layers that are heard and seen, with pieces among the props."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.randomness import unit_array
from tenka.cache.store import Frame, FrameStore
from tenka.effect.courses import value_at
from tenka.effect.model import DebrisLayer, Effect, GasLayer, PointLayer, heard, timed
from tenka.look.points import Swarm, life_of, over, turned
from tenka.look.render import Shot
from tenka.look.sprites import Book
from tenka.particles.pieces import Piece, kind_of, pieces_of
from tenka.particles.state import Points
from tenka.run.driver import Plan, past_of
from tenka.run.frames import PointFrame
from tenka.scene.meshes import Mesh, joined
from tenka.scene.props import own_mesh, scene_mesh

MOST_BODIES = 20_000


def swapped(effect: Effect, t: float) -> set[str]:
    """Props that have broken into pieces by `t`."""
    gone = set()
    for layer in heard(timed(effect).layers):
        if isinstance(layer, DebrisLayer) and layer.pieces.swap:
            begins = [s.burst_at + s.delay if s.burst else s.start + s.delay for s in heard(layer.sources)]
            if begins and t >= min(begins) - 1e-6:
                gone.add(layer.pieces.swap)
    return gone


def set_of(effect: Effect, folder: Path | None, t: float) -> Mesh:
    """All visible props as one mesh, without those that have broken."""
    gone = swapped(effect, t)
    if gone:
        effect = effect.model_copy(
            update={"props": tuple(p.model_copy(update={"hidden": True}) if p.id in gone else p for p in effect.props)}
        )
    return scene_mesh(effect, folder, t)


def lives_of(layer: PointLayer, t: float) -> np.ndarray:
    """The life of each of a layer's sources, s."""
    return np.array([value_at(s.life, t) for s in layer.sources], np.float32)


def kept_pieces(layer: PointLayer, p: Points) -> Points:
    """Without the pieces that were deleted."""
    gone = layer.deleted if isinstance(layer, DebrisLayer) else ()
    return p.picked(~np.isin(p.id, np.asarray(gone, np.int64))) if gone else p


def turns(q: np.ndarray) -> np.ndarray:
    """Rotation matrices of quaternions, (n, 3, 3)."""
    w, x, y, z = q.astype(np.float64).T
    return np.stack([
        np.stack([1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)], axis=1),
        np.stack([2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)], axis=1),
        np.stack([2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)], axis=1),
    ], axis=1)  # fmt: skip


def about_axes(id: np.ndarray, angle: np.ndarray) -> np.ndarray:
    """Quaternions that turn each by an angle about an axis of its own, (n, 4)."""
    u, v = (unit_array(735 + k, id & 0xFFFFFFFF, id >> 32) for k in range(2))
    z, a = 2 * u - 1, 2 * np.pi * v
    r = np.sqrt(np.maximum(0.0, 1 - z * z))
    s = np.sin(angle / 2)
    return np.stack([np.cos(angle / 2), s * r * np.cos(a), s * r * np.sin(a), s * z], axis=1)


def shapes_of(layer: PointLayer, effect: Effect, folder: Path | None) -> tuple[Piece, ...] | None:
    """The meshes that a layer is drawn as, or None when it is none."""
    if isinstance(layer, DebrisLayer):
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
    """How pieces stand: which shape each is, its quaternion w x y z, its size in m (nothing at the end of its life)."""

    kind: np.ndarray
    turn: np.ndarray
    size: np.ndarray


def posed(layer: PointLayer, p: Points, t: float, count: int) -> Posed:
    """How a layer's pieces stand at `t`; those at the end of their life shrink away. `count`: of shapes."""
    look = layer.look
    life = life_of(p, t, lives_of(layer, t))
    size = p.width * look.scale * over(look.size_over, life) * np.cbrt(np.clip(over(look.opacity_over, life), 0, 1))
    kinds = kind_of(layer, p.id, count) if isinstance(layer, DebrisLayer) else np.zeros(len(p), np.int64)
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
        points = np.einsum("nij,vj->nvi", turn[rows], m.points.astype(np.float64)) * size[rows][:, None, None] + p.place[rows][:, None, :]
        faces = m.faces[None] + (np.arange(len(rows)) * len(m.points))[:, None, None]
        parts.append(
            Mesh(points.reshape(-1, 3).astype(np.float32), faces.reshape(-1, 3).astype(np.int32), np.tile(m.colours, (len(rows), 1)))
        )
    return joined(parts) if parts else None


def shot_of(
    effect: Effect,
    frames: Mapping[str, Frame | PointFrame],
    folder: Path | None,
    t: float,
    mesh: Mesh | None = None,
    past: Mapping[str, tuple[tuple[float, Points], ...]] | None = None,
    books: Mapping[str, Book] | None = None,
) -> Shot:
    """What is drawn of an effect at `t`.

    Parameters
    ----------
    frames : of its layers, by id; those that are missing are not drawn
    mesh : the props, where they are at hand
    past : earlier particles of layers that are drawn as ribbons or tubes, the newest first
    books : the flipbooks that layers play; a layer without its own is drawn as soft sprites
    """
    scene = mesh if mesh is not None else set_of(effect, folder, t)
    shot = Shot([], scene)
    bodies = []
    for layer in heard(effect.layers):
        frame = frames.get(layer.id)
        if layer.hidden or frame is None:
            continue
        if isinstance(layer, GasLayer):
            if isinstance(frame, Frame):
                shot.gases.append((frame, layer.look))
        elif isinstance(frame, PointFrame):
            if layer.look.form == "mesh":
                found = bodies_mesh(layer, frame.points, t, effect, folder)
                if found is not None:
                    bodies.append(found)
                if layer.look.ticks:
                    unseen = layer.look.model_copy(update={"form": "point", "opacity": 0.0})
                    shot.swarms.append(Swarm(kept_pieces(layer, frame.points), t, unseen, lives_of(layer, t)))
            elif len(frame.points):
                gas = frames.get(layer.look.meets)
                shot.swarms.append(Swarm(kept_pieces(layer, frame.points), t, layer.look, lives_of(layer, t), gas if isinstance(gas, Frame) else None,
                                         (past or {}).get(layer.id, ()), (books or {}).get(layer.id)))  # fmt: skip
    if bodies:
        shot.mesh = joined([scene, *bodies])
    return shot


def gathered(
    plans: Mapping[str, Plan], store: FrameStore, index: int
) -> tuple[dict[str, Frame | PointFrame], dict[str, tuple[tuple[float, Points], ...]]]:
    """The stored frames of layers at an index, and the past of those that are drawn along it."""
    frames, past = {}, {}
    for id, plan in plans.items():
        found = plan.read(store, index, velocity=True)
        if found is not None:
            frames[id] = found
        if isinstance(found, PointFrame):
            past[id] = past_of(plan, store, index)
    return frames, past
