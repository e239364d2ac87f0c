"""Thrown water over nothing, for sprites: what it hides by Beer's law, which way it faces, how it moves."""

from __future__ import annotations

import numpy as np
import pytest

from tenka.effect.model import Light, WaterLook
from tenka.liquid.skin import Skin
from tenka.look.alone import drawn_alone, surroundings
from tenka.look.liquids import Splash
from tenka.look.motion import motion_of
from tenka.look.over import Over
from tenka.look.raster import Backdrop
from tenka.look.render import Shot
from tenka.look.shadows import cast_shadow
from tenka.look.skins import met
from tenka.look.triangles import FAR, see
from tenka.look.waters import with_waters
from tenka.scene.cameras import View, side_view
from tenka.scene.meshes import joined

CELL, SIDE = 0.025, 48
ORIGIN = (-0.6, -0.6, 0.0)
RADIUS = 0.4
MIDDLE = np.array([0.0, 0.0, 0.6])


def middles(cell: float = CELL) -> np.ndarray:
    n = round(SIDE * CELL / cell)
    at = (np.arange(n) + 0.5) * cell
    return np.stack(np.meshgrid(*(at + o for o in ORIGIN), indexing="ij"), axis=-1)


def splash(distance: np.ndarray, cell: float, speed=(0.0, 0.0, 0.0), **look) -> Splash:
    """A body of water by its distances in m, without air, that moves on the whole."""
    voxel = 2 * cell
    half = tuple(n // 2 for n in distance.shape)
    flow = np.broadcast_to(np.array(speed, np.float32)[:, None, None, None], (3, *half)).astype(np.float16)
    skin = Skin((distance / voxel).astype(np.float32), ORIGIN, cell)
    how = WaterLook(**{"ripples": 0.0, "murk": 0.0, "rough": 0.01, **look})
    return Splash(skin, np.zeros(half, np.float32), flow, voxel, how, 0.0)


def ball(cell: float = CELL, **more) -> Splash:
    return splash(np.linalg.norm(middles(cell) - MIDDLE, axis=-1) - RADIUS, cell, **more)


def block(thick: float, cell: float = CELL, **more) -> Splash:
    """Seen along y; as wide and high as there is room."""
    away = np.abs(middles(cell) - MIDDLE) - np.array([0.5, 0.5 * thick, 0.5])
    return splash(away.max(axis=-1), cell, **more)


def seen(water: Splash, size: int = 96, heading: float = -90.0) -> tuple[np.ndarray, View]:
    low = np.asarray(ORIGIN)
    view = side_view(low, low + SIDE * CELL, heading, size, size)
    return drawn_alone(Shot([], joined([]), waters=[water]), Light(), view), view


@pytest.mark.parametrize("thick", [0.2, 0.6])
@pytest.mark.parametrize("absorbs", [(3.0, 1.0, 0.5), (0.2, 0.2, 0.2)])
def test_a_block_hides_as_much_as_beer_and_fresnel_say(thick: float, absorbs):
    found, _ = seen(block(thick, absorbs=absorbs))
    share = ((1.33 - 1.0) / (1.33 + 1.0)) ** 2  # thrown back where it is met straight on
    through = (1.0 - share) * np.exp(-max(absorbs) * thick)
    middle = found[36:60, 36:60]
    assert np.abs(middle[..., 3] - (1.0 - through)).max() < 0.02
    assert found[2, 2].sum() == 0.0  # nothing hides nothing
    assert (found[..., :3] <= found[..., 3:4] + 1e-6).all() and (found[..., 4:7] >= -1e-6).all()


def test_over_the_light_of_its_surroundings_it_is_what_is_seen_there():
    """Colours that pass more easily are right over that, and hide less elsewhere than they should."""
    low = np.asarray(ORIGIN)
    view = side_view(low, low + SIDE * CELL, -90.0, 96, 96)
    water, light = ball(absorbs=(3.0, 1.0, 0.5)), Light()
    ground = surroundings(light, view)
    found = drawn_alone(Shot([], joined([]), waters=[water]), light, view)
    laid = found[..., :3] + found[..., 4:7] + (1.0 - found[..., 3:4]) * ground
    nothing = joined([])
    wall = Backdrop(
        np.ascontiguousarray(np.broadcast_to(ground, (96, 96, 3))),
        *(np.zeros((96, 96, 3), np.float32) for _ in range(2)),
        np.full((96, 96), 5e5, np.float32),
    )
    over = Over(see(nothing, view), view, light, cast_shadow(nothing, light), wall)
    true = with_waters([water], over)
    assert np.abs(laid - true.still - true.direct).max() < 1e-4
    assert np.abs(laid - ground).max() > 0.05


def test_light_that_comes_back_is_there_though_little_is_hidden():
    """Clear water throws back the sky by Fresnel, at its edges nearly all: that is light, whatever hides."""
    found, _ = seen(ball(absorbs=(0.0, 0.0, 0.0)))
    light = (found[..., :3] + found[..., 4:7]).mean(axis=2)
    rim = np.hypot(*np.mgrid[-47.5:48.5, -47.5:48.5]) / (0.5 * 96 * RADIUS / (0.5 * SIDE * CELL))
    inner, outer = light[rim < 0.4].mean(), light[(rim > 0.9) & (rim < 0.97)].mean()
    assert 0 < inner < 0.1 and outer > 4 * inner
    assert found[..., 3][rim < 0.4].mean() < 0.1


@pytest.mark.parametrize("cell", [0.025, 0.05])
@pytest.mark.parametrize("heading", [-90.0, 20.0])
def test_a_ball_faces_away_from_its_middle_and_lies_where_it_is(cell: float, heading: float):
    water = ball(cell)
    _, view = seen(water, heading=heading)
    depth, facing = met(water, view, np.full((96, 96), FAR, np.float32))
    there = depth < FAR
    across = (np.arange(96) + 0.5) / 48 - 1
    right = across[None, :] * view.half_width + 0 * across[:, None]
    up = -across[:, None] * view.half_height + (view.eye - MIDDLE) @ view.up + 0 * right
    right = right + (view.eye - MIDDLE) @ view.right
    flat = np.hypot(right, up)
    assert abs(there.sum() / 96**2 * 4 * view.half_width * view.half_height / (np.pi * RADIUS**2) - 1) < 0.03
    sure = flat < 0.8 * RADIUS
    away = np.sqrt(np.maximum(RADIUS**2 - flat**2, 0.0))
    want = (right[..., None] * view.right + up[..., None] * view.up - away[..., None] * view.forward) / RADIUS
    assert np.abs(facing - want)[sure].max() < 0.06
    near = (MIDDLE - view.eye) @ view.forward - away
    assert np.abs(depth - near)[sure].max() < 0.3 * cell


def test_what_moves_is_told_in_pixels():
    water = ball(speed=(0.5, 2.0, -0.25))
    _, view = seen(water)
    found = motion_of(Shot([], joined([]), waters=[water]), Light(), view, 0.1)
    there = found[..., 2] > 0
    px = 96 / (2 * view.half_width)
    assert there.sum() > 1000 and found[~there].sum() == 0
    assert np.allclose(found[there][:, :2], [0.05 * px, 0.025 * px], atol=1e-2)


def test_water_before_water_and_nothing_behind_both():
    """Two layers over each other hide as much as both let through, whichever is told first."""
    near = block(0.2, absorbs=(1.0, 1.0, 1.0))
    far = block(0.2, absorbs=(2.0, 2.0, 2.0))
    low = np.asarray(ORIGIN)
    view = side_view(low - [0, 2, 0], low + SIDE * CELL + [0, 2, 0], -90.0, 64, 64)
    moved = [
        Splash(
            Skin(s.skin.distance, (ORIGIN[0], ORIGIN[1] + by, 0.0), CELL),
            s.foam,
            s.flow,
            s.voxel,
            s.look,
            0.0,
        )
        for s, by in ((near, -1.0), (far, 1.0))
    ]
    one = [drawn_alone(Shot([], joined([]), waters=[m]), Light(), view)[32, 32, 3] for m in moved]
    both = drawn_alone(Shot([], joined([]), waters=moved[::-1]), Light(), view)[32, 32, 3]
    assert abs((1 - both) - (1 - one[0]) * (1 - one[1])) < 0.02
