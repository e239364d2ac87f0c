"""Cut-outs: convex shapes round what is seen, within the frame, which save pixels and lose nothing."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from chains import as_flipbooks, effect_of, lighter
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.demo import FOLDER
from tenka.effect.document import replaced
from tenka.effect.model import Effect
from tenka.look.sprites import QUAD_FIELDS, count_covered, count_layers
from tenka.pack.cutting import MARGIN, SPECK, shape_of
from tenka.pack.looked import known_cuts
from tenka.pack.packing import pack
from tenka.package.elements.flipbook import CutOut, Flipbook
from tenka.proof.engine import Package, package_view


def inside(shape: tuple[tuple[float, float], ...], x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """How far places lie within all of a convex shape's edges, in units of the frame; below 0 outside."""
    found = np.full(np.shape(x), np.inf)
    for (ax, ay), (bx, by) in zip(shape, (*shape[1:], shape[0])):
        edge = math.hypot(bx - ax, by - ay)
        if edge > 0:
            found = np.minimum(found, ((bx - ax) * (y - ay) - (by - ay) * (x - ax)) / edge)
    return found


def disc(px: int, radius: float, x: float = 0.5, y: float = 0.5) -> np.ndarray:
    row, column = np.mgrid[0:px, 0:px] + 0.5
    return np.hypot(column - x * px, row - y * px) < radius


def test_a_disc_gets_the_octagon_that_fits_it():
    """A regular octagon round a circle is 8 (sqrt 2 - 1) r^2 large."""
    for radius in (80.0, 150.0, 240.0):
        shape = shape_of(disc(512, radius), 8)
        wide = radius + MARGIN
        share = CutOut(shapes=(shape,)).shares[0] * 512 * 512
        assert len(shape) == 8 and share == pytest.approx(8 * (math.sqrt(2) - 1) * wide**2, rel=0.015)


def test_fewer_corners_take_the_largest_cuts_first():
    """A quarter of a disc that fills the lower left corner of its frame needs the one cut across from it."""
    y, x = np.mgrid[0:512, 0:512] + 0.5
    quarter = np.hypot(x, 512 - y) < 400
    shares = {n: CutOut(shapes=(shape_of(quarter, n),)).shares[0] for n in range(4, 9)}
    assert shares[4] == pytest.approx((401 / 512) ** 2, abs=1e-3)
    assert shares[4] - shares[5] == pytest.approx((400 / 512) ** 2 * (math.sqrt(2) - 1) ** 2, rel=0.02)
    assert shares[5] == pytest.approx(shares[8], abs=0.01)


def test_a_full_frame_is_kept_and_an_empty_one_is_a_speck():
    assert CutOut(shapes=(shape_of(np.ones((9, 12), bool), 8),)).shares[0] == 1.0
    assert shape_of(np.zeros((9, 12), bool), 8) == SPECK


@given(arrays(bool, st.tuples(st.integers(4, 24), st.integers(4, 24))), st.integers(4, 8))
def test_every_texel_that_is_seen_lies_within_a_convex_shape(seen: np.ndarray, corners: int):
    shape = shape_of(seen, corners)
    assert 3 <= len(shape) <= corners and np.min(shape) >= 0 and np.max(shape) <= 1
    xs, ys = np.array(shape).T
    assert (inside(shape, xs, ys) > -1e-4).all()  # convex, anticlockwise
    rows, columns = np.nonzero(seen)
    for dx, dy in ((0, 0), (1, 0), (0, 1), (1, 1)):
        x, y = (columns + dx) / seen.shape[1], 1 - (rows + dy) / seen.shape[0]
        assert (inside(shape, x, y) > -1e-4).all()


def test_what_is_counted_is_the_area_of_the_shape():
    shape = ((0.2, 0.1), (0.9, 0.3), (0.7, 0.9), (0.25, 0.8))
    cut = CutOut(shapes=(shape,))
    table = np.zeros((1, QUAD_FIELDS), np.float32)
    turn = math.radians(25)
    table[0, :7] = 120, 110, math.cos(turn), math.sin(turn), 90, 70, 3.0
    layers = np.zeros((220, 240), np.int32)
    count_layers(table, cut.table, layers)
    assert layers.sum() == pytest.approx(cut.shares[0] * 180 * 140, rel=0.01)
    assert count_covered(table, cut.table, 240, 220).sum(axis=0).tolist() == [layers.sum()] * 2


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


def book_of(name: str, **more: object) -> Effect:
    """A demo's first flipbook, coarse."""
    effect = lighter(as_flipbooks(effect_of(name)), voxels=2.5)
    delivery = effect.deliveries[0]
    effect = effect.model_copy(update={"deliveries": (delivery,)})
    for setting, value in {"alpha_floor": 0.02, **more}.items():
        effect = replaced(effect, f"deliveries.{delivery.id}.route.{setting}", value)
    return effect


@pytest.mark.parametrize(
    "name, more",
    (
        ("kiln_plume", {"motion": True}),
        ("kiln_plume", {"loop": True, "crop": True}),
        ("furnace_mouth", {"alpha_form": "straight"}),
        ("wheel_sparks", {}),
    ),
)
def test_sprites_that_are_cut_out_look_the_same_and_cover_less(
    store: FrameStore, tmp_path: Path, name: str, more: dict[str, object]
):
    packages = {}
    for cut in ("none", "one for all", "each frame"):
        effect = book_of(name, cut_out=cut, **more)
        pack(effect, FOLDER, store, tmp_path / cut.replace(" ", "_"))
        packages[cut] = Package(tmp_path / cut.replace(" ", "_"))
    whole = packages["none"]
    view, (book,) = package_view(whole, 320, 200), whole.elements
    assert isinstance(book, Flipbook) and book.cut_out is None
    for share in (0.2, 0.5, 0.8):
        t = share * book.player.life
        plain = whole.draw(t, view)
        for cut in ("one for all", "each frame"):
            shown = packages[cut].draw(t, view)
            assert np.abs(shown.rgb.astype(int) - plain.rgb.astype(int)).max() <= 1
    shares = {cut: packages[cut].elements[0].cut_out.shares for cut in ("one for all", "each frame")}
    assert len(shares["one for all"]) == 1 and len(shares["each frame"]) == book.frames
    assert shares["each frame"].max() <= shares["one for all"][0] + 1e-9 < 1.0
    assert shares["each frame"].mean() < 0.97 * shares["one for all"][0]


def test_the_words_tell_of_cut_outs_and_the_ledger_counts_them_once_they_are_known(
    store: FrameStore, tmp_path: Path
):
    effect, whole = book_of("kiln_plume", cut_out="each frame"), book_of("kiln_plume")
    tier, known = effect.tiers[-1].id, known_cuts(store, FOLDER)
    before = ledger(effect, tier, known=known_cuts(FrameStore(tmp_path / "none"), FOLDER))
    assert any("counted as whole frames" in note for note in before.notes)
    assert before.ms == ledger(whole, tier).ms
    pack(effect, FOLDER, store, tmp_path / "cut")
    assert "cut_out" in (tmp_path / "cut" / "READ-ME.txt").read_text()
    after = ledger(effect, tier, known=known)
    assert not any("counted as whole frames" in note for note in after.notes)
    (element,) = Package(tmp_path / "cut").elements
    share = element.cut_out.shares.mean()
    covered = [b.lines[0].covered for b in (before, after)]
    assert covered[1] == pytest.approx(share * covered[0], rel=0.35) and after.ms < before.ms
    told = replaced(effect, "layers.plume.look.extinction", 5.0)
    assert any("whole frames" in note for note in ledger(told, tier, known=known).notes)
