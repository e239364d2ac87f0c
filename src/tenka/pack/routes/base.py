"""What the routes have in common when they are written."""

from __future__ import annotations

import base64
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from pydantic import ValidationError

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.base.tree import explain
from tenka.cache.store import FrameStore
from tenka.effect.model import Delivery, Effect, Layer
from tenka.look.sprites import Book
from tenka.pack.books import books_of
from tenka.pack.layout import Box, bounds_of, framed, span_of, taken, the_layer
from tenka.package.manifest import Set
from tenka.package.parts import Element
from tenka.run.driver import figures_of, stored_frames
from tenka.run.plans import Plan


@contextmanager
def refusing(delivery: Delivery) -> Iterator[None]:
    """Tell in a sentence what of a delivery a manifest cannot hold.

    Raises
    ------
    BadInput
    """
    try:
        yield
    except ValidationError as error:
        raise BadInput(f"{delivery.name} cannot be delivered so: {explain(error)}") from error


@dataclass
class Job:
    """What elements are written from, and what of it is known as they are.

    Attributes
    ----------
    target : the folder that is filled
    drawn : hears of each finished cell of a flipbook (delivery, index, RGBA)
    low, high : corners of all that was written so far, m
    kept : the newest frames of each layer; measured : figures of all
    """

    effect: Effect
    folder: Path | None
    store: FrameStore
    progress: Progress
    plans: Mapping[str, Plan]
    target: Path
    drawn: Callable[[str, int, np.ndarray], None] | None = None
    low: np.ndarray = field(default_factory=lambda: np.full(3, np.inf))
    high: np.ndarray = field(default_factory=lambda: np.full(3, -np.inf))
    kept: dict[str, dict[object, Any]] = field(default_factory=dict)
    measured: dict[str, dict[int, dict[str, Any]]] = field(default_factory=dict)

    @cached_property
    def books(self) -> dict[str, Book]:
        """Flipbooks that layers play."""
        return books_of(self.effect, self.folder)[0]

    def box(self, delivery: Delivery) -> Box:
        """The box in which a delivery is seen; it counts among what was written.

        Raises
        ------
        BadInput
            A delivery without a frame.
        """
        found = bounds_of(self.effect, delivery, self.figures(delivery))
        if found is None:
            raise BadInput(
                f"{delivery.name} has no frame that could be packed", "a longer effect", place="pack"
            )
        self.low, self.high = np.minimum(self.low, found[0]), np.maximum(self.high, found[1])
        return found

    def figures(self, delivery: Delivery) -> dict[str, dict[int, dict[str, Any]]]:
        """What was measured of the frames of a delivery's layers."""
        for x in taken(self.effect, framed(self.effect, delivery)):
            if x.id not in self.measured:
                self.measured[x.id] = figures_of(self.plans[x.id], self.store)
        return self.measured

    def crowd(self, delivery: Delivery) -> Crowd:
        """How many particles a delivery's layer has."""
        return crowd_of(self.effect, delivery, self.figures(delivery))

    def layer(self, delivery: Delivery) -> Any:
        """The one layer of a delivery that takes one."""
        return the_layer(self.effect, delivery)

    def moments(self, delivery: Delivery) -> list[int]:
        """Indices of the effect's frames that are written."""
        return moments_of(self.effect, delivery)

    def frames(self, layer: Layer, indices: list[int], whole: bool = False) -> Iterator[tuple[int, Any]]:
        """Stored frames of a layer in turn (`whole`: with their velocity); one that was damaged is simulated
        again."""
        yield from stored_frames(self.plans[layer.id], self.store, self.progress, indices, whole)


def moments_of(effect: Effect, delivery: Delivery) -> list[int]:
    """Indices of the effect's frames that a delivery writes: one in so many from its first moment to its
    last."""
    first, last = span_of(effect, delivery)
    start, end = int(first * effect.rate + 1e-6), int(last * effect.rate + 1e-6)
    return list(range(start, end + 1, getattr(delivery.route, "every", 1)))


@dataclass(frozen=True)
class Crowd:
    """What was measured of a layer's particles over the moments that are written.

    Attributes
    ----------
    alive : (moments,) how many there were
    width : m, of one by the mean of squares
    speed : m/s, weighted by width
    born : how many there were in all
    """

    alive: np.ndarray
    width: float
    speed: float
    born: int = 0


def crowd_of(effect: Effect, delivery: Delivery, figures: Mapping[str, Mapping[int, Any]]) -> Crowd:
    """A delivery's particles, from the figures of its frames; nothing where none are known."""
    moments, own = moments_of(effect, delivery), figures.get(delivery.of[0], {})
    chosen = set(moments)
    held = [m for f, m in own.items() if f in chosen]
    born = sum(m.get("born", 0) for f, m in own.items() if moments[0] < f <= moments[-1])
    born += own.get(moments[0], {}).get("alive", 0)
    total = max(sum(m["alive"] for m in held), 1)
    # frames of before were measured by their widest alone
    square = sum(m.get("area", m["alive"] * m["widest"] ** 2) for m in held) / total
    width = float(np.sqrt(square))
    swept = sum(m.get("swept", 0.0) for m in held) / total
    return Crowd(np.array([m["alive"] for m in held] or [0], float), width, swept / max(width, 1e-9), born)


def paged_rows(
    times: tuple[float, ...], rows: np.ndarray, most: int, kind: type = np.float16
) -> dict[str, Any]:
    """Rows of numbers, (moments, columns, k), as text for a page: of so many columns over all moments, fewer
    moments where there are more."""
    moments, columns, _ = rows.shape
    count = max(2, min(moments, most // max(columns, 1)))
    chosen = np.unique(np.linspace(0, moments - 1, count).round().astype(int))
    text = base64.b64encode(np.ascontiguousarray(rows[chosen], kind).tobytes()).decode()
    return {"times": [times[n] for n in chosen.tolist()], "columns": columns, "rows": text}


@dataclass(frozen=True)
class Output:
    """A file, or several alike, before it is written.

    Attributes
    ----------
    bytes : what it takes on disk, as far as that is known
    exact : whether that is so to the byte
    """

    file: str
    what: str
    bytes: float | None = None
    exact: bool = False


class Writer(Protocol):
    """A route as packages are made of it."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> Element:
        """The element as its manifest is going to state it, as far as that is known before it is written.

        Parameters
        ----------
        figures : of simulated frames, by layer
        """
        ...

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: Any) -> list[Output]:
        """The files that are going to be written."""
        ...

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """Bytes of memory that writing takes."""
        ...

    @staticmethod
    def write(job: Job, delivery: Delivery) -> Element:
        """Write the files."""
        ...

    @staticmethod
    def told(element: Any) -> str:
        """What an engine needs to know of an element, with formulas: lines of READ-ME.txt."""
        ...

    @staticmethod
    def page(folder: Path, element: Any, stands: Set) -> dict[str, Any]:
        """What the package's page needs of an element besides the manifest; `images` names its pictures."""
        ...
