"""The regions of sources: distances to their forms, curves, surfaces and insides."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.effect.model import ON_PROP, Feed, Prop
from tenka.scene.distance import curve_distance, form_distance, prop_distance
from tenka.scene.props import own_mesh
from tenka.scene.surface import Part, Places, places_on


@dataclass(frozen=True)
class Region:
    """A source's region in its own coordinates.

    Attributes
    ----------
    distance : how far (n, 3) points are from being inside, m, negative inside
    low, high : its bounds
    thinnest : its least extent, m
    births : of a surface
    """

    distance: Callable[[np.ndarray], np.ndarray]
    low: np.ndarray
    high: np.ndarray
    thinnest: float
    births: Places | None = None


def births_of(s: Feed, seed: int, t: float, prop: Prop, folder: Path | None, spacing: float) -> Places:
    """Places on the surface on which a source is born."""
    part = Part(s.part, s.part_axis, *sorted((s.part_low, s.part_high)))
    return places_on(
        prop, folder, spacing, t, part, seed, s.born_at == "points", getattr(s, "shaped_by", "") == "colours"
    )


def region_of(
    source: Feed, seed: int, t: float, props: tuple[Prop, ...], voxel: float, folder: Path | None
) -> Region:
    """A source's region at a time.

    Raises
    ------
    BadInput
        A source on a prop that is missing or cannot be read, or a part that it does not have.
    """
    if source.shape not in ON_PROP:
        if source.shape == "curve":
            curve = np.asarray(source.curve, float)
            reach = source.thickness
            return Region(
                lambda p: curve_distance(curve, p) - reach,
                curve.min(axis=0) - reach,
                curve.max(axis=0) + reach,
                2 * reach,
            )
        half = np.asarray(source.size) / 2
        least = float(2 * half.min())
        return Region(lambda p: form_distance(source.shape, np.asarray(source.size), p), -half, half, least)
    prop = next((p for p in props if p.id == source.prop), None)
    if prop is None:
        raise BadInput(
            f"names the prop '{source.prop}', which is not in the effect", place=f"source {source.name}"
        )
    if source.shape == "inside":
        mesh, n = own_mesh(prop, folder, t), "xyz".index(source.part_axis)
        low, high = (np.asarray(b, float) for b in mesh.bounds)
        share = sorted((source.part_low, source.part_high))
        cut = share != [0.0, 1.0]
        low[n], high[n] = low[n] + share[0] * (high[n] - low[n]), low[n] + share[1] * (high[n] - low[n])
        grow = abs(source.offset)

        def inside(points: np.ndarray) -> np.ndarray:
            out = prop_distance(prop, folder, points, voxel, t) - source.offset
            return np.maximum(out, np.maximum(low[n] - points[:, n], points[:, n] - high[n])) if cut else out

        return Region(inside, low - grow, high + grow, float((high - low).min()))
    births = births_of(source, seed, t, prop, folder, max(source.thickness, voxel) * 0.5)
    reach = source.thickness + abs(source.offset)

    def surface(points: np.ndarray) -> np.ndarray:
        far = reach + 2 * voxel
        distance = np.minimum(births.tree.query(points, distance_upper_bound=far)[0], far)
        if source.offset:
            signed = np.where(prop_distance(prop, folder, points, voxel, t) < 0, -distance, distance)
            distance = np.abs(signed - source.offset)
        return distance - source.thickness

    thickness = 2 * source.thickness
    return Region(surface, births.tree.mins - reach, births.tree.maxes + reach, thickness, births)
