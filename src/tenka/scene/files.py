"""Meshes from files: GLB through our own reader, OBJ, PLY and STL through trimesh; what is wrong with them,
in words."""

from __future__ import annotations

import io
import logging
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.files import read_file, stamp_of_file
from tenka.base.heads import check_ply
from tenka.base.srgb import from_srgb
from tenka.scene.meshes import Mesh, joined
from tenka.scene.rig import Rig
from tenka.scene.rigfile import GREY, read_rig

logging.getLogger("trimesh").addHandler(logging.NullHandler())  # it would print where it failed; we say it

MOST_TRIANGLES = 2_000_000
MOST_BYTES = 512 * 1024 * 1024
MOST_BESIDE = 64 * 1024 * 1024
FORMATS = (".glb", ".obj", ".ply", ".stl")
UP_OF_FORMAT = {".glb": "y", ".obj": "z", ".ply": "z", ".stl": "z"}


@dataclass(frozen=True)
class Loaded:
    """A mesh file as it was read.

    Attributes
    ----------
    mesh : at rest, in the file's own axes; `mesh.points` are those of `rig.posed()` where there is a rig
    rig : what moves it
    notes : what was mended or left out
    """

    mesh: Mesh
    rig: Rig | None
    notes: tuple[str, ...]


def upright(points: np.ndarray, up: str) -> np.ndarray:
    """(n, 3) points of a file whose axis `up` (x, y or z) points up, with Z up; a proper turn, nothing is
    mirrored."""
    if up == "y":
        return points[:, [0, 2, 1]] * np.array([1.0, -1.0, 1.0])
    return points[:, [1, 2, 0]] if up == "x" else points


def load(file: Path) -> Mesh:
    """A file's mesh at rest, Z up as its format has it; raises as `read` does."""
    found = read(file).mesh
    return found.moved(upright(found.points, UP_OF_FORMAT[Path(file).suffix.lower()]))


def read(file: Path) -> Loaded:
    """Read a mesh; face or vertex colours and base colours are kept. Files used last are kept.

    Raises
    ------
    BadInput
        Missing, of another kind, broken, empty, not finite, or too heavy.
    """
    file = Path(file)
    if file.suffix.lower() not in FORMATS:
        raise BadInput(
            f"'{file.suffix or 'no ending'}' is not a mesh format", "one of " + ", ".join(FORMATS), file
        )
    return _read(file, stamp_of_file(file, "a mesh file"))


@lru_cache(maxsize=32)
def _read(file: Path, stamp: int) -> Loaded:
    rig = read_rig(file) if file.suffix.lower() == ".glb" else None
    mesh = _of_rig(rig) if rig is not None else _of_trimesh(file)
    notes = list(rig.notes) if rig is not None else []
    if not len(mesh.faces):
        raise BadInput("holds no triangles", "a mesh with faces", file)
    if len(mesh.faces) > MOST_TRIANGLES:
        raise BadInput(
            f"has {len(mesh.faces):,} triangles", f"at most {MOST_TRIANGLES:,}; thin it first", file
        )
    whole = np.isfinite(mesh.points).all(axis=1)
    sound = whole[mesh.faces].all(axis=1)
    if not sound.any():
        raise BadInput("has coordinates that are not numbers", "finite coordinates", file)
    if not sound.all():
        notes.append(f"{_count(int((~sound).sum()), 'triangle')} whose corners are not numbers left out")
    a, b, c = np.moveaxis(np.where(whole[:, None], mesh.points, 0.0)[mesh.faces].astype(np.float64), 1, 0)
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    flat = sound & (area <= 1e-12 * max(float(area.max()), 1e-30))
    if flat.any():
        notes.append(f"{_count(int(flat.sum()), 'triangle')} without area left out")
    kept = np.flatnonzero(sound & ~flat)
    if not len(kept):
        raise BadInput("has only triangles without area", "a mesh with a surface", file)
    if len(kept) < len(mesh.faces) or not whole.all():
        mesh = taken(
            Mesh(
                np.where(whole[:, None], mesh.points, 0.0).astype(np.float32),
                mesh.faces,
                mesh.colours,
                mesh.groups,
            ),
            kept,
        )
        mesh = mesh if rig is not None else _used(mesh)
    return Loaded(mesh, rig, tuple(notes))


def _count(n: int, what: str) -> str:
    return f"{n:,} {what}{'' if n == 1 else 's'}"


def taken(mesh: Mesh, faces: np.ndarray) -> Mesh:
    """Only some of a mesh's faces; its points stay."""
    place = np.full(len(mesh.faces), -1)
    place[faces] = np.arange(len(faces))
    groups = {name: found for name, of in mesh.groups.items() if len(found := place[of][place[of] >= 0])}
    return Mesh(mesh.points, mesh.faces[faces], mesh.colours[faces], groups)


def _used(mesh: Mesh) -> Mesh:
    """Without points that no face uses: they would widen its bounds."""
    used, place = np.unique(mesh.faces, return_inverse=True)
    return Mesh(mesh.points[used], place.reshape(-1, 3).astype(np.int32), mesh.colours, mesh.groups)


def _of_rig(rig: Rig) -> Mesh:
    """All pieces at rest as one, with the faces of each node, material and (by the heaviest) joint."""
    if not rig.pieces:
        return joined([])
    starts = np.cumsum([0, *(len(p.points) for p in rig.pieces[:-1])])
    faces, done = [], 0
    materials: dict[str, list[np.ndarray]] = {}
    nodes: dict[str, list[np.ndarray]] = {}
    joints: dict[str, list[np.ndarray]] = {}
    for piece, start in zip(rig.pieces, starts):
        mine = np.arange(done, done + len(piece.faces))
        done += len(mine)
        faces.append(piece.faces + start)
        if piece.material:
            materials.setdefault(piece.material, []).append(mine)
        nodes.setdefault(rig.names[piece.node], []).append(mine)
        if piece.skin >= 0:
            heaviest = np.take_along_axis(piece.joints, piece.weights.argmax(axis=1)[:, None], axis=1)[:, 0][
                piece.faces[:, 0]
            ]
            for joint in np.unique(heaviest):
                joints.setdefault(rig.names[rig.skins[piece.skin].joints[joint]], []).append(
                    mine[heaviest == joint]
                )
    groups: dict[str, np.ndarray] = {}
    for kind in (materials, nodes, joints):  # one name for two things means both
        for name, of in kind.items():
            groups[name] = np.unique(np.concatenate([*of, *([groups[name]] if name in groups else [])]))
    return Mesh(
        rig.posed().astype(np.float32),
        np.concatenate(faces).astype(np.int32),
        np.concatenate([p.colours for p in rig.pieces]),
        groups,
    )


def _beside(file: Path) -> Any:
    """What a mesh file may name: plain files of its own folder (materials and their pictures)."""
    import trimesh

    class Beside(trimesh.resolvers.Resolver):
        def __init__(self) -> None:
            """Nothing to prepare."""

        def get(self, name: str) -> bytes:
            return read_file(file.parent / Path(str(name)).name, "a file beside the mesh", MOST_BESIDE)

        def namespaced(self, namespace: str) -> Any:
            return self

        def write(self, name: str, data: bytes) -> None:
            raise OSError("read only")

        def keys(self) -> list[str]:
            return []

    return Beside()


def _of_trimesh(file: Path) -> Mesh:
    import trimesh

    kind = file.suffix.lower().lstrip(".")
    data = read_file(file, "a mesh file", MOST_BYTES)
    if kind == "ply":
        try:
            check_ply(data)
        except BadInput as error:
            raise BadInput(str(error).rstrip("."), file=file) from None
    try:
        loaded: Any = trimesh.load(
            io.BytesIO(data), file_type=kind, force="scene", process=False, resolver=_beside(file)
        )
        parts = [g for g in loaded.dump() if isinstance(g, trimesh.Trimesh) and len(g.faces)]
        meshes, done = [], 0
        groups: dict[str, list[np.ndarray]] = {}
        for part in parts:
            points, faces = np.asarray(part.vertices, np.float64), np.asarray(part.faces, np.int64)
            if points.ndim != 2 or points.shape[1] != 3 or faces.ndim != 2 or faces.shape[1] != 3:
                raise ValueError
            if faces.min() < 0 or faces.max() >= len(points):
                raise ValueError
            meshes.append(Mesh(points.astype(np.float32), faces.astype(np.int32), _colours(part, len(faces))))
            name = (
                getattr(getattr(part.visual, "material", None), "name", None)
                or part.metadata.get("name")
                or ""
            )
            groups.setdefault(str(name), []).append(np.arange(done, done + len(faces)))
            done += len(faces)
    except Exception:  # its readers raise whatever their parsers do
        raise BadInput("broken off or not a mesh", "triangles as " + ", ".join(FORMATS), file) from None
    whole = joined(meshes)
    named = {
        name: np.concatenate(of) for name, of in groups.items() if name and not name.startswith(file.stem)
    }
    return Mesh(whole.points, whole.faces, whole.colours, named)


def _colours(part: object, count: int) -> np.ndarray:
    """Linear colours of a mesh's faces from its visual, or a neutral grey; these formats keep sRGB."""
    visual = getattr(part, "visual", None)
    diffuse = getattr(getattr(visual, "material", None), "diffuse", None)
    if diffuse is not None:
        return np.tile(from_srgb(np.asarray(diffuse, np.float32)[:3] / 255.0), (count, 1)).astype(np.float32)
    if getattr(visual, "kind", None) in ("vertex", "face"):
        rgb = np.asarray(visual.face_colors, np.float32)[:, :3] / 255.0  # type: ignore[union-attr]
        return from_srgb(rgb).astype(np.float32)
    return np.full((count, 3), GREY, np.float32)


def faults(mesh: Mesh) -> tuple[str, ...]:
    """What keeps a mesh from having a clear inside: open borders, and edges at which more than two triangles
    meet."""
    _, same = np.unique(
        np.round(mesh.points / max(float(np.ptp(mesh.points)), 1e-9) * 1e6).astype(np.int64),
        axis=0,
        return_inverse=True,
    )
    faces = same.reshape(-1)[mesh.faces]
    edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    _, uses = np.unique(edges[edges[:, 0] != edges[:, 1]], axis=0, return_counts=True)
    found = []
    if (uses == 1).any():
        found.append(f"{_count(int((uses == 1).sum()), 'open edge')}: where it is not shut it has no inside")
    if (uses > 2).any():
        found.append(f"{_count(int((uses > 2).sum()), 'edge')} shared by more than two triangles")
    return tuple(found)
