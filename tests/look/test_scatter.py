"""Light in gas against closed forms, symmetry and a path-traced reference; fire as a light; shadows."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from build import flat_view, frame_of

from bench.quality import compared, lab
from bench.reference import traced
from tenka.effect.model import Camera, Light, Look, ramp
from tenka.look import volume
from tenka.look.colour import develop, flame_table
from tenka.look.lamps import widened
from tenka.look.march import march
from tenka.look.raster import shade
from tenka.look.scatter import CELL, DIRECTIONS, WEIGHTS, Around, Cells, lamp_of_cells, lamp_row, scattered
from tenka.look.shadows import LAMP_SIZE, cast_shadow, lamp_shadow
from tenka.look.triangles import in_front, see
from tenka.look.volume import light_volume
from tenka.scene.cameras import View, view_of
from tenka.scene.meshes import Mesh, box, joined

NONE3 = np.zeros(3)
DARK = Light(strength=0.0, sky=0.0)


def ball(n: int, width: float, peak: float) -> np.ndarray:
    around = (np.indices((n, n, n)) - (n - 1) / 2) ** 2
    return (peak * np.exp(-around.sum(axis=0) / width)).astype(np.float32)


def cells_of(n: int, density: float, white: float = 1.0) -> Cells:
    shape = (n, n, n)
    dims = np.zeros((*shape, 2), np.float32)
    dims[..., 0] = density
    return Cells(
        CELL,
        dims,
        np.full((*shape, 3), white, np.float32),
        np.zeros(shape, np.float32),
        np.ones(shape[:2], np.float32),
        np.zeros((*shape, 3), np.float32),
    )


def plain(value: float) -> np.ndarray:
    return ramp((0.0, (value,) * 3), (1.0, (value,) * 3))  # type: ignore[return-value]


def block(size: tuple[float, float, float], at: tuple[float, float, float]) -> Mesh:
    plain = box(size, (0.5, 0.5, 0.5))
    return Mesh(plain.points + np.asarray(at, np.float32), plain.faces, plain.colours)


def test_the_directions_integrate_polynomials_of_the_fifth_order_over_the_sphere():
    way = DIRECTIONS / np.linalg.norm(DIRECTIONS, axis=1, keepdims=True)
    x, y, _ = way.T
    for values, mean in (
        (np.ones(14), 1.0),
        (x, 0.0),
        (x * x, 1 / 3),
        (x * y, 0.0),
        (x**4, 1 / 5),
        (x * x * y * y, 1 / 15),
    ):
        assert float(WEIGHTS @ values) == pytest.approx(mean, abs=1e-6)


@pytest.mark.parametrize("density", [0.1, 1.0, 20.0])
def test_in_a_white_furnace_nothing_is_seen(density: float):
    """Albedo 1 in even light of 1 from everywhere: in each cell there is as much light as outside."""
    one = np.ones(3)
    light = scattered(cells_of(8, density), Around(NONE3, one, one, one), 0.3, rounds=30)
    assert np.abs(light[..., :3] - 1.0).max() < 0.01


def test_light_through_what_only_takes_it_away_falls_as_beer_and_lambert_say():
    """Sky over black gas, far from its sides: straight down and along four diagonals, whose way is longer."""
    edge, taken, high = 0.25, 0.7, 8
    cells = cells_of(4 * high + 1, 0.0)
    cells.dims[..., 1] = taken
    found = scattered(cells, Around(NONE3, np.ones(3), NONE3, NONE3), edge, rounds=1)
    top = np.arange(high) * edge * taken  # depth of the upper face of each cell, from above

    def share(slant: float) -> np.ndarray:
        thick = slant * edge * taken
        return np.exp(-slant * top) * (1 - math.exp(-thick)) / thick

    middle = 2 * high
    expected = share(1.0) / 15 + 4 * 3 / 40 * share(math.sqrt(3.0))
    level = 4 / 15 * 0.5 * math.exp(-taken * edge * 2 * high) * (1 - math.exp(-taken * edge)) / (taken * edge)
    np.testing.assert_allclose(found[middle, middle, ::-1, 0][:high], expected + level, rtol=2e-3)


def test_no_light_is_made_and_none_lost():
    """All that white gas gives off leaves it, however thick it is."""
    cells = cells_of(6, 3.0)
    cells.gives[3, 3, 3] = 5.0
    edge = 0.3
    lamp = lamp_of_cells(cells, NONE3, edge, rounds=80)
    assert lamp is not None
    given = 4.0 * math.pi * 5.0 * edge**3
    assert 4.0 * math.pi * lamp.strength[0] == pytest.approx(given, rel=0.02)
    assert lamp.place == pytest.approx(np.full(3, 3.5 * edge)) and lamp.radius == pytest.approx(0.0, abs=1e-6)


def test_a_mirrored_gas_is_lit_as_its_mirror_image():
    rng = np.random.default_rng(5)
    rho = (ball(20, 30, 2.0) * rng.random((20, 20, 20))).astype(np.float32)
    light = Light(heading=90.0, height=40.0)  # in the plane of the mirror
    one, two = (light_volume(frame_of(r), Look(), light).light for r in (rho, rho[::-1].copy()))
    np.testing.assert_allclose(one, two[::-1], rtol=2e-3, atol=1e-4)


def given_back(albedo: float) -> float:
    """What a body without an end gives back straight ahead of even light from all round: 1 - H(1) sqrt(1 -
    albedo), with Chandrasekhar's H."""
    x, weights = np.polynomial.legendre.leggauss(48)
    mu, weights = 0.5 + 0.5 * x, 0.5 * weights
    h = np.ones_like(mu)
    for _ in range(400):
        rest = 0.5 * albedo * (weights * mu * h / (mu[:, None] + mu)).sum(axis=1)
        h = 1.0 / (math.sqrt(1.0 - albedo) + rest)
    ahead = 0.5 * albedo * float((weights * mu * h / (1.0 + mu)).sum())
    return 1.0 - math.sqrt(1.0 - albedo) / (math.sqrt(1.0 - albedo) + ahead)


@pytest.mark.parametrize(("value", "voxel"), [(0.2, 0.025), (0.5, 0.05), (0.8, 0.05)])
def test_thick_smoke_in_even_light_gives_back_what_it_should(
    value: float, voxel: float, monkeypatch: pytest.MonkeyPatch
):
    """Dark smoke needs thin cells, since light dies away near its surface; white smoke needs to be thick."""
    one = np.ones(3)
    monkeypatch.setattr(volume, "around_of", lambda light, ambient: Around(NONE3, one, one, one))
    smoke = np.ones((64, 64, 64), np.float32)
    look = Look(colour=plain(value), extinction=6.0, forward=0.0, glow=0.0)
    lit = light_volume(frame_of(smoke, voxel), look, DARK)
    middle = 32 * voxel
    seen = march(lit, flat_view((-1, middle, middle), (1, 0, 0), (0, -1, 0), (0, 0, 1), 6 * voxel, 12))
    assert seen[..., 3].min() > 0.999
    albedo = float(lit.colour[100, 0])
    assert float(seen[..., 0].mean()) == pytest.approx(given_back(albedo), rel=0.08)
    assert float(seen[..., 0].mean()) == pytest.approx(
        value, rel=0.3
    )  # straight ahead; askance it is brighter


@pytest.mark.parametrize(
    ("colour", "extinction", "forward"),
    [(0.9, 2.0, 0.0), (0.6, 12.0, 0.35), (0.6, 40.0, 0.35), (0.3, 12.0, 0.35)],
)
def test_a_cloud_is_as_bright_as_the_traced_reference(colour: float, extinction: float, forward: float):
    look = Look(colour=plain(colour), extinction=extinction, forward=forward)
    frame = frame_of(ball(48, 110, 2.0), 3.0 / 48, origin=(-1.5, -1.5, 0.5))
    volume = light_volume(frame, look, Light())
    view = view_of(Camera(target=(0, 0, 2), distance=8, heading=-70, pitch=5), 40, 26)
    found = compared(volume, view, 0.0, 150)
    assert 0.88 < found["brightness"] < 1.08
    assert found["lab"] < 3.2 + 0.5 * found["noise"]


def test_fire_lights_the_smoke_round_it_as_the_reference_says():
    n = 40
    at = np.indices((n, n, n)) - (n - 1) / 2
    smoke = (1.5 * np.exp(-(((at[0] - 9) ** 2 + at[1] ** 2 + at[2] ** 2) / 40))).astype(np.float32)
    fire = np.exp(-(((at[0] + 9) ** 2 + at[1] ** 2 + at[2] ** 2) / 16)).astype(np.float32)
    frame = frame_of(smoke, 0.06, origin=(-1.2, -1.2, 0.5))
    frame.flame = fire
    frame.temperature[:] = 1500.0 * (fire > 0.01)
    look = Look(colour=plain(0.6), extinction=12.0, flame=6.0, glow=0.0)
    volume = light_volume(frame, look, DARK)
    view = view_of(Camera(target=(0, 0, 1.7), distance=7, heading=-90, pitch=0), 36, 24)
    quick, true = march(volume, view), traced(volume, view, 600)
    right = np.zeros(quick.shape[:2], bool)
    right[:, 20:] = true[:, 20:, 3] > 0.3  # the smoke, apart from the flames
    ratio = float((quick[..., 0] + quick[..., 4])[right].sum() / true[..., 0][right].sum())
    assert 1 / 1.5 < ratio < 1.5


def test_the_light_of_a_fire_falls_with_the_square_of_the_way():
    n = 16
    fire = ball(n, 4, 1.0)
    frame = frame_of(np.zeros_like(fire), 0.05, origin=(-0.4, -0.4, 2.0))
    frame.flame = fire
    frame.temperature[:] = 1600.0
    lamp = light_volume(frame, Look(flame=8.0), DARK).lamp
    assert lamp is not None and lamp.place[2] == pytest.approx(2.4, abs=0.1)
    floor = joined([block((30, 30, 0.1), (0, 0, -0.1))])
    view = flat_view((0.0, 0, 20.0), (0, 0, -1.0), (1.0, 0, 0), (0, 1.0, 0), 12.0, 96)
    lit = shade(see(floor, view), view, DARK, cast_shadow(floor, DARK), True, lamp_row(lamp)[None])
    seen = lit.still[48, :, 0]
    x = (np.arange(96) + 0.5) / 96 * 24 - 12
    far2 = x**2 + lamp.place[2] ** 2
    expected = lamp.place[2] / np.sqrt(far2) / (far2 + lamp.radius**2)
    ratio = seen[8:88] / expected[8:88]
    assert ratio.std() < 0.06 * ratio.mean()  # but for the grain of the floor


def test_what_stands_before_a_lamp_keeps_its_light_from_the_wall():
    wall, crate = block((0.2, 6, 4), (4, 0, 0)), block((0.6, 1, 1), (2, 0, 0.5))
    mesh = joined([wall, crate])
    place = np.array([0.0, 0.0, 1.0])
    view = flat_view((-3.0, 0, 2.0), (1.0, 0, 0), (0, -1.0, 0), (0, 0, 1.0), 2.0, 80)
    behind = joined([wall])  # seen without the crate, which would hide its own shadow
    lamps = widened(np.array([*place, 5.0, 5.0, 5.0, 0.0]))[None]
    depths = lamp_shadow(mesh, place)[None]
    sun = cast_shadow(mesh, DARK)
    lit = shade(see(behind, view), view, DARK, sun, False, lamps, depths).still[..., 0]
    open_ = shade(see(behind, view), view, DARK, sun, False, lamps).still[..., 0]
    z = 2.0 + 2.0 * (1 - 2 * (np.arange(80) + 0.5) / 80)
    y = 2.0 * (1 - 2 * (np.arange(80) + 0.5) / 80)
    # the crate's near face is at 1.7 m, the wall's at 3.9: its shadow is so many times as large
    shadow = (np.abs(y)[None, :] < 0.5 * 3.9 / 1.7 - 0.15) & (
        np.abs(z - 1.0)[:, None] < 0.5 * 3.9 / 1.7 - 0.15
    )
    clear = (np.abs(y)[None, :] > 0.5 * 3.9 / 1.7 + 0.15) | (z > 1.0 + 0.5 * 3.9 / 1.7 + 0.15)[:, None]
    hit = open_ > 0
    assert lit[shadow & hit].max() < 1e-6 and np.allclose(lit[clear & hit], open_[clear & hit])


def test_triangles_that_reach_behind_the_eye_are_cut_and_not_left_out():
    view = View(np.zeros(3), np.array([1.0, 0, 0]), np.array([0, 1.0, 0]), np.array([0, 0, 1.0]), 1.0, 64, 64)
    floor = block((20, 20, 0.1), (0, 0, -1.1))
    depth = see(floor, view).depth
    v = (np.arange(64) + 0.5) / 64 * 2 - 1
    below = v > 0.15
    np.testing.assert_allclose(depth[below, 32], (1.0 / v)[below], rtol=1e-3)
    parts, ids = in_front(floor.corners.astype(float), view)
    assert ((parts - view.eye) @ view.forward > 0).all() and set(ids) <= set(range(len(floor.corners)))
    assert lamp_shadow(floor, np.array([0.0, 0, 0]))[5, LAMP_SIZE // 2] == pytest.approx(1.0, abs=1e-3)


def test_flames_go_from_dark_red_through_orange_and_yellow_to_white():
    table = flame_table()
    assert (np.diff(table.sum(axis=1)) >= -1e-6).all() and table[:30].max() == 0.0
    hot = np.array([0.2, 1.0, 4.0, 20.0, 200.0])[:, None, None] * np.array([1.0, 0.45, 0.08])
    shown = lab(develop(np.ascontiguousarray(hot, np.float32), 0.0)[:, 0])
    hue = np.degrees(np.arctan2(shown[:, 2], shown[:, 1]))
    assert (np.diff(shown[:, 0]) > 0).all() and (np.diff(hue[:4]) > 0).all()  # lighter, and yellower
    assert np.linalg.norm(shown[4, 1:]) < 0.6 * np.linalg.norm(shown[1, 1:])  # in the end nearly white


def test_the_film_keeps_the_hue_of_what_is_dim():
    dim = np.array([[[0.30, 0.12, 0.05]]], np.float32)
    from tenka.base.srgb import from_srgb

    np.testing.assert_allclose(from_srgb(develop(dim, 0.0)[0, 0] / 255.0), dim[0, 0], atol=3e-3)


def test_a_pass_of_a_pixel_in_four_gives_the_others_from_their_neighbours_but_not_across_edges():
    """A gas before a far wall and a near one that hides its half: between the pixels that were drawn it is
    smooth, and nothing of it comes over the near wall."""
    from tenka.look.render import Renderer, Shot

    frame = frame_of(ball(24, 20, 1.0), 3.0 / 24, origin=(-1.5, -1.5, 0.5))
    wall = box((2.0, 0.2, 4.0), (0.5, 0.5, 0.5))
    near = replace(wall, points=wall.points + np.array([1.0, -2.0, 0.0], np.float32))
    view = view_of(Camera(target=(0, 0, 2), distance=7, heading=-90, pitch=0), 120, 90)
    shot = Shot([(frame, Look(extinction=8.0))], near)
    first, whole = (Renderer().draw_shot(shot, Light(), view, 1, n) for n in (1, 4))
    hidden = whole.alpha == 0
    assert hidden[:, 60:].sum() > 500  # behind the wall
    assert (first.alpha[hidden] < 0.02).mean() > 0.999
    there = whole.alpha > 0.5
    assert (
        np.abs(first.alpha - whole.alpha)[there] < 0.15
    ).mean() > 0.99  # but where wall, gas and horizon meet
    assert abs(first.alpha.mean() - whole.alpha.mean()) < 0.01 * whole.alpha.mean()


def test_passes_take_the_grain_away_and_keep_the_picture():
    """No pattern stays in a refined picture: what differs between neighbours as on a chessboard is at most a
    quarter of the picture's gradient."""
    from tenka.look.render import Renderer, Shot

    rng = np.random.default_rng(3)
    rough = ball(32, 60, 2.0) * (0.6 + 0.8 * rng.random((32, 32, 32))).astype(np.float32)  # grain of a voxel
    frame = frame_of(rough, 3.0 / 32, origin=(-1.5, -1.5, 0.5))
    view = view_of(Camera(target=(0, 0, 2), distance=7, heading=-70, pitch=5), 160, 100)
    renderer, look = Renderer(), Look(extinction=8.0)
    empty = joined([])

    def drawn(passes: int, with_: Renderer) -> np.ndarray:
        return with_.draw_shot(Shot([(frame, look)], empty), Light(), view, 1, passes).linear

    one, many = drawn(4, renderer), drawn(32, renderer)
    np.testing.assert_allclose(many, drawn(32, Renderer()), rtol=1e-5)  # passes are added to those before

    def chessboard(p: np.ndarray) -> float:
        board = np.abs(p[:-1, :-1] - p[:-1, 1:] - p[1:, :-1] + p[1:, 1:]) / 2
        gas = renderer.draw_shot(Shot([(frame, look)], empty), Light(), view, 1, 32).alpha[:-1, :-1] > 0.3
        slope = np.abs(p[1:, :-1] - p[:-1, :-1]) + np.abs(p[:-1, 1:] - p[:-1, :-1])
        return float(board.mean(axis=2)[gas].mean() / slope.mean(axis=2)[gas].mean())

    assert chessboard(many) < 0.1 and chessboard(many) < chessboard(one) < 0.25
    whole = drawn(0, Renderer())
    assert np.abs(whole - many).mean() < 0.02 * whole.mean()
