"""Packed flipbooks for particles to play."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from tenka.base.errors import BadInput, TenkaError
from tenka.effect.model import Effect
from tenka.look.sprites import Book
from tenka.package.atlas import load_atlas
from tenka.package.elements.flipbook import Flipbook
from tenka.package.manifest import read


@lru_cache(maxsize=4)
def _book(folder: Path, stamp: int) -> Book:
    element = next((e for e in read(folder).elements if isinstance(e, Flipbook)), None)
    if element is None:
        raise BadInput("holds no flipbook", "a package with one", folder)
    atlas = load_atlas(folder, element)
    x, y = element.size
    return Book(
        atlas.levels,
        element.columns,
        (element.cell[0], element.cell[1]),
        element.padding,
        len(element.times),  # of the first variant
        (x, y),
    )


def book_of(folder: Path) -> Book:
    """The flipbook of a package.

    Raises
    ------
    BadInput
        A folder that is no package, or a broken one.
    """
    manifest = folder / "manifest.json"
    return _book(folder, manifest.stat().st_mtime_ns if manifest.exists() else 0)


def books_of(effect: Effect, folder: Path | None) -> tuple[dict[str, Book], list[str]]:
    """The flipbooks that layers of particles play, by layer; and what is wrong with those that cannot be
    read."""
    found, faults = {}, []
    for layer in effect.layers:
        named = layer.plays
        if named:
            where = Path(named)
            try:
                found[layer.id] = book_of(where if where.is_absolute() else (folder or Path.cwd()) / where)
            except TenkaError as error:
                faults.append(str(error))
    return found, faults
