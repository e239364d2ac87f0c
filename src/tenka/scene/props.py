"""Props' own meshes: a file made upright, to scale, thinned, moved by its clip, and copied about."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from scipy.spatial import cKDTree

from tenka.base.errors import BadInput
from tenka.base.randomness import unit_array
from tenka.effect.model import Camera, Effect, Prop
from tenka.scene.figure import figure
from tenka.scene.files import UP_OF_FORMAT, faults, read, upright
from tenka.scene.meshes import Mesh, joined, primitive
from tenka.scene.poses import Pose, pose_at, turns

UNITS = {"metres": 1.0, "centimetres": 0.01, "millimetres": 0.001, "inches": 0.0254, "feet": 0.3048}
FORM = (
    "shape",
    "file",
    "size",
    "colour",
    "unit",
    "up",
    "keep",
    "copies",
    "spread",
    "copies_turn",
    "copies_size",
    "copies_seed",
    "lies",
    "clip",
    "clip_start",
    "clip_speed",
    "clip_end",
)
LEAST_TRIANGLES = 4

MOST_COPIED = 6_000_000
"""Triangles of all copies of a prop together."""


def form_of(prop: Prop) -> Prop:
    """A prop with nothing but what shapes its own mesh: equal for props that share it."""
    return Prop(id="prop", name="prop", **{name: getattr(prop, name) for name in FORM})


def mesh_file(prop: Prop, folder: Path | None) -> Path:
    """Where a prop's mesh is on disk; files are relative to the effect's folder."""
    file = Path(prop.file)
    return file if file.is_absolute() else (folder or Path.cwd()) / file


def stamp_of(prop: Prop, folder: Path | None) -> int:
    """Tells one state of a prop's file from the next."""
    try:
        return mesh_file(prop, folder).stat().st_mtime_ns if prop.shape == "mesh" and prop.file else 0
    except OSError:
        return 0


def deforms(prop: Prop) -> bool:
    """Whether its own mesh moves."""
    return prop.shape == "mesh" and bool(prop.clip)


def clip_time(prop: Prop, seconds: float, t: float) -> float:
    """How far into a clip of `seconds` a prop is at `t`."""
    x = (t - prop.clip_start) * prop.clip_speed
    if prop.clip_end == "hold":
        return min(max(x, 0.0), seconds)
    if prop.clip_end == "back":
        return seconds - abs(x % (2 * seconds) - seconds)
    return x % seconds


@dataclass(frozen=True)
class _Base:
    """A prop's mesh at rest, alone; `index` says which point of the file each of its points is."""

    mesh: Mesh
    index: np.ndarray
    factor: np.ndarray
    up: str


@lru_cache(maxsize=24)
def _base(form: Prop, folder: Path | None, stamp: int) -> _Base:
    file = mesh_file(form, folder)
    found = read(file)
    up = form.up if form.up != "file" else UP_OF_FORMAT[file.suffix.lower()]
    factor = UNITS[form.unit] * np.asarray(form.size)
    mesh = found.mesh.moved(upright(found.mesh.points, up) * factor)
    index = np.arange(len(mesh.points))
    if form.keep < 1.0:
        mesh, index = thinned(mesh, form.keep)
    return _Base(mesh, index, factor, up)


@lru_cache(maxsize=24)
def _still(form: Prop, folder: Path | None, stamp: int) -> Mesh:
    if form.shape != "mesh":
        own = figure() if form.shape == "figure" else primitive(form.shape, form.colour)
        return scattered(own.scaled(form.size), form)
    return scattered(_base(form, folder, stamp).mesh, form)


@lru_cache(maxsize=6)
def _moved(form: Prop, folder: Path | None, stamp: int, t: float) -> Mesh:
    base, rig = _base(form, folder, stamp), read(mesh_file(form, folder)).rig
    clip = rig.clip(form.clip) if rig is not None else None
    if rig is None or clip is None:
        has = ", ".join(c.name for c in rig.clips) if rig is not None and rig.clips else "none"
        raise BadInput(f"has no clip '{form.clip}'", f"one of its clips ({has})", mesh_file(form, folder))
    points = upright(rig.posed(clip, clip_time(form, clip.seconds, t)), base.up)[base.index] * base.factor
    return scattered(base.mesh.moved(points), form)


def own_mesh(prop: Prop, folder: Path | None, t: float = 0.0) -> Mesh:
    """A prop's mesh in its own size and coordinates, `t` seconds into the effect.

    Raises
    ------
    BadInput
        No file, one that cannot be read, or without the clip that is asked for.
    """
    if prop.shape == "mesh" and not prop.file:
        raise BadInput("has no mesh file", "a file for its mesh", place=f"prop {prop.name}")
    form, stamp = form_of(prop), stamp_of(prop, folder)
    return _moved(form, folder, stamp, t) if deforms(prop) else _still(form, folder, stamp)


def thinned(mesh: Mesh, keep: float) -> tuple[Mesh, np.ndarray]:
    """About `keep` of a mesh's triangles, and which of its points are left.

    Edges are collapsed by their quadric error (Garland & Heckbert 1997, through fast-simplification); each
    point that is left then goes to the nearest one of the mesh, so that skins hold. Colours and groups are
    those of the nearest face.
    """
    import fast_simplification

    scale = max(float(np.ptp(mesh.points)), 1e-9)
    _, first, same = np.unique(
        np.round(mesh.points / scale * 1e6).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    faces = same.reshape(-1)[mesh.faces]
    faces = faces[(faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])]
    target = max(LEAST_TRIANGLES, round(keep * len(mesh.faces)))
    if target >= len(faces):
        return mesh, np.arange(len(mesh.points))
    points, faces = fast_simplification.simplify(
        mesh.points[first].astype(np.float32), faces.astype(np.int32), target_count=target
    )
    index = first[cKDTree(mesh.points[first]).query(points)[1]]
    used, place = np.unique(index, return_inverse=True)
    faces = place.reshape(-1)[faces]
    faces = faces[
        (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    ].astype(np.int32)
    nearest = cKDTree(mesh.corners.mean(axis=1)).query(mesh.points[used][faces].mean(axis=1))[1]
    groups = {name: np.flatnonzero(np.isin(nearest, of)) for name, of in mesh.groups.items()}
    return Mesh(mesh.points[used], faces, mesh.colours[nearest], groups), used


def stands_of_copies(prop: Prop) -> list[tuple[Pose, float]]:
    """Where each copy of a prop stands in its own axes, and its size: as it was dropped, the others within
    its spread, turned and sized by chance."""
    n = np.arange(prop.copies)
    chance = np.stack([unit_array(prop.copies_seed, n, k) for k in range(5)], axis=1).astype(np.float64)
    place = (chance[:, :3] - 0.5) * np.asarray(prop.spread)
    turn = np.radians((2 * chance[:, 3] - 1) * prop.copies_turn)
    size = 1 + (2 * chance[:, 4] - 1) * prop.copies_size
    found: list[tuple[Pose, float]] = []
    lies = np.asarray(prop.lies, float).reshape(-1, 8)
    dropped = zip(turns(lies[:, 3:7] / np.linalg.norm(lies[:, 3:7], axis=1, keepdims=True)), lies)
    found += [(Pose(r, row[:3]), float(row[7])) for r, row in dropped][: prop.copies]
    for p, a, s in list(zip(place, turn, size))[len(found) :]:
        round_z = np.array(
            [[math.cos(a), -math.sin(a), 0.0], [math.sin(a), math.cos(a), 0.0], [0.0, 0.0, 1.0]]
        )
        found.append((Pose(round_z, p), float(s)))
    return found


def scattered(mesh: Mesh, prop: Prop) -> Mesh:
    """A prop's copies as one mesh."""
    if prop.copies <= 1:
        return mesh
    if prop.copies * len(mesh.faces) > MOST_COPIED:
        raise BadInput(
            f"{prop.copies:,} copies of {prop.name} have {prop.copies * len(mesh.faces):,} triangles",
            f"at most {MOST_COPIED:,}: fewer copies, or a thinner mesh",
        )
    n = np.arange(prop.copies)
    copies = [mesh.scaled((s, s, s)).placed(pose) for pose, s in stands_of_copies(prop)]
    whole = joined(copies)
    m = len(mesh.faces)
    groups = {name: (m * n[:, None] + of).reshape(-1) for name, of in mesh.groups.items()}
    return Mesh(whole.points, whole.faces, whole.colours, groups)


def prop_mesh(prop: Prop, props: tuple[Prop, ...], folder: Path | None, t: float = 0.0) -> Mesh:
    """A prop's mesh in its place at `t` seconds; `props` are those that may carry it."""
    return own_mesh(prop, folder, t).placed(pose_at(prop, props, t))


def scene_mesh(effect: Effect, folder: Path | None, t: float = 0.0) -> Mesh:
    """All visible props as one mesh at `t` seconds."""
    solo = any(p.solo for p in effect.props)
    return joined(
        [prop_mesh(p, effect.props, folder, t) for p in effect.props if not p.hidden and (p.solo or not solo)]
    )


PACKED_BYTES = 3 * (12 + 12 + 16)  # of a triangle in a package's set: place, normal and colour of each corner


@dataclass(frozen=True)
class Told:
    """What a prop's mesh is made of, for those who choose.

    Attributes
    ----------
    before, after : triangles in the file, and in the prop (thinned, copied)
    packed : bytes that it takes in a package's set
    notes : what was mended, and what is not sound
    parts : names that a source can ask for
    """

    before: int
    after: int
    packed: int
    notes: tuple[str, ...]
    parts: tuple[str, ...]
    credit: str


def told_of(prop: Prop, folder: Path | None) -> Told:
    """Raises as `own_mesh` does."""
    mesh, found = own_mesh(prop, folder), read(mesh_file(prop, folder))
    credit = found.rig.credit if found.rig is not None else ""
    notes = (*found.notes, *_faults(form_of(prop), folder, stamp_of(prop, folder)))
    return Told(
        len(found.mesh.faces),
        len(mesh.faces),
        len(mesh.faces) * PACKED_BYTES,
        notes,
        tuple(found.mesh.groups),
        credit,
    )


@lru_cache(maxsize=24)
def _faults(form: Prop, folder: Path | None, stamp: int) -> tuple[str, ...]:
    return faults(_base(form, folder, stamp).mesh)


def eyes_of(prop: Prop, props: tuple[Prop, ...], folder: Path | None) -> dict[str, Camera]:
    """The cameras of a prop's file, as they stand with the prop at time 0, by name."""
    rig = read(mesh_file(prop, folder)).rig if prop.shape == "mesh" and prop.file else None
    if rig is None:
        return {}
    pose, mesh = pose_at(prop, props, 0.0), own_mesh(prop, folder)
    up = prop.up if prop.up != "file" else "y"
    world, found = rig.world(), {}
    for eye in rig.eyes:
        m = world[eye.node]
        seen = pose.to_scene(upright(m[None, :3, 3], up) * UNITS[prop.unit] * np.asarray(prop.size))[0]
        forward = pose.turn @ upright(-m[None, :3, 2], up)[0]
        forward /= max(float(np.linalg.norm(forward)), 1e-12)
        middle = pose.to_scene(0.5 * (mesh.bounds[0] + mesh.bounds[1]).astype(np.float64))
        away = max(0.5, float((middle - seen) @ forward))
        target = seen + away * forward
        found[eye.name] = Camera(
            target=(float(target[0]), float(target[1]), float(target[2])),
            distance=away,
            fov=min(max(eye.fov, 5.0), 120.0),
            heading=math.degrees(math.atan2(-forward[1], -forward[0])),
            pitch=min(89.0, max(-89.0, math.degrees(math.asin(min(1.0, max(-1.0, -forward[2])))))),
        )
    return found
