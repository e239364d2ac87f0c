"""Lights of the effect: fall-off, panels, patterns, what each reaches, gas and particles in their light."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from build import frame_of, small_effect

from tenka.effect.courses import Clamp, Key, Keys, Noise, Sum, Wave
from tenka.effect.document import replaced
from tenka.effect.lights import SceneLight
from tenka.effect.model import Camera, Effect, Light, Look, Prop
from tenka.look.lampcells import lamps_in_cells
from tenka.look.lamps import WIDE, lamp_at, lamps_of, widened
from tenka.look.raster import shade
from tenka.look.render import Renderer, Shot
from tenka.look.scatter import Cells
from tenka.look.shadows import cast_shadow
from tenka.look.triangles import see
from tenka.look.volume import light_volume
from tenka.scene.cameras import View, view_of
from tenka.scene.meshes import box, joined

DARK = Light(strength=0.0, sky=0.0)
WHITE = {"kelvin": 6600.0, "wide": 0.02, "strength": 5.0}
EMPTY = Effect(name="Lights")


def down_view(n: int = 64, half: float = 2.0) -> View:
    """From above onto the ground."""
    axes = (np.array(v, float) for v in ((0, 0, -1), (1, 0, 0), (0, 1, 0)))
    return View(np.array([0.0, 0.0, 9.0]), *axes, half, n, n, True)


def on_ground(light: SceneLight, t: float = 0.0) -> np.ndarray:
    """Light that comes from the ground, (64, 64)."""
    bare = joined([])
    view = down_view()
    rows = lamp_at(light, EMPTY, t).row[None]
    seen, sun = see(bare, view), cast_shadow(bare, DARK)
    lit, unlit = (shade(seen, view, DARK, sun, True, r).still.sum(axis=2) for r in (rows, rows[:0]))
    noon = Light(strength=1.0, height=90.0, sky=0.0)
    tone = shade(seen, view, noon, cast_shadow(bare, noon), True).direct.sum(axis=2)  # of the ground itself
    return (np.asarray(lit, float) - unlit) * tone.mean() / tone


def smooth(picture: np.ndarray) -> np.ndarray:
    """Without the grain of the ground."""
    return picture.reshape(16, 4, 16, 4).mean(axis=(1, 3))


@pytest.mark.parametrize("height", (0.5, 1.0, 2.0))
def test_a_round_light_falls_off_by_the_square_and_by_the_angle(height: float):
    light = SceneLight(id="l", name="L", position=(0, 0, height), **WHITE)
    found = smooth(on_ground(light))
    at = (np.arange(64) + 0.5) / 16 - 2.0
    x, y = np.meshgrid(at, at)
    true = smooth(height / (x**2 + y**2 + height**2) ** 1.5)
    np.testing.assert_allclose(found / found.sum(), true / true.sum(), rtol=0.12)


@pytest.mark.parametrize("reach", (1.2, 2.0))
def test_a_light_fades_out_towards_its_reach_and_is_as_before_near_it(reach: float):
    light = SceneLight(id="l", name="L", position=(0, 0, 0.5), **WHITE)
    endless, ends = on_ground(light), on_ground(light.model_copy(update={"reach": reach}))
    at = (np.arange(64) + 0.5) / 16 - 2.0
    far = np.sqrt(at[None] ** 2 + at[:, None] ** 2 + 0.25) / reach
    share = ends / endless
    assert np.abs(ends[far >= 1.0]).max() <= 1e-6 * endless.max() and (far >= 1.0).any()
    halfway = np.abs(far - 0.5) < 0.03
    assert halfway.any() and share[halfway].mean() == pytest.approx(0.879, abs=0.01)  # (15 / 16)^2
    assert share[far < 0.42].min() > 0.93 and share.max() <= 1.0 + 1e-5
    order = np.argsort(far[far < 1.0])
    assert np.diff(share[far < 1.0][order]).max() < 1e-3, "it never grows outwards"
    assert share[(far > 0.96) & (far < 1.0)].max() < 0.03, "it has no edge"


def test_a_strength_of_1_is_as_bright_at_1_m_as_a_sun_of_1():
    bare, view = joined([]), down_view()
    sun = Light(strength=1.0, height=90.0, sky=0.0, kelvin=6600.0)
    backdrop = shade(see(bare, view), view, sun, cast_shadow(bare, sun), True)
    lamp = SceneLight(id="l", name="L", position=(0, 0, 1), **(WHITE | {"strength": 1.0}))
    middle = slice(30, 34)
    by_sun = backdrop.direct.sum(axis=2).mean()
    assert on_ground(lamp)[middle, middle].mean() == pytest.approx(by_sun, rel=0.03)


def test_a_panel_shines_ahead_alone_and_is_aimed_by_turn_and_tilt():
    ahead = SceneLight(id="l", name="L", shape="panel", position=(0, 0, 1), tilt=90.0, **WHITE)
    up = ahead.model_copy(update={"tilt": -90.0})
    round_ = ahead.model_copy(update={"shape": "round"})
    found, all_round = smooth(on_ground(ahead)), smooth(on_ground(round_))
    assert on_ground(up).max() == 0.0
    at = (np.arange(64) + 0.5) / 16 - 2.0
    x, y = np.meshgrid(at, at)
    share = smooth(1 / (x**2 + y**2 + 1) ** 2) / smooth(1 / (x**2 + y**2 + 1) ** 1.5)
    np.testing.assert_allclose(found / all_round, share, rtol=0.03)
    aside = on_ground(ahead.model_copy(update={"tilt": 45.0, "turn": 0.0}))
    assert aside[:, 40:].sum() > 2 * aside[:, :24].sum()
    turned = on_ground(ahead.model_copy(update={"tilt": 45.0, "turn": 180.0}))
    np.testing.assert_allclose(smooth(turned), smooth(aside)[:, ::-1], rtol=0.1)


@pytest.mark.parametrize("pattern", ("bars", "leaves", "water"))
def test_a_pattern_has_the_size_that_is_asked_for_moves_and_can_be_faint(pattern: str):
    light = SceneLight(
        id="l", name="L", position=(0.3, 0.2, 1.5), pattern=pattern, pattern_size=20.0, **WHITE
    )
    plain = on_ground(light.model_copy(update={"pattern": "none"}))
    thrown = on_ground(light) / plain
    assert 0.1 < thrown.mean() < 0.95 and thrown.std() > 0.1
    finer = on_ground(light.model_copy(update={"pattern_size": 5.0})) / plain
    change = [float(np.abs(np.diff(p, axis=1)).mean() / p.std()) for p in (thrown, finer)]
    assert change[1] > 1.7 * change[0]
    faint = on_ground(light.model_copy(update={"pattern_depth": 0.2})) / plain
    np.testing.assert_allclose(1 - faint, 0.25 * (1 - thrown), atol=1e-3)
    later = on_ground(light, 0.5) / plain
    assert np.abs(later - thrown).mean() > 0.03
    still = light.model_copy(update={"pattern_speed": 0.0})
    np.testing.assert_array_equal(on_ground(still, 0.5), on_ground(still, 0.0))


def test_bars_pass_by_at_the_speed_that_is_asked_for():
    """One of its sizes in a second at 1: after that the picture is the same."""
    light = SceneLight(
        id="l",
        name="L",
        position=(0.3, 0.2, 1.5),
        pattern="bars",
        pattern_size=20.0,
        pattern_speed=1.0,
        **WHITE,
    )
    now, half, whole = (on_ground(light, t) for t in (0.0, 0.5, 1.0))
    np.testing.assert_allclose(whole, now, atol=0.02 * now.max())
    assert np.abs(half - now).mean() > 0.1 * now.mean()


def test_place_strength_and_colour_follow_courses_and_a_flicker_keeps_within_its_clamp():
    flicker = Clamp(
        of=Sum(of=(3.0, Wave(amount=2.0, period=0.3), Noise(amount=2.0, period=0.1))), low=2.0, high=4.0
    )
    moving = Keys(keys=(Key(t=0, v=0, ease="linear"), Key(t=2, v=1, ease="linear")))
    light = SceneLight(id="l", name="L", strength=flicker, shift_x=moving, kelvin=Wave(base=3000, amount=800))
    rows = np.array([lamp_at(light, EMPTY, t).row for t in np.linspace(0, 2, 101)])
    bright = rows[:, 3:6].sum(axis=1)
    white = np.array(
        [lamp_at(light.model_copy(update={"strength": 1.0}), EMPTY, t).row for t in np.linspace(0, 2, 101)]
    )
    strength = bright / white[:, 3:6].sum(axis=1)
    assert strength.min() == pytest.approx(2.0, rel=1e-5) and strength.max() == pytest.approx(4.0, rel=1e-5)
    assert 0.3 < strength.std() < 1.2
    np.testing.assert_allclose(rows[:, 0], np.linspace(0, 1, 101), atol=1e-6)
    assert np.ptp(rows[:, 5] / rows[:, 3]) > 0.1


def test_lights_go_with_their_prop_and_are_left_out_when_hidden_or_passed_over():
    cart = Prop(id="cart", name="Cart", position=(2, 0, 0), turn=90.0)
    own = SceneLight(id="l", name="L", position=(1, 0, 0.5), parent="cart")
    effect = Effect(name="Lights", props=(cart,), lights=(own,))
    (found,) = lamps_of(effect, None, 0.0)
    np.testing.assert_allclose(found.row[:3], (2, 1, 0.5), atol=1e-6)
    for change in ({"hidden": True}, {"passed_over": True}, {"strength": 0.0}):
        assert not lamps_of(effect.model_copy(update={"lights": (own.model_copy(update=change),)}), None, 0.0)
    other = own.model_copy(update={"id": "m", "name": "M", "solo": True})
    assert len(lamps_of(effect.model_copy(update={"lights": (own, other)}), None, 0.0)) == 1


def cells_of(n: int, density: float) -> Cells:
    dims = np.zeros((n, n, n, 2), np.float32)
    dims[..., 0] = density
    ones, nothing = np.ones((n, n, n, 3), np.float32), np.zeros((n, n, n, 3), np.float32)
    return Cells(4, dims, ones, nothing[..., 0], nothing[..., 0, 0], nothing)


@pytest.mark.parametrize("density", (0.0, 0.5, 2.0))
@pytest.mark.parametrize("cells", (8, 16))
def test_light_into_a_gas_falls_off_and_is_dimmed_as_beer_and_lambert_say(density: float, cells: int):
    edge = 2.0 / cells
    lamp = widened(np.array([5.0, 0.1, 0.2, 3.0, 2.0, 1.0, 1e-4]))[None]
    found = lamps_in_cells(
        cells_of(cells, density), (-1, -1, -1), edge, 1.0, lamp, np.zeros((0, 6, 1, 1), np.float32)
    )
    place = -1 + edge * (np.moveaxis(np.indices((cells,) * 3), 0, -1) + 0.5)
    way = np.array([5.0, 0.1, 0.2]) - place
    far = np.linalg.norm(way, axis=-1)
    inside = (1.0 - place[..., 0]) / (way[..., 0] / far)  # out through the side that faces it
    true = np.exp(-density * inside) / (4 * math.pi * far**2)
    tolerance = 0.02 + density * edge  # where a ray leaves is known to a cell
    np.testing.assert_allclose(found[0], 3 * true, rtol=tolerance)
    np.testing.assert_allclose(found[1], 2 * true, rtol=tolerance)


def test_a_lamp_lights_a_gas_as_a_sun_of_that_strength_there_does():
    """Far away, a light is a sun."""
    ball = np.exp(-((np.indices((32, 32, 32)) - 15.5) ** 2).sum(axis=0) / 40).astype(np.float32)
    frame, look = frame_of(ball, 2.0 / 32, origin=(-1, -1, -1)), Look(extinction=3.0, forward=0.0)
    sun = Light(heading=0.0, height=3.0, strength=2.0, sky=0.0, kelvin=6600.0)
    far = 60.0
    at = (far * math.cos(math.radians(3)), 0.0, far * math.sin(math.radians(3)))
    light = SceneLight(id="l", name="L", position=at, **(WHITE | {"strength": 2.0 * far**2}))
    rows = lamp_at(light, EMPTY, 0.0).row[None]
    view = view_of(Camera(target=(0, 0, 0), distance=5, heading=-90, pitch=0), 64, 64)

    def seen(lit: Light, lamps: np.ndarray) -> np.ndarray:
        from tenka.look.march import march

        volume = light_volume(frame, look, lit, lamps=lamps)
        return march(volume, view)[..., :3].sum(axis=2)

    by_sun, by_lamp = seen(sun, np.zeros((0, WIDE), np.float32)), seen(DARK, rows)
    there = by_sun > 0.2 * by_sun.max()
    # the sun also lights the ground, which lights the gas from below
    assert by_lamp[there].mean() == pytest.approx(by_sun[there].mean(), rel=0.15)
    assert by_lamp[:, 36:][there[:, 36:]].mean() > 1.15 * by_lamp[:, :28][there[:, :28]].mean()


def test_what_a_light_reaches():
    effect = small_effect()
    layer = effect.layers[0]
    ball = np.exp(-((np.indices((16, 16, 16)) - 7.5) ** 2).sum(axis=0) / 20).astype(np.float32)
    frame = frame_of(ball, 0.12, origin=(-1, -1, 0))
    view = view_of(Camera(target=(0, 0, 0.9), distance=6, heading=-60, pitch=25), 96, 64)
    slab = box((4, 4, 0.05), (0.5, 0.5, 0.5))

    def drawn(**settings: object) -> np.ndarray:
        light = SceneLight(id="l", name="L", position=(1.5, -1.5, 1.5), **(WHITE | settings))  # type: ignore[arg-type]
        shot = Shot([(frame, layer.look)], slab, names=[layer.name])
        shot.lamps = lamps_of(effect.model_copy(update={"lights": (light,)}), None, 0.0)
        return Renderer().draw_shot(shot, DARK, view).linear

    gas = Renderer().draw_shot(Shot([(frame, layer.look)], joined([])), Light(), view).alpha > 0.5
    bare = Renderer().draw_shot(Shot([(frame, layer.look)], slab), Light(), view).alpha == 0
    both, on_set, on_gas = (drawn(reaches=r).mean(axis=2) for r in ("all", "set", "effect"))
    by_name, not_named = (drawn(reaches="effect", only=n).mean(axis=2) for n in (layer.name.upper(), "Other"))
    np.testing.assert_allclose(both[bare], on_set[bare], rtol=1e-4)
    assert on_set[gas].mean() < 0.5 * both[gas].mean() and on_gas[gas].mean() > 0.5 * both[gas].mean()
    assert on_gas[bare].mean() < on_set[bare].mean()
    np.testing.assert_allclose(by_name, on_gas, rtol=1e-4)
    assert not_named[gas].mean() < 0.2 * on_gas[gas].mean()


def test_a_wall_keeps_a_light_from_ground_and_gas_unless_it_throws_no_shadows():
    ball = np.exp(-((np.indices((16, 16, 16)) - 7.5) ** 2).sum(axis=0) / 20).astype(np.float32)
    frame, look = frame_of(ball, 0.12, origin=(-1, -1, 0)), Look()
    wall = box((0.1, 4.0, 4.0), (0.5, 0.5, 0.5))
    wall = replace(wall, points=wall.points + np.array([1.5, 0.0, 0.0], np.float32))
    view = view_of(Camera(target=(0, 0, 0.9), distance=6, heading=180, pitch=10), 96, 64)

    def drawn(shadows: bool) -> np.ndarray:
        light = SceneLight(id="l", name="L", position=(2.5, 0, 1.0), shadows=shadows, **WHITE)
        shot = Shot([(frame, look)], wall, names=["Puff"])
        shot.lamps = [lamp_at(light, EMPTY, 0.0)]
        return Renderer().draw_shot(shot, DARK, view).linear

    gas = Renderer().draw_shot(Shot([(frame, look)], wall), Light(), view).alpha > 0.5
    assert drawn(False)[gas].mean() > 20 * drawn(True)[gas].mean()


def test_the_light_of_a_scene_follows_courses_too():
    from tenka.effect.courses import still

    effect = replaced(small_effect(), "light.exposure", Wave(base=0.0, amount=1.0, period=4.0))
    assert still(effect.light, 1.0).exposure == pytest.approx(1.0)
    assert still(effect.light, 0.0).exposure == 0.0
    plain = small_effect().light
    assert still(plain, 1.0) is plain
