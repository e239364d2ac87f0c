"""Heat bends what is seen through it: by as much as the index of refraction says, and nothing else."""

from __future__ import annotations

import math

import numpy as np
import pytest
from build import frame_of

from tenka.effect.model import Camera, Light, Look
from tenka.look.render import Renderer, Shot
from tenka.look.shimmer import AIR, INDEX, bent
from tenka.look.volume import LitVolume, light_volume
from tenka.scene.cameras import View, view_of
from tenka.scene.meshes import joined

W, H = 240, 160


def hot(kind: str, peak: float = 300.0, n: int = 48) -> LitVolume:
    """A box of 2 m with hot air in it, and so little smoke that it is not seen."""
    x, y, z = (np.indices((n, n, n)) + 0.5) * 2.0 / n - 1.0
    heat = {
        "even": np.full((n, n, n), peak),
        "ball": peak * np.exp(-(x**2 + y**2 + z**2) / 0.18),
        "slope": peak * (x + 1.0) / 2.0,
    }[kind].astype(np.float32)
    frame = frame_of(np.full((n, n, n), 2e-4, np.float32), 2.0 / n, origin=(-1, -1, 0))
    frame.temperature = heat
    return light_volume(frame, Look(extinction=0.0), Light())


def eye() -> View:
    return view_of(Camera(target=(0, 0, 1), distance=8, heading=-90, pitch=0, fov=30), W, H)


def ramp_picture() -> np.ndarray:
    """Every pixel holds its own place."""
    y, x = np.indices((H, W)).astype(np.float32)
    return np.stack([x, y, np.zeros_like(x)], axis=2)


def pushed(kind: str, strength: float, behind: float = 10.0, **more: float) -> np.ndarray:
    """By how many pixels what is seen has moved, (h, w, 2)."""
    depth = np.full((H, W), 8.0 + behind, np.float32)
    found = bent(ramp_picture(), hot(kind, **more), eye(), depth, strength) - ramp_picture()
    return found[..., :2]


def test_without_strength_nothing_moves_and_the_picture_is_another():
    picture = ramp_picture()
    found = bent(picture, hot("ball"), eye(), np.full((H, W), 20.0, np.float32), 0.0)
    np.testing.assert_array_equal(found, picture)
    assert found is not picture


def test_even_heat_bends_nothing_but_at_its_edges():
    middle = pushed("even", 30.0)[70:90, 110:130]
    assert np.abs(middle).max() < 0.02


@pytest.mark.parametrize("strength", (1.0, 20.0))
@pytest.mark.parametrize("behind", (4.0, 10.0))
def test_a_slope_of_heat_bends_by_its_missing_index_times_its_length_times_the_distance(
    strength: float, behind: float
):
    """Along x the index falls evenly: a ray through 2 m of that turns by 2 m times its slope."""
    found = pushed("slope", strength, behind)[75:85, 118:122, 0].mean()
    peak, half = 300.0, 150.0
    slope = (
        float(INDEX) * float(AIR) / (float(AIR) + half) ** 2 * peak / 2.0
    )  # of heat / (air + heat), at x = 0
    metres = 2.0 * slope * strength * behind
    pixel = 2 * (8 + behind) * math.tan(math.radians(15)) / H
    assert found == pytest.approx(-metres / pixel, rel=0.12)


def test_a_ball_pushes_away_from_its_middle_alike_on_all_sides():
    found = pushed("ball", 40.0)
    assert np.abs(found[H // 2, W // 2]).max() < 0.3
    across, along = found[H // 2, :, 0], found[:, W // 2, 1]
    np.testing.assert_allclose(across, -across[::-1], atol=0.05)
    assert abs(across[W // 2 + 14]) > 0.3
    assert np.abs(across).max() == pytest.approx(np.abs(along).max(), rel=0.1)
    assert np.abs(found[:, :40]).max() < 0.05  # beside the heat


def test_what_stands_before_the_heat_is_not_bent():
    depth = np.full((H, W), 18.0, np.float32)
    depth[:, : W // 2] = 5.0
    found = bent(ramp_picture(), hot("slope"), eye(), depth, 30.0) - ramp_picture()
    assert np.abs(found[20:-20, 8 : W // 2 - 8]).max() < 1e-3
    assert np.abs(found[75:85, W // 2 + 8 : W // 2 + 12, 0]).min() > 0.2


def test_the_stage_draws_it_by_the_look_and_leaves_the_gas_as_it_is():
    volume = hot("ball")
    del volume
    n = 32
    x, y, z = (np.indices((n, n, n)) + 0.5) * 2.0 / n - 1.0
    frame = frame_of(np.full((n, n, n), 2e-4, np.float32), 2.0 / n, origin=(-1, -1, 0))
    frame.temperature = (400.0 * np.exp(-(x**2 + y**2 + z**2) / 0.18)).astype(np.float32)
    bare = joined([])
    # the ground far behind, with its grain
    view = view_of(Camera(target=(0, 0, 1), distance=6, heading=-90, pitch=25, fov=30), W, H)

    def drawn(**look: float) -> np.ndarray:
        shot = Shot([(frame, Look(extinction=0.0, **look))], bare)
        return Renderer().draw_shot(shot, Light(), view, passes=4).linear

    plain, none, bends = drawn(), drawn(shimmer=0.0), drawn(shimmer=60.0)
    np.testing.assert_array_equal(plain, none)
    change = np.abs(bends - plain).mean(axis=2)
    assert change[60:100, 90:150].mean() > 1e-4 and change[:, :20].max() == 0.0
    assert bends.mean() == pytest.approx(plain.mean(), rel=0.01)
