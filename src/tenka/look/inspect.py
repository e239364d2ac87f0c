"""Looking into a frame: slices of any field, vectors on them, flow lines, histograms, and tables of
voxels."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass

import numpy as np

from tenka.cache.store import Frame
from tenka.effect.model import AMBIENT_KELVIN
from tenka.scene.picking import box_span

AXES = "xyz"


@dataclass(frozen=True)
class Field:
    """A quantity that can be looked at."""

    id: str
    name: str
    unit: str
    signed: bool = False


FIELDS = (
    Field("density", "Density", ""),
    Field("temperature", "Temperature", "K"),
    Field("fuel", "Fuel", ""),
    Field("flame", "Flame", ""),
    Field("speed", "Speed", "m/s"),
    Field("velocity_x", "Velocity x", "m/s", True),
    Field("velocity_y", "Velocity y", "m/s", True),
    Field("velocity_z", "Velocity z", "m/s", True),
    Field("divergence", "Divergence", "1/s", True),
    Field("vorticity", "Vorticity", "1/s"),
)


def field_called(id: str) -> Field:
    return next(f for f in FIELDS if f.id == id)


def values_of(frame: Frame, id: str) -> np.ndarray:
    """A quantity at all voxel centres, (nx, ny, nz) float32; temperature is absolute. Raises ValueError when
    the frame lacks what it takes."""
    if id == "density":
        return frame.density.astype(np.float32)
    if id == "temperature":
        return frame.temperature.astype(np.float32) + np.float32(AMBIENT_KELVIN)
    if id in ("fuel", "flame"):
        found = getattr(frame, id)
        return np.zeros(frame.shape, np.float32) if found is None else found.astype(np.float32)
    if frame.velocity is None:
        raise ValueError("the frame was read without its velocity")
    v = frame.velocity.astype(np.float32)
    if id == "speed":
        return np.sqrt((v * v).sum(axis=0))
    if id.startswith("velocity_"):
        return v[AXES.index(id[-1])]
    slopes = [[_slope(v[c], a, frame.voxel) for a in range(3)] for c in range(3)]
    if id == "divergence":
        return slopes[0][0] + slopes[1][1] + slopes[2][2]
    curl = (slopes[2][1] - slopes[1][2], slopes[0][2] - slopes[2][0], slopes[1][0] - slopes[0][1])
    return np.sqrt(sum(c * c for c in curl))


def _slope(field: np.ndarray, axis: int, step: float) -> np.ndarray:
    return np.gradient(field, step, axis=axis) if field.shape[axis] > 1 else np.zeros_like(field)


@dataclass(frozen=True)
class Slice:
    """A plane of voxels.

    Attributes
    ----------
    values : (n, m) along the two other axes, in their order
    axis, index : which plane
    corners : (4, 3) m, of the plane: lowest, along the first other axis, opposite, along the second
    """

    field: Field
    values: np.ndarray
    axis: int
    index: int
    corners: np.ndarray

    @property
    def range(self) -> tuple[float, float]:
        """Least and most shown: about 0 for a signed field, from 0 (or the air) otherwise."""
        low, high = float(self.values.min()), float(self.values.max())
        if self.field.signed:
            most = max(abs(low), abs(high), 1e-6)
            return -most, most
        low = min(low, AMBIENT_KELVIN) if self.field.id == "temperature" else 0.0
        return low, max(high, low + 1e-6)


def slice_of(frame: Frame, id: str, axis: int, place: float) -> Slice:
    """The plane of voxels across `axis` that lies at `place` m (the nearest one that there is)."""
    index = int(np.clip(np.floor((place - frame.origin[axis]) / frame.voxel), 0, frame.shape[axis] - 1))
    values = np.take(values_of(frame, id), index, axis=axis)
    corners = plane_corners(np.asarray(frame.origin, float), frame.shape, frame.voxel, axis, index)
    return Slice(field_called(id), np.ascontiguousarray(values), axis, index, corners)


def plane_corners(low: np.ndarray, shape: tuple[int, ...], voxel: float, axis: int, index: int) -> np.ndarray:
    """Corners of a plane of voxels, as `Slice` has them, (4, 3) m."""
    a, b = (n for n in range(3) if n != axis)
    high = low + np.asarray(shape) * voxel
    corners = np.tile(low, (4, 1))
    corners[:, axis] = low[axis] + (index + 0.5) * voxel
    corners[1, a] = corners[2, a] = high[a]
    corners[2, b] = corners[3, b] = high[b]
    return corners


def cells_along(frame: Frame, start: np.ndarray, way: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The voxels that a ray goes through, a voxel's edge apart: how far away, (n,) m, and which, (n, 3)."""
    low, high = np.asarray(frame.origin, float), np.asarray(frame.high, float)
    near, far = box_span(start, way, low, high)
    t = np.arange(max(near, 0.0), far, frame.voxel) if near < far else np.zeros(0)
    index = ((start + t[:, None] * way - low) / frame.voxel).astype(int)
    return t, np.clip(index, 0, np.asarray(frame.shape) - 1)


def histogram(values: np.ndarray, bins: int = 48) -> tuple[np.ndarray, np.ndarray]:
    """Counts of what is not nearly nothing, and the edges of the bins."""
    size = np.abs(values)
    held = values[size > 1e-3 * max(float(size.max()), 1e-9)]
    if not held.size:
        return np.zeros(bins, int), np.linspace(0, 1, bins + 1)
    return np.histogram(held, bins=bins)


def vectors_on(frame: Frame, cut: Slice, most: int = 24) -> tuple[np.ndarray, np.ndarray]:
    """Places (n, 3) m on a slice, evenly strewn, and the velocity there (n, 3) m/s."""
    assert frame.velocity is not None
    a, b = (n for n in range(3) if n != cut.axis)
    every = max(1, max(frame.shape[a], frame.shape[b]) // most)
    i, j = np.meshgrid(
        np.arange(every // 2, frame.shape[a], every),
        np.arange(every // 2, frame.shape[b], every),
        indexing="ij",
    )
    index = np.zeros((i.size, 3), int)
    index[:, a], index[:, b], index[:, cut.axis] = i.ravel(), j.ravel(), cut.index
    places = np.asarray(frame.origin) + (index + 0.5) * frame.voxel
    return places, frame.velocity[:, index[:, 0], index[:, 1], index[:, 2]].astype(np.float64).T


def table_csv(frame: Frame, cut: Slice) -> str:
    """A slice's voxels with all their values, one row each, as CSV with units in its head."""
    names = [
        f for f in FIELDS if frame.velocity is not None or f.id in ("density", "temperature", "fuel", "flame")
    ]
    columns = [np.take(values_of(frame, f.id), cut.index, axis=cut.axis).ravel() for f in names]
    shape = [1 if a == cut.axis else n for a, n in enumerate(frame.shape)]
    index = np.stack([g.ravel() for g in np.meshgrid(*(np.arange(n) for n in shape), indexing="ij")], axis=1)
    index[:, cut.axis] = cut.index
    places = np.asarray(frame.origin) + (index + 0.5) * frame.voxel
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(
        [*AXES, *(f"{a} (m)" for a in AXES), *(f"{f.id} ({f.unit})" if f.unit else f.id for f in names)]
    )
    for row, place, values in zip(index.tolist(), places.tolist(), zip(*columns)):
        writer.writerow([*row, *(f"{p:.5g}" for p in place), *(f"{v:.6g}" for v in values)])
    return out.getvalue()
