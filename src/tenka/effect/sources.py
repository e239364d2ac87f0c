"""What feeds a gas: regions, props, curves and particles, and what they give to it."""

from __future__ import annotations

from typing import Literal

from pydantic import model_validator

from tenka.effect.catalogue import WHAT, WHERE
from tenka.effect.courses import Value
from tenka.effect.former import crowding_of_blend
from tenka.effect.placed import Feed, Ramp, Vec3, ramp


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
        label="heat",
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
