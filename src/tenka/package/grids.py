"""Volumes of a package read back as frames."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.cache.store import Frame
from tenka.package.elements.volume import Volume
from tenka.package.openvdbread import load
from tenka.package.pictures import read_png

CHANNELS = ("red", "green", "blue")


def frame_of(folder: Path, element: Volume, index: int) -> Frame:
    """A moment of a volume; what was not written of it is nothing.

    Raises
    ------
    BadInput
        A file that is broken or not what the manifest says.
    """
    file = folder / element.frames[index].file
    time = element.times[index]
    return _sparse(file, element, time) if element.form == "sparse" else _dense(file, element, time)


def _sparse(file: Path, element: Volume, time: float) -> Frame:
    found = load(file)
    if abs(found.voxel - element.voxel) > 1e-6 * element.voxel:
        raise BadInput(f"has voxels of {found.voxel:g} m", f"{element.voxel:g} m as the manifest says", file)
    fields = found.fields
    shape = found.active.shape
    if not all(shape):
        shape = (1, 1, 1)
        fields = {}
    origin = np.array(found.place) + (np.array(found.first) - 0.5) * found.voxel
    density = fields.get("density")
    dye = None
    if "colour" in fields and "coloured" in fields:
        dye = np.concatenate([fields["colour"], fields["coloured"][..., None]], axis=3)
    return Frame(
        density if density is not None else np.zeros(shape, np.float32),
        fields.get("temperature", np.zeros(shape, np.float32)),
        None,
        (float(origin[0]), float(origin[1]), float(origin[2])),
        found.voxel,
        time,
        flame=fields.get("flame"),
        dye=dye,
    )


def _dense(file: Path, element: Volume, time: float) -> Frame:
    nx, ny, nz = element.shape
    columns, rows = element.tiles
    raw = read_png(file, (columns * nx, rows * ny), "RGB")
    tiles = raw.reshape(rows, ny, columns, nx, 3).swapaxes(1, 2).reshape(rows * columns, ny, nx, 3)[:nz]
    box = tiles[:, ::-1].transpose(2, 1, 0, 3)  # slices from the lowest up, y up in each
    fields = {
        grid.name: box[..., CHANNELS.index(grid.channel)].astype(np.float32) * np.float32(grid.scale / 255)
        for grid in element.grids
    }
    nothing = np.zeros(element.shape, np.float32)
    return Frame(
        fields.get("density", nothing),
        fields.get("temperature", nothing),
        None,
        element.low,
        element.voxel,
        time,
        flame=fields.get("flame"),
    )


def mixed(first: Frame, second: Frame, share: float) -> Frame:
    """What is a share of the way from one moment to the next, field by field, over the box of both."""
    if share <= 1e-3:
        return first
    low = np.minimum(first.origin, second.origin)
    shape = np.round((np.maximum(first.high, second.high) - low) / first.voxel).astype(int)

    def laid(field: str) -> np.ndarray | None:
        out: np.ndarray | None = None
        for frame, part in ((first, 1.0 - share), (second, share)):
            values = getattr(frame, field)
            if values is None:
                continue
            if out is None:
                out = np.zeros((*shape, *values.shape[3:]), np.float32)
            start = np.round((np.asarray(frame.origin) - low) / frame.voxel).astype(int)
            place = tuple(slice(a, a + n) for a, n in zip(start, frame.shape))
            out[place] += np.float32(part) * values
        return out

    density, temperature = laid("density"), laid("temperature")
    assert density is not None and temperature is not None
    x, y, z = (float(v) for v in low)
    time = (1.0 - share) * first.time + share * second.time
    flame, dye = laid("flame"), laid("dye")
    return Frame(density, temperature, None, (x, y, z), first.voxel, time, flame=flame, dye=dye)
