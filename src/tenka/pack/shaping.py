"""How the frames of a flipbook are best cut from its atlas: in the shape of what they show."""

from __future__ import annotations

from dataclasses import dataclass

from tenka.base.errors import BadInput
from tenka.effect.catalogue import params
from tenka.effect.model import Delivery, Effect, Flipbook
from tenka.pack.layout import Box, layout

WORTH = 0.6  # of the area that frames span now, below which another shape is told
BLOCK = 4  # px by which sides of a frame go


@dataclass(frozen=True)
class Shape:
    """Frames cut otherwise: as many, of as many pixels.

    Attributes
    ----------
    columns, rows : of the atlas
    size, before : m that a frame spans, then and now
    """

    columns: int
    rows: int
    size: tuple[float, float]
    before: tuple[float, float]

    @property
    def share(self) -> float:
        """Of the area that frames span now."""
        return self.size[0] * self.size[1] / (self.before[0] * self.before[1])


def better_shape(effect: Effect, delivery: Delivery, box: Box) -> Shape | None:
    """The shape in which frames span least beside what they show, where that is worth it; None too for frames
    that are cropped, whose part that is seen nobody knows before they are drawn, or framed as others are.

    Parameters
    ----------
    box : in which all of it is seen
    """
    book = delivery.route
    if not isinstance(book, Flipbook) or book.crop or not book.apart:
        return None
    count, found = book.columns * book.rows, list[Shape]()
    most = [params(Flipbook)[name].high or 1 for name in ("columns", "rows")]
    before = layout(effect, delivery, box).size
    for columns in (n for n in range(1, count + 1) if count % n == 0):
        rows = count // columns
        wide, tall = book.width // columns, book.height // rows
        if wide % BLOCK or tall % BLOCK or columns > most[0] or rows > most[1]:
            continue
        cut = book.model_copy(update={"columns": columns, "rows": rows})
        try:
            size = layout(effect, delivery.model_copy(update={"route": cut}), box).size
            found.append(Shape(columns, rows, size, before))
        except BadInput:  # no pixel is left of a frame
            continue
    best = min(found, key=lambda s: s.share, default=None)
    return best if best is not None and best.share < WORTH else None
