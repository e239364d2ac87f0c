"""Variants of a flipbook: other chances side by side in an atlas, each sprite plays one."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from PIL import Image

from tenka.base.errors import BadInput
from tenka.cache.store import FrameStore
from tenka.effect.document import replaced
from tenka.effect.model import Effect
from tenka.pack.packing import pack
from tenka.pack.variants import varied
from tenka.package.elements.flipbook import Flipbook
from tenka.proof.elements.flipbook import quads, sprites
from tenka.proof.engine import Package, package_view

BOOK = "deliveries.puff.route"


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


def stirred(**more: object) -> Effect:
    """The small puff, stirred by chance, so that another seed is another puff."""
    effect = small_effect()
    for name, value in more.items():
        effect = replaced(effect, f"{BOOK}.{name}", value)
    return effect


def cells_of(folder: Path, element: Flipbook) -> np.ndarray:
    with Image.open(folder / element.colour.file) as image:
        raw = np.asarray(image.convert("RGBA")).astype(int)
    w, h = element.cell
    return np.stack(
        [
            raw[r * h : (r + 1) * h, c * w : (c + 1) * w]
            for r, c in (divmod(n, element.columns) for n in range(element.frames))
        ]
    )


def packed(effect: Effect, store: FrameStore, folder: Path) -> tuple[Flipbook, np.ndarray]:
    (element,) = pack(effect, None, store, folder).elements
    assert isinstance(element, Flipbook)
    return element, cells_of(folder, element)


def test_each_variant_is_what_its_own_seed_gives(store: FrameStore, tmp_path: Path):
    effect = stirred(variants=3)
    whole = small_effect().delivery("puff").route
    book, cells = packed(effect, store, tmp_path / "all")
    each = len(book.times)
    assert book.variants == 3 and book.frames == 3 * each <= whole.columns * whole.rows
    parts = cells.reshape(3, each, *cells.shape[1:])
    assert np.abs(parts[0] - parts[1]).mean() > 0.5 < np.abs(parts[1] - parts[2]).mean()
    for number in range(3):
        route = varied(stirred(), number)
        alone = replaced(route, f"{BOOK}.columns", whole.columns)
        element, own = packed(alone, store, tmp_path / f"alone_{number}")
        same = [int(np.argmin(np.abs(np.array(element.times) - t))) for t in book.times]
        close = [n for n, m in enumerate(same) if abs(element.times[m] - book.times[n]) < 1e-6]
        assert close
        for n in close:
            assert np.abs(parts[number, n] - own[same[n]]).max() <= 1


def test_sprites_play_each_variant_about_as_often_and_stay_in_it(store: FrameStore, tmp_path: Path):
    effect = stirred(variants=2, **{"player.count": 600})
    book, _ = packed(effect, store, tmp_path / "two")
    found = sprites(book, book.player, 9.0)
    assert found.variant.mean() == pytest.approx(0.5, abs=0.07) and set(found.variant.tolist()) == {0, 1}
    package = Package(tmp_path / "two")
    table = quads(book, book.player, 9.0, package_view(package, 160, 100))
    each = len(book.times)
    assert (table[:, 7] // each == table[:, 8] // each).all() and table[:, 8].max() < book.frames
    assert (np.diff(table[:, 6]) <= 0).all()
    assert "2 variants" in (tmp_path / "two" / "READ-ME.txt").read_text()


def test_motion_cut_outs_and_loops_keep_to_their_variant(store: FrameStore, tmp_path: Path):
    effect = stirred(variants=2, motion=True, cut_out="each frame", loop=True, crop=True)
    book, cells = packed(effect, store, tmp_path / "loop")
    each = len(book.times)
    assert book.loop and book.cut_out is not None and len(book.cut_out.shapes) == 2 * each
    assert [book.after(n) for n in (0, each - 1, each, 2 * each - 1)] == [1 % each, 0, each + 1 % each, each]
    assert cells[..., 3].max() > 60


def test_more_variants_than_frames_is_one_sentence(tmp_path: Path):
    effect = replaced(replaced(stirred(), f"{BOOK}.columns", 1), f"{BOOK}.rows", 2)
    with pytest.raises(BadInput, match="fewer than 5 variants"):
        pack(replaced(effect, f"{BOOK}.variants", 5), None, FrameStore(tmp_path / "f"), tmp_path / "p")
