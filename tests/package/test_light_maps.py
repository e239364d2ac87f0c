"""Light maps, normals and depth: a gas lit anew against the same gas drawn under that light."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from chains import one_sprite
from command import command
from PIL import Image

from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.additions import LAYERS, with_new_layer
from tenka.effect.document import replaced
from tenka.effect.model import Effect
from tenka.look.flip import flip_error as flip
from tenka.look.render import Renderer
from tenka.look.shot import gathered, shot_of
from tenka.pack.packing import pack
from tenka.package import manifest as form
from tenka.package.atlas import load_maps
from tenka.proof.engine import Package, package_view
from tenka.run.plans import plans_of
from tenka.scene.cameras import side_view

DIRECTIONS = [(heading, height) for heading in (-150, -90, -30, 30, 90, 150) for height in (10, 55)]
INDEX = 9


def mapped(**more: object) -> Effect:
    """A cloud of smoke alone on one sprite, with all maps."""
    effect = one_sprite(small_effect(props=(), forces=(), tiers=(), levers=()))
    for name in ("six_way", "normals", "distance"):
        effect = replaced(effect, f"deliveries.puff.route.{name}", True)
    for name, value in {"width": 384, "height": 384, "columns": 2, "rows": 2, **more}.items():
        effect = replaced(effect, f"deliveries.puff.route.{name}", value)
    return replaced(effect, "layers.puff.look.extinction", 6.0)


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


@pytest.fixture(scope="module")
def folder(store: FrameStore, tmp_path_factory: pytest.TempPathFactory) -> Path:
    out = tmp_path_factory.mktemp("packed") / "package"
    pack(mapped(), None, store, out)
    return out


def test_lit_anew_it_is_near_a_true_render_from_twelve_directions(store: FrameStore, folder: Path):
    effect = mapped()
    package = Package(folder)
    element = package.elements[0]
    last = element.times[-1]
    frames, past = gathered(plans_of(effect, None), store, round(last * effect.rate))
    view = side_view(np.array([-1.2, -1.2, 0.0]), np.array([1.2, 1.2, 2.4]), element.heading, 120, 120)
    wrong, left, flips = [], [], []
    for heading, height in DIRECTIONS:
        light = effect.light.model_copy(update={"heading": float(heading), "height": float(height)})
        lit = effect.model_copy(update={"light": light})
        true = Renderer().draw_shot(shot_of(lit, frames, None, last, past=past), light, view, passes=8).rgb
        still = package.draw(last - element.times[0] - 1e-4, view).rgb
        package.turn_light(float(heading), float(height))
        found = package.draw(last - element.times[0] - 1e-4, view).rgb
        package.turn_light(float(effect.light.heading), float(effect.light.height))
        there = (
            np.abs(
                true.astype(int) - Renderer().draw_shot(shot_of(lit, {}, None, last), light, view).rgb
            ).max(2)
            > 6
        )
        wrong.append(np.abs(found.astype(float) - true)[there].mean())
        left.append(np.abs(still.astype(float) - true)[there].mean())
        flips.append(flip(true, found))
    assert max(flips) < 0.06 and np.mean(flips) < 0.04, flips
    assert np.mean(wrong) < 0.6 * np.mean(left), (np.mean(wrong), np.mean(left))


def test_frames_drawn_from_above_are_right_from_there_and_are_lit_there(
    store: FrameStore, folder: Path, tmp_path: Path
):
    effect, level = mapped(pitch=50.0), Package(folder)
    assert pack(effect, None, store, tmp_path / "above").elements[0].pitch == 50.0
    above = Package(tmp_path / "above")
    last = above.elements[0].times[-1]
    frames, past = gathered(plans_of(effect, None), store, round(last * effect.rate))
    box = np.array([-1.2, -1.2, 0.0]), np.array([1.2, 1.2, 2.4])
    view = side_view(*box, above.elements[0].heading, 120, 120, 50.0)
    shown: dict[str, list[float]] = {"above": [], "level": []}
    for sun in ((effect.light.heading, effect.light.height), (-150.0, 20.0), (90.0, 75.0)):
        light = effect.light.model_copy(update={"heading": float(sun[0]), "height": float(sun[1])})
        lit = effect.model_copy(update={"light": light})
        true = Renderer().draw_shot(shot_of(lit, frames, None, last, past=past), light, view, passes=8).rgb
        there = None
        for name, package in (("above", above), ("level", level)):
            package.turn_light(*sun)
            found = package.draw(last - package.elements[0].times[0] - 1e-4, view).rgb
            if there is None:  # where the sprite is: its shadow on the ground is the stage's alone
                there = np.abs(found.astype(int) - package.draw(0.0, view, runs=()).rgb).max(2) > 20
            shown[name].append(float(np.abs(found.astype(float) - true)[there].mean()))
    assert np.mean(shown["above"]) < 0.5 * np.mean(shown["level"]), shown
    assert max(shown["above"]) < 2.0 * shown["above"][0] + 2.0, shown


def test_maps_follow_the_sides_and_add_up(folder: Path):
    element = form.read(folder).elements[0]
    maps = load_maps(folder, element)
    assert maps is not None
    seen = maps.cover > 0.5
    assert seen.sum() > 500 and (maps.sides[~(maps.cover > 0.02)] < 0.05).all()
    rows = np.arange(element.height)[:, None] % element.cell[1] + 0 * maps.cover
    columns = np.arange(element.width)[None, :] % element.cell[0] + 0 * maps.cover
    right, left_, top, bottom = (np.where(seen, maps.sides[..., n], 0) for n in range(4))
    assert (right * columns).sum() / right.sum() > (left_ * columns).sum() / left_.sum() + 1
    assert (top * rows).sum() / top.sum() < (bottom * rows).sum() / bottom.sum() - 1
    # light from right alone, by the formula, is the map itself
    level = maps.lit(np.array([1.0, 0, 0]), np.ones(3), np.zeros(3), 1)[0]
    assert np.allclose(level[..., 0], maps.sides[..., 0] * maps.tint[0] + maps.glow[..., 0], atol=1e-5)
    half = maps.lit(np.array([0.6, -0.8, 0]), np.ones(3), np.zeros(3), 1)[0]
    want = (0.36 * maps.sides[..., 0] + 0.64 * maps.sides[..., 3]) * maps.tint[1]
    assert np.allclose(half[..., 1], want, atol=1e-5)


def test_normals_point_outwards_and_depth_tells_near_from_far(folder: Path, store: FrameStore):
    element = form.read(folder).elements[0]
    with Image.open(folder / element.normals.file) as image:
        normals = np.asarray(image.convert("RGB")).astype(float) / 127.5 - 1.0
    with Image.open(folder / element.colour.file) as image:
        cover = np.asarray(image.convert("RGBA"))[..., 3] / 255.0
    with Image.open(folder / element.distance.file) as image:
        deep = np.asarray(image.convert("L")) / 255.0
    cell = element.cell
    n = element.frames - 1
    y, x = (n // element.columns) * cell[1], (n % element.columns) * cell[0]
    part = (slice(y, y + cell[1]), slice(x, x + cell[0]))
    here, faces = cover[part] > 0.3, normals[part]
    columns = np.arange(cell[0])[None, :] + 0 * cover[part]
    middle = columns[here].mean()
    assert faces[..., 0][here & (columns > middle + 8)].mean() > 0.1
    assert faces[..., 0][here & (columns < middle - 8)].mean() < -0.1
    assert np.allclose(np.linalg.norm(faces[here], axis=1), 1.0, atol=0.03)
    # the box is even before and behind the smoke: what is dense is seen before the middle
    assert 0.2 < deep[part][here].mean() < 0.55 and deep[part][cover[part] < 0.5 / 255].min() > 0.99
    assert element.distance.near + element.distance.far > 0.5
    dense = cover[part] > 0.8
    if dense.any():
        assert deep[part][dense].mean() < deep[part][here].mean() + 0.02


def test_what_is_no_gas_gets_no_maps_and_that_is_said(tmp_path: Path):
    effect = mapped()
    effect, path = with_new_layer(effect, LAYERS["Sparks"](effect))
    effect = effect.model_copy(update={"deliveries": effect.deliveries[1:]})
    effect = replaced(effect, "deliveries.puff.of", ("puff", path.split(".")[1]))
    storage.save(effect, tmp_path / "e.tenka")
    run = command("pack", tmp_path / "e.tenka", "--out", tmp_path / "p", "--json")
    assert run.code == 0 and "made of gas alone" in run.err and "Sparks" in run.err
    element = form.read(tmp_path / "p").elements[0]
    assert element.lit is None and element.normals is None and element.distance is None


def test_maps_are_weighed_and_told(folder: Path):
    plain = small_effect()
    more = replaced(
        replaced(plain, "deliveries.puff.route.six_way", True), "deliveries.puff.route.normals", True
    )
    lines = [ledger(e, "mid").lines[0] for e in (plain, more)]
    assert lines[1].mb > 2.5 * lines[0].mb and lines[1].ms > lines[0].ms
    text = (folder / form.ABOUT).read_text()
    assert "Lit anew: puff_light_a.png" in text and "puff_normal.png" in text and "puff_depth.png" in text


def test_what_cannot_follow_the_light_is_named(folder: Path, packed: Path):
    assert Package(folder).unlit == [] and Package(packed).unlit == ["Puff"]
    package = Package(packed)
    view = package_view(package, 120, 80)
    before = package.draw(1.0, view).rgb
    package.turn_light(10.0, 20.0)
    after = package.draw(1.0, view).rgb
    assert np.abs(after.astype(int) - before).max() > 8  # the set follows
    package.turn_light(package.packed_light.heading, package.packed_light.height)
    assert np.array_equal(package.draw(1.0, view).rgb, before)
