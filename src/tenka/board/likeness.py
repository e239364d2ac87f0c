"""How like two rows of pictures are: what an eye sees of the difference, and how it moves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tenka.look.flip import flip_error

Pictures = Sequence[np.ndarray]


@dataclass(frozen=True)
class Likeness:
    """How far pictures are from what they stand for.

    Attributes
    ----------
    flip : mean FLIP error (Andersson et al. 2020), 0 to 1
    worst : that of the worst picture
    jerk : how much of the change from each picture to the next is another one, as a share of full white
    """

    flip: float
    worst: float
    jerk: float


def jerk_of(reference: Pictures, other: Pictures) -> float:
    """Mean difference between how two rows of pictures change from each to the next, 0 to 1; 0 for one
    picture."""
    changes = []
    for a, b, c, d in zip(reference, reference[1:], other, other[1:]):
        before, after = b.astype(np.int16) - a, d.astype(np.int16) - c
        changes.append(float(np.abs(after - before).mean()) / 255.0)
    return float(np.mean(changes)) if changes else 0.0


def likeness(reference: Sequence[Pictures], other: Sequence[Pictures]) -> Likeness:
    """How like rows of pictures are, one row for each side from which they were taken."""
    errors = [flip_error(a, b) for x, y in zip(reference, other) for a, b in zip(x, y)]
    jerks = [jerk_of(x, y) for x, y in zip(reference, other)]
    return Likeness(float(np.mean(errors)), float(np.max(errors)), float(np.mean(jerks)))
