"""What feeds layers: regions, props, curves, other layers and files, and what they give to each kind."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import model_validator

from tenka.effect.catalogue import MOTION, WHAT, WHERE
from tenka.effect.courses import Value
from tenka.effect.former import crowding_of_blend
from tenka.effect.placed import Feed, Ramp, Vec3, ramp

FILES = ("file",)
GIVEN = ("file", "pieces")
"""Shapes that bring their own places and number: all are born when the burst comes."""
BY_CHANCE = (
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
    "particles",
)
LEAST_APART = 0.001  # s


class Source(Feed):
    """What feeds a gas layer."""

    shape: Literal[
        "sphere", "box", "cylinder", "cone", "torus", "capsule", "curve", "surface", "inside", "particles"
    ] = WHERE.param(
        "sphere",
        (
            "The region that gives birth: a form of its own, the surface or the inside of a prop, or the "
            "particles of a layer."
        ),
        cost="source",
    )
    point_size: float = WHERE.number(
        2.0,
        "",
        0.01,
        100,
        "Radius in which each particle gives, as a multiple of its own radius; it sweeps along its path.",
        soft=(0.5, 8),
        when=("shape", ("particles",)),
    )
    point_least: float = WHERE.number(
        0.05,
        "m",
        0.001,
        10,
        "Radius below which none gives; less than a voxel gives its share of one.",
        soft=(0.01, 0.5),
        when=("shape", ("particles",)),
    )
    point_size_over: Ramp = WHERE.param(
        ramp((0.0, 1.0), (1.0, 0.3)),
        "That radius over each particle's life: streaks taper.",
        kind="ramp",
        when=("shape", ("particles",)),
    )
    point_give_over: Ramp = WHERE.param(
        ramp((0.0, 1.0), (0.6, 0.6), (1.0, 0.0)),
        "How much each particle gives over its life.",
        kind="ramp",
        when=("shape", ("particles",)),
    )
    density: Value = WHAT.moving(
        4.0,
        "1/s",
        0,
        200,
        "Smoke given each second where the source is full; more is darker.",
        soft=(0, 12),
        cost="source",
    )
    temperature: Value = WHAT.moving(
        300.0,
        "K",
        -280,
        4000,
        "How much hotter than the air the gas is born; it drives the lift.",
        soft=(0, 900),
        step=5,
        cost="source",
    )
    fuel: Value = WHAT.moving(
        0.0,
        "1/s",
        0,
        200,
        "Fuel given each second; it burns when the layer's fire is on.",
        soft=(0, 12),
        cost="source",
    )
    expansion: Value = WHAT.moving(
        0.0,
        "1/s",
        -60,
        200,
        "Gas volume pressed in each second, as a share of the source's own.",
        soft=(0, 10),
        cost="source",
    )
    push: Vec3 = WHAT.number(
        (0.0, 0.0, 0.0), "m/s", -200, 200, "Speed that the gas is born with.", soft=(-5, 5), step=0.05
    )
    push_over: Value = WHAT.moving(
        1.0, "", -10, 10, "Share of the push, over time; below 0 it goes the other way.", soft=(0, 1)
    )
    outward: Value = WHAT.moving(
        0.0,
        "m/s",
        -200,
        200,
        "Speed away from the source's surface; negative draws in.",
        soft=(-4, 4),
        step=0.05,
    )
    grip: float = WHAT.number(
        12.0,
        "1/s",
        0,
        200,
        "How fast the gas at the source takes on its temperature and push.",
        soft=(0, 40),
        step=0.5,
    )
    crowding: float = WHAT.number(
        0.0,
        "",
        0,
        1,
        "Where it meets smoke that is there: 0 adds to it (soft), 1 only fills up to its own (sharp).",
    )
    dye: bool = WHAT.param(False, "Whether the smoke carries a colour of its own.")
    dye_colour: Vec3 = WHAT.number(
        (0.75, 0.3, 0.2), "", 0, 1, "The colour that is carried.", kind="colour", when=("dye", ("True",))
    )
    shaped_by: Literal["nothing", "image", "colours"] = WHAT.param(
        "nothing",
        (
            "How much is given where: evenly, by the brightness of an image, or of its mesh's own "
            "colours (a plain prop has one, and gives evenly)."
        ),
    )
    image: str = WHAT.param(
        "",
        (
            "Image that shapes it (PNG, JPEG, TIFF), relative to the effect: bright gives, dark or clear "
            "does not."
        ),
        kind="image",
        when=("shaped_by", ("image",)),
    )
    image_along: Literal["z", "x", "y"] = WHAT.param(
        "z", "The source's own axis along which the image is laid over it.", when=("shaped_by", ("image",))
    )
    breakup: Value = WHAT.moving(
        0.6,
        "",
        0,
        1,
        "How strongly noise breaks up the source; 0 is even and looks like a pipe.",
        cost="source",
    )
    breakup_size: float = WHAT.number(0.25, "m", 0.01, 50, "Size of the patches.", soft=(0.05, 2))
    breakup_rate: float = WHAT.number(1.5, "1/s", 0, 60, "New patches each second.", soft=(0, 8))
    breakup_low: float = WHAT.number(
        0.3, "", 0, 0.99, "Noise below this gives nothing: raise it for fewer, sharper patches."
    )
    breakup_high: float = WHAT.number(0.7, "", 0.01, 1, "Noise above this gives all.")

    _former = model_validator(mode="before")(crowding_of_blend)


class PointSource(Feed):
    """What gives birth to particles or pieces."""

    shape: Literal[
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
        "particles",
        "file",
        "pieces",
    ] = WHERE.param(
        "sphere",
        (
            "Where they are born: a form, a prop's surface or inside, where a gas is dense, at particles "
            "of another layer, a file's points, or as the pieces of the layer's prop where it stood."
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
        "Births each second; from particles: of each of them.",
        soft=(0, 2000),
        step=5,
        cost="births",
        when=("shape", BY_CHANCE),
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
    least_width: float = WHAT.number(
        0.25,
        "",
        0.001,
        1,
        "Size of the smallest, as a share of the largest.",
        when=("shape", (*BY_CHANCE, "file")),
    )
    skew: float = WHAT.number(
        3.0,
        "",
        0.1,
        20,
        "How many small ones there are for each big one; 1 is even, which looks made.",
        soft=(1, 6),
        when=("shape", (*BY_CHANCE, "file")),
    )
    temperature: Value = WHAT.moving(
        0.0, "K", -280, 4000, "How much hotter than the air they are born.", soft=(0, 2000), step=10
    )
    colour: Vec3 = WHAT.number((0.6, 0.57, 0.52), "", 0, 1, "The colour that they carry.", kind="colour")
    coloured: bool = WHAT.param(
        False,
        "They carry the colour of the mesh, of the file's points, or of the particles where they are born.",
        when=("shape", ("surface", "file", "particles")),
    )
    direction: Vec3 = MOTION.number(
        (0.0, 0.0, 1.0),
        "",
        -1e3,
        1e3,
        "Direction in which they are thrown, in the source's own axes.",
        soft=(-1, 1),
        step=0.05,
    )
    cone: float = MOTION.number(
        20.0, "°", 0, 180, "Half of the angle over which they are thrown; 180 is all round.", step=1
    )
    outward: float = MOTION.number(
        0.0, "", 0, 1, "Share of the direction that is away from the source's surface."
    )
    off_axis: float = MOTION.number(
        0.0, "", 0, 1, "Share of the direction that is away from the source's upright axis."
    )
    along: float = MOTION.number(0.0, "", 0, 1, "Share of the direction that lies along the surface, up it.")
    speed: Value = MOTION.moving(2.0, "m/s", 0, 1000, "How fast they are thrown, on average.", soft=(0, 20))
    speed_spread: float = MOTION.number(0.3, "", 0, 1, "How much speeds differ, as a share.")
    scatter: Vec3 = MOTION.number(
        (0.0, 0.0, 0.0),
        "m/s",
        0,
        500,
        "Speed added by chance along each of its axes: the spread of a bell curve.",
        soft=(0, 5),
        step=0.05,
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
    far_share: float = MOTION.number(
        0.03, "", 0, 1, "Share of them that fly further than the rest.", soft=(0, 0.2)
    )
    far_reach: float = MOTION.number(
        0.5, "", 0, 20, "How much faster those are thrown, up to this share more.", soft=(0, 2)
    )

    @property
    def given(self) -> bool:
        """Whether its places and their number are not its own."""
        return self.shape in GIVEN

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
