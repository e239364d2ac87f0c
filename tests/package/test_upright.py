"""Sprites that turn about the vertical alone: where pictures have them, against places in the world."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from build import element_of, small_effect
from hypothesis import given
from hypothesis import strategies as st
from players import PLAYERS

from tenka.effect.model import Camera, Player
from tenka.look.sprites import DEPTH, PLANE, STANDS, WHOLE, X, Y, count_layers, draw_quads
from tenka.proof.elements.flipbook import quads, sprites
from tenka.proof.elements.upright import axes_of
from tenka.scene.cameras import View, side_view, view_of

ELEMENT = element_of(small_effect())
ALONE = Player(count=1, stands="upright", rotation=0.0, scatter=0.0, life_spread=0.0, size_spread=0.0)
FLAT = side_view(np.array([-2.0, -2.0, 0.0]), np.array([2.0, 2.0, 3.0]), 40.0, 160, 120, 25.0)

VIEWS = st.builds(
    lambda heading, pitch, distance: view_of(
        Camera(target=(0.3, -0.2, 1), heading=heading, pitch=pitch, distance=distance), 160, 90
    ),
    st.floats(-180, 180),
    st.floats(-40, 70),
    st.floats(2, 40),
)


def read_at(row: np.ndarray, px: np.ndarray) -> np.ndarray:
    """Coordinates of a plane and its depth at places of a picture, as the table tells them, (n, 3)."""
    planes = row[PLANE:].reshape(4, 3).astype(float)
    p = np.column_stack([px - row[[X, Y]], np.ones(len(px))])
    u, v, w, d = planes @ p.T
    return np.stack([u / w, v / w, d / w], axis=1)


@pytest.mark.parametrize("pitch", (0.0, 20.0))
@given(PLAYERS, st.one_of(VIEWS, st.just(FLAT)), st.floats(0, 20))
def test_a_place_of_a_sprite_is_seen_where_the_camera_has_it(
    pitch: float, player: Player, view: View, time: float
):
    """Points of each plane, led through the camera, are read back from the table, with their depth."""
    element = ELEMENT.model_copy(update={"pitch": pitch})
    player = player.model_copy(update={"stands": "upright", "nearer": 0.0, "far_share": 1.0})
    table = quads(element, player, time, view)
    found = sprites(element, player, time)
    across, up = axes_of(found.place, found.turn, math.radians(pitch), view)
    off = (0.5 - np.asarray(element.pivot)) * found.size
    centre = found.place + off[:, :1] * across + off[:, 1:] * up
    places = np.array([(0.0, 0.0), (0.9, -0.3), (-0.7, 0.8)])
    for row in table:
        n = int(np.argmin(np.abs(view.project(centre)[:, 2] - row[STANDS])))
        points = centre[n] + places @ np.stack(
            [0.5 * s * a for s, a in zip(found.size[n], (across[n], up[n]))]
        )
        at = view.project(points)
        near = at[:, 2] > 0.2
        lies = abs(np.cross(across[n], up[n]) @ (centre[n] - view.eye)) / np.linalg.norm(centre[n] - view.eye)
        if lies < 0.02 and not view.orthographic:  # seen from its edge nearly
            continue
        np.testing.assert_allclose(read_at(row, at[near, :2])[:, :2], places[near], atol=5e-3)
        np.testing.assert_allclose(read_at(row, at[near, :2])[:, 2], at[near, 2], rtol=2e-3)


def test_seen_level_from_straight_before_it_is_as_one_that_faces_the_eye():
    x, y, z = ELEMENT.attach
    view = view_of(Camera(target=(x, y, z), heading=-90.0, pitch=0.0, distance=9.0), 320, 200)
    images = []
    level = np.random.default_rng(1).random((64, 64, 4)).astype(np.float32)
    for stands in ("upright", "to the eye"):
        player = ALONE.model_copy(update={"stands": stands})
        image = np.zeros((200, 320, 3), np.float32)
        far = np.full((200, 320), 1e9, np.float32)
        draw_quads(quads(ELEMENT, player, 0.7, view), (level,), (1, 64, 64, 0), far, 0.5, False, image)
        images.append(image)
    np.testing.assert_allclose(images[0], images[1], atol=2e-4)
    assert images[0].max() > 0.3


@pytest.mark.parametrize("pitch", (0.0, 30.0, 60.0))
def test_from_above_it_is_foreshortened_by_the_cosine_and_not_where_it_was_drawn_so(pitch: float):
    """From afar, where a picture is flat: pixels that it covers against one that faces the eye."""
    x, y, z = ELEMENT.attach
    view = view_of(Camera(target=(x, y, z), pitch=pitch, distance=400.0, fov=5.0), 320, 200)

    def covered(stands: str, drawn: float) -> int:
        layers = np.zeros((200, 320), np.int32)
        element = ELEMENT.model_copy(update={"pitch": drawn})
        big = ALONE.model_copy(update={"stands": stands, "scale": 4.0})
        count_layers(quads(element, big, 0.7, view), WHOLE, layers)
        return int(layers.sum())

    whole = covered("to the eye", 0.0)
    assert covered("upright", 0.0) == pytest.approx(whole * math.cos(math.radians(pitch)), rel=0.03)
    assert covered("upright", pitch) == pytest.approx(whole, rel=0.03)


def test_what_stands_before_its_foot_hides_its_foot_alone():
    """A tall sprite, seen from high above, is nearer at its head: what stands between hides the rest."""
    x, y, z = ELEMENT.attach
    view = view_of(Camera(target=(x, y, z), pitch=60.0, distance=9.0), 160, 120)
    (row,) = quads(ELEMENT, ALONE, 0.7, view)
    layers = np.zeros((120, 160), np.int32)
    count_layers(row[None], WHOLE, layers)
    depth = np.full((120, 160), row[DEPTH], np.float32)  # as far as its middle
    image = np.zeros((120, 160, 3), np.float32)
    draw_quads(row[None], (np.ones((8, 8, 4), np.float32),), (1, 8, 8, 0), depth, 0.0, False, image)
    rows = np.flatnonzero(layers.any(axis=1))
    seen = (image[..., 0] > 0).sum(axis=1)[rows] / layers.sum(axis=1)[rows]
    assert seen[0] == 1.0 and seen[-1] == 0.0  # its head is before that, its foot behind
    assert 0.2 < (seen > 0).mean() < 0.8


def test_from_right_above_it_is_not_drawn_and_nothing_is_amiss():
    x, y, z = ELEMENT.attach
    view = view_of(Camera(target=(x, y, z), pitch=89.0, distance=5.0), 80, 60)
    view = replace(view, forward=np.array([0.0, 0.0, -1.0]), eye=np.array([x, y, z + 5.0]))
    table = quads(ELEMENT, ALONE, 0.7, view)
    assert np.isfinite(table).all()
    layers = np.zeros((60, 80), np.int32)
    count_layers(table, WHOLE, layers)
    assert layers.sum() <= 2 * 80  # a line at most
