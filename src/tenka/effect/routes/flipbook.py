"""The flipbook route: how frames are drawn and laid out."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field, field_validator

from tenka.effect.catalogue import ATLAS
from tenka.effect.routes.base import RouteSettings, first_moment, last_moment
from tenka.effect.routes.player import Player

APART = ("apart", ("True",))
FRAMING = (
    "first",
    "last",
    "columns",
    "rows",
    "width",
    "height",
    "variants",
    "crop",
    "pivot",
    "pivot_right",
    "pivot_up",
    "spacing",
    "loop",
    "loop_blend",
    "padding",
    "heading",
    "pitch",
)
"""What flipbooks that are matched have in common."""


class Flipbook(RouteSettings):
    """The flipbook route: how frames are drawn and laid out."""

    TITLE: ClassVar[str] = "Flipbook"
    HINT: ClassVar[str] = "Frames in an atlas, played by sprites that face the camera."
    TAKES: ClassVar[tuple[str, ...]] = ("gas", "particles", "debris", "liquid")
    SHARED: ClassVar[bool] = True
    TOGETHER: ClassVar[tuple[tuple[str, ...], ...]] = (
        ("width", "height"),
        ("columns", "width"),
        ("rows", "height"),
    )
    ASIDE: ClassVar[dict[str, str]] = {
        "six_way": "the game's lights do not light it then",
        "normals": "the game's lights do not shape it then",
        "distance": "it does not meet things in its own depth then",
    }
    kind: Literal["flipbook"] = "flipbook"
    matches: str = ATLAS.param(
        "",
        "Another flipbook whose side, size and times its frames have too: both are framed round what is in "
        "either, so that they lie on each other.",
        kind="book",
        label="matched with",
    )
    first: float = first_moment(ATLAS, APART)
    last: float = last_moment(ATLAS, APART)
    columns: int = ATLAS.number(
        8, "", 1, 32, "Frames in a row of the atlas.", soft=(1, 16), step=1, cost="memory", when=APART
    )
    rows: int = ATLAS.number(8, "", 1, 32, "Rows of frames.", soft=(1, 16), step=1, cost="memory", when=APART)
    width: int = ATLAS.number(
        2048, "px", 16, 16384, "Width of the atlas.", soft=(256, 4096), step=64, cost="memory", when=APART
    )
    height: int = ATLAS.number(
        2048, "px", 16, 16384, "Height of the atlas.", soft=(256, 4096), step=64, cost="memory", when=APART
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
        when=APART,
    )
    crop: bool = ATLAS.param(
        False,
        "Frames hold no more than what is seen in any of them, so that each has more pixels; the pivot stays "
        "where it is.",
        when=APART,
    )
    pivot: Literal["where it is born", "middle", "by hand"] = ATLAS.param(
        "where it is born",
        "The point of the frame by which a sprite is placed: the foot of its sources, the frame's middle, or "
        "a place of yours.",
    )
    pivot_right: float = ATLAS.number(
        0.5,
        "",
        -1,
        2,
        "Where it is between the left (0) and the right (1) of the frame.",
        soft=(0, 1),
        when=("pivot", ("by hand",)),
        label="pivot to the right",
    )
    pivot_up: float = ATLAS.number(
        0.0,
        "",
        -1,
        2,
        "Where it is between the foot (0) and the top (1) of the frame.",
        soft=(0, 1),
        when=("pivot", ("by hand",)),
        label="pivot upwards",
    )
    spacing: Literal["even time", "even change"] = ATLAS.param(
        "even time",
        "Frames lie as far apart in time, or so that as much changes from each to the next.",
        when=APART,
    )
    loop: bool = ATLAS.param(
        False,
        "Looks for the stretch that meets itself best, and turns its end into what was before its begin, so "
        "that it can be played for ever.",
        label="looped",
        when=APART,
    )
    loop_blend: float = ATLAS.number(
        0.3,
        "",
        0,
        0.9,
        "Share of the loop over which its end turns into its begin.",
        label="blended share",
        when=(("loop", ("True",)), APART),
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
        when=APART,
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
    blocks: Literal["none", "BC3", "BC7"] = ATLAS.param(
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
        False,
        "An atlas of which way a gas or thrown water faces, for lights of the game.",
        label="normal map",
        cost="memory",
    )
    distance: bool = ATLAS.param(
        False,
        "An atlas of how deep in its box a gas or thrown water is seen, so that it meets things in its own "
        "depth.",
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
        when=APART,
    )
    pitch: float = ATLAS.number(
        0.0,
        "°",
        -85,
        85,
        "How far from above frames are drawn: as steeply as the game looks down on it. 0 is level.",
        soft=(0, 60),
        step=1,
        when=APART,
    )
    player: Player = Field(default_factory=Player)

    @field_validator("blocks", mode="before")
    @classmethod
    def _with_alpha(cls, value: object) -> object:
        """Effects of before may ask for a form that has no alpha, by which a sprite is drawn."""
        return "BC3" if value == "BC1" else value

    @property
    def apart(self) -> bool:
        """Whether it is framed by itself."""
        return not self.matches

    def framed_as(self, other: Flipbook) -> Flipbook:
        """The same with the frames of another."""
        return self.model_copy(update={name: getattr(other, name) for name in FRAMING})

    @property
    def looks_first(self) -> bool:
        """Whether all of its frames are looked at before they are laid out."""
        return self.crop or self.loop or self.spacing == "even change"

    @property
    def told_by_drawing(self) -> str:
        return "" if self.cut_out == "none" else "how much its cut-out saves"
