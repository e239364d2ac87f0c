"""Props: primitives and meshes that stand in the scene, alone or as many copies."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator

from tenka.effect.catalogue import COPIES, LOOK, MESH, WHERE
from tenka.effect.placed import Placed, Vec3


def _turned(lying: tuple[float, ...]) -> tuple[float, ...]:
    if not 0.5 < sum(v * v for v in lying[3:7]) < 2.0 or not 1e-3 <= lying[7] <= 1e3:
        raise ValueError("a copy lies by a place, a turn of length 1 and a size between 0.001 and 1000")
    return lying


Lying = Annotated[tuple[float, float, float, float, float, float, float, float], AfterValidator(_turned)]
"""Place, m, turn as a quaternion w x y z, and size of a copy, in the axes of its prop."""


class Prop(Placed):
    """A primitive or a mesh in the scene."""

    shape: Literal["sphere", "box", "cylinder", "cone", "figure", "mesh"] = WHERE.param(
        "box", "The prop's form; the figure is 1.75 m tall, for scale; a mesh comes from a file."
    )
    file: str = WHERE.param(
        "",
        "Mesh file (GLB, OBJ, PLY or STL), relative to the effect.",
        kind="file",
        when=("shape", ("mesh",)),
    )
    size: Vec3 = WHERE.number(
        (1.0, 1.0, 1.0),
        "m",
        1e-3,
        1e3,
        "Its extent along x, y and z; for a mesh or the figure, a factor on each.",
        soft=(0.05, 10),
        step=0.02,
    )
    unit: Literal["metres", "centimetres", "millimetres", "inches", "feet"] = MESH.param(
        "metres", "What one unit of the mesh file is.", when=("shape", ("mesh",)), label="unit of file"
    )
    up: Literal["file", "z", "y", "x"] = MESH.param(
        "file",
        "Which axis of the mesh file points up: as its format has it, or one of its axes.",
        when=("shape", ("mesh",)),
        label="upward axis",
    )
    keep: float = MESH.number(
        1.0,
        "",
        0.01,
        1,
        "Share of the mesh's triangles that is kept: fewer are drawn and packed faster.",
        step=0.01,
        when=("shape", ("mesh",)),
        label="triangles kept",
    )
    clip: str = MESH.param(
        "", "The animation of the mesh file that it plays.", kind="clip", when=("shape", ("mesh",))
    )
    clip_start: float = MESH.number(
        0.0, "s", -600, 600, "When the animation begins.", soft=(-2, 4), step=0.02, when=("clip", ())
    )
    clip_speed: float = MESH.number(
        1.0, "", -20, 20, "How fast it plays; negative plays it backwards.", soft=(0, 3), when=("clip", ())
    )
    clip_end: Literal["repeat", "hold", "back"] = MESH.param(
        "repeat", "After its end it begins again, holds, or plays back.", when=("clip", ())
    )
    copies: int = COPIES.number(
        1, "", 1, 2000, "How many of it are scattered about, joined into one.", soft=(1, 40), step=1
    )
    spread: Vec3 = COPIES.number(
        (2.0, 2.0, 0.0),
        "m",
        0,
        1e3,
        "Box in which the copies lie, round its own place.",
        soft=(0, 10),
        step=0.05,
        when=("scattered", ("True",)),
        label="scatter box",
    )
    copies_turn: float = COPIES.number(
        180.0,
        "°",
        0,
        180,
        "How far each is turned by chance, either way.",
        step=1,
        when=("scattered", ("True",)),
        label="turns differ",
    )
    copies_size: float = COPIES.number(
        0.2,
        "",
        0,
        0.9,
        "How much their sizes differ, as a share.",
        when=("scattered", ("True",)),
        label="sizes differ",
    )
    copies_seed: int = COPIES.number(
        1,
        "",
        0,
        9999,
        "Another number scatters them anew.",
        soft=(0, 100),
        step=1,
        when=("scattered", ("True",)),
        label="scatter seed",
    )
    heap: str = COPIES.param(
        "",
        "A name: the copies of all props with the same one are dropped together.",
        when=("scattered", ("True",)),
        affects="none",
    )
    lies: tuple[Lying, ...] = COPIES.param(
        (),
        "Where each copy lies since they were dropped: place, turn as a quaternion w x y z, size.",
        kind="lies",
        when=("scattered", ("never",)),
    )
    credit: str = MESH.param(
        "",
        "Who made the mesh and under which terms; it goes into the package.",
        when=("shape", ("mesh",)),
        affects="pack",
    )
    colour: Vec3 = LOOK.number(
        (0.45, 0.42, 0.38),
        "",
        0,
        1,
        "Surface colour of a primitive.",
        kind="colour",
        when=("shape", ("sphere", "box", "cylinder", "cone")),
    )

    @property
    def scattered(self) -> bool:
        return self.copies > 1
