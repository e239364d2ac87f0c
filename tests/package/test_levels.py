"""Levels on a flipbook's cover, and its further files."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenEXR
import pytest
from build import small_effect
from PIL import Image

from tenka.base.srgb import from_srgb
from tenka.cache.store import FrameStore
from tenka.effect.document import replaced
from tenka.effect.model import Effect
from tenka.pack.atlases import levelled
from tenka.pack.packing import pack
from tenka.package import manifest as form
from tenka.package.elements.flipbook import Flipbook


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


def book(**more: object) -> Effect:
    effect = replaced(small_effect(), "layers.puff.sources.source.temperature", 1500.0)
    for name, value in more.items():
        effect = replaced(effect, f"deliveries.puff.route.{name}", value)
    return effect


def raw(cover: np.ndarray) -> np.ndarray:
    out = np.zeros((1, len(cover), 8), np.float32)
    out[0, :, :3], out[0, :, 3], out[0, :, 4:7], out[0, :, 7] = (
        0.5 * cover[:, None],
        cover,
        0.25,
        800.0 * cover,
    )
    return out


def test_plain_levels_change_nothing_and_the_floor_is_cut_off():
    cover = np.linspace(0, 1, 101).astype(np.float32)
    assert levelled(raw(cover), 0.0, 1.0) is not None
    assert np.array_equal(levelled(raw(cover), 0.0, 1.0), raw(cover))
    found = levelled(raw(cover), 0.2, 1.0)[0]
    assert (found[cover <= 0.2, 3] == 0).all() and found[-1, 3] == pytest.approx(1.0)
    there = cover > 0.21
    assert np.allclose(found[there, 3], (cover[there] - 0.2) / 0.8, atol=1e-5)
    assert np.allclose(found[there, 0], 0.5 * found[there, 3], atol=1e-5)  # its own colour stays
    assert np.allclose(found[..., 4:7], 0.25)  # light that is given off stays
    assert np.allclose(found[there, 7] / found[there, 3], 800.0, rtol=1e-4)  # and how warm it is


@pytest.mark.parametrize("contrast", [0.5, 2.0, 4.0])
def test_contrast_bends_about_the_middle_with_its_slope(contrast: float):
    cover = np.linspace(0, 1, 2001).astype(np.float32)
    found = levelled(raw(cover), 0.0, contrast)[0, :, 3].astype(float)
    assert found[0] == 0.0 and found[-1] == 1.0 and found[1000] == pytest.approx(0.5)
    assert (found[1010] - found[990]) / (cover[1010] - cover[990]) == pytest.approx(contrast, rel=0.01)
    assert np.all(np.diff(found) >= -1e-7) and np.allclose(found + found[::-1], 1.0, atol=1e-5)


def test_an_openexr_holds_all_light_of_the_atlases(store: FrameStore, tmp_path: Path):
    element = pack(book(further="EXR", second="emission"), None, store, tmp_path / "p").elements[0]
    assert isinstance(element, Flipbook) and [s.file for s in element.further] == ["puff_light.exr"]
    with OpenEXR.File(str(tmp_path / "p" / "puff_light.exr"), separate_channels=True) as opened:
        found = np.stack([np.asarray(opened.channels()[c].pixels, np.float32) for c in "RGBA"], axis=2)
    with Image.open(tmp_path / "p" / element.colour.file) as image:
        colour = np.asarray(image.convert("RGBA")).astype(np.float32) / 255
    with Image.open(tmp_path / "p" / element.second.file) as image:
        glow = from_srgb(np.asarray(image.convert("RGB")).astype(np.float32) / 255) * element.second.scale
    assert found.shape == (element.height, element.width, 4)
    assert np.abs(found[..., 3] - colour[..., 3]).max() < 0.004
    want = from_srgb(colour[..., :3]) + glow
    assert (
        np.abs(found[..., :3] - want).mean() < 0.01 * want.max() and found[..., :3].max() > 0.9 * want.max()
    )


def test_tga_copies_are_the_same_pictures(store: FrameStore, tmp_path: Path):
    element = pack(book(further="TGA", motion=True), None, store, tmp_path / "p").elements[0]
    assert isinstance(element, Flipbook) and len(element.further) == len(element.sheets) >= 2
    for name, copy in zip(element.sheets, element.further):
        with Image.open(tmp_path / "p" / name) as a, Image.open(tmp_path / "p" / copy.file) as b:
            assert b.format == "TGA" and np.array_equal(
                np.asarray(a.convert("RGBA")), np.asarray(b.convert("RGBA"))
            )
    assert form.is_ours(tmp_path / "p") and all(
        c.file in (tmp_path / "p" / form.ABOUT).read_text() for c in element.further
    )


def test_levels_are_in_the_packed_atlas(store: FrameStore, tmp_path: Path):
    covers = []
    for n, floor in enumerate((0.0, 0.3)):
        element = pack(book(alpha_floor=floor), None, store, tmp_path / str(n)).elements[0]
        with Image.open(tmp_path / str(n) / element.colour.file) as image:
            covers.append(np.asarray(image.convert("RGBA"))[..., 3] / 255.0)
    there = covers[0] > 0.32
    assert there.sum() > 50 and np.abs(covers[1][there] - (covers[0][there] - 0.3) / 0.7).max() < 0.01
    assert (covers[1][covers[0] < 0.29] == 0).all()
