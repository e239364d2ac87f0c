"""Sizes against what a tier shows: a texel a pixel is neither too much nor too little."""

from __future__ import annotations

import pytest
from build import BOOK, small_effect
from command import command

from tenka.budget.cost import Ledger, ledger
from tenka.budget.sizing import (
    frame_sizes,
    px_per_m,
    shape_findings,
    size_advice,
    size_findings,
    voxel_findings,
)
from tenka.budget.told import LEFT_OUT
from tenka.effect import storage
from tenka.effect.document import on_tier, replaced, with_own
from tenka.effect.model import Effect, Player


def seen_from(distance: float, **route: object) -> Effect:
    effect = small_effect(levers=())
    player = Player(count=2, life=1.0, scale=1.0)
    book = BOOK.model_copy(update={"player": player, "columns": 4, "rows": 4, **route})
    tiers = tuple(t.model_copy(update={"levers": {}, "distance": distance}) for t in effect.tiers)
    deliveries = tuple(d.model_copy(update={"route": book}) for d in effect.deliveries)
    return effect.model_copy(update={"deliveries": deliveries, "tiers": tiers})


def book_of(effect: Effect) -> Ledger:
    return ledger(effect, "mid")


def test_a_metre_takes_half_the_pixels_twice_as_far_away():
    tier = small_effect().tier("mid").model_copy(update={"fov": 90.0, "distance": 1.0, "height": 200})
    assert px_per_m(tier) == pytest.approx(100.0)  # a picture of 2 m
    assert px_per_m(tier.model_copy(update={"distance": 2.0})) == pytest.approx(50.0)


def test_frames_that_are_larger_than_they_are_shown_are_told_with_what_would_do():
    effect = seen_from(12.0, width=1024, height=1024)
    book = book_of(effect)
    size = frame_sizes(book)[0]
    element = book.elements[0][1]
    assert size.held == element.cell[1] == 256
    assert size.shown == pytest.approx(element.size[1] * px_per_m(book.tier))
    found = size_findings(book, effect)
    assert len(found) == 1 and found[0].mended is not None
    after = ledger(found[0].mended, "mid")
    left = frame_sizes(after)[0]
    assert left.held <= 1.7 * left.shown and left.held >= 0.8 * left.shown  # it fits now
    assert size_findings(after, found[0].mended) == []
    assert book.mb - after.mb == pytest.approx(size.saves, rel=0.1)
    other = ledger(found[0].mended, "low"), ledger(effect, "low")
    assert other[0].mb == other[1].mb  # the other tier is as it was
    assert on_tier(found[0].mended, "mid").deliveries[0].route.width == size.fitting[0]


def test_frames_that_fit_are_not_told_as_findings_and_small_ones_are_advised():
    near = seen_from(1.5, width=256, height=256)
    book = book_of(near)
    assert size_findings(book, near) == []
    words = size_advice(book, near)
    assert "px a texel" in words[0] and "MB more" in words[0]
    assert "a voxel of 0.2 m covers" in words[1]


def flat_mist() -> Effect:
    """A gas four times as wide as it is high, in square frames."""
    effect = seen_from(6.0, width=512, height=512)
    layer = effect.gas()
    domain = layer.domain.model_copy(update={"origin": (-2.0, -0.5, 0.0), "size": (4.0, 1.0, 1.0)})
    return effect.with_layer(layer.model_copy(update={"domain": domain}))


def test_frames_of_another_shape_than_what_they_show_are_told_with_the_right_one():
    effect = flat_mist()
    book = book_of(effect)
    (found,) = shape_findings(book, effect)
    assert (
        "2 × 8 of them" in found.text and "3.8 times as many pixels" in found.text
    )  # the padding is as wide as before
    assert found.mended is not None
    after = book_of(found.mended)
    before, now = (b.elements[0][1] for b in (book, after))
    assert (now.width, now.height, now.frames) == (before.width, before.height, before.frames)
    assert now.size[0] == pytest.approx(before.size[0], rel=0.1) and now.size[1] == before.size[1] / 4
    assert after.lines[0].covered == pytest.approx(book.lines[0].covered / 3.8, rel=0.05)
    assert after.lines[0].mb == book.lines[0].mb
    assert not shape_findings(after, found.mended)
    gone = effect.model_copy(update={"deliveries": ()})
    assert [f.mended for f in shape_findings(book, gone)] == [None], "a ledger may be a little behind"
    # cropped ones are cut by what is seen, which nobody knows yet; and a tier's own values stay its own
    cropped = replaced(effect, "deliveries.puff.route.crop", True)
    assert not shape_findings(book_of(cropped), cropped)
    own = with_own(effect, "mid", "deliveries.puff.route.columns", 2)
    assert all(f.mended is None for f in shape_findings(book_of(own), own))


def test_voxels_that_nobody_sees_are_told():
    effect = seen_from(5.0)
    assert voxel_findings(effect) == []
    far = seen_from(400.0)
    found = voxel_findings(far)
    assert len(found) == 1 and "faster" in found[0].text
    made = found[0].mended
    assert made is not None and made.gas().domain.voxel > effect.gas().domain.voxel
    assert voxel_findings(made) == []


def test_sizes_are_told_in_the_terminal(tmp_path):
    file = tmp_path / "puff.tenka"
    storage.save(seen_from(12.0, width=1024, height=1024), file)
    told = command("budget", file, "--tier", "Mid", "--json").rows[-1]
    assert any("px a texel" in words for words in told["sizes"])
    plain = command("budget", file).out
    assert "px a texel" in plain and LEFT_OUT in plain  # what the model does not know is said
