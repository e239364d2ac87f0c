"""Frames that are blended along the motion of what is seen: by a closed form, and at half the frames."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from chains import as_flipbooks, effect_of, lighter, one_sprite, proof_picture, stage_picture, whole_view
from PIL import Image
from players import quad

from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.demo import FOLDER
from tenka.effect.document import replaced
from tenka.effect.model import Effect
from tenka.look.flip import flip_error as flip
from tenka.look.sprites import draw_quads
from tenka.pack.packing import pack
from tenka.package.atlas import load_atlas
from tenka.proof.engine import Package

PX = 64


def disc(x: float, y: float) -> np.ndarray:
    """A soft disc, premultiplied, (PX, PX, 4)."""
    j, i = np.mgrid[:PX, :PX] + 0.5
    cover = np.exp(-((i - x) ** 2 + (j - y) ** 2) / 18.0)
    return np.repeat(cover[..., None], 4, axis=2).astype(np.float32)


@pytest.mark.parametrize("share", (0.0, 0.25, 0.5, 0.75))
def test_what_moves_evenly_is_drawn_where_it_is_between_two_frames(share: float):
    way = np.array([12.0, -8.0])
    atlas = np.concatenate([disc(24, 40), disc(24 + way[0], 40 + way[1])], axis=1)
    motion = np.broadcast_to((way / PX).astype(np.float32), (PX, 2 * PX, 2)).copy()
    table = quad(PX / 2, PX / 2, 1, 0, PX / 2, PX / 2, 1.0, 0, 1, share, 1.0, 0.01, 1.0, 1, 1, 1)
    drawn, far = {}, np.full((PX, PX), 9.0, np.float32)
    for name, held in (("plain", motion[:0, :0]), ("along", motion)):
        image = np.zeros((PX, PX, 3), np.float32)
        draw_quads(table, (atlas,), (2, PX, PX, 0), far, 0.0, True, image, held)
        drawn[name] = image[..., 0]
    wanted = disc(24 + share * way[0], 40 + share * way[1])[..., 0]
    assert np.abs(drawn["along"] - wanted).max() < 0.02
    if share:
        assert np.abs(drawn["plain"] - wanted).max() > 0.2


@pytest.mark.parametrize("last", [10.0, 0.41])
def test_the_atlas_says_how_far_what_rises_moves(last: float, tmp_path: Path):
    """Also of moments that lie between two simulated frames."""
    effect = replaced(small_effect(), "deliveries.puff.route.motion", True)
    effect = replaced(effect, "deliveries.puff.route.last", last)
    element = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p").elements[0]
    assert element.motion is not None and element.motion.file in element.files
    atlas = load_atlas(tmp_path / "p", element)
    cover = atlas.levels[0][..., 3]
    seen = cover > 0.3
    assert atlas.motion.shape == (192, 128, 2) and seen.any()
    down = atlas.motion[..., 1][seen].mean()
    wide, tall = element.cell
    for n in range(1, element.frames - 1):
        row, column = divmod(n, element.columns)
        cell = atlas.motion[row * tall : (row + 1) * tall, column * wide : (column + 1) * wide, 1]
        assert np.abs(cell).max() > 0.004, f"frame {n} stands still"
    assert -0.5 < down < -0.005  # up is less
    with Image.open(tmp_path / "p" / element.motion.file) as image:
        assert image.mode == "RGB" and np.asarray(image)[..., 2].max() == 0
    # counted: a texture more, and more to work out for each pixel
    plain, more = (
        {line.layer: line for line in ledger(e, "mid").lines}["Puff"] for e in (small_effect(), effect)
    )
    assert more.mb > plain.mb and any(t.name == "motion atlas" for t in more.terms)


@pytest.mark.parametrize("name", ("kiln_plume", "furnace_mouth", "wheel_sparks", "lime_draught"))
def test_half_the_frames_along_motion_are_nearer_than_blended_plainly(name: str, tmp_path: Path):
    effect = one_sprite(lighter(as_flipbooks(effect_of(name)), frames=17, cells=3, px=128))
    store = FrameStore(tmp_path / "frames")
    errors: dict[bool, float] = {}
    view = whole_view(effect, store, 160)
    for along in (False, True):
        variant: Effect = effect
        for d in effect.deliveries:
            variant = replaced(variant, f"deliveries.{d.id}.route.motion", along)
        folder = tmp_path / str(along)
        pack(variant, FOLDER, store, folder)
        package = Package(folder)
        # of 17 frames nine are packed: the odd ones lie between two of them
        found = [
            flip(stage_picture(effect, store, n, view), proof_picture(package, n, view))
            for n in (7, 9, 11, 13)
        ]
        errors[along] = float(np.mean(found))
    assert errors[True] < errors[False], errors
