"""A picture on its way from the worker that draws it to the stage that shows it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtGui import QImage

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


def as_image(rgb: np.ndarray) -> QImage:
    """(h, w, 3) uint8 as a picture with pixels of its own."""
    h, w, _ = rgb.shape
    return QImage(rgb.tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888).convertToFormat(
        QImage.Format.Format_RGB32
    )
