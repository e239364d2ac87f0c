"""Drawing against closed forms: Beer-Lambert, black bodies, furnace, compositing, sweeps, triangles."""

from __future__ import annotations

import numpy as np
import pytest
from build import flat_view, frame_of, small_effect

from tenka.base.srgb import from_srgb, to_srgb
from tenka.effect.model import AMBIENT_KELVIN, Camera, Light, Look, ramp
from tenka.look.colour import (
    GLOW_REFERENCE,
    HOTTEST,
    XYZ_TO_RGB,
    black_body_xyz,
    develop,
    glow_at,
    glow_table,
    ramp_table,
)
from tenka.look.compose import settled
from tenka.look.light import sky_depth, sun_depth
from tenka.look.march import march
from tenka.look.raster import shade
from tenka.look.rays import exp_minus, phase_hg
from tenka.look.render import Renderer
from tenka.look.shadows import cast_shadow
from tenka.look.triangles import see
from tenka.look.volume import light_volume
from tenka.scene.cameras import View, side_view, sun_direction, view_of
from tenka.scene.meshes import Mesh, box, joined, primitive

WHITE = ramp((0.0, (1.0, 1.0, 1.0)), (1.0, (1.0, 1.0, 1.0)))
DARK = Light(strength=0.0, sky=0.0)


def along_x(width: int, height: int, half: float = 0.5) -> View:
    """An orthographic view along +x at the middle of a box of 2 m."""
    return View(
        np.array([-1.0, 1.0, 1.0]),
        np.array([1.0, 0, 0]),
        np.array([0, -1.0, 0]),
        np.array([0, 0, 1.0]),
        half,
        width,
        height,
        True,
    )


def slab(density: float, n: int = 20) -> np.ndarray:
    return np.full((n, n, n), density, np.float32)


@pytest.mark.parametrize("density,extinction", ((0.1, 1.0), (0.5, 1.0), (1.0, 2.0)))
def test_a_slab_takes_light_by_beer_and_lambert_to_a_hundredth(density: float, extinction: float):
    volume = light_volume(frame_of(slab(density)), Look(extinction=extinction), DARK)
    alpha = march(volume, along_x(8, 8))[..., 3]
    np.testing.assert_allclose(1 - alpha, np.exp(-density * extinction * 2.0), rtol=0.01, atol=2e-3)


def test_the_picture_converges_with_the_step():
    blob = np.exp(-((np.indices((24, 24, 24)) - 11.5) ** 2).sum(axis=0) / 30).astype(np.float32)
    pictures = [
        march(light_volume(frame_of(blob, 2 / 24), Look(steps=s, extinction=4), Light()), along_x(24, 24))[
            ..., :4
        ]
        for s in (0.25, 1, 4)
    ]
    rough, fine = (np.abs(p - pictures[2]).mean() for p in pictures[:2])
    assert fine < 0.7 * rough and fine < 0.01


def test_compositing_is_associative():
    rng = np.random.default_rng(2)
    layers = [
        np.concatenate([a * c, a], axis=2)
        for a, c in ((rng.random((4, 4, 1)), rng.random((4, 4, 3))) for _ in range(3))
    ]
    over = lambda f, b: f + (1 - f[..., 3:]) * b  # noqa: E731
    np.testing.assert_allclose(
        over(over(layers[0], layers[1]), layers[2]), over(layers[0], over(layers[1], layers[2])), atol=1e-12
    )


@pytest.mark.parametrize(
    "kelvin,x,y",
    (
        (1000, 0.6528, 0.3444),
        (2000, 0.5267, 0.4133),
        (3000, 0.4369, 0.4041),
        (5000, 0.3451, 0.3516),
        (6500, 0.3135, 0.3237),
        (10000, 0.2807, 0.2884),
    ),
)
def test_black_body_chromaticity_is_within_three_thousandths_of_the_table(kelvin: float, x: float, y: float):
    xyz = black_body_xyz(kelvin)
    assert xyz[0] / xyz.sum() == pytest.approx(x, abs=0.003)
    assert xyz[1] / xyz.sum() == pytest.approx(y, abs=0.003)


def test_a_hotter_body_gives_off_more_of_every_colour():
    assert (np.diff(glow_table(), axis=0) >= -1e-6).all()


def test_glow_between_two_entries_is_that_of_its_temperature():
    table = glow_table()
    for kelvin in (903.0, 1211.0, 1507.0, 2013.0, 3111.0):
        place = (kelvin - AMBIENT_KELVIN) / (HOTTEST - AMBIENT_KELVIN) * (len(table) - 1)
        found = [float(glow_at(table, np.float32(place), n)) for n in range(3)]
        exact = np.maximum(black_body_xyz(kelvin) @ XYZ_TO_RGB.T, 0.0) / black_body_xyz(GLOW_REFERENCE)[1]
        np.testing.assert_allclose(found, exact, rtol=0.02, atol=1e-9)


def test_hot_gas_glows_and_air_does_not():
    hot = march(light_volume(frame_of(slab(0.5), temperature=1400.0), Look(), DARK), along_x(4, 4))
    cold = march(light_volume(frame_of(slab(0.5), temperature=100.0), Look(), DARK), along_x(4, 4))
    assert (
        hot[..., 4].min() > 10 * hot[..., 6].max() and hot[..., 4].min() > 1e-3 and cold[..., 4:7].max() == 0
    )
    np.testing.assert_allclose(hot[..., 7] / hot[..., 3], 1400.0, rtol=1e-3)


def test_srgb_there_and_back():
    x = np.linspace(0, 1, 200)
    np.testing.assert_allclose(from_srgb(to_srgb(x)), x, atol=1e-9)


def test_the_film_rises_without_a_step_and_never_clips_hard():
    grey = np.repeat(np.linspace(0, 40, 4000)[None, :, None], 3, axis=2).astype(np.float32)
    out = develop(grey, 0.0)[0, :, 0].astype(int)
    assert (
        out[0] == 0
        and (np.diff(out) >= -1).all()
        and out[:50].mean() < out[50:100].mean()
        and out[50:].max() <= 255
        and out[-1] >= 253
    )
    brighter = develop(np.full((1, 1, 3), 0.1, np.float32), 1.0)
    np.testing.assert_array_equal(brighter, develop(np.full((1, 1, 3), 0.2, np.float32), 0.0))


def test_a_ramp_is_straight_between_its_stops():
    table = ramp_table(ramp((0.0, 0.0), (0.5, 1.0), (1.0, 0.0)), 101)
    assert table[25] == pytest.approx(0.5) and table[50] == 1.0


@pytest.mark.parametrize("towards", ((1, 0, 0), (0, -1, 0), (0, 0, 1), (0.6, 0, 0.8), (-0.48, 0.6, 0.64)))
def test_depth_to_the_sun_is_the_length_through_even_gas(towards: tuple[float, float, float]):
    n, h = 24, 0.1
    d = np.array(towards) / np.linalg.norm(towards)
    depth = sun_depth(slab(1.0, n), h, d)
    centre = np.full(3, n / 2 + 0.5) * h
    exits = [((n * h if c > 0 else 0) - p) / c for p, c in zip(centre, d) if abs(c) > 1e-9]
    assert depth[n // 2, n // 2, n // 2] == pytest.approx(min(exits), rel=0.06)


def test_sky_above_even_gas_is_what_stands_over_it():
    out = np.empty((10, 10, 10), np.float32)
    sky_depth(slab(1.0, 10), 0.1, out)
    np.testing.assert_allclose(out[5, 5], 0.1 * (np.arange(10)[::-1] + 0.5), rtol=1e-5)


def test_the_lit_side_is_brighter_and_smoke_shades_itself():
    blob = (np.exp(-((np.indices((24, 24, 24)) - 11.5) ** 2).sum(axis=0) / 40) * 2).astype(np.float32)
    view = flat_view((1.2, -3.0, 1.2), (0, 1.0, 0), (1.0, 0, 0), (0, 0, 1.0), 1.2, 48)
    found = march(
        light_volume(frame_of(blob), Look(extinction=8.0), Light(heading=180.0, height=10.0, sky=0.1)), view
    )
    shaded = found[..., :3].sum(axis=2) / np.maximum(found[..., 3], 0.05)
    left, right = shaded[18:30, 14:20].mean(), shaded[18:30, 28:34].mean()
    assert left > 1.6 * right


def test_fast_exponential_and_phase_function_hold_to_their_formulas():
    x = np.linspace(0, 40, 400).astype(np.float32)
    np.testing.assert_allclose([exp_minus(v) for v in x], np.exp(-x), rtol=6e-5, atol=1e-12)
    c = np.linspace(-1, 1, 4001)
    mean = np.trapezoid([phase_hg(v, 0.6) for v in c], c) / 2
    assert mean == pytest.approx(1.0, abs=0.01)


def test_props_hide_gas_behind_them():
    volume = light_volume(frame_of(slab(5.0)), Look(), DARK)
    depth = np.full((8, 8), 1e9, np.float32)
    depth[:, :4] = 0.5
    alpha = march(volume, along_x(8, 8), depth)[..., 3]
    assert alpha[:, :4].max() == 0 and alpha[:, 4:].min() > 0.9


def test_a_triangle_covers_its_pixels_at_its_depth():
    mesh = joined([box((1, 1, 1), (1, 0, 0))])
    view = flat_view((0, -5.0, 0.5), (0, 1.0, 0), (1.0, 0, 0), (0, 0, 1.0), 1.0, 40)
    seen = see(mesh, view)
    hit = seen.face >= 0
    assert hit.sum() == 20 * 20
    np.testing.assert_allclose(seen.depth[hit], 4.5, atol=1e-4)


def test_props_shade_the_ground_and_gas_shades_it_too():
    light = Light(heading=0.0, height=45.0, sky=0.2)
    mesh = box((1, 1, 1), (0.5, 0.5, 0.5))
    view = view_of(Camera(target=(-1, 0, 0.2), distance=9, heading=-90, pitch=35), 120, 90)
    backdrop = shade(see(mesh, view), view, light, cast_shadow(mesh, light))
    x, y, _ = view.project(np.array([[-0.9, 0.0, 0.0], [2.0, 0.0, 0.0]])).T
    shadowed, open_ = (backdrop.direct[int(b), int(a)].sum() for a, b in zip(x, y))
    assert shadowed < 0.05 * open_
    cloud = light_volume(frame_of(slab(3.0), origin=(-1, -1, 2)), Look(extinction=5), light)
    none = Mesh(np.zeros((0, 3), np.float32), np.zeros((0, 3), np.int32), np.zeros((0, 3), np.float32))
    bare = shade(see(none, view), view, light, cast_shadow(none, light))
    clear = settled(view, bare, 1)
    dimmed = settled(view, bare, 1, [cloud])
    ratio = dimmed.sum(axis=2) / clear.sum(axis=2)
    assert ratio.min() < 0.6 and ratio.max() == pytest.approx(1.0, abs=1e-4)


def test_a_side_view_holds_the_box_whole_with_square_pixels():
    low, high = np.array([0.0, 0, 0]), np.array([4.0, 2.0, 3.0])
    view = side_view(low, high, -90.0, 200, 100)
    corners = np.array([[x, y, z] for x in (0, 4) for y in (0, 2) for z in (0, 3)], float)
    at = view.project(corners)
    assert (
        at[:, 0].min() >= -1e-6
        and at[:, 0].max() <= 200
        and at[:, 1].min() >= -1e-6
        and at[:, 1].max() <= 100 + 1e-6
    )
    assert view.half_width / view.half_height == pytest.approx(2.0)


def test_rays_and_projection_agree():
    view = view_of(Camera(target=(1, 2, 3), distance=7, heading=33, pitch=12), 320, 200)
    start, direction = view.ray(77.0, 140.0)
    at = view.project((start + 5 * direction)[None])[0]
    assert at[:2] == pytest.approx((77.0, 140.0), abs=1e-6)
    forward, right, up = view.forward, view.right, view.up
    assert abs(forward @ right) < 1e-12 and abs(up @ right) < 1e-12 and up[2] > 0
    assert sun_direction(0, 90) == pytest.approx((0, 0, 1), abs=1e-12)


def test_the_coarse_picture_looks_like_the_refined_one():
    effect = small_effect()
    blob = (np.exp(-((np.indices((20, 20, 20)) - 9.5) ** 2).sum(axis=0) / 30) * 2).astype(np.float32)
    frame = frame_of(blob, 0.1, origin=(-1, -1, 0))
    view = view_of(effect.camera, 160, 100)
    mesh = primitive("box", (0.5, 0.4, 0.3))
    renderer = Renderer()
    fine = renderer.draw(frame, Look(), effect.light, view, mesh, 1)
    rough = renderer.draw(frame, Look(), effect.light, view, mesh, 4)
    assert fine.rgb.shape == rough.rgb.shape == (100, 160, 3)
    assert np.abs(fine.rgb.astype(int) - rough.rgb).mean() < 6
    assert fine.alpha.max() > 0.5


def test_a_frame_without_gas_draws_the_scene_alone():
    effect = small_effect()
    empty = Renderer().draw(
        frame_of(slab(0.0)), Look(), effect.light, view_of(effect.camera, 64, 48), primitive("box", (1, 0, 0))
    )
    assert empty.alpha.max() == 0 and empty.rgb.std() > 3
