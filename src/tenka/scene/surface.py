"""Places on a prop's surface, or on a part of it: where they are, what share each gives, and how they
move."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from scipy.spatial import cKDTree

from tenka.base.errors import BadInput
from tenka.effect.model import Prop
from tenka.scene.meshes import Mesh, Spread, at_points, spread_over
from tenka.scene.props import deforms, form_of, own_mesh, stamp_of

BRIGHTNESS = (0.2126, 0.7152, 0.0722)  # of linear red, green, blue (ITU-R BT.709)
MOMENT = 1.0 / 240.0  # s before and after, from which the speed of a surface that moves by itself is taken


@dataclass(frozen=True)
class Places:
    """In the prop's own coordinates.

    Attributes
    ----------
    tree : of the places
    weight : (n,) share that each gives
    flow : (n, 3) m/s, or (0, 3) when the surface keeps its form
    """

    tree: cKDTree
    weight: np.ndarray
    flow: np.ndarray


@dataclass(frozen=True)
class Part:
    """A part of a mesh: named groups (all when none is named), between two planes across an axis (shares of
    its extent)."""

    names: str = ""
    axis: str = "z"
    low: float = 0.0
    high: float = 1.0


WHOLE = Part()


def part_faces(mesh: Mesh, part: Part) -> np.ndarray:
    """Indices of the faces that belong to a part.

    Raises
    ------
    BadInput
        A name that the mesh has not, or nothing left.
    """
    kept = np.ones(len(mesh.faces), bool)
    wanted = [n.strip() for n in part.names.split(",") if n.strip()]
    if wanted:
        unknown = [n for n in wanted if n not in mesh.groups]
        if unknown:
            raise BadInput(
                f"has no part '{unknown[0]}'",
                "names among: " + (", ".join(list(mesh.groups)[:12]) or "none"),
                place="a source's prop",
            )
        kept[:] = False
        kept[np.concatenate([mesh.groups[n] for n in wanted])] = True
    if part.low > 0.0 or part.high < 1.0:
        n = "xyz".index(part.axis)
        foot, top = mesh.bounds[0][n], mesh.bounds[1][n]
        along = (mesh.corners[:, :, n].mean(axis=1) - foot) / max(top - foot, 1e-9)
        kept &= (along >= part.low) & (along <= part.high)
    if not kept.any():
        raise BadInput(
            "has nothing between the planes of its part",
            "a lower plane below the upper one, with faces between",
            place="a source's prop",
        )
    return np.flatnonzero(kept)


@dataclass(frozen=True)
class _Asked:
    """Everything but the time that decides on places."""

    form: Prop
    folder: Path | None
    stamp: int
    spacing: float
    part: Part
    seed: int
    at_points: bool
    by_colour: bool


def places_on(
    prop: Prop,
    folder: Path | None,
    spacing: float,
    t: float,
    part: Part = WHOLE,
    seed: int = 0,
    points: bool = False,
    by_colour: bool = False,
) -> Places:
    """Places on a prop's surface at `t` seconds, about one for each `spacing` squared, or at the mesh's own
    points.

    They stay on their triangles when the mesh moves. With `by_colour` the brightness of a mesh's colours is
    the share that each gives. Raises as `own_mesh` and `part_faces` do.
    """
    asked = _Asked(
        form_of(prop),
        folder,
        stamp_of(prop, folder),
        spacing,
        part,
        seed,
        points,
        by_colour and prop.shape == "mesh",
    )
    return _moving(asked, t) if deforms(prop) else _still(asked)


@lru_cache(maxsize=64)
def _spread(asked: _Asked) -> tuple[Spread, np.ndarray]:
    mesh = own_mesh(asked.form.model_copy(update={"clip": ""}), asked.folder)
    faces = part_faces(mesh, asked.part)
    spread = (
        at_points(mesh, faces) if asked.at_points else spread_over(mesh, faces, asked.spacing, asked.seed)
    )
    weight = (
        mesh.colours[spread.face] @ np.array(BRIGHTNESS, np.float32)
        if asked.by_colour
        else np.ones(len(spread.face), np.float32)
    )
    return spread, weight


@lru_cache(maxsize=24)
def _still(asked: _Asked) -> Places:
    spread, weight = _spread(asked)
    return Places(
        cKDTree(spread.on(own_mesh(asked.form, asked.folder))), weight, np.zeros((0, 3), np.float32)
    )


@lru_cache(maxsize=4)
def _moving(asked: _Asked, t: float) -> Places:
    spread, weight = _spread(asked)
    before, now, after = (
        spread.on(own_mesh(asked.form, asked.folder, t + dt)) for dt in (-MOMENT, 0.0, MOMENT)
    )
    return Places(cKDTree(now), weight, (after - before) / np.float32(2 * MOMENT))
