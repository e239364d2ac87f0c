"""The points of a file's sequence, played as they are."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.effect.model import PointLayer, PointSource
from tenka.effect.ownclock import OwnClock
from tenka.particles.files import cloud_at
from tenka.particles.state import ASLEEP, FREE, Points, rest_of_pieces


def played(
    layer: PointLayer,
    folder: Path | None,
    rate: float,
    index: int,
    source: PointSource,
    t: float,
    clock: OwnClock,
) -> Points:
    """A file's points as they are at a time: the frame of its sequence that is shown then."""
    begun = source.burst_at + source.delay
    frame = int(np.floor((clock.own(t) - clock.own(begun)) * rate + 1e-6))
    if frame < 0:
        return Points()
    cloud = cloud_at(source, folder, frame)
    n = len(cloud.place)
    id = (np.int64(index) << 44) + (cloud.id if cloud.id is not None else np.arange(n, dtype=np.int64))
    width = (
        cloud.width
        if cloud.width is not None
        else np.full(n, float(np.asarray(source.width if isinstance(source.width, float) else 0.03)))
    )
    colour = cloud.colour if cloud.colour is not None else np.tile(np.asarray(source.colour), (n, 1))
    f32 = np.float32
    velocity = cloud.velocity if cloud.velocity is not None else np.zeros((n, 3))
    return Points(
        id,
        np.full(n, begun),
        np.full(n, np.inf, f32),
        cloud.place.astype(f32),
        (clock.scale_at(t) * velocity).astype(f32),
        width.astype(f32),
        np.zeros(n, f32),
        np.full(n, index, np.int16),
        np.full(n, ASLEEP, np.uint8),
        np.full(n, FREE, np.int8),
        colour.astype(f32),
        *_rest(layer, n),
    )


def _rest(layer: PointLayer, n: int) -> tuple[np.ndarray, ...]:
    """Turn, spin and time at rest of what is played: as what is born in this layer has them."""
    turn, spin, still = rest_of_pieces(n)
    if layer.body is not None:
        return turn, spin, still
    bed = getattr(layer, "bed", None)
    return (turn[:0], spin[:0], still) if bed is not None and bed.rests else ()
