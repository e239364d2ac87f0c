"""Textures in blocks: read by a decoder that is not ours, as good as is told, as large as is told."""

from __future__ import annotations

import io
import struct
from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from command import command
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from tenka.base.blocks import CHANNELS, compressed, psnr
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.document import replaced, with_own
from tenka.pack.dds import FORMATS, HEAD, blended_error, dds_bytes, dds_size, opened
from tenka.pack.packing import pack
from tenka.package import manifest as form

FORMS = tuple(CHANNELS)
PLAIN = {72: 71, 78: 77}  # the other decoder knows these two only without sRGB


def decoded(data: bytes) -> np.ndarray:
    """The largest level of a DDS by Pillow, (h, w, channels)."""
    kind = struct.unpack_from("<I", data, 128)[0]
    data = data[:128] + struct.pack("<I", PLAIN.get(kind, kind)) + data[132:]
    with Image.open(io.BytesIO(data)) as image:
        found = np.asarray(image)
    return found[..., None] if found.ndim == 2 else found


def error(image: np.ndarray, data: bytes, name: str) -> float:
    """Mean squared, by the other decoder, over what the form keeps."""
    keeps = CHANNELS[name]
    return float(((decoded(data)[..., :keeps].astype(float) - image[..., :keeps]) ** 2).mean())


def ramps(height: int, width: int) -> np.ndarray:
    y, x = np.mgrid[0:height, 0:width]
    return np.stack([x, y, (x + y) // 2, 255 - x // 2], axis=2).astype(np.uint8)


@pytest.mark.parametrize("name", FORMS)
@pytest.mark.parametrize("srgb", [True, False])
def test_another_decoder_reads_what_is_written_and_finds_the_error_that_is_told(name: str, srgb: bool):
    if (name, srgb) not in FORMATS:
        pytest.skip("no such format")
    image = ramps(96, 160)
    data, told = dds_bytes([image], name, srgb)
    found = error(image, data, name)
    assert len(data) == dds_size(160, 96, 1, name)
    least = {"bc1": 38.0, "bc3": 38.0, "bc4": 50.0, "bc5": 50.0, "bc7": 48.0}[name]
    assert psnr(found) > least and abs(np.sqrt(found) - np.sqrt(told)) < 0.6


@pytest.mark.parametrize("name", FORMS)
def test_one_colour_is_kept_as_well_as_its_bits_hold_it(name: str):
    image = np.full((8, 12, 4), (132, 130, 132, 255), np.uint8)  # 5 and 6 bits hold these
    data, told = dds_bytes([image], name, False)
    assert error(image, data, name) <= 0.3 and told <= 0.3


def test_two_colours_in_a_block_are_exact_where_the_form_holds_them():
    image = np.zeros((4, 4, 4), np.uint8)
    image[..., 3] = 255
    image[:2, :, :3] = 255
    for name, most in (("bc1", 0.0), ("bc3", 0.0), ("bc7", 0.5)):  # mode 6 has one lowest bit for a whole end
        data, told = dds_bytes([image], name, False)
        assert error(image, data, name) <= most and told <= most, name


def test_alpha_is_kept_apart_from_colour_and_premultiplied_light_stays_light():
    rng = np.random.default_rng(2)
    image = np.zeros((32, 32, 4), np.uint8)
    image[..., :3] = rng.integers(100, 140, (32, 32, 1))
    image[..., 3] = rng.integers(0, 255, (32, 32))
    worst = {n: error(image, dds_bytes([image], n, False)[0], n) for n in ("bc3", "bc7")}
    assert psnr(worst["bc3"]) > 27.0  # noise of 255 in alpha, by eight steps a block
    light = image.copy()
    light[..., 3] = 0
    found = decoded(dds_bytes([light], "bc7", True)[0])
    assert found[..., 3].max() <= 1 and abs(found[..., 0].mean() - light[..., 0].mean()) < 1.0


@given(st.integers(1, 40), st.integers(1, 40), st.sampled_from(FORMS), st.integers(0, 9))
def test_any_size_and_any_texels_are_read_by_the_other_decoder(wide: int, tall: int, name: str, seed: int):
    rng = np.random.default_rng(seed)
    base = rng.integers(0, 256, 4)
    image = np.clip(base + rng.normal(0, 2.0 + 8 * seed, (tall, wide, 4)), 0, 255).astype(np.uint8)
    data, told = dds_bytes([image], name, False)
    assert decoded(data).shape[:2] == (tall, wide)
    whole = np.pad(image, ((0, -tall % 4), (0, -wide % 4), (0, 0)), mode="edge")
    plain, _ = compressed(whole, name)
    assert data[HEAD:] == plain
    found = error(whole, dds_bytes([whole], name, False)[0], name)
    assert abs(np.sqrt(found) - np.sqrt(told)) < 1.5


def test_finer_forms_are_better_on_a_packed_atlas(packed: Path):
    with Image.open(packed / form.read(packed).elements[0].colour.file) as image:  # type: ignore[union-attr]
        raw = np.asarray(image.convert("RGBA"))
    found = {n: psnr(error(raw, dds_bytes([raw], n, True)[0], n)) for n in ("bc1", "bc3", "bc7")}
    assert found["bc7"] > found["bc3"] > 30.0 and found["bc7"] > 40.0


def test_light_without_cover_stays_light_in_blocks_and_likeness_is_of_what_is_blended(tmp_path: Path):
    effect = replaced(
        small_effect(), "deliveries.puff.route.blocks", "BC1"
    )  # as effects of before may have it
    assert effect.deliveries[0].route.blocks == "BC3"
    raw = ramps(64, 64)
    raw[..., 3] = 0  # pure emission: it is added, and hides nothing
    for name, least in (("bc3", 30.0), ("bc7", 40.0)):
        assert psnr(blended_error(raw, opened(dds_bytes([raw], name, True)[0]), False)) > least
    data, told = dds_bytes([raw], "bc1", True)
    assert psnr(told) > 30.0  # of the channels that it has; but drawn, it would hide what is behind
    assert psnr(blended_error(raw, opened(data), False)) < 6.0


def test_colour_where_nothing_is_seen_counts_nothing_with_straight_alpha():
    raw = np.zeros((8, 8, 4), np.uint8)
    other = raw.copy()
    other[..., :3] = 200
    assert blended_error(raw, other, True) == 0.0 and blended_error(raw, other, False) > 100.0


@pytest.mark.parametrize("chosen", ["BC3", "BC7"])
@pytest.mark.parametrize("alpha", ["premultiplied", "straight"])
def test_a_flipbook_writes_all_its_atlases_in_blocks(tmp_path: Path, chosen: str, alpha: str):
    effect = replaced(small_effect(), "layers.puff.sources.source.temperature", 1500.0)
    for name, value in (("blocks", chosen), ("motion", True), ("second", "emission"), ("alpha_form", alpha)):
        effect = replaced(effect, f"deliveries.puff.route.{name}", value)
    element = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p").elements[0]
    assert [b.of for b in element.blocks] == [element.colour.file, element.second.file, element.motion.file]
    assert element.levels > 2
    for block in element.blocks:
        data = (tmp_path / "p" / block.file).read_bytes()
        assert len(data) == dds_size(element.width, element.height, element.levels, block.form)
        assert struct.unpack_from("<I", data, 28)[0] == block.levels == element.levels
        with Image.open(tmp_path / "p" / block.of) as image:
            raw = np.asarray(image.convert("RGBA"))
        assert psnr(error(raw, data, block.form)) == pytest.approx(block.psnr, abs=1.2)  # decoders round
        assert block.psnr > 28.0
    text = (tmp_path / "p" / form.ABOUT).read_text()
    assert all(f"{b.file}: {b.of} in {b.form.upper()} blocks" in text for b in element.blocks)
    assert form.is_ours(tmp_path / "p")


def test_smaller_levels_hold_the_mean_light_of_the_larger_ones(tmp_path: Path):
    effect = replaced(small_effect(), "deliveries.puff.route.blocks", "BC7")
    element = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p").elements[0]
    data = (tmp_path / "p" / element.blocks[0].file).read_bytes()
    sizes = [
        dds_size(element.width >> n, element.height >> n, 1, "bc7") - HEAD for n in range(element.levels)
    ]
    starts = HEAD + np.concatenate([[0], np.cumsum(sizes)])
    means = []
    for n in range(element.levels):
        head = bytearray(data[:HEAD])
        struct.pack_into("<2I", head, 12, element.height >> n, element.width >> n)
        level = decoded(bytes(head) + data[starts[n] : starts[n + 1]]).astype(float) / 255
        light = np.where(
            level[..., :3] <= 0.04045, level[..., :3] / 12.92, ((level[..., :3] + 0.055) / 1.055) ** 2.4
        )
        means.append([light.mean(), level[..., 3].mean()])
    assert np.allclose(means, means[0], rtol=0.12, atol=0.002), means


def test_the_terminal_packs_blocks_on_one_tier_alone(tmp_path: Path):
    effect = with_own(small_effect(), "low", "deliveries.puff.route.blocks", "BC3")
    storage.save(effect, tmp_path / "e.tenka")
    run = command("pack", tmp_path / "e.tenka", "--out", tmp_path / "p", "--tier", "all", "--json")
    files = {row["tier"]: row["files"] for row in run.rows if "files" in row}
    assert "puff_colour.dds" in files["low"] and "puff_colour.dds" not in files["mid"]
