"""The light of a scene, and the camera that looks at it."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from tenka.effect.catalogue import LIGHT, Settings
from tenka.effect.courses import Value
from tenka.effect.placed import Vec3


class Light(Settings):
    """Sun, sky and exposure."""

    heading: Value = LIGHT.moving(
        35.0,
        "°",
        -720,
        720,
        "Where the sun stands, from +x towards +y.",
        soft=(-180, 180),
        step=1,
        label="sun's heading",
    )
    height: Value = LIGHT.moving(
        38.0, "°", 3, 90, "How high the sun stands.", soft=(5, 85), step=0.5, label="sun's height"
    )
    strength: Value = LIGHT.moving(
        3.0, "", 0, 100, "Brightness of the sun.", soft=(0, 8), label="sun's strength"
    )
    kelvin: Value = LIGHT.moving(
        4600.0,
        "K",
        1000,
        20000,
        "Colour of the sun, as a black body.",
        soft=(2000, 9000),
        step=50,
        label="colour temperature",
    )
    sky: Value = LIGHT.moving(0.55, "", 0, 20, "Brightness of the sky.", soft=(0, 3))
    sky_tint: Vec3 = LIGHT.number(
        (1.0, 1.0, 1.0), "", 0, 1, "Colours the light of the sky; white leaves it a pale blue.", kind="colour"
    )
    backdrop: Literal["grey", "sky", "dark"] = LIGHT.param(
        "grey", "What lies behind the scene: an even grey, by which colours are judged, its sky, or darkness."
    )
    exposure: Value = LIGHT.moving(
        0.0, "EV", -8, 8, "Brightens or darkens the picture, in stops.", soft=(-3, 3)
    )


class Camera(Settings):
    """A camera that looks at a point from a distance."""

    target: Vec3 = (0.0, 0.0, 2.0)
    distance: float = Field(12.0, gt=0.01, lt=1e5)
    heading: float = -70.0
    pitch: float = Field(8.0, ge=-89.0, le=89.0)
    fov: float = Field(40.0, gt=1.0, lt=150.0)
    roll: float = Field(0.0, ge=-360.0, le=360.0)
    aperture: float = Field(0.0, ge=0.0, le=2.0)  # m
    sharp: float = Field(0.0, ge=0.0, le=1e5)  # m from the eye; 0 is what it looks at
