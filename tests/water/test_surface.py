"""A water's surface against closed forms: rest, wave speed, dam breaks, volume, symmetry, wedges."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import brentq

from tenka.water.airy import Airy
from tenka.water.basin import Basin
from tenka.water.step import largest_step, step

G = 9.81


def island(n: int = 48) -> Basin:
    """A basin with an island in it and a slope that comes out of the water."""
    x, y = np.meshgrid(*[(np.arange(n) + 0.5) / n] * 2, indexing="ij")
    bed = -1.0 + 1.6 * np.exp(-((x - 0.4) ** 2 + (y - 0.5) ** 2) / 0.02) + 2.5 * np.maximum(x - 0.7, 0)
    rough = 0.1 * np.random.default_rng(5).normal(size=bed.shape)
    return Basin(0.1, (-(bed + rough)).astype(np.float32))


@pytest.mark.parametrize("corrected", [False, True])
def test_a_lake_at_rest_over_terrain_stays_at_rest_exactly(corrected: bool):
    basin = island()
    state = basin.still()
    before, dt = state.rise.copy(), largest_step(basin)
    airy = Airy(basin, dt) if corrected else None
    for _ in range(200):
        step(basin, state, dt, airy)
    assert (state.rise == before).all() and not state.u.any() and not state.v.any()


def test_volume_is_kept_over_a_rough_shore():
    basin = island()
    state = basin.still()
    state.rise[:10] += np.where(basin.rest[:10] > 0, 0.4, 0.0)
    start, dt = state.volume(basin), 0.5 * largest_step(basin)
    for _ in range(1500):
        step(basin, state, dt)
    assert np.isfinite(state.rise).all() and np.abs(state.u).max() > 1e-3
    assert state.volume(basin) == pytest.approx(start, rel=1e-6)
    assert (state.depth(basin) >= 0).all()


def crossing_period(values: np.ndarray, dt: float) -> float:
    """The period of what swings about nothing, from where it crosses it."""
    at = np.flatnonzero(np.diff(np.sign(values)))
    times = (at + values[at] / (values[at] - values[at + 1])) * dt
    return 2.0 * float(np.diff(times).mean())


@pytest.mark.parametrize(("depth", "cells"), [(0.5, 128), (0.05, 64)])
def test_long_waves_go_at_the_root_of_g_h(depth: float, cells: int):
    basin = Basin.flat((cells, 4), 0.1, depth)
    state, dt = basin.still(), 0.7 * largest_step(basin)
    x, _ = basin.middles()
    k = math.pi / (cells * basin.cell)
    state.rise += (1e-4 * depth * np.cos(k * x)).astype(np.float32)
    seen = []
    for _ in range(int(3.2 * 2 * math.pi / (k * math.sqrt(G * depth)) / dt)):
        step(basin, state, dt)
        seen.append(float(state.rise[0, 0]))
    assert crossing_period(np.array(seen), dt) == pytest.approx(
        2 * math.pi / (k * math.sqrt(G * depth)), rel=0.01
    )


@pytest.mark.parametrize("kh", [0.5, 1.5, 5.0])
@pytest.mark.parametrize("along", [(1, 0), (0, 1), (1, 1)])
def test_with_the_correction_waves_of_every_length_go_at_airys_speed(kh: float, along: tuple[int, int]):
    cells, waves = 64, 4
    basin = Basin.flat((cells, cells), 0.1, 1.0)
    k_one = 2 * math.pi * waves / (cells * basin.cell)
    k = k_one * math.hypot(*along)
    basin = Basin.flat((cells, cells), 0.1, kh / k)
    state, dt = basin.still(), 0.5 * largest_step(basin)
    airy = Airy(basin, dt)
    x, y = basin.middles()
    state.rise += (1e-4 * np.cos(along[0] * k_one * x) * np.cos(along[1] * k_one * y)).astype(np.float32)
    w = math.sqrt(G * k * math.tanh(kh))
    seen = []
    for _ in range(int(4.2 * 2 * math.pi / w / dt)):
        step(basin, state, dt, airy)
        seen.append(float(state.rise[0, 0]))
    period = crossing_period(np.array(seen), dt)
    assert period == pytest.approx(2 * math.pi / w, rel=0.01), period * w / 2 / math.pi
    if kh == 5.0:  # without it they would be more than twice as fast
        assert math.sqrt(kh / math.tanh(kh)) > 2


def ritter(x: np.ndarray, t: float, h: float) -> np.ndarray:
    """Depth after a dam at 0 broke over a dry bed (Ritter 1892)."""
    c = math.sqrt(G * h)
    inner = (2 * c - x / t) ** 2 / (9 * G)
    return np.where(x < -c * t, h, np.where(x > 2 * c * t, 0.0, inner))


def stoker(x: np.ndarray, t: float, h: float, low: float) -> np.ndarray:
    """The same over water of another depth (Stoker 1957)."""
    c, c0 = math.sqrt(G * h), math.sqrt(G * low)

    def off(s: float) -> float:
        deep = 0.5 * low * (math.sqrt(1 + 8 * s * s / (G * low)) - 1)
        return s * (1 - low / deep) - 2 * c + 2 * math.sqrt(G * deep)

    s = brentq(off, c0 * 1.0001, 10 * c)
    deep = 0.5 * low * (math.sqrt(1 + 8 * s * s / (G * low)) - 1)
    speed, cm = s * (1 - low / deep), math.sqrt(G * deep)
    inner = (2 * c - x / t) ** 2 / (9 * G)
    found = np.where(x < -c * t, h, np.where(x < (speed - cm) * t, inner, np.where(x < s * t, deep, low)))
    return found


@pytest.mark.parametrize("low", [0.0, 0.1, 0.5])
@pytest.mark.parametrize("turned", [False, True])
def test_a_dam_breaks_as_ritter_and_stoker_say(low: float, turned: bool):
    cells, h = 512, 1.0
    basin = Basin.flat((4, cells) if turned else (cells, 4), 10.0 / cells, h)
    state = basin.still()
    along = basin.middles()[1].ravel() if turned else basin.middles()[0].ravel()
    fall = np.where(along < 5.0, 0.0, low - h).astype(np.float32)
    state.rise += fall[None] if turned else fall[:, None]
    dt, t = 0.4 * basin.cell / math.sqrt(G * h) / 2, 0.0
    while t < 0.7:
        step(basin, state, dt)
        t += dt
    depth = state.depth(basin)
    depth = depth[2] if turned else depth[:, 2]
    want = ritter(along - 5.0, t, h) if low == 0 else stoker(along - 5.0, t, h, low)
    assert np.abs(depth - want).mean() / h < 0.004, np.abs(depth - want).mean() / h


def test_what_is_alike_on_both_sides_stays_so():
    basin = Basin.flat((40, 40), 0.1, 0.3)
    state, dt = basin.still(), 0.5 * largest_step(basin)
    x, y = (a - 2.0 for a in basin.middles())
    state.rise += (0.1 * np.exp(-(x * x + y * y) / 0.1)).astype(np.float32)
    airy = Airy(basin, dt)
    for _ in range(120):
        step(basin, state, dt, airy)
    for other in (state.rise[::-1], state.rise[:, ::-1], state.rise.T):
        np.testing.assert_allclose(state.rise, other, atol=2e-6)
    np.testing.assert_allclose(state.u, state.v.T, atol=2e-6)
    assert np.abs(state.rise).max() > 0.003


def test_what_comes_in_raises_the_level_by_as_much():
    basin = Basin.flat((32, 32), 0.1, 0.4)
    state, dt = basin.still(), 0.5 * largest_step(basin)
    given = np.zeros((32, 32), np.float32)
    given[3:6, 3:6] = 1e-3
    for _ in range(400):
        step(basin, state, dt, None, 0.5, given)
    came = 400 * 9 * 1e-3 * basin.cell**2
    assert state.volume(basin) == pytest.approx(0.4 * (3.2**2) + came, rel=1e-6)
