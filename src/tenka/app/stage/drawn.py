"""A picture on its way from the worker that draws it to the stage that shows it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtGui import QImage

from tenka.base.jobs import Worker
from tenka.look.render import Picture
from tenka.run.status import Shown


@dataclass
class Drawn:
    """A picture on its way from the worker to the window."""

    image: QImage
    shown: Shown | None
    asked: int
    coarse: int
    ms: float
    started: float
    final: QImage | None = None  # of the final run, where it is there and wanted
    one_in: int = 1  # particles that each drawn one stands for
    wander: float | None = None  # m between the middles of the final run's smoke and the preview's
    stands_in: str = ""  # what is shown is of another moment, or of other settings: which, in words
    elsewhen: bool = False  # it is of another moment
    of: object = None  # the document that it shows


PASSES = 32
"""Over how many the gas of a picture that stays is averaged, few by few while nothing else is asked; each is
of a pixel of four."""


def refined(drawn: Drawn, again: Callable[[int], Picture], worker: Worker) -> Iterator[Drawn]:
    """Ever finer pictures of the same, until something newer is wanted of the worker.

    Parameters
    ----------
    again : draws it over so many passes
    """
    for passes in (2, *range(4, PASSES + 1, 4)):
        if worker.wanted:
            return
        yield replace(drawn, image=as_image(again(passes).rgb))


def as_image(rgb: np.ndarray) -> QImage:
    """(h, w, 3) uint8 as a picture with pixels of its own."""
    h, w, _ = rgb.shape
    return QImage(rgb.tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888).convertToFormat(
        QImage.Format.Format_RGB32
    )
