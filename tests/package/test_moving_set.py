"""Props that move go into a package with where they are in each frame, and Proof and page put them there."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from PIL import Image

from bench.browser import NAME, picture
from tenka.base.errors import BadInput
from tenka.cache.store import FrameStore
from tenka.demo import FOLDER
from tenka.effect.courses import Key, Keys
from tenka.effect.model import Effect, Prop
from tenka.pack.packing import pack
from tenka.package.manifest import ABOUT, PAGE, is_ours, read
from tenka.package.stands import movers_of
from tenka.proof.engine import Package, package_view
from tenka.scene.props import scene_mesh

SIZE = (320, 200)


def turning() -> Effect:
    """The small effect with a box that goes along and turns right round, carrying another."""
    turn = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=0.5, v=350.0, ease="linear")))
    way = Keys(keys=(Key(t=0.0, v=-1.0, ease="linear"), Key(t=0.5, v=1.0, ease="linear")))
    base = small_effect().props[0]
    cart = Prop(id="cart", name="Cart", size=(0.6, 0.4, 0.5), position=(0, -1.0, 0.2), turn=turn, shift_x=way)
    load = Prop(id="load", name="Load", parent="cart", size=(0.2, 0.2, 0.3), position=(0.2, 0, 0.5))
    return small_effect(props=(base, cart, load))


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    out = tmp_path_factory.mktemp("moving")
    pack(turning(), None, FrameStore(out / "frames"), out / "package")
    return out / "package"


def test_a_moving_prop_is_where_the_effect_has_it(folder: Path):
    effect, stands = turning(), read(folder).set
    assert {part.file for part in stands.moving} == {"set_cart.glb", "set_load.glb"}
    movers = movers_of(folder, stands)
    for index in (0, 5, 11):
        t = index / effect.rate
        alone = effect.model_copy(update={"props": effect.props[1:]})
        points = np.concatenate([m.at(t).points for m in movers])  # type: ignore[union-attr]
        wanted = scene_mesh(alone, None, t).points
        assert np.allclose(points.min(axis=0), wanted.min(axis=0), atol=1e-4)
        assert np.allclose(points.max(axis=0), wanted.max(axis=0), atol=1e-4)
    rows = np.array(stands.moving[0].rows)
    assert (np.einsum("ij,ij->i", rows[1:, 3:], rows[:-1, 3:]) > 0).all(), "a turn flips its sign"
    assert np.allclose(np.linalg.norm(rows[:, 3:], axis=1), 1.0, atol=1e-5)


def waving() -> Effect:
    """The small effect before a banner that a clip bends, and that is carried along."""
    way = Keys(keys=(Key(t=0.0, v=-1.0, ease="linear"), Key(t=0.5, v=1.0, ease="linear")))
    own = {"shape": "mesh", "file": "props/banner.glb", "clip": "flap", "clip_speed": 3.0}
    return small_effect(props=(Prop(id="banner", name="Banner", shift_x=way, **own),))


@pytest.fixture(scope="module")
def bent(tmp_path_factory: pytest.TempPathFactory) -> Path:
    out = tmp_path_factory.mktemp("waving")
    pack(waving(), FOLDER, FrameStore(out / "frames"), out / "package")
    return out / "package"


def test_what_a_clip_bends_is_bent_in_the_package_as_on_the_stage(bent: Path):
    effect, stands = waving(), read(bent).set
    assert stands.moving[0].bent is not None and not stands.still
    assert stands.moving[0].bent.file == "set_banner_bent.exr" and is_ours(bent)
    (mover,) = movers_of(bent, stands)
    shapes = []
    for t in (0.0, 5 / 24, 5.5 / 24, 11 / 24):
        wanted = scene_mesh(effect, FOLDER, t).corners
        mesh = mover.at(t)
        assert mesh is not None
        near = 0.002 if t * 24 % 1 == 0 else 0.03  # halves, and straight between two frames
        assert np.abs(mesh.corners - wanted).max() < near
        shapes.append(mesh.corners - mesh.corners.mean(axis=(0, 1)))
    assert np.abs(shapes[0] - shapes[-1]).max() > 0.05, "it bends besides being carried"
    assert "set_banner_bent.exr" in (bent / ABOUT).read_text()


def test_a_bent_set_that_is_broken_is_one_sentence(bent: Path, tmp_path: Path):
    copy = tmp_path / "copy"
    shutil.copytree(bent, copy)
    file = copy / "set_banner_bent.exr"
    file.write_bytes(file.read_bytes()[:200])
    with pytest.raises(BadInput):
        Package(copy)
    file.unlink()
    with pytest.raises(BadInput):
        Package(copy)


def test_proof_moves_it(folder: Path):
    package = Package(folder)
    view = package_view(package, *SIZE)
    first, last = (package.draw(t, view, runs=()).rgb.astype(int) for t in (0.0, 11 / 24))
    assert np.abs(first - last).mean() > 1.0
    assert np.array_equal(last, package.draw(9.0, view, runs=()).rgb), "the last place holds"


@pytest.mark.skipif(NAME is None, reason="there is no browser here")
@pytest.mark.parametrize("which", ("folder", "bent"))
def test_the_page_moves_it_alike(which: str, request: pytest.FixtureRequest, tmp_path: Path):
    folder: Path = request.getfixturevalue(which)
    package, out = Package(folder), tmp_path / "strip.png"
    view = package_view(package, *SIZE)
    times, (wide, tall) = (0.0, 0.25, 11 / 24), SIZE
    words = f"t={','.join(map(str, times))}&w={wide}&h={tall}"
    picture(folder / PAGE, words, (wide, tall * len(times)), out)
    with Image.open(out) as image:
        strip = np.asarray(image.convert("RGB")).astype(int)
    shown = [strip[n * tall : (n + 1) * tall, :wide] for n in range(len(times))]
    proof = [package.draw(t, view).rgb.astype(int) for t in times]
    for a, b in ((0, 1), (1, 2)):
        moved = np.abs(proof[b] - proof[a]).max(axis=2) > 24
        both = np.abs(shown[b] - shown[a]).max(axis=2) > 24
        assert (moved & both).sum() > 0.75 * max(moved.sum(), both.sum())
