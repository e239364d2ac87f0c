"""The volume route: grids of a gas, frame by frame, as OpenVDB or as slices in pictures."""

from __future__ import annotations

import io
import math
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from tenka.base.errors import BadInput
from tenka.base.exr import exr_bytes
from tenka.base.words import counted
from tenka.cache.store import Frame
from tenka.effect.model import Delivery, Effect, heard
from tenka.effect.routes.volume import Volume as Route
from tenka.pack.grids import paged_volume
from tenka.pack.layout import Box, the_layer
from tenka.pack.routes.base import Job, Output, moments_of
from tenka.package.elements.volume import Grid, Volume, VolumeFrame
from tenka.package.grids import CHANNELS
from tenka.package.manifest import Set
from tenka.package.openvdb import Field, dumps
from tenka.package.parts import Texture, vec3

UNITS = {
    "density": "",
    "temperature": "K above the air",
    "flame": "",
    "velocity": "m/s",
    "colour": "times density",
    "coloured": "",
}
CHANNELS_OF = {"velocity": 3, "colour": 3}
PACKED = 0.88  # of what halves take that the compressor leaves, as measured of the demos
OF_GRID, OF_BLOCK, IN_BLOCK = 10_000, 140, 120
"""Bytes of a field in a file and of a block in it, beside its values; voxels that are held in a block."""
SCALE = {"density": 1.0, "temperature": 1000.0, "flame": 1.0}


def grids_of(effect: Effect, delivery: Delivery) -> list[str]:
    """Names of the fields that are written."""
    route, layer = delivery.by(Route), the_layer(effect, delivery)
    found = [name for name in ("density", "temperature") if getattr(route, name)]
    if route.flame and layer.flames:
        found.append("flame")
    if route.form == "sparse":
        found += ["velocity"] if route.velocity else []
        dyed = any(source.dye for source in heard(layer.sources))
        found += ["colour", "coloured"] if route.colour and dyed and layer.look.carried > 0 else []
    if not found:
        raise BadInput("writes no field", "at least one of them", place=f"{delivery.name}, volume")
    return found


def _tiles(depth: int, wide: int, tall: int) -> tuple[int, int]:
    """Slices in a row and rows, so that the picture is about square."""
    columns = max(1, min(depth, round(math.sqrt(depth * tall / wide))))
    return columns, -(-depth // columns)


class VolumeWriter:
    """Grids of a gas."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> Volume:
        """The volume over the box in which all of it is seen."""
        route, layer = delivery.by(Route), the_layer(effect, delivery)
        low, high = (np.asarray(b, float) for b in box)
        voxel: float = layer.domain.voxel
        if route.form == "dense":
            voxel = float((high - low).max()) / route.side
        shape = np.maximum(np.ceil((high - low) / voxel - 1e-6), 1).astype(int)
        high = low + shape * voxel
        moments = moments_of(effect, delivery)
        digits = max(4, len(str(moments[-1] + 1)))
        ending = "vdb" if route.form == "sparse" else "png"
        held = figures.get(layer.id, {})
        moving = route.form == "dense" and route.velocity
        frames = tuple(
            VolumeFrame(
                file=f"{delivery.id}_{f + 1:0{digits}d}.{ending}",
                velocity=Texture(file=f"{delivery.id}_velocity_{f + 1:0{digits}d}.exr") if moving else None,
                active=int(held[f].get("filled", 0)) if f in held else 0,
            )
            for f in moments
        )
        names = grids_of(effect, delivery)
        dense = route.form == "dense"
        return Volume(
            id=delivery.id,
            name=delivery.name,
            layers=(layer.name,),
            times=tuple(round(f / effect.rate, 6) for f in moments),
            form=route.form,
            precision="8 bit" if dense else route.precision,
            grids=tuple(
                Grid(name=n, unit=UNITS[n], channel=CHANNELS[k] if dense else "", scale=SCALE.get(n, 1.0))  # type: ignore[arg-type]
                for k, n in enumerate(names)
            ),
            frames=frames,
            voxel=voxel,
            low=vec3(low),
            high=vec3(high),
            shape=(int(shape[0]), int(shape[1]), int(shape[2])),
            tiles=_tiles(int(shape[2]), int(shape[0]), int(shape[1])) if dense else (1, 1),
            threshold=route.threshold,
            look=layer.look,
            player=route.player,
        )

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: Volume) -> list[Output]:
        """The files of all moments; of sparse ones, as far as frames are simulated, what they take."""
        names = ", ".join(g.name for g in element.grids)
        nx, ny, nz = element.shape
        first, last = element.frames[0].file, element.frames[-1].file
        many = f"{first} to {last}" if first != last else first
        if element.form == "dense":
            columns, rows = element.tiles
            what = f"{columns * nx} × {rows * ny} px: {nz} slices of {nx} × {ny} with {names}"
            if the_layer(effect, delivery).look.carried > 0:
                what += "; the colour that it carries is not in it"
            found = [Output(many, f"{counted(len(element.frames), 'picture')}, {what}")]
            speed = element.frames[0].velocity
            if speed is not None:
                found.append(
                    Output(f"{speed.file} ...", "velocity in m/s, laid out like them, 16-bit floats")
                )
            return found
        each = (2 if element.precision == "half" else 4) * sum(
            CHANNELS_OF.get(g.name, 1) for g in element.grids
        )
        known = [f.active for f in element.frames if f.active]
        voxels = sum(known) * len(element.frames) / len(known) if known else 0.0
        fixed = len(element.frames) * OF_GRID + voxels / IN_BLOCK * OF_BLOCK
        size = PACKED * each * voxels + fixed * len(element.grids) if known else None
        files = counted(len(element.frames), "file")
        what = f"{files} of {names}, {element.precision} floats, voxels of {element.voxel:g} m"
        return [Output(many, what, size)]

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """A frame with its fields."""
        domain = the_layer(effect, delivery).domain
        return int(np.prod([s / domain.voxel for s in domain.size]) * 4 * 12)

    @staticmethod
    def write(job: Job, delivery: Delivery) -> Volume:
        """Write a file for each moment."""
        effect, route, layer = job.effect, delivery.by(Route), job.layer(delivery)
        element = VolumeWriter.describe(effect, delivery, job.box(delivery), {}, job.folder)
        if route.form == "dense":
            element = _scaled(job, delivery, element)
        names = [g.name for g in element.grids]
        moments = job.moments(delivery)
        job.progress.begin(len(moments), f"Writing {delivery.name}")
        frames, base = [], None
        for entry, (_, frame) in zip(element.frames, job.frames(layer, moments, route.velocity)):
            base = np.asarray(frame.origin, float) if base is None else base
            if route.form == "sparse":
                data, active = sparse_bytes(frame, names, base, route, element.voxel)
            else:
                data, active = dense_bytes(frame, element)
            (job.target / entry.file).write_bytes(data)
            if entry.velocity is not None:
                (job.target / entry.velocity.file).write_bytes(velocity_bytes(frame, element))
            frames.append(entry.model_copy(update={"active": active}))
            job.progress.step()
        return element.model_copy(update={"frames": tuple(frames)})

    @staticmethod
    def told(element: Volume) -> str:
        """What an engine needs to know of it, with formulas."""
        e = element
        names = ", ".join(f"{g.name}{f' ({g.unit})' if g.unit else ''}" for g in e.grids)
        text = f"  {e.files[0]} ...: {names}; voxels of {e.voxel:g} m\n"
        if e.form == "dense":
            text += (
                f"  {e.shape[0]} x {e.shape[1]} x {e.shape[2]} voxels from {e.low} to {e.high} m, in "
                f"{e.tiles[0]} x {e.tiles[1]} slices a picture,\n  from the lowest up, y up in each; "
                + "; ".join(f"{g.name} = {g.channel} / 255 x {g.scale:.6g}" for g in e.grids)
                + "\n"
            )
        if e.frames[0].velocity is not None:
            text += (
                f"  {e.frames[0].velocity.file} ...: how it moves, m/s, laid out like them: red x, green y,\n"
                "  blue z. A particle of the game that is carried goes v dt, v read where it is, filtered\n"
                "  between voxels and mixed between two moments; beyond the box it keeps its own speed.\n"
            )
        hides, gives = _plain(e.look.extinction), 6.0 * _plain(e.look.flame)
        text += (
            "  March from the front, with steps of s m: smoke of density d lets through\n"
            f"  exp(-{hides:.6g} d s), times what `density` of the player says, and throws back\n"
            f"  the light that falls on it; flames of amount q give off {gives:.6g} q s times\n"
            "  their colour, times `glow`.\n"
        )
        return text

    @staticmethod
    def page(folder: Path, element: Volume, stands: Set) -> dict[str, Any]:
        """Coarse grids with their light in them."""
        return paged_volume(folder, element, stands)


def _plain(value: Any) -> float:
    from tenka.effect.courses import value_at

    return float(value_at(value, 0.0))


def fields_of(frame: Frame, name: str) -> np.ndarray:
    """A field of a frame by its name in files; nothing where the frame has none."""
    if name == "velocity":
        assert frame.velocity is not None
        return np.moveaxis(frame.velocity, 0, -1)
    if name in ("colour", "coloured"):
        if frame.dye is None:
            return np.zeros((*frame.shape, 3) if name == "colour" else frame.shape, np.float32)
        return frame.dye[..., :3] if name == "colour" else frame.dye[..., 3]
    values: np.ndarray | None = getattr(frame, name)
    return values if values is not None else np.zeros(frame.shape, np.float16)


def sparse_bytes(
    frame: Frame, names: list[str], base: np.ndarray, route: Route, voxel: float
) -> tuple[bytes, int]:
    """A frame as OpenVDB, and how many voxels it holds; `base` is the place of the index 0's low corner."""
    limit = np.float16(route.threshold)
    active = frame.density > limit
    if frame.flame is not None:
        active = active | (frame.flame > limit)
    x, y, z = (int(v) for v in np.round((np.asarray(frame.origin) - base) / voxel))
    held = [Field(name, fields_of(frame, name)) for name in names]
    data = dumps(
        held,
        active,
        voxel,
        vec3(base + 0.5 * voxel),
        (x, y, z),
        route.precision == "half",
        {"time": float(round(frame.time, 6)), "creator": "Tenka"},
    )
    return data, int(np.count_nonzero(active))


def resampled(field: np.ndarray, frame: Frame, element: Volume) -> np.ndarray:
    """A field at the middles of an element's voxels, each the mean of what it holds.

    The sum over the box is kept: means are differences of the running sum (Crow 1984) along each axis.
    """
    out = field.astype(np.float32)
    for axis, count in enumerate(element.shape):
        edges = element.low[axis] + element.voxel * np.arange(count + 1)
        at = (edges - frame.origin[axis]) / frame.voxel
        sums = np.concatenate(
            [np.zeros_like(np.take(out, [0], axis)), np.cumsum(out, axis, dtype=np.float64)], axis
        )
        at = np.clip(at, 0, out.shape[axis])
        low = np.minimum(at.astype(int), out.shape[axis] - 1)
        share = (at - low).reshape([-1 if a == axis else 1 for a in range(3)])
        values = np.take(sums, low, axis) + share * (np.take(sums, low + 1, axis) - np.take(sums, low, axis))
        out = (np.diff(values, axis=axis) * (frame.voxel / element.voxel)).astype(np.float32)
    return out


def _scaled(job: Job, delivery: Delivery, element: Volume) -> Volume:
    """An element whose scales hold the largest values of all its moments."""
    most = dict.fromkeys((g.name for g in element.grids), 1e-6)
    moments = job.moments(delivery)
    job.progress.begin(len(moments), f"Measuring {delivery.name}")
    for _, frame in job.frames(job.layer(delivery), moments):
        for name in most:
            most[name] = max(most[name], float(resampled(fields_of(frame, name), frame, element).max()))
        job.progress.step()
    grids = tuple(g.model_copy(update={"scale": float(f"{most[g.name]:.6g}")}) for g in element.grids)
    return element.model_copy(update={"grids": grids})


def laid_out(box: np.ndarray, element: Volume) -> np.ndarray:
    """A box of values, (nx, ny, nz, k), as slices in a picture: from the lowest up, y up in each."""
    nx, ny, nz = element.shape
    columns, rows = element.tiles
    tiles = np.zeros((rows * columns, ny, nx, box.shape[3]), box.dtype)
    tiles[:nz] = box.transpose(2, 1, 0, 3)[:, ::-1]
    sheet = tiles.reshape(rows, columns, ny, nx, -1).swapaxes(1, 2).reshape(rows * ny, columns * nx, -1)
    return np.ascontiguousarray(sheet)


def velocity_bytes(frame: Frame, element: Volume) -> bytes:
    """How a frame's gas moves as slices in an OpenEXR picture, m/s."""
    moving = fields_of(frame, "velocity")
    parts = [resampled(moving[..., n], frame, element) for n in range(3)]
    return exr_bytes(laid_out(np.stack(parts, axis=3), element), True)


def dense_bytes(frame: Frame, element: Volume) -> tuple[bytes, int]:
    """A frame as slices in a PNG, and how many voxels are not empty."""
    nx, ny, nz = element.shape
    box = np.zeros((nx, ny, nz, 3), np.uint8)
    for grid in element.grids:
        values = resampled(fields_of(frame, grid.name), frame, element)
        at = CHANNELS.index(grid.channel)
        box[..., at] = np.clip(values / grid.scale * 255 + 0.5, 0, 255).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(laid_out(box, element)).save(out, "PNG", compress_level=4)
    return out.getvalue(), int((box.max(axis=3) > 0).sum())
