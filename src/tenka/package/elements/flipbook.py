"""A flipbook in a manifest: its atlases, and how they are played."""

from __future__ import annotations

import math
from typing import Annotated, Literal

import numpy as np
from pydantic import Field, model_validator

from tenka.effect.model import Player
from tenka.effect.placed import ramp_at
from tenka.package.parts import Element, Metres, Name, Part, Size, Vec3, rising, vec3

LEAST_CELL, MOST_LEVELS = 4, 8  # px of a cell in the smallest level, and levels
OFF_PACE = 0.02  # share of a loop's length by which it may be played slower or faster unremarked


class ColourAtlas(Part):
    """Colour and alpha of all frames, 8-bit RGBA PNG.

    Colour is linear light encoded as sRGB; with `premultiplied` alpha it was weighted in linear light first.
    """

    file: Name
    alpha: Literal["premultiplied", "straight"]
    encoding: Literal["srgb"] = "srgb"


class SecondAtlas(Part):
    """Light given off (RGB, sRGB-encoded, times `scale`), or temperature above the air (grey, times `scale`
    K)."""

    file: Name
    holds: Literal["emission", "temperature"]
    scale: float = Field(gt=0, le=1e6)
    # linear sRGB at even steps from 0 to `scale` K above the air
    black_body: tuple[Vec3, ...] = Field((), max_length=4096)


class MotionAtlas(Part):
    """How what is seen moves from each frame to the next, 8-bit PNG: (red / 127 - 1) `scale[0]` is the way to
    the right, as a share of a frame's width without padding; green likewise the way down, of its height.

    Between two frames, a share f after the first, the first is read at uv - f m and the second at
    uv + (1 - f) m, each with the m of its own frame at uv; then they are mixed by f.
    """

    file: Name
    scale: tuple[Size, Size]


class Sheet(Part):
    """A further atlas, 8-bit PNG."""

    file: Name


class LightMaps(Part):
    """Two atlases, 8-bit RGBA PNG, of what a gas throws back of a white light of strength 1, premultiplied.

    `first`: red, green, blue: from the right, the left, the top, as sRGB, times `scale`; in alpha its cover.
    `second`: from the bottom, the back, the front, likewise; alpha, as it is, times `round_scale`: from all
    round. With the unit vector l to the light (right, up, to the viewer), the gas shows
    `tint` (light (lx^2 right or left + ly^2 top or bottom + lz^2 front or back) + sky round).
    """

    first: Sheet
    second: Sheet
    scale: Size = 1.0
    round_scale: Size = 1.0
    tint: tuple[Metres, Metres, Metres] = (1.0, 1.0, 1.0)


class DepthSheet(Sheet):
    """Grey: how far what is seen lies from the near side of the box (0) to its far side (255)."""

    near: Metres  # from the sprite's plane towards the viewer, m
    far: Metres  # and away from it, m


class BlockTexture(Part):
    """An atlas compressed in blocks, as DDS with its smaller levels: what a graphics device reads."""

    file: Name
    of: Name  # the atlas that it holds
    form: Literal["bc1", "bc3", "bc4", "bc5", "bc7"]
    levels: int = Field(gt=0, le=16)
    psnr: float = Field(ge=0, le=99)  # dB, of the stored bytes of the largest level


Corner = tuple[
    Annotated[float, Field(ge=0, le=1)], Annotated[float, Field(ge=0, le=1)]
]  # in the frame, from its lower left corner, 0 to 1
CUT_CORNERS = 8


class CutOut(Part):
    """Convex shapes round what is seen, anticlockwise: one for all frames, or one for each, which holds the
    next frame too."""

    shapes: tuple[Annotated[tuple[Corner, ...], Field(min_length=3, max_length=CUT_CORNERS)], ...] = Field(
        min_length=1, max_length=4096
    )

    @property
    def shares(self) -> np.ndarray:
        """Of a frame that each shape leaves to be drawn."""
        found = []
        for shape in self.shapes:
            x, y = np.array(shape).T
            found.append(0.5 * float(x @ np.roll(y, -1) - y @ np.roll(x, -1)))
        return np.array(found)

    @property
    def table(self) -> np.ndarray:
        """The shapes as tenka.look.sprites.draw_quads takes them, (n, 8, 2): the last corner fills up."""
        filled = [[*shape, *[shape[-1]] * (CUT_CORNERS - len(shape))] for shape in self.shapes]
        return np.array(filled, np.float32) * np.float32(2) - np.float32(1)


def slowed(player: Player, since: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """How far a sprite goes by a speed of 1, and how far it falls by a pull of 1, (n,), within some seconds:
    the path of a body that is slowed in proportion to its speed."""
    k = max(player.drag, 1e-6)
    gone = -np.expm1(-k * since) / k
    return gone, (since - gone) / k if player.drag > 1e-3 else 0.5 * since**2


def reach(element: Flipbook, player: Player) -> tuple[Vec3, Vec3]:
    """Low and high corner of what sprites can cover from any side, m, whatever chance gives them."""
    t = np.linspace(0.0, player.life * (1.0 + player.life_spread), 129)
    gone, fallen = slowed(player, t)
    cone = math.radians(player.cone)
    far, flat = player.speed * gone, math.sin(min(cone, math.pi / 2))
    across = np.stack([player.scatter + far * flat] * 2 + [0 * t], axis=1) + 0.5 * np.abs(player.along)
    middle = np.array(element.attach) + t[:, None] * np.array(player.drift)
    middle[:, 2] -= player.gravity * fallen
    low, high = middle - across, middle + across
    low[:, 2] += far * math.cos(cone)
    high[:, 2] += far
    corner = np.maximum(element.pivot, 1.0 - np.array(element.pivot)) * element.size * (1.0, player.tall)
    most = float(ramp_at(player.size_over, np.linspace(0.0, 1.0, 257)).max())
    wide = float(np.linalg.norm(corner)) * player.scale * (1.0 + player.size_spread) * most
    return vec3(low.min(axis=0) - wide), vec3(high.max(axis=0) + wide)


class Flipbook(Element):
    """Frames in rows from the top left, each in a cell with `padding` empty pixels round it."""

    route: Literal["flipbook"] = "flipbook"
    colour: ColourAtlas
    second: SecondAtlas | None
    motion: MotionAtlas | None = None
    lit: LightMaps | None = None
    normals: Sheet | None = None  # red right, green up, blue to the viewer: 127.5 is 0
    distance: DepthSheet | None = None
    further: tuple[Sheet, ...] = Field(
        (), max_length=16
    )  # the same for other uses: TGA, or OpenEXR of all light
    blocks: tuple[BlockTexture, ...] = Field((), max_length=16)
    width: int = Field(gt=0, le=16384)
    height: int = Field(gt=0, le=16384)
    columns: int = Field(gt=0, le=64)
    rows: int = Field(gt=0, le=64)
    padding: int = Field(ge=0, le=1024)
    frames: int = Field(gt=0, le=4096)  # of all variants
    variants: int = Field(1, gt=0, le=64)  # one after another, each with as many frames
    size: tuple[Size, Size]  # of a frame without its padding, m
    pivot: tuple[Metres, Metres]  # in the frame, from its lower left corner, 0 to 1
    attach: Vec3  # where the pivot stands in the set, m
    heading: float = Field(ge=-720, le=720)  # side it was drawn from, degrees
    pitch: float = Field(0.0, ge=-90, le=90)  # and how far from above
    clock: Literal["life"] = "life"
    loop: bool = False
    cut_out: CutOut | None = None
    # low and high corner that no sprite leaves as it was packed, m, from where the effect stands
    bounds: tuple[Vec3, Vec3] | None = None
    period: Size | None = None  # of a loop, s: after the last frame comes the first again
    # of a loop: change from the last frame to the first, as a share of the median change from frame to frame
    seam: float | None = Field(None, ge=0, le=1e6)
    player: Player

    @model_validator(mode="after")
    def _fits(self) -> Flipbook:
        if self.frames > self.columns * self.rows or self.frames != self.variants * len(self.times):
            raise ValueError(
                f"{self.frames} frames do not fit {self.columns} x {self.rows} cells and "
                f"{len(self.times)} times of {self.variants} variants"
            )
        rising(self.times)
        if self.cut_out is not None and len(self.cut_out.shapes) not in (1, self.frames):
            raise ValueError(f"{len(self.cut_out.shapes)} cut-outs are neither one nor one for each frame")
        if 2 * self.padding >= min(self.cell):
            raise ValueError("the padding leaves nothing of a cell")
        return self

    @property
    def remark(self) -> str:
        played = self.player.life / self.player.plays
        if self.period is None or abs(played - self.period) <= OFF_PACE * self.period:
            return ""
        life = self.period * self.player.plays
        return (
            f"its loop of {self.period:.2f} s takes {played:.2f} s: a life of {life:.2f} s gives its own pace"
        )

    def after(self, n: int) -> int:
        """The frame that a frame is blended into: the next of its variant, of a loop the first again."""
        each = len(self.times)
        first, place = n - n % each, n % each
        return first + ((place + 1) % each if self.loop else min(place + 1, each - 1))

    @property
    def span(self) -> float:
        return 2 * self.player.life

    def end(self, start: float, stopped: float) -> float:  # its sprites are born again and again
        return stopped + self.player.life * (1.0 + self.player.life_spread)

    @property
    def held_in(self) -> tuple[Vec3, Vec3] | None:
        return self.bounds

    def box(self, player: Player) -> tuple[Vec3, Vec3]:
        return reach(self, player)

    def cuts_hard(self, player: Player) -> bool:
        return player.soft_edge <= 0.0

    def bounded(self) -> Flipbook:
        return self.model_copy(update={"bounds": reach(self, self.player)})

    @property
    def cuts(self) -> np.ndarray:
        """Its cut-outs as tenka.look.sprites.draw_quads takes them."""
        return np.zeros((0, CUT_CORNERS, 2), np.float32) if self.cut_out is None else self.cut_out.table

    @property
    def files(self) -> list[str]:
        """Names of its atlases."""
        return [*self.sheets, *(block.file for block in self.blocks), *(copy.file for copy in self.further)]

    @property
    def sheets(self) -> list[str]:
        """Names of its atlases as PNG."""
        lit = (self.lit.first, self.lit.second) if self.lit is not None else ()
        held = (self.colour, self.second, self.motion, *lit, self.normals, self.distance)
        return [sheet.file for sheet in held if sheet is not None]

    @property
    def levels(self) -> int:
        """How many smaller ones an atlas has, itself among them: none averages one cell into the next."""
        count, wide, tall = 1, self.width, self.height
        while min(self.cell) >> count >= LEAST_CELL and not wide % 2 and not tall % 2 and count < MOST_LEVELS:
            count, wide, tall = count + 1, wide // 2, tall // 2
        return count

    @property
    def textures(self) -> list[tuple[int, int]]:
        return [(self.width, self.height)] * len(self.sheets)

    @property
    def wide(self) -> float:
        return self.size[0] * self.player.scale

    @property
    def cell(self) -> tuple[int, int]:
        """Width and height of a cell in px, with its padding."""
        return self.width // self.columns, self.height // self.rows
