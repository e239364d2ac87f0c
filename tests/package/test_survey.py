"""Cropped, evenly changing and looped flipbooks: where things lie, how much changes, how a seam closes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from chains import effect_of, lighter, one_sprite
from PIL import Image

from tenka.cache.store import FrameStore
from tenka.demo import FOLDER
from tenka.effect.document import edited, replaced
from tenka.effect.model import Effect
from tenka.pack.layout import layout
from tenka.pack.packing import pack
from tenka.pack.survey import Survey, seam_of, survey_of
from tenka.package.elements.flipbook import Flipbook
from tenka.proof.elements.flipbook import quads, sprites
from tenka.proof.engine import Package, package_view
from tenka.scene.cameras import side_view

BOX = (np.array([-2.0, -1.0, 0.0]), np.array([2.0, 1.0, 4.0]))


def spots(centres: list[tuple[float, float]], px: int = 48, radius: float = 3.0) -> Survey:
    """A spot that lies here and there, in px from the left and from the top."""
    y, x = np.mgrid[0:px, 0:px] + 0.5
    found = [np.clip(radius - np.hypot(x - a, y - b), 0, 1) for a, b in centres]
    pictures = np.repeat(np.array(found)[..., None], 4, axis=3).astype(np.float32)
    return Survey(np.arange(len(centres)) / 24.0, pictures)


def test_what_is_seen_is_the_union_of_all_frames():
    survey = spots([(12.0, 30.0), (20.0, 36.0)])
    left, right, foot, top = survey.seen()
    assert left == pytest.approx((9 - 1.5) / 24 - 1, abs=0.05) and right == pytest.approx(
        (23 + 1.5) / 24 - 1, abs=0.05
    )
    assert top == pytest.approx(1 - (27 - 1.5) / 24, abs=0.05) and foot == pytest.approx(
        1 - (39 + 1.5) / 24, abs=0.05
    )
    assert Survey(survey.times, 0 * survey.pictures).seen() == (-1.0, 1.0, -1.0, 1.0)


def test_a_cropped_frame_holds_what_is_seen_and_its_pivot_stays_in_the_world():
    effect = replaced(small_effect(), "deliveries.puff.route.crop", True)
    delivery = effect.deliveries[0]
    whole, cropped = (
        layout(effect, delivery, BOX),
        layout(effect, delivery, BOX, spots([(12.0, 30.0), (20.0, 36.0)])),
    )
    assert max(cropped.size) < 0.6 * max(whole.size) and cropped.attach == whole.attach
    assert cropped.size[0] / cropped.size[1] == pytest.approx(whole.content[0] / whole.content[1])
    view = side_view(*BOX, delivery.route.heading, *whole.content)
    for plan, middle in ((whole, (0.0, 0.0)), (cropped, cropped.frame[:2])):
        low = np.array(middle) - 0.5 * np.array(plan.size)
        place = low + np.array(plan.pivot) * np.array(
            plan.size
        )  # of the pivot, m from the middle of the view
        away = np.asarray(plan.attach) - view.eye
        assert np.allclose(place, [away @ view.right, away @ view.up], atol=1e-6)


def test_even_change_puts_frames_where_much_happens():
    still, quick = [(10.0, 24.0)] * 8, [(10.0 + 3.0 * n, 24.0) for n in range(8)]
    survey = spots(still + quick)
    times = np.array(survey.even_change(8))
    assert (
        times[0] == survey.times[0]
        and times[-1] == pytest.approx(survey.times[-1])
        and np.all(np.diff(times) > 0)
    )
    assert (times < survey.times[7]).sum() <= 3
    paced = spots([(10.0 + 2.0 * n, 24.0) for n in range(12)])
    assert np.allclose(np.diff(paced.even_change(6)), np.diff(paced.times)[0] * 11 / 5, rtol=0.02)


def test_a_loop_is_found_where_a_motion_repeats():
    turn = [2 * np.pi * n / 15 for n in range(40)]
    survey = spots([(24 + 9 * np.cos(a), 24 + 9 * np.sin(a)) for a in turn])
    first, last = survey.loop(0.25)
    period = (last - first) * 24
    assert period == pytest.approx(15 * round(period / 15), abs=0.01) and period >= 15
    assert first * 24 >= 0.25 * period - 1e-6


def test_the_seam_is_measured_beside_the_median_step():
    cells = [np.full((4, 4), v, np.uint8) for v in (10, 12, 14, 16)]
    assert seam_of(cells) == (6.0, 2.0) and seam_of(cells[:1]) == (0.0, 0.0)


def test_a_survey_keeps_the_shape_of_a_cell():
    survey = survey_of(
        np.array([0.0, 1.0]), lambda t, size: np.full((size[1], size[0], 8), t, np.float32), 2.0
    )
    assert survey.pictures.shape == (2, 24, 48, 4) and survey.steps()[0] > 0


# --- packed ----------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


def plume(**more: object) -> Effect:
    """The kiln's plume, which goes on for ever, coarse."""
    effect = lighter(effect_of("kiln_plume"), frames=48, voxels=2.0, cells=4, px=80)
    id = effect.deliveries[0].id
    effect = effect.model_copy(update={"deliveries": effect.deliveries[:1]})
    for name, value in more.items():
        effect = replaced(effect, f"deliveries.{id}.route.{name}", value)
    return effect


def cells_of(folder: Path, element: Flipbook) -> list[np.ndarray]:
    with Image.open(folder / element.colour.file) as image:
        raw = np.asarray(image.convert("RGBA"))
    w, h = element.cell
    return [
        raw[r * h : (r + 1) * h, c * w : (c + 1) * w]
        for r, c in (divmod(n, element.columns) for n in range(element.frames))
    ]


def test_a_looped_flipbook_closes_within_its_own_steps(store: FrameStore, tmp_path: Path):
    plain = pack(plume(), FOLDER, store, tmp_path / "a").elements[0]
    looped = pack(plume(loop=True, motion=True), FOLDER, store, tmp_path / "b").elements[0]
    assert isinstance(plain, Flipbook) and isinstance(looped, Flipbook)
    assert not plain.loop and plain.seam is None
    assert looped.loop and looped.period is not None and looped.seam is not None
    assert looped.times[-1] < looped.times[0] + looped.period
    seam, step = seam_of(cells_of(tmp_path / "b", looped))
    open_, _ = seam_of(cells_of(tmp_path / "a", plain))
    assert seam <= 1.15 * step and seam < 0.6 * open_ and looped.seam == pytest.approx(seam / step, rel=0.25)


def test_a_looped_flipbook_plays_over_its_end_without_a_jump(store: FrameStore, tmp_path: Path):
    effect = one_sprite(plume(loop=True))
    id = effect.deliveries[0].id
    for name, value in (("plays", 2.0), ("life", 2.0)):
        effect = replaced(effect, f"deliveries.{id}.route.player.{name}", value)
    pack(effect, FOLDER, store, tmp_path / "p")
    package = Package(tmp_path / "p")
    view = package_view(package, 160, 100)
    shots = [package.draw(t, view).rgb.astype(float) for t in np.linspace(0.02, 1.98, 50)]
    steps = np.array([np.abs(b - a).mean() for a, b in zip(shots, shots[1:])])
    assert steps.max() < 3.5 * np.median(steps)  # 24 and 25 lie on both sides of the end
    again = [package.draw(t, view).rgb for t in (0.3, 1.3)]
    assert np.abs(again[0].astype(int) - again[1]).max() <= 1  # twice a life


def test_cropped_it_looks_the_same_and_has_more_texels(store: FrameStore, tmp_path: Path):
    whole = pack(one_sprite(plume()), FOLDER, store, tmp_path / "a").elements[0]
    cropped = pack(one_sprite(plume(crop=True)), FOLDER, store, tmp_path / "b").elements[0]
    assert cropped.size[0] * cropped.size[1] < 0.97 * whole.size[0] * whole.size[1]
    assert cropped.attach == whole.attach
    pictures = []
    for name in "ab":
        package = Package(tmp_path / name)
        pictures.append(package.draw(1.0, package_view(package, 200, 125)).rgb.astype(float))
    assert np.abs(pictures[0] - pictures[1]).mean() < 0.8


def test_even_change_evens_out_the_steps_of_what_grows(store: FrameStore, tmp_path: Path):
    told = {}
    for spacing in ("even time", "even change"):
        effect = replaced(small_effect(), "deliveries.puff.route.spacing", spacing)
        for name, value in (("columns", 3), ("rows", 2), ("width", 192), ("height", 128)):
            effect = replaced(effect, f"deliveries.puff.route.{name}", value)
        out = tmp_path / spacing.replace(" ", "_")
        element = pack(effect, None, store, out).elements[0]
        cells = [c.astype(float) for c in cells_of(out, element)]
        steps = np.array([np.abs(b - a).mean() for a, b in zip(cells, cells[1:])])
        told[spacing] = steps.std() / steps.mean()
    assert told["even change"] < 0.9 * told["even time"]


def test_sprites_begin_anywhere_and_play_more_than_once():
    element_effect = small_effect()
    from build import element_of

    element = element_of(element_effect)
    player = element.player.model_copy(update={"count": 400, "any_start": True, "life_spread": 0.0})
    found = sprites(element, player, 10.0)
    assert abs(found.through.mean() - 0.5) < 0.05 and abs(np.corrcoef(found.age, found.through)[0, 1]) < 0.15
    player = element.player.model_copy(update={"plays": 3.0, "life_spread": 0.0, "count": 50})
    found = sprites(element, player, 10.0)
    assert np.allclose(found.through, (3.0 * found.age) % 1.0)
    plain = sprites(element, element.player, 10.0)
    assert np.allclose(plain.age, plain.through, atol=1e-6)
    looped = element.model_copy(update={"loop": True, "period": 0.6})
    view = side_view(*BOX, -90.0, 200, 200)
    table = quads(looped, player, 10.0, view)
    assert (
        set(np.unique(table[:, 8])) <= set(range(element.frames))
        and (table[:, 8] == (table[:, 7] + 1) % element.frames).all()
    )


def test_a_flipbook_that_is_only_told_to_loop_is_played_at_its_own_pace(store: FrameStore, tmp_path: Path):
    effect = edited(small_effect(), "deliveries.puff.route.loop", True)
    element = pack(effect, None, store, tmp_path / "looped").elements[0]
    assert isinstance(element, Flipbook) and element.period is not None
    assert element.player.life == pytest.approx(element.period * element.player.plays, rel=1e-4)
    assert element.remark == "" and element.player.count == 1
    by_hand = replaced(effect, "deliveries.puff.route.player.life", 5.0)
    element = pack(by_hand, None, store, tmp_path / "slow").elements[0]
    assert element.player.life == 5.0 and "gives its own pace" in element.remark
