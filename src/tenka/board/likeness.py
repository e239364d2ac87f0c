"""How like two rows of pictures are: what an eye sees of the difference, how structure is kept, and how it
moves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from tenka.look.flip import flip_error

Pictures = Sequence[np.ndarray]
SIGMA = 1.5  # px, of the window in which structure is held together (Wang et al. 2004)


@dataclass(frozen=True)
class Likeness:
    """How far pictures are from what they stand for.

    Attributes
    ----------
    flip : mean FLIP error (Andersson et al. 2020), 0 to 1
    worst : that of the worst picture
    ssim : mean structural similarity (Wang et al. 2004), 1 for the same
    jerk : how much of the change from each picture to the next is another one, as a share of full white
    played : mean FLIP error of what a game shows against how it showed it before its player was changed
    """

    flip: float
    worst: float
    ssim: float
    jerk: float
    played: float = 0.0

    @property
    def loss(self) -> float:
        """What is lost in all: in how it is drawn, and in how it is played."""
        return self.flip + self.played

    def also_played(self, error: float) -> Likeness:
        """The same with what another player, or what is left out of it, changes."""
        return replace(self, played=self.played + error)


def jerk_of(reference: Pictures, other: Pictures) -> float:
    """Mean difference between how two rows of pictures change from each to the next, 0 to 1; 0 for one
    picture."""
    changes = []
    for a, b, c, d in zip(reference, reference[1:], other, other[1:]):
        before, after = b.astype(np.int16) - a, d.astype(np.int16) - c
        changes.append(float(np.abs(after - before).mean()) / 255.0)
    return float(np.mean(changes)) if changes else 0.0


def ssim_of(reference: np.ndarray, other: np.ndarray) -> float:
    """Structural similarity of two pictures, (h, w, 3) uint8, as it was published: a Gaussian window."""
    from skimage.metrics import structural_similarity

    found = structural_similarity(
        reference, other, channel_axis=2, gaussian_weights=True, sigma=SIGMA, use_sample_covariance=False
    )
    return float(found)


def mean_flip(reference: Sequence[Pictures], other: Sequence[Pictures]) -> float:
    """Mean FLIP error of rows of pictures."""
    return float(np.mean([flip_error(a, b) for x, y in zip(reference, other) for a, b in zip(x, y)]))


def likeness(
    reference: Sequence[Pictures], other: Sequence[Pictures], looked: Sequence[int] | None = None
) -> Likeness:
    """How like rows of pictures are, one row for each side or background.

    Parameters
    ----------
    looked : which pictures of each row are held against each other; the others tell how it moves
    """
    pairs = [
        (a, b)
        for x, y in zip(reference, other)
        for n, (a, b) in enumerate(zip(x, y))
        if looked is None or n in looked
    ]
    errors = [flip_error(a, b) for a, b in pairs]
    kept = [ssim_of(a, b) for a, b in pairs]
    jerks = [jerk_of(x, y) for x, y in zip(reference, other)]
    return Likeness(
        float(np.mean(errors)), float(np.max(errors)), float(np.mean(kept)), float(np.mean(jerks))
    )
