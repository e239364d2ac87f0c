"""What gives birth to particles and pieces: where, how many, how large, and how they are thrown."""

from __future__ import annotations

from typing import Any, Literal, Self, get_args

from pydantic import model_validator

from tenka.effect.catalogue import MOTION, WHAT, WHERE
from tenka.effect.courses import Value
from tenka.effect.former import BORN_SIZES, thrown_by_rows
from tenka.effect.placed import Feed, Ramp, Vec3, ramp

FILES = ("file",)
GIVEN = ("file", "pieces")
"""Shapes that bring their own places and number: all are born when the burst comes."""
Shape = Literal[
    "point",
    "sphere",
    "box",
    "cylinder",
    "cone",
    "torus",
    "capsule",
    "curve",
    "surface",
    "inside",
    "gas",
    "water",
    "particles",
    "file",
    "pieces",
]
BY_CHANCE = tuple(shape for shape in get_args(Shape) if shape not in GIVEN)
LEAST_APART = 0.001  # s


class PointSource(Feed):
    """What gives birth to particles or pieces."""

    shape: Shape = WHERE.param(
        "sphere",
        (
            "Where they are born: a form, a prop's surface or inside, where a gas is dense, where a water "
            "breaks or is struck, at particles of another layer, a file's points, or as the pieces of the "
            "layer's prop where it stood."
        ),
        cost="births",
    )
    file: str = WHERE.param(
        "",
        (
            "Points or a sequence of them (PLY, CSV, NPZ); in a sequence the last number in the name "
            "counts frames."
        ),
        kind="points_file",
        when=("shape", FILES),
    )
    file_scale: float = WHERE.number(
        1.0, "", 1e-4, 1e4, "Metres for one unit of the file.", soft=(0.01, 2), when=("shape", FILES)
    )
    file_colours: Literal["by type", "linear", "display"] = WHERE.param(
        "by type",
        "What the file's colours are: light (linear) or display values (sRGB); by type, whole numbers are "
        "display values.",
        when=("shape", FILES),
    )
    plays: bool = WHERE.param(
        False,
        "The file's points are shown as they are, frame by frame, and nothing moves them.",
        when=("shape", FILES),
    )
    least: float = WHERE.number(
        0.15,
        "",
        0,
        100,
        "Gas that is denser than this gives birth, the more the denser.",
        soft=(0, 2),
        when=("shape", ("gas",)),
        label="least density",
    )
    born_on: Literal["life", "birth", "bounce", "death"] = WHERE.param(
        "life",
        (
            "Each particle of that layer gives birth all its life, or at its birth, at each bounce, or "
            "at its death."
        ),
        when=("shape", ("particles",)),
    )
    rate: Value = WHAT.moving(
        200.0,
        "1/s",
        0,
        5e6,
        "Births each second; from particles: of each of them; from water: of each square metre that breaks "
        "or is struck wholly.",
        soft=(0, 2000),
        step=5,
        cost="births",
        when=("shape", BY_CHANCE),
        label="births",
    )
    burst: int = WHAT.number(
        0,
        "",
        0,
        5_000_000,
        "Births at once, besides; from particles: at each of their moments.",
        soft=(0, 5000),
        step=10,
        cost="births",
        when=("shape", BY_CHANCE),
    )
    burst_at: float = WHAT.number(0.0, "s", -60, 600, "When the burst comes.", soft=(0, 4), step=0.02)
    burst_over: float = WHAT.number(
        0.0,
        "s",
        0,
        60,
        "Time over which the burst is spread; pieces let go one after the other, away from the source.",
        soft=(0, 1),
        step=0.01,
    )
    burst_every: float = WHAT.number(
        0.0,
        "s",
        0,
        600,
        "Time from one burst to the next; 0 is once.",
        soft=(0, 4),
        step=0.02,
        when=("shape", BY_CHANCE),
    )
    life: Value = WHAT.moving(2.0, "s", 0.001, 600, "How long each lives.", soft=(0.1, 6))
    life_spread: float = WHAT.number(0.3, "", 0, 1, "How much lives differ, as a share.")
    stays: bool = WHAT.param(
        False, "They do not die of age; ramps over life run over the life above and hold."
    )
    width: Value = WHAT.moving(
        0.03,
        "m",
        1e-4,
        100,
        "Size of the largest, across.",
        soft=(0.005, 0.5),
        step=0.001,
        when=("shape", (*BY_CHANCE, "file")),
    )
    sizes: Ramp = WHAT.param(
        ramp((0.599, 0.0), (0.6, 1.0), (0.8, 0.42), (1.0, 0.25)),
        "How many there are of each size, against the largest.",
        kind="ramp",
        axis=(*BORN_SIZES, "%"),
        when=("shape", (*BY_CHANCE, "file")),
    )
    temperature: Value = WHAT.moving(
        0.0,
        "K",
        -280,
        4000,
        "How much hotter than the air they are born.",
        soft=(0, 2000),
        step=10,
        label="heat",
    )
    colour: Vec3 = WHAT.number((0.6, 0.57, 0.52), "", 0, 1, "The colour that they carry.", kind="colour")
    coloured: bool = WHAT.param(
        False,
        "They carry the colour of the mesh, of the file's points, or of the particles where they are born.",
        when=("shape", ("surface", "file", "particles")),
    )
    arrow: Vec3 = MOTION.number(
        (0.0, 0.0, 1.0),
        "",
        -1e3,
        1e3,
        "The direction in which they are thrown, in the source's own axes.",
        soft=(-1, 1),
        step=0.05,
    )
    leans_to: Literal["surface", "axis", "slope"] = MOTION.param(
        "surface",
        "What the arrow leans to: away from the surface or the upright axis, or up along the surface.",
    )
    lean: float = MOTION.number(0.0, "", 0, 1, "How far it leans there.")
    spread: float = MOTION.number(
        20.0, "°", 0, 180, "Angle from the arrow at the rose's edge; 180 is all round.", step=1
    )
    rose: Ramp = MOTION.param(
        ramp((0.0, 1.0), (1.0, 1.0)),
        "How many go each way, from along the arrow (left) to the edge of the rose (right).",
        kind="ramp",
    )
    speed: Value = MOTION.moving(2.0, "m/s", 0, 1000, "How fast they are thrown, on average.", soft=(0, 20))
    tail: float = MOTION.number(
        0.25,
        "",
        0,
        2,
        "How uneven speeds are: with a long tail a few are far faster than the rest.",
        soft=(0, 1),
    )
    throw_reach: float = MOTION.number(
        0.0,
        "m",
        0,
        1000,
        "How far from the source pieces are thrown as fast: from there on slower; 0 is everywhere.",
        soft=(0, 5),
        when=("shape", ("pieces",)),
    )
    _former = model_validator(mode="before")(thrown_by_rows)

    @property
    def given(self) -> bool:
        """Whether its places and their number are not its own."""
        return self.shape in GIVEN

    def gives_at(self, t: Any) -> Any:
        """Whether moments, s, lie within the span in which it gives."""
        return (t - self.delay >= self.start) & (t - self.delay < self.end)

    @property
    def begins(self) -> float:
        """When the first are born, s."""
        return self.delay + (self.burst_at if self.burst or self.given else self.start)

    @model_validator(mode="after")
    def _bursts_apart(self) -> Self:
        if 0 < self.burst_every < LEAST_APART:
            raise ValueError(
                f"bursts every {self.burst_every:g} s; either 0 (once) or at least {LEAST_APART} s"
            )
        return self
