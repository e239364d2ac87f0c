"""The flipbook of a layer: its atlas, and how the game plays it."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from tenka.effect.catalogue import ATLAS, PLAYER, Settings
from tenka.effect.placed import Ramp, Vec3, ramp
from tenka.effect.routes.base import RouteSettings, first_moment, last_moment


class Player(Settings):
    """How the game plays the flipbook: particles, each of which plays the sequence over its own life."""

    count: int = PLAYER.number(
        3,
        "",
        1,
        2000,
        "Sprites alive at once; each is a see-through layer over the others.",
        soft=(1, 24),
        step=1,
        cost="fill",
    )
    life: float = PLAYER.number(
        4.0, "s", 0.05, 60, "Seconds in which one sprite plays the sequence.", soft=(0.5, 8)
    )
    life_spread: float = PLAYER.number(0.1, "", 0, 0.9, "How much lives differ, as a share.", soft=(0, 0.5))
    scale: float = PLAYER.number(
        1.0,
        "",
        0.02,
        20,
        "Size of a sprite against the size it was packed at.",
        soft=(0.3, 2),
        cost="fill",
        label="sprite size",
    )
    size_spread: float = PLAYER.number(
        0.08, "", 0, 0.9, "How much sizes differ, as a share.", soft=(0, 0.5), cost="fill"
    )
    rotation: float = PLAYER.number(
        4.0, "°", 0, 180, "Random turn either way, so that copies do not show.", soft=(0, 30)
    )
    scatter: float = PLAYER.number(0.1, "m", 0, 100, "Radius in which sprites are born.", soft=(0, 2))
    drift: Vec3 = PLAYER.number(
        (0.0, 0.0, 0.0), "m/s", -100, 100, "Speed of a sprite after birth.", soft=(-2, 2), step=0.02
    )
    speed: float = PLAYER.number(
        0.0, "m/s", 0, 200, "Speed at birth, upwards within the cone.", soft=(0, 5), label="birth speed"
    )
    cone: float = PLAYER.number(
        20.0,
        "°",
        0,
        180,
        "How far from upright a sprite may set out, by chance; 180 is every way.",
        soft=(0, 90),
        step=1,
        label="birth cone",
    )
    gravity: float = PLAYER.number(
        0.0,
        "m/s²",
        -100,
        100,
        "Pull downwards on sprites; below 0 they rise.",
        soft=(-5, 10),
        label="sprite gravity",
    )
    drag: float = PLAYER.number(
        0.0,
        "1/s",
        0,
        100,
        "How quickly a sprite loses the speed that it set out with.",
        soft=(0, 5),
        label="sprite drag",
    )
    carried: float = PLAYER.number(
        0.0,
        "",
        0,
        1,
        "Share of the speed of what carries the effect that a sprite keeps; with none it stays where it was "
        "born.",
        label="speed kept",
    )
    size_over: Ramp = PLAYER.param(
        ramp((0.0, 1.0), (1.0, 1.0)),
        "Size over a sprite's life, against its own.",
        kind="ramp",
        cost="fill",
        label="size over life",
    )
    alpha: Ramp = PLAYER.param(
        ramp((0.0, 0.0), (0.16, 1.0), (0.6, 0.85), (1.0, 0.0)),
        "Opacity over a sprite's life: up fast, away slowly, never cut off.",
        kind="ramp",
        label="opacity over life",
    )
    tint_over: Ramp = PLAYER.param(
        ramp((0.0, (1.0, 1.0, 1.0)), (1.0, (1.0, 1.0, 1.0))),
        "By what colour its light is multiplied over a sprite's life.",
        kind="ramp",
        label="colour over life",
    )
    frames_over: Ramp = PLAYER.param(
        ramp((0.0, 0.0), (1.0, 1.0)),
        "How far through the sequence a sprite is over its life: steep where much happens, level where it "
        "stands.",
        kind="ramp",
        label="sequence over life",
    )
    plays: float = PLAYER.number(
        1.0,
        "",
        0.05,
        50,
        "How often a sprite plays the sequence in its life.",
        soft=(0.5, 8),
        label="plays a life",
    )
    any_start: bool = PLAYER.param(
        False, "Each sprite begins at a frame of its own, by chance.", label="starts anywhere"
    )
    blend: bool = PLAYER.param(
        True, "Blends each frame into the next: smoother for two texture reads.", cost="arithmetic"
    )
    soft_edge: float = PLAYER.number(
        0.6,
        "m",
        0,
        50,
        "Distance to a surface over which a sprite fades instead of cutting it.",
        soft=(0, 2),
        cost="arithmetic",
    )
    far_share: float = PLAYER.number(
        1.0,
        "",
        0,
        1,
        "Share of the sprites that is left far away; they fade out one after another, so that none pops.",
        cost="fill",
        label="share afar",
    )
    far_from: float = PLAYER.number(
        15.0, "m", 0, 10_000, "Distance from which on sprites fade out.", soft=(2, 100), label="fewer from"
    )
    far_to: float = PLAYER.number(
        60.0,
        "m",
        0,
        10_000,
        "Distance at which no more than the share afar is left.",
        soft=(5, 300),
        label="fewest from",
    )

    def on_one_sprite(self, seconds: float) -> Player:
        """The same, but one sprite alone, which stands still and shows each frame whole at its own time."""
        return self.model_copy(
            update={
                "count": 1,
                "far_share": 1.0,
                "life": max(seconds, 0.05),
                "life_spread": 0.0,
                "scale": 1.0,
                "size_spread": 0.0,
                "rotation": 0.0,
                "scatter": 0.0,
                "drift": (0.0, 0.0, 0.0),
                "plays": 1.0,
                "any_start": False,
                "speed": 0.0,
                "gravity": 0.0,
                "size_over": ramp((0.0, 1.0), (1.0, 1.0)),
                "alpha": ramp((0.0, 1.0), (1.0, 1.0)),
                "tint_over": ramp((0.0, (1.0, 1.0, 1.0)), (1.0, (1.0, 1.0, 1.0))),
                "frames_over": ramp((0.0, 0.0), (1.0, 1.0)),
            }
        )


class Flipbook(RouteSettings):
    """The flipbook route: how frames are drawn and laid out."""

    TITLE: ClassVar[str] = "Flipbook"
    HINT: ClassVar[str] = "Frames in an atlas, played by sprites that face the camera."
    TAKES: ClassVar[tuple[str, ...]] = ("gas", "particles", "debris")
    SHARED: ClassVar[bool] = True
    kind: Literal["flipbook"] = "flipbook"
    first: float = first_moment(ATLAS)
    last: float = last_moment(ATLAS)
    columns: int = ATLAS.number(
        8, "", 1, 32, "Frames in a row of the atlas.", soft=(1, 16), step=1, cost="memory"
    )
    rows: int = ATLAS.number(8, "", 1, 32, "Rows of frames.", soft=(1, 16), step=1, cost="memory")
    width: int = ATLAS.number(
        2048, "px", 16, 16384, "Width of the atlas.", soft=(256, 4096), step=64, cost="memory"
    )
    height: int = ATLAS.number(
        2048, "px", 16, 16384, "Height of the atlas.", soft=(256, 4096), step=64, cost="memory"
    )
    variants: int = ATLAS.number(
        1,
        "",
        1,
        16,
        "Sequences that differ by chance alone, side by side in the atlas: each sprite plays one of them. "
        "Further ones are simulated when it is packed.",
        soft=(1, 4),
        step=1,
    )
    crop: bool = ATLAS.param(
        False,
        "Frames hold no more than what is seen in any of them, so that each has more pixels; the pivot stays "
        "where it is.",
    )
    spacing: Literal["even time", "even change"] = ATLAS.param(
        "even time", "Frames lie as far apart in time, or so that as much changes from each to the next."
    )
    loop: bool = ATLAS.param(
        False,
        "Looks for the stretch that meets itself best, and turns its end into what was before its begin, so "
        "that it can be played for ever.",
        label="looped",
    )
    loop_blend: float = ATLAS.number(
        0.3,
        "",
        0,
        0.9,
        "Share of the loop over which its end turns into its begin.",
        label="blended share",
        when=("loop", ("True",)),
    )
    cut_out: Literal["none", "one for all", "each frame"] = ATLAS.param(
        "none",
        "Sprites are drawn as shapes round what is seen instead of whole frames: less is shaded, and nothing "
        "above the thinnest cover is lost.",
        label="cut-out",
        cost="fill",
    )
    corners: int = ATLAS.number(
        8, "", 4, 8, "Corners of a cut-out at most.", step=1, when=("cut_out", ("one for all", "each frame"))
    )
    padding: int = ATLAS.number(
        2,
        "px",
        0,
        64,
        "Empty pixels round each frame, so that neighbours do not bleed in.",
        soft=(0, 8),
        step=1,
    )
    alpha_form: Literal["premultiplied", "straight"] = ATLAS.param(
        "premultiplied", "Colour already weighted by alpha (exact), or not.", label="alpha form"
    )
    alpha_floor: float = ATLAS.number(
        0.0,
        "",
        0,
        0.9,
        "Cover up to this becomes nothing, and what is above begins there: thin haze is cut off.",
        soft=(0, 0.2),
        label="thinnest cover",
    )
    alpha_contrast: float = ATLAS.number(
        1.0,
        "",
        0.2,
        5,
        "Above 1 the middle of the cover is steeper: thin parts get thinner and thick ones thicker.",
        soft=(0.5, 2),
        label="cover contrast",
    )
    further: Literal["none", "TGA", "EXR"] = ATLAS.param(
        "none",
        "Writes each atlas as TGA too, or one OpenEXR of 16-bit floats with all light, above 1 as well.",
        label="further files",
    )
    second: Literal["as needed", "none", "emission", "temperature"] = ATLAS.param(
        "as needed",
        "A second atlas: the light given off, or the heat to colour by, in which flames are lost. As needed "
        "means light where the layer glows; with none, what fits of it is added to the colour.",
        label="second atlas",
        cost="memory",
    )
    blocks: Literal["none", "BC1", "BC3", "BC7"] = ATLAS.param(
        "none",
        "Writes each atlas as DDS besides, compressed in blocks as graphics devices read it, with its "
        "smaller levels; colour in this form, the others in what suits them.",
        label="block compression",
        cost="memory",
    )
    motion: bool = ATLAS.param(
        False,
        "An atlas of how what is seen moves besides: frames are blended along it, so that half as many do.",
        label="motion atlas",
        cost="memory",
    )
    six_way: bool = ATLAS.param(
        False,
        "Two atlases of how a gas looks lit from right, left, top, bottom, back and front, and from all "
        "round: the game lights it anew.",
        label="light maps",
        cost="memory",
    )
    normals: bool = ATLAS.param(
        False, "An atlas of which way a gas faces, for lights of the game.", label="normal map", cost="memory"
    )
    distance: bool = ATLAS.param(
        False,
        "An atlas of how deep in its box a gas is seen, so that it meets things in its own depth.",
        label="depth map",
        cost="memory",
    )
    heading: float = ATLAS.number(
        -90.0,
        "°",
        -360,
        360,
        "Side from which frames are drawn; -90 looks along +y.",
        soft=(-180, 180),
        step=1,
    )
    player: Player = Field(default_factory=Player)

    @property
    def looks_first(self) -> bool:
        """Whether all of its frames are looked at before they are laid out."""
        return self.crop or self.loop or self.spacing == "even change"

    @property
    def told_by_drawing(self) -> str:
        return "" if self.cut_out == "none" else "how much its cut-out saves"
