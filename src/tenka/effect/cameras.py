"""Cameras that are kept by name, still or moving, besides the view that the effect is opened with."""

from __future__ import annotations

from typing import Literal

from tenka.effect.catalogue import CAMERA, WHERE
from tenka.effect.courses import Value
from tenka.effect.placed import Placed, Vec3


class SceneCamera(Placed):
    """A camera that looks ahead at a place, which may move, or be carried by a prop."""

    position: Vec3 = WHERE.number(
        (0.0, 0.0, 1.0),
        "m",
        -1e4,
        1e4,
        "What it looks at; with a parent, as seen from it.",
        soft=(-10, 10),
        step=0.02,
    )
    turn: Value = WHERE.moving(
        90.0,
        "°",
        -36000,
        36000,
        "The way in which it looks, round the vertical.",
        soft=(-180, 180),
        step=1,
        label="looks towards",
    )
    tilt: Value = WHERE.moving(
        8.0,
        "°",
        -36000,
        36000,
        "How far it looks down; below 0, up.",
        soft=(-20, 89),
        step=1,
        label="looks down",
    )
    away: Value = CAMERA.moving(
        8.0, "m", 0.02, 1e4, "How far it stands from what it looks at.", soft=(0.5, 40), step=0.1
    )
    opens: Value = CAMERA.moving(
        40.0, "°", 1, 140, "Height of its picture, as an angle.", soft=(10, 90), step=1, label="angle of view"
    )
    lean: Value = CAMERA.moving(
        0.0, "°", -36000, 36000, "Leans its picture to the side.", soft=(-45, 45), step=1, label="leans aside"
    )
    aperture: Value = CAMERA.moving(
        0.0,
        "m",
        0,
        2,
        "Width of its lens: what lies before or behind what is sharp is soft in final pictures. 0 has all "
        "sharp.",
        soft=(0, 0.3),
        step=0.005,
    )
    sharp_at: Value = CAMERA.moving(
        0.0,
        "m",
        0,
        1e4,
        "How far from it things are sharp.",
        soft=(0, 40),
        step=0.1,
        named=((0.0, "what it looks at"),),
    )
    reference: str = CAMERA.param(
        "", "A picture that is shown while the stage looks through it: PNG, JPEG or WebP.", kind="image"
    )
    reference_shown: Literal["over", "beside"] = CAMERA.param(
        "over", "Laid over what is seen, or shown on the right half beside it.", when=("reference", ())
    )
    reference_share: float = CAMERA.number(
        0.5, "", 0, 1, "How much it hides of what is seen.", when=("reference_shown", ("over",))
    )
    reference_stops: float = CAMERA.number(
        0.0, "EV", -8, 8, "Its own exposure, in stops.", soft=(-3, 3), step=0.1, when=("reference", ())
    )
