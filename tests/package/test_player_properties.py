"""What must hold for any player settings, view and time."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from build import element_of, small_effect
from hypothesis import given
from hypothesis import strategies as st
from players import PLAYERS, quad

from tenka.base.errors import BadInput
from tenka.budget.devices import SHIPPED, device, read_again
from tenka.budget.lines import second_format
from tenka.budget.routes.flipbook import mean_cover, viewing_of
from tenka.effect.model import Camera, Player
from tenka.look.sprites import DEPTH, QUAD_FIELDS, WHOLE, count_covered, count_layers, draw_quads
from tenka.package.elements.flipbook import CutOut, reach
from tenka.package.manifest import Manifest, read
from tenka.proof.elements.flipbook import quads, sprites
from tenka.scene.cameras import view_of

ELEMENT = element_of(small_effect())

VIEWS = st.builds(
    lambda heading, pitch, distance: view_of(
        Camera(target=(0, 0, 1), heading=heading, pitch=pitch, distance=distance), 160, 90
    ),
    st.floats(-180, 180),
    st.floats(-10, 60),
    st.floats(2, 40),
)


@given(PLAYERS, VIEWS, st.floats(0, 50))
def test_quads_are_finite_sorted_from_far_to_near_and_within_the_sequence(player: Player, view, time: float):
    table = quads(ELEMENT, player, time, view)
    assert np.isfinite(table).all() and len(table) <= player.count
    assert (np.diff(table[:, 6]) <= 1e-6).all()
    assert (
        (table[:, 7] >= 0).all()
        and (table[:, 8] <= ELEMENT.frames - 1).all()
        and (table[:, 8] - table[:, 7] <= 1).all()
    )
    assert (table[:, 9] >= 0).all() and (table[:, 9] <= 1).all()
    np.testing.assert_allclose(np.hypot(table[:, 2], table[:, 3]), 1.0, rtol=1e-5)


LEAF = CutOut(shapes=(((0.1, 0.3), (0.4, 0.0), (0.9, 0.2), (1.0, 0.7), (0.5, 0.95)),)).table


@given(PLAYERS, VIEWS, st.floats(0, 50), st.sampled_from((WHOLE, LEAF)))
def test_counting_rows_and_counting_a_picture_agree(player: Player, view, time: float, cuts: np.ndarray):
    table = quads(ELEMENT, player, time, view)
    layers = np.zeros((view.height, view.width), np.int32)
    count_layers(table, cuts, layers)
    covered, pixels = count_covered(table, cuts, view.width, view.height).sum(axis=0)
    # the middle of a pixel may lie on an edge, within a rounding: one in ten thousand
    assert abs(covered - layers.sum()) <= max(1, 1e-4 * covered)
    assert abs(pixels - (layers > 0).sum()) <= max(1, 1e-4 * pixels)


@given(PLAYERS, st.floats(0, 50))
def test_the_same_moment_gives_the_same_sprites(player: Player, time: float):
    a, b = sprites(ELEMENT, player, time), sprites(ELEMENT, player, time)
    for name in ("age", "place", "size", "turn", "opacity"):
        np.testing.assert_array_equal(getattr(a, name), getattr(b, name))


@given(st.floats(0.1, 4.0), st.floats(0.0, 1.0))
def test_a_white_sprite_of_opacity_covers_by_its_alpha(size: float, opacity: float):
    """An atlas of full white: the picture becomes back * (1 - opacity) + opacity inside the quad."""
    level = np.ones((32, 32, 4), np.float32)
    image = np.full((40, 60, 3), 0.25, np.float32)
    table = quad(30, 20, 1, 0, 8 * size, 6 * size, 5, 0, 0, 0, opacity, 0.1, 1, 1, 1, 1)
    draw_quads(table, (level,), (1, 32, 32, 0), np.full((40, 60), 1e9, np.float32), 0.0, True, image)
    np.testing.assert_allclose(image[20, 30], 0.25 * (1 - opacity) + opacity, atol=1e-5)
    layers = np.zeros((40, 60), np.int32)
    count_layers(table, WHOLE, layers)
    np.testing.assert_allclose(image[layers == 0], 0.25)


def test_a_frame_is_blended_into_the_next():
    """Two cells, black and white: half way between them the sprite is grey."""
    level = np.zeros((16, 32, 4), np.float32)
    level[..., 3] = 1.0
    level[:, 16:, :3] = 1.0
    for blend, want in ((True, 0.5), (False, 0.0)):
        image = np.zeros((20, 20, 3), np.float32)
        table = quad(10, 10, 1, 0, 6, 6, 5, 0, 1, 0.5, 1, 0.1, 1, 1, 1, 1)
        draw_quads(table, (level,), (2, 16, 16, 0), np.full((20, 20), 1e9, np.float32), 0.0, blend, image)
        assert image[10, 10, 0] == pytest.approx(want, abs=1e-5)


def test_far_sprites_read_smaller_mip_levels():
    levels = tuple(np.ones((64 >> k, 64 >> k, 4), np.float32) for k in range(4))
    read_by = []
    for density in (1.0, 2.0, 8.0):
        image = np.zeros((40, 40, 3), np.float32)
        table = quad(20, 20, 1, 0, 32 / density, 32 / density, 5, 0, 0, 0, 1, 0.1, density, 1, 1, 1)
        read_by.append(
            draw_quads(table, levels, (1, 64, 64, 0), np.full((40, 40), 1e9, np.float32), 0.0, False, image)
        )
    assert [int(np.argmax(blocks)) for blocks in read_by] == [0, 1, 3]
    assert [sum(b > 0 for b in blocks) for blocks in read_by] == [1, 1, 1]


def test_what_is_behind_the_set_is_not_drawn():
    level = np.ones((8, 8, 4), np.float32)
    image = np.zeros((20, 20, 3), np.float32)
    depth = np.full((20, 20), 1e9, np.float32)
    depth[:, :10] = 2.0
    draw_quads(
        quad(10, 10, 1, 0, 8, 8, 5, 0, 0, 0, 1, 0.1, 1, 1, 1, 1),
        (level,),
        (1, 8, 8, 0),
        depth,
        0.0,
        False,
        image,
    )
    assert image[10, :10].max() == 0 and image[10, 11:17].min() == 1


def test_twice_the_distance_covers_a_quarter():
    tier = small_effect().tiers[1].model_copy(update={"width": 1280, "height": 720, "distance": 8.0})
    still = ELEMENT.player.model_copy(update={"rotation": 0.0, "scatter": 0.0})
    near, far = (
        mean_cover(ELEMENT, still, viewing_of(tier.model_copy(update={"distance": d}), ELEMENT))[0]
        for d in (8.0, 16.0)
    )
    assert near / far == pytest.approx(4.0, rel=0.03)


def test_a_manifest_survives_its_file(packed: Path):
    manifest = read(packed)
    assert Manifest.model_validate(json.loads(manifest.dumps())) == manifest


def test_the_guides_tables_are_those_of_the_catalogue():
    from tenka.effect import model
    from tenka.effect.catalogue import table_markdown

    text = (Path(__file__).parent.parent.parent / "src" / "tenka" / "guide" / "settings.md").read_text()
    for settings in (model.Source, model.Motion, model.Look, model.Player, model.Tier):
        assert table_markdown(settings) in text, "run tools/docs.py"


def test_a_studios_own_profile_joins_the_shipped_ones(monkeypatch: pytest.MonkeyPatch, tmp_path: Path):
    own = {**json.loads((SHIPPED / "hearth.json").read_text()), "id": "lantern", "name": "Lantern"}
    (tmp_path / "devices").mkdir()
    (tmp_path / "devices" / "lantern.json").write_text(json.dumps(own))
    monkeypatch.setattr("tenka.budget.devices.user_config_path", lambda name: tmp_path)
    read_again()
    try:
        assert device("lantern").name == "Lantern" and device("tower").name == "Tower"
    finally:
        monkeypatch.undo()
        read_again()
    with pytest.raises(BadInput):
        device("lantern")


@pytest.mark.parametrize(
    "id,holds,form",
    (
        ("satchel", "temperature", "astc6x6"),
        ("hearth", "temperature", "bc4"),
        ("tower", "emission", "bc7"),
        ("hearth", "emission", "bc1"),
    ),
)
def test_the_second_atlas_takes_the_format_that_fits_it(id: str, holds: str, form: str):
    assert second_format(device(id), holds) == form


def test_quads_beside_the_picture_count_nothing():
    """Interpreted, the kernel's indexing is checked; compiled, it once wrote outside its row."""
    table = np.zeros((3, QUAD_FIELDS), np.float32)
    table[:, 2], table[:, 4], table[:, 5], table[:, 1] = 1.0, 3.0, 3.0, 5.0
    table[:, 0] = (-40.0, 60.0, 8.0)  # left of, right of, and in a picture of 16 x 9
    for count in (count_covered.py_func, count_covered):
        assert count(table, WHOLE, 16, 9).sum(axis=0).tolist() == [36, 36]


def test_sprites_are_born_along_a_line_each_on_a_stretch_of_its_own():
    player = ELEMENT.player.model_copy(
        update={"count": 6, "along": (3.0, 0.0, 0.6), "scatter": 0.0, "drift": (0.0, 0.0, 0.0), "speed": 0.0}
    )
    alive = sprites(ELEMENT, player, 5.0 * player.life)
    off = alive.place - np.asarray(ELEMENT.attach)
    assert len(off) == 6 and np.allclose(off[:, 2], 0.2 * off[:, 0]) and np.allclose(off[:, 1], 0.0)
    x = np.sort(off[:, 0])
    assert np.abs(x).max() <= 1.5 and np.ptp(x) > 1.8 and np.diff(x).min() > -1e-9
    low, high = reach(ELEMENT, player)
    narrow = reach(ELEMENT, player.model_copy(update={"along": (0.0, 0.0, 0.0)}))
    assert np.allclose(np.array(high) - narrow[1], (1.5, 0.0, 0.3)) and np.allclose(
        np.array(low) - narrow[0], (-1.5, 0.0, -0.3)
    )


def test_a_taller_sprite_stands_on_its_pivot_and_a_brighter_one_gives_more_light():
    view = view_of(Camera(target=(0, 0, 1), heading=-90, pitch=0, distance=12), 160, 90)
    still = ELEMENT.player.on_one_sprite(4.0)
    drawn = {}
    for tall, bright in ((1.0, 1.0), (2.0, 0.5)):
        player = still.model_copy(update={"tall": tall, "brightness": bright})
        found = sprites(ELEMENT, player, 1.0)
        (row,) = quads(ELEMENT, player, 1.0, view)
        foot = row[1] + row[5] * (1.0 - 2.0 * ELEMENT.pivot[1])  # px; y runs down
        drawn[tall] = found.size[0], found.tint[0], row[4], row[5], foot
        assert np.array(reach(ELEMENT, player))[:, 2].max() >= found.place[0, 2] + found.size[0, 1] * (
            1.0 - ELEMENT.pivot[1]
        )
    (size, tint, wide, high, foot), (grown, dimmed, as_wide, higher, stands) = drawn[1.0], drawn[2.0]
    assert np.allclose(grown, size * (1, 2)) and np.allclose(dimmed, tint / 2)
    assert np.isclose(as_wide, wide) and np.isclose(higher, 2 * high)
    assert np.isclose(foot, stands, atol=1e-3)


def test_a_sprite_drawn_nearer_is_hidden_by_less_and_looks_the_same():
    view = view_of(Camera(target=(0, 0, 1), heading=-90, pitch=0, distance=12), 160, 90)
    still = ELEMENT.player.on_one_sprite(4.0)
    (row,) = quads(ELEMENT, still, 1.0, view)
    (near,) = quads(ELEMENT, still.model_copy(update={"nearer": 1.5}), 1.0, view)
    assert np.isclose(row[DEPTH] - near[DEPTH], 1.5, atol=1e-5)
    assert np.array_equal(np.delete(row, DEPTH), np.delete(near, DEPTH))
    (last,) = quads(ELEMENT, still.model_copy(update={"nearer": 900.0}), 1.0, view)
    assert 0 < last[DEPTH] < 0.1
