"""Textures of numbers of a package read back."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from scipy.spatial.transform import Rotation

from tenka.base.exr import read_exr
from tenka.package.elements.bodies import Bodies
from tenka.package.elements.particles import Particles
from tenka.package.elements.trails import Trails
from tenka.package.laws import run_rows
from tenka.scene.files import read
from tenka.scene.meshes import Mesh, joined

LEAST = 1e-9  # m
Z_UP = np.array([[1.0, 0, 0], [0, 0, -1.0], [0, 1.0, 0]])  # from y up
WIDE = 11  # place, width, light, opacity, way
WIDE_TRAIL = 12  # place, width, light, opacity, speed, age


def rows_of(folder: Path, element: Particles) -> np.ndarray:
    """All moments of particles, (moments, columns, 11): place and width, m; light; opacity; way, m.

    Raises
    ------
    BadInput
        A texture that is broken or not what the manifest says.
    """
    if element.law is not None:
        return run_rows(folder, element)
    assert element.place is not None and element.paint is not None
    wide, tall = element.textures[0]
    parts = [read_exr(folder / texture.file, wide, tall) for texture in (element.place, element.paint)]
    if element.way is not None:
        parts.append(read_exr(folder / element.way.file, wide, tall, "RGB"))
    else:
        parts.append(np.zeros((tall, wide, 3), np.float32))
    found = np.concatenate(parts, axis=2)
    return found.reshape(len(element.times), -1, WIDE)


def stands_of(folder: Path, element: Bodies) -> tuple[np.ndarray, np.ndarray]:
    """How pieces stand at all moments: (moments, pieces, 4) place, m, and size; and quaternions x y z w.

    Raises
    ------
    BadInput
        A texture that is broken or not what the manifest says.
    """
    assert element.places is not None and element.turns is not None
    wide, tall = max(element.pieces, 1), len(element.times)
    places = read_exr(folder / element.places.file, wide, tall)
    turns = read_exr(folder / element.turns.file, wide, tall)
    return places[:, : element.pieces], turns[:, : element.pieces]


def nodes_of(file: Path, times: tuple[float, ...]) -> tuple[Mesh, tuple[int, ...], np.ndarray, np.ndarray]:
    """Pieces of a file of nodes with keys as if textures moved them: their mesh about their middles, the
    first triangle of each and the end, and how they stand at some times after its second 0, as `stands_of`
    gives it.

    Raises
    ------
    BadInput
        A file that is broken.
    """
    rig = read(file).rig
    if rig is None or not rig.pieces:
        return joined([]), (0,), np.zeros((len(times), 0, 4)), np.zeros((len(times), 0, 4))
    clip = rig.clips[0] if rig.clips else None
    nodes = [piece.node for piece in rig.pieces]
    worlds = np.stack([rig.world(clip, t)[nodes] for t in times])  # (moments, pieces, 4, 4), y up
    turned = np.einsum("ij,mpjk,lk->mpil", Z_UP, worlds[..., :3, :3], Z_UP)
    sizes = np.linalg.norm(turned[..., :, 0], axis=-1)
    plain = np.where(
        sizes[..., None, None] > LEAST, turned / np.maximum(sizes, LEAST)[..., None, None], np.eye(3)
    )
    quaternions = Rotation.from_matrix(plain.reshape(-1, 3, 3)).as_quat().reshape(*sizes.shape, 4)
    for m in range(1, len(times)):  # what is gone keeps its turn, and no turn goes the long way round
        gone = sizes[m] <= LEAST
        quaternions[m, gone] = quaternions[m - 1, gone]
        far = (quaternions[m] * quaternions[m - 1]).sum(axis=-1) < 0
        quaternions[m, far] *= -1
    places = np.concatenate([worlds[..., :3, 3] @ Z_UP.T, sizes[..., None]], axis=-1)
    meshes = [Mesh((p.points @ Z_UP.T).astype(np.float32), p.faces, p.colours) for p in rig.pieces]
    starts = np.concatenate([[0], np.cumsum([len(m.faces) for m in meshes])])
    return joined(meshes), tuple(int(n) for n in starts), places, quaternions


def trail_rows(folder: Path, element: Trails) -> np.ndarray:
    """Heads of trails at all moments, (moments, columns, 12): place and width, m; light; opacity; speed, m/s;
    age, s.

    Raises
    ------
    BadInput
        A texture that is broken or not what the manifest says.
    """
    wide, tall = element.textures[0]
    parts = [read_exr(folder / t.file, wide, tall) for t in (element.place, element.paint, element.speed)]
    found = np.concatenate(parts, axis=2)
    return found.reshape(len(element.times), -1, WIDE_TRAIL)
