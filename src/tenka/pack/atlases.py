"""Atlases as they are filled, frame by frame; of some the scale is known only at the end."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import distance_transform_edt, gaussian_filter, map_coordinates, uniform_filter

from tenka.base.srgb import to_srgb
from tenka.look.alone import HEAT
from tenka.look.colour import glow_table
from tenka.package.elements import flipbook as form

BLACK_BODY_STEPS = 33
SHARES = (1.0, 0.5, 0.0)  # of a motion that are tried
PREFER = np.array([1.0, 1.02, 1.05])  # of like ones the larger motion
AROUND, SMOOTH = 9, 2.0  # px over which frames are compared, and over which shares go into each other


def encode(raw: np.ndarray, alpha_form: str, exposure: float, glow: bool = False) -> np.ndarray:
    """Linear premultiplied (h, w, 8) to 8-bit RGBA: sRGB-encoded colour, premultiplied or straight; with
    `glow` the light given off is added, as far as 8 bits hold it."""
    alpha = np.clip(raw[..., 3:4], 0.0, 1.0)
    colour = (raw[..., :3] + raw[..., 4:7] if glow else raw[..., :3]) * 2.0**exposure
    if alpha_form == "straight":
        colour = np.where(alpha > 1 / 512, colour / np.maximum(alpha, 1 / 512), 0.0)
    return (np.concatenate([to_srgb(colour), alpha], axis=2) * 255.0 + 0.5).astype(np.uint8)


def levelled(raw: np.ndarray, floor: float, contrast: float) -> np.ndarray:
    """Linear premultiplied (h, w, 8) with other cover: what is up to `floor` goes, the rest is stretched to
    fill 0 to 1, and bent about its middle so that its slope there is `contrast`; colour goes with its cover,
    light that is given off stays.

    The bend is t^c / (t^c + (1 - t)^c), whose slope at a half is c.
    """
    if floor <= 0.0 and contrast == 1.0:
        return raw
    alpha = np.clip(raw[..., 3:4], 0.0, 1.0)
    t = np.clip((alpha - floor) / max(1.0 - floor, 1e-6), 0.0, 1.0)
    up, down = t**contrast, (1.0 - t) ** contrast
    new = up / np.maximum(up + down, 1e-9)
    share = np.where(alpha > 1 / 512, new / np.maximum(alpha, 1 / 512), 0.0)
    out = raw.copy()
    out[..., :3] *= share
    out[..., 3:4] = new
    out[..., HEAT] *= share[..., 0]  # heat is weighted by cover
    return out


def bled(colour: np.ndarray, element: form.Flipbook) -> None:
    """Give texels of which nothing is seen the colour of the nearest one of their cell that is seen, in
    place: what reads between texels, or from smaller levels, must not mix black into edges.

    Parameters
    ----------
    colour : the atlas with straight alpha, (h, w, 4) uint8
    """
    wide, tall = element.cell
    for n in range(element.frames):
        row, column = divmod(n, element.columns)
        cell = colour[row * tall : (row + 1) * tall, column * wide : (column + 1) * wide]
        unseen = cell[..., 3] == 0
        if unseen.any() and not unseen.all():
            y, x = distance_transform_edt(unseen, return_distances=False, return_indices=True)
            cell[..., :3] = cell[y, x, :3]


class SecondSheet:
    """The second atlas, whose scale is known only when all frames are drawn."""

    def __init__(self, holds: str, height: int, width: int) -> None:
        self.holds = holds
        self.data = np.zeros((height, width, 3) if holds == "emission" else (height, width), np.float32)

    def put(self, raw: np.ndarray, y: int, x: int) -> None:
        h, w = raw.shape[:2]
        if self.holds == "emission":
            self.data[y : y + h, x : x + w] = raw[..., 4:7]
        else:
            heat = np.where(raw[..., 3] > 1 / 255, raw[..., HEAT] / np.maximum(raw[..., 3], 1e-3), 0.0)
            self.data[y : y + h, x : x + w] = heat

    def finish(
        self, exposure: float, glow: float
    ) -> tuple[np.ndarray, float, tuple[tuple[float, float, float], ...]]:
        scale = max(1e-3, float(self.data.max()))
        if self.holds == "emission":
            gain = 2.0**exposure
            return (to_srgb(self.data / scale) * 255 + 0.5).astype(np.uint8), scale * gain, ()
        table = glow_table()
        at = np.linspace(0.0, scale, BLACK_BODY_STEPS) / (4400.0 - 288.15) * (len(table) - 1)
        rgb = np.stack([np.interp(at, np.arange(len(table)), table[:, c]) for c in range(3)], axis=1)
        rgb = rgb * glow * 2.0**exposure
        lookup = tuple((round(float(r), 7), round(float(g), 7), round(float(b), 7)) for r, g, b in rgb)
        return (np.clip(self.data / scale, 0, 1) * 255 + 0.5).astype(np.uint8), scale, lookup


class MotionSheet:
    """The atlas of motion, whose scale is known only when all frames are drawn."""

    def __init__(self, element: form.Flipbook) -> None:
        self.data = np.zeros((element.height, element.width, 2), np.float32)

    def put(self, motion: np.ndarray, y: int, x: int) -> None:
        h, w = motion.shape[:2]
        self.data[y : y + h, x : x + w] = motion

    def agree(self, element: form.Flipbook, colour: np.ndarray) -> None:
        """Keep of the motion only as much as both frames agree on: where what was moved half of the way from
        a frame meets what was moved half of the way back from the next. Where things go through each other,
        as before and behind a whirl, there is no one motion.

        Parameters
        ----------
        colour : the atlas, (h, w, 4) uint8
        """
        wide, tall = element.cell
        pad = element.padding
        inner = (wide - 2 * pad, tall - 2 * pad)

        def place(n: int) -> tuple[slice, slice]:
            row, column = divmod(n, element.columns)
            y, x = row * tall + pad, column * wide + pad
            return slice(y, y + inner[1]), slice(x, x + inner[0])

        y, x = np.mgrid[0 : inner[1], 0 : inner[0]].astype(np.float32)
        for n in range(element.frames):
            if element.after(n) == n:
                continue
            first, after = (colour[place(m)].astype(np.float32) for m in (n, element.after(n)))
            way = self.data[place(n)] * np.array(inner, np.float32)
            off = []
            for share in SHARES:
                half = 0.5 * share * way
                moved = [
                    np.stack(
                        [
                            map_coordinates(
                                f[..., c],
                                [y + s * half[..., 1], x + s * half[..., 0]],
                                order=1,
                                mode="nearest",
                            )
                            for c in range(4)
                        ],
                        axis=2,
                    )
                    for f, s in ((first, -1.0), (after, 1.0))
                ]
                off.append(uniform_filter(np.abs(moved[0] - moved[1]).sum(axis=2), AROUND))
            best = np.array(SHARES, np.float32)[np.argmin(np.array(off) * PREFER[:, None, None], axis=0)]
            self.data[place(n)] *= gaussian_filter(best, SMOOTH)[..., None]

    def finish(self) -> tuple[np.ndarray, tuple[float, float]]:
        """The picture, (h, w, 3) uint8, and what its ends stand for."""
        scale = np.maximum(np.abs(self.data).max(axis=(0, 1)), 1e-3)
        out = np.zeros((*self.data.shape[:2], 3), np.uint8)
        out[..., :2] = np.rint(127.0 + 127.0 * self.data / scale)
        return out, (float(scale[0]), float(scale[1]))
