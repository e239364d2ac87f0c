"""Backdrops, how much of the sky places see, and the ground."""

from __future__ import annotations

import numpy as np
import pytest
from build import flat_view

from tenka.effect.model import Camera, Light
from tenka.look.heaven import NO_SKY_SHADOW, TILE, backdrop_of, ground_tile, sky_shadow
from tenka.look.raster import shade
from tenka.look.render import Renderer, Shot
from tenka.look.shadows import cast_shadow, shadow_view
from tenka.look.triangles import see
from tenka.scene.cameras import View, view_of
from tenka.scene.meshes import Mesh, box, joined

NO_SUN = Light(strength=0.0, sky=1.0)


def down(n: int = 96, half: float = 3.0) -> View:
    return flat_view((0, 0, 9), (0, 0, -1), (1, 0, 0), (0, 1, 0), half, n)


def ground_under(mesh: Mesh, light: Light = NO_SUN) -> np.ndarray:
    """Light from the ground seen from above as if the props were not in the way, over that of open ground."""
    view, bare = down(), joined([])
    sun = cast_shadow(bare, light)
    dome = sky_shadow(mesh)
    seen = [
        shade(see(bare, view), view, light, sun, sky_seen=d).still.sum(axis=2) for d in (dome, NO_SKY_SHADOW)
    ]
    found: np.ndarray = seen[0] / seen[1]
    return found.reshape(24, 4, 24, 4).mean(axis=(1, 3))


def shifted(mesh: Mesh, *by: float) -> Mesh:
    return mesh.moved(mesh.points + np.array(by, np.float32))


def test_ground_beside_a_long_wall_sees_half_of_the_sky_and_far_from_it_all():
    """Light on the ground at the foot of a wall without end is half, and at its own height away
    (1 + cos 45 deg) / 2."""
    wall = shifted(box((0.2, 60.0, 20.0), (0.5, 0.5, 0.5)), -0.1, 0, 0)
    share = ground_under(wall).mean(axis=0)
    assert share[13:16].mean() == pytest.approx(0.5, abs=0.12)
    low = shifted(box((0.2, 16.0, 1.5), (0.5, 0.5, 0.5)), -0.1, 0, 0)
    share = ground_under(low).mean(axis=0)
    at = (np.arange(24) + 0.5) / 4 - 3.0
    true = 0.5 + 0.5 * at / np.hypot(at, 1.5)
    ahead = at > 0.4
    np.testing.assert_allclose(share[ahead], true[ahead], atol=0.14)
    assert np.abs(share[ahead] - true[ahead]).mean() < 0.07


def test_open_ground_is_untouched_and_a_roof_keeps_the_sky_away():
    assert (ground_under(joined([])) == 1.0).all()
    roof = shifted(box((6.0, 6.0, 0.1), (0.5, 0.5, 0.5)), 0, 0, 0.6)
    share = ground_under(roof)
    assert share[12, 12] < 0.1
    small = shifted(box((0.3, 0.3, 0.3), (0.5, 0.5, 0.5)), 0, 0, 0)
    around = ground_under(small)
    assert around[2, 2] > 0.97 and around.min() < 0.7


def test_contact_shade_is_mirrored_with_the_scene():
    one = shifted(box((0.8, 1.2, 1.0), (0.5, 0.5, 0.5)), 0.9, 0.4, 0)
    share, turned = ground_under(one), ground_under(shifted(one, -1.8, -0.8, 0))
    lower = 1 - share, 1 - turned[::-1, ::-1]
    assert lower[0].sum() == pytest.approx(lower[1].sum(), rel=0.1)


def test_backdrops_are_grey_dark_or_a_sky_that_follows_its_light():
    assert (backdrop_of(Light()) < 0).all()
    assert backdrop_of(Light(backdrop="dark")).max() < 0.01
    noon, dusk = (Light(backdrop="sky", height=h, kelvin=k) for h, k in ((70.0, 5800.0), (6.0, 2800.0)))
    high, low = backdrop_of(noon), backdrop_of(dusk)
    assert high[1, 2] > high[1, 0]  # blue overhead
    assert low[0, 0] / low[0, 2] > 1.15 * high[0, 0] / high[0, 2]  # warm at the horizon
    bright = backdrop_of(noon.model_copy(update={"sky": 2 * noon.sky}))
    np.testing.assert_allclose(bright[1], 2 * high[1], rtol=1e-5)
    tinted = backdrop_of(noon.model_copy(update={"sky_tint": (0.2, 1.0, 1.0)}))
    assert tinted[1, 0] == pytest.approx(0.2 * high[1, 0], rel=1e-4)


def test_a_sky_is_seen_above_and_the_far_ground_fades_into_its_horizon():
    view = view_of(Camera(target=(0, 0, 2), distance=10, heading=-90, pitch=0), 96, 64)
    light = Light(backdrop="sky", height=40.0)
    drawn = Renderer().draw_shot(Shot([], joined([])), light, view).linear
    heaven = backdrop_of(light)
    top, horizon, foot = drawn[0].mean(axis=0), drawn[30].mean(axis=0), drawn[34].mean(axis=0)
    assert top[2] / top[0] > horizon[2] / horizon[0]
    np.testing.assert_allclose(horizon, heaven[0], rtol=0.25)
    np.testing.assert_allclose(foot, heaven[0], rtol=0.25)


def test_the_ground_is_alike_at_opposite_edges_of_its_tile_and_of_even_tone():
    tile = ground_tile()
    assert tile.shape == (TILE, TILE) and tile.mean() == pytest.approx(1.0, abs=0.03)
    step = np.abs(np.diff(tile, axis=1)).max()
    assert np.abs(tile[:, 0] - tile[:, -1]).max() <= 2 * step and 0.7 < tile.min() < tile.max() < 1.3


def test_shadows_are_fitted_to_what_is_seen_whatever_flies_far_away():
    """One stray 70 m away does not make the texels of all shadows wide."""
    near = box((1, 1, 1), (0.5, 0.5, 0.5))
    stray = shifted(box((0.2, 0.2, 0.2), (0.5, 0.5, 0.5)), 70.0, 0, 5.0)
    seen = np.array([(x, y, 0.0) for x in (-3.0, 3.0) for y in (-3.0, 3.0)])
    alone, both = (shadow_view(m, Light(), seen) for m in (near, joined([near, stray])))
    assert both.half_height < 5.0 < shadow_view(joined([near, stray]), Light()).half_height
    assert alone.half_height <= both.half_height

    def drawn(mesh: Mesh) -> np.ndarray:
        return Renderer().draw_shot(Shot([], mesh), Light(sky=0.0), down(64), 1).linear

    np.testing.assert_allclose(drawn(joined([near, stray])), drawn(near), atol=0.12)
    assert np.abs(drawn(joined([near, stray])) - drawn(near)).mean() < 2e-3
