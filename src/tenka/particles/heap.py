"""Copies of props dropped as a heap: they fall on the ground, on what stands there and on each other, and lie
where they came to rest."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from scipy.spatial.transform import Rotation

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.base.randomness import stable_seed, unit_array
from tenka.effect.catalogue import mapped
from tenka.effect.courses import Course, value_at
from tenka.effect.model import Bodies, DebrisLayer, Effect, Pieces, PointCollider, PointMotion, Prop
from tenka.effect.props import Lying
from tenka.particles.pieces import MOST_TRIANGLES, Piece, whole
from tenka.particles.solver import PointSolver
from tenka.particles.state import ASLEEP, FREE, Points, PointState
from tenka.scene.poses import pose_at, turns
from tenka.scene.props import own_mesh, stands_of_copies

RATE = 24.0
MOST_SECONDS = 30.0
FIRM = PointMotion(drag=0.1, bounce=0.05, friction=0.7)
APART = 1.05  # of the widest copy, from one to the next before they fall
MOST = 2000


def heaped(effect: Effect, id: str) -> tuple[Prop, ...]:
    """The props whose copies are dropped together with those of one, itself among them.

    Raises
    ------
    BadInput
        A prop that is not there, has no copies, or whose heap has too many.
    """
    prop = next((p for p in effect.props if p.id == id), None)
    if prop is None:
        raise BadInput(f"names the prop '{id}', which is not in the effect")
    if not prop.scattered:
        raise BadInput(f"{prop.name} has no copies to drop", "at least 2 copies")
    named = [p for p in effect.props if p.scattered and prop.heap and p.heap == prop.heap]
    found = tuple(named or [prop])
    count = sum(p.copies for p in found)
    if count > MOST:
        raise BadInput(f"the heap has {count:,} copies", f"at most {MOST:,}")
    return found


def dropped(effect: Effect, id: str, folder: Path | None = None, progress: Progress | None = None) -> Effect:
    """The effect with the copies of a prop, and of all in its heap, lying as they fell.

    They begin in layers over their spread, turned by chance, and meet by their hulls. What else stands in the
    scene stops them as it is at time 0, and so does the ground where they stand above it.

    Raises
    ------
    BadInput
        As `heaped` does, or as a prop's mesh does.
    """
    props = heaped(effect, id)
    progress = progress or Progress()
    stands = [p for p in effect.props if p not in props]
    own, wide, points = _begun(props, effect.props, folder)
    layer = DebrisLayer(
        id="heap",
        name="Heap",
        motion=FIRM,
        pieces=Pieces(make="lumps"),
        bodies=Bodies(damping=0.6, most_turns=2.0),
        colliders=tuple(
            PointCollider(id=f"c{n}", name=p.name, prop=p.id, bounce=0.05, friction=0.7)
            for n, p in enumerate(stands)
        ),
    )
    frames = math.ceil(MOST_SECONDS * RATE)
    solver = PointSolver(layer, (), tuple(_still(p) for p in effect.props), 1, RATE, frames, folder, made=own)
    state: PointState = solver.start()
    state.points, at_rest = points, 0
    progress.begin(frames, "Dropping")
    for _ in range(frames):
        progress.step()
        state = solver.frame(state, 1)
        at_rest = at_rest + 1 if bool(np.all(state.points.state & ASLEEP)) else 0
        if at_rest > 2:
            break
    return _kept(effect, props, own, state.points, wide)


def _still(prop: Prop) -> Prop:
    """A prop as it stands at time 0: nothing moves while a heap is dropped."""
    still = mapped(prop, lambda p, value: value_at(value, 0.0) if isinstance(value, Course) else value)
    found: Prop = still.model_copy(update={"clip_speed": 0.0})
    return found


def _begun(
    props: tuple[Prop, ...], all_props: tuple[Prop, ...], folder: Path | None
) -> tuple[tuple[Piece, ...], np.ndarray, Points]:
    """A piece for each copy, the size of each, and all of them hanging in layers above where they belong."""
    own: list[Piece] = []
    size, spots, foot = [], [], []
    for prop in props:
        single = prop.model_copy(update={"copies": 1, "lies": ()})
        mesh = own_mesh(single, folder)
        if len(mesh.faces) * prop.copies > 100 * MOST_TRIANGLES:
            raise BadInput(
                f"{prop.name} has {len(mesh.faces):,} triangles in each copy", "a thinner mesh, by 'keep'"
            )
        piece, pose = whole(mesh), pose_at(prop, all_props, 0.0)
        fresh = prop.model_copy(update={"lies": ()})
        for stand, s in stands_of_copies(fresh):
            own.append(piece)
            size.append(s)
            spots.append(pose.to_scene(stand.origin[None])[0])
            foot.append(pose.origin[2])
    count = len(own)
    size_of, spot = np.array(size), np.array(spots)
    width = size_of * np.array([p.width for p in own])
    seed = stable_seed("heap", props[0].copies_seed)
    n = np.arange(count)
    order = np.argsort(unit_array(seed, n, 7), kind="stable")  # kinds are mixed
    widest = APART * float(width.max()) * math.sqrt(3.0)
    level: dict[tuple[int, int], int] = {}
    place = spot.copy()
    for k in order.tolist():
        cell = (math.floor(spot[k, 0] / widest), math.floor(spot[k, 1] / widest))
        here = level.get(cell, 0)
        level[cell] = here + 1
        middle = (np.array(cell) + 0.5) * widest
        place[k, :2] = middle + 0.02 * widest * (unit_array(seed, np.array([k, k]), np.array([1, 2])) - 0.5)
        place[k, 2] = max(spot[k, 2], foot[k]) + (0.5 + here) * widest
    f32 = np.float32
    turn = np.stack([unit_array(seed + 1, n, k).astype(float) for k in range(4)], axis=1) - 0.5
    turn /= np.maximum(np.linalg.norm(turn, axis=1, keepdims=True), 1e-6)
    points = Points(
        n.astype(np.int64),
        np.full(count, -1.0),
        np.full(count, np.inf, f32),
        place.astype(f32),
        np.zeros((count, 3), f32),
        width.astype(f32),
        np.zeros(count, f32),
        np.zeros(count, np.int16),
        np.zeros(count, np.uint8),
        np.full(count, FREE, np.int8),
        np.zeros((count, 3), f32),
        turn.astype(f32),
        np.zeros((count, 3), f32),
        np.zeros(count, f32),
    )
    return tuple(own), size_of, points


def _kept(
    effect: Effect, props: tuple[Prop, ...], own: tuple[Piece, ...], p: Points, size: np.ndarray
) -> Effect:
    """The effect whose props know where their copies lie."""
    first, found = 0, {}
    rotation = turns(p.turn)
    for prop in props:
        pose = pose_at(prop, effect.props, 0.0)
        lies: list[Lying] = []
        for k in range(first, first + prop.copies):
            centre = size[k] * (rotation[k] @ own[k].place)
            x, y, z = pose.to_own((p.place[k].astype(float) - centre)[None])[0]
            a, b, c, w = Rotation.from_matrix(pose.turn.T @ rotation[k]).as_quat()
            lies.append(tuple(round(float(v), 5) for v in (x, y, z, w, a, b, c, size[k])))  # type: ignore[arg-type]
        found[prop.id] = prop.model_copy(update={"lies": tuple(lies)})
        first += prop.copies
    return effect.model_copy(update={"props": tuple(found.get(q.id, q) for q in effect.props)})
