"""The form of a source as a force that is held to it feels it: distances on a small grid of its own."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.effect.model import ON_PROP, Effect, Feed, Force, Prop
from tenka.effect.placed import SIZED
from tenka.gas.placed import ACROSS, FormField
from tenka.gas.region import region_of
from tenka.scene.props import deforms, form_of, stamp_of

HAVE_A_FORM = (*SIZED, "curve", *ON_PROP)
"""Shapes of sources that a force can be held to."""
MARGIN = 0.5  # of a border, that is sampled beyond the form


def source_of(effect: Effect, force: Force) -> Feed | None:
    """The source that a force is held to."""
    layer, _, id = force.region_source.partition("/")
    return next((s for x in effect.layers if x.id == layer for s in x.sources if s.id == id), None)


def forces_of(effect: Effect, folder: Path | None) -> tuple[Force, ...]:
    """An effect's forces as solvers take them: those held to a source's form know that source."""
    return tuple(
        f.holding((source_of(effect, f), folder)) if f.region == "source" else f for f in effect.forces
    )


def form_now(force: Force, moment: Any) -> FormField:
    """The form that a force is held to, at a step's middle.

    Raises
    ------
    BadInput
        When its source is not in the effect, or has no form of its own; or as the source's prop does.
    """
    source, folder = force.held or (None, None)
    if source is None:
        raise BadInput(
            f"{force.name} is held to a source that is not in the effect", "a source to hold it to"
        )
    if source.shape not in HAVE_A_FORM:
        raise BadInput(
            f"{force.name} is held to {source.name}, which has no form of its own",
            "one with a form, a curve or a prop",
        )
    grown, t = max(moment.at(source.size_over, 0.001), 0.001), moment.t + 0.5 * moment.dt
    now = source.model_copy(
        update={"size": tuple(grown * s for s in source.size), "thickness": grown * source.thickness}
    )
    placed, prop = source, None
    if source.shape in ON_PROP:
        prop = next((p for p in moment.props if p.id == source.prop), None)
        placed = prop if prop is not None else source
    moves = prop is not None and deforms(prop)
    settings = {name: getattr(now, name) for name in OF_FORM}
    shape = Feed.model_validate({**settings, "id": "form", "name": now.name})
    mesh = (form_of(prop), stamp_of(prop, folder)) if prop is not None else None
    at = t if moves else 0.0
    values, low, step = _sampled(shape, mesh, moment.props, folder, at, force.border)
    return FormField(values, low, step, moment.pose(placed, 0.5))


OF_FORM = (
    "shape",
    "prop",
    "part",
    "part_axis",
    "part_low",
    "part_high",
    "born_at",
    "size",
    "curve",
    "thickness",
    "offset",
)
"""Settings that decide on a source's form."""


@lru_cache(maxsize=16)
def _sampled(
    source: Feed, form: object, props: tuple[Prop, ...], folder: Path | None, t: float, border: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Distances to a form at ACROSS points along each axis, the first of them, and the steps, m."""
    size = max(source.size)
    region = region_of(source, 0, t, props, size / ACROSS, folder)
    low, high = region.low - MARGIN * border, region.high + MARGIN * border
    step = np.maximum(high - low, 1e-6) / (ACROSS - 1)
    at = [low[a] + step[a] * np.arange(ACROSS) for a in range(3)]
    points = np.stack(np.meshgrid(*at, indexing="ij"), axis=-1).reshape(-1, 3)
    values = region.distance(points).reshape(ACROSS, ACROSS, ACROSS)
    return values.astype(np.float64), low, step
