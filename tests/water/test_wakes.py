"""Wakes, foam and windows of water, against closed forms and against the whole pool."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tenka.water.airy import Airy
from tenka.water.basin import Basin
from tenka.water.flow import MOST_COURANT
from tenka.water.foam import Foaming, foamed
from tenka.water.follow import damp, damping, moved_on, shifted
from tenka.water.movers import Hull, displaced, immersed
from tenka.water.step import largest_step, step

G = 9.81


def towed(basin: Basin, speed: float, seconds: float, hull: Hull, airy: Airy | None, dt: float) -> np.ndarray:
    """The surface behind a hull that went along x from where it was."""
    state, before = basin.still(), immersed(basin, [hull])
    for n in range(round(seconds / dt)):
        at = Hull(hull.x + speed * dt * (n + 1), hull.y, 0.0, hull.length, hull.width, hull.draught)
        after = immersed(basin, [at])
        step(basin, state, dt, airy, given=displaced(before, after))
        before = after
    return state.rise


@pytest.mark.parametrize("froude", [1.5, 2.0, 3.0])
def test_the_wedge_of_a_fast_hull_opens_by_the_arcsine_of_one_over_froude(froude: float):
    depth, cell = 0.1, 0.05
    basin = Basin.flat((240, 240), cell, depth)
    speed = froude * math.sqrt(G * depth)
    dt = min(0.9 * largest_step(basin, speed), 0.4 * cell / speed)
    rise = towed(basin, speed, 9.0 / speed, Hull(2.0, 6.0, 0.0, 0.4, 0.4, 0.004), None, dt)
    tip, points = 11.0, []
    for back in np.linspace(1.0, 4.0, 13):  # m behind it
        row = rise[round((tip - back) / cell)]
        side = row[120:]
        points.append((back, cell * (np.argmax(side) + 0.5)))
    slope = np.polyfit(*np.array(points).T, 1)[0]
    assert math.degrees(math.atan(slope)) == pytest.approx(math.degrees(math.asin(1 / froude)), rel=0.06)


def test_in_deep_water_the_wake_is_kelvins():
    """Within 19.47 degrees of the track, whatever the speed; shallow water leaves none there at all."""
    depth, cell, speed = 1.5, 0.125, 2.0
    basin = Basin.flat((240, 160), cell, depth)
    dt = 0.9 * largest_step(basin, speed)
    hull = Hull(4.0, 10.0, 0.0, 1.2, 0.6, 0.1)
    seconds = 21.0 / speed
    wakes = [towed(basin, speed, seconds, hull, airy, dt) for airy in (Airy(basin, dt), None)]
    tip = hull.x + speed * seconds
    rows = [round((tip - back) / cell) for back in np.linspace(6.0, 14.0, 9)]
    strength = [float(np.abs(rise[rows]).max()) for rise in wakes]
    assert strength[0] > 4 * strength[1]
    # the furthest from the track at which waves are as high as half of the row's highest
    angles = []
    for back, row in zip(np.linspace(6.0, 14.0, 9), rows):
        side = np.abs(wakes[0][row, 80:])
        outer = np.flatnonzero(side > 0.5 * side.max())[-1] * cell
        angles.append(math.degrees(math.atan(outer / back)))
    assert 14.0 < float(np.median(angles)) < 22.0, angles
    # transverse waves behind it go at its speed: 2 pi v^2 / g long
    line = wakes[0][round(tip / cell) - 128 : round(tip / cell) - 24, 80]
    waves = np.abs(np.fft.rfft((line - line.mean()) * np.hanning(len(line)), 4096))
    length = 4096 * cell / int(np.argmax(waves))
    assert length == pytest.approx(2 * math.pi * speed**2 / G, rel=0.12)


def test_a_hull_makes_and_loses_no_water():
    basin = Basin.flat((80, 60), 0.1, 0.5)
    state, dt = basin.still(), 0.5 * largest_step(basin)
    start = state.volume(basin)
    hulls = [Hull(2.0 + 0.013 * n, 3.0 + 0.007 * n, 0.02 * n, 1.3, 0.7, 0.2) for n in range(200)]
    before = immersed(basin, hulls[:1])
    for hull in hulls[1:]:
        after = immersed(basin, [hull])
        step(basin, state, dt, given=displaced(before, after))
        before = after
    assert state.volume(basin) == pytest.approx(start, rel=1e-6) and np.abs(state.rise).max() > 0.005


def test_a_hull_that_stands_leaves_the_water_alone():
    basin = Basin.flat((40, 40), 0.1, 0.5)
    state = basin.still()
    lying = immersed(basin, [Hull(2, 2, 0.3, 1.0, 0.5, 0.2)])
    step(basin, state, 0.01, given=displaced(lying, lying))
    assert not state.rise.any() and not state.u.any()
    assert lying.max() <= 0.2 and immersed(basin, [Hull(2, 2, 0.3, 1.0, 0.5, 9.0)]).max() <= 0.5


def test_foam_is_born_where_waves_break_is_carried_and_dies_by_half():
    basin = Basin.flat((60, 60), 0.1, 0.4)
    state, how = basin.still(), Foaming(spread=0.0)
    dt, foam = 0.01, np.zeros(basin.shape, np.float32)
    assert not foamed(basin, state, state.rise, foam, dt, how).any()  # still water makes none
    foam[30, 30] = 0.5
    for _ in range(250):
        foam = foamed(basin, state, state.rise, foam, dt, how)
    assert foam[30, 30] == pytest.approx(0.25, rel=1e-3)  # 2.5 s
    state.u[...] = 1.0  # carried along x by 1 m in a second
    for _ in range(100):
        foam = foamed(basin, state, state.rise, foam, dt, how)
    x, _ = basin.middles()
    assert float((x * foam).sum() / foam.sum()) == pytest.approx(3.05 + 1.0, abs=0.02)
    state.u[...] = 0.0
    before = state.rise.copy()
    state.rise[10:14] += 0.1  # rises faster than any wave could
    grown = foamed(basin, state, before, np.zeros_like(foam), dt, how)
    assert grown[12, 5] == pytest.approx(how.breaking * dt, rel=1e-3) and not grown[40].any()
    work = np.zeros_like(foam)
    work[50, 50] = 0.65
    hull = foamed(basin, state, state.rise, np.zeros_like(foam), dt, how, work)
    assert hull[50, 50] == pytest.approx(how.contact * dt, rel=1e-3) and np.count_nonzero(hull) == 1


def test_foam_spreads_as_heat_does():
    basin, how = Basin.flat((80, 80), 0.1, 0.4), Foaming(spread=0.02, half_life=1e9)
    state, foam = basin.still(), np.zeros((80, 80), np.float32)
    foam[40, 40] = 1.0
    for _ in range(200):
        foam = foamed(basin, state, state.rise, foam, 0.02, how)
    x, y = (a - 4.05 for a in basin.middles())
    spread = float(((x * x + y * y) * foam).sum() / foam.sum())
    assert foam.sum() == pytest.approx(1.0, rel=1e-3)
    assert spread == pytest.approx(4 * 0.02 * 4.0, rel=0.02)  # <r^2> = 4 D t


def test_a_window_that_follows_shows_what_the_whole_pool_does():
    """Over their overlap, away from the damped border."""
    cell, depth = 0.1, 0.3
    pool = Basin.flat((260, 120), cell, depth)
    hull = Hull(5.0, 6.0, 0.0, 0.8, 0.5, 0.1)
    dt, speed = 0.4 * largest_step(pool, 2.0), 1.2
    whole, before = pool.still(), immersed(pool, [hull])
    window = Basin(cell, np.full((110, 120), depth, np.float32), (0.0, 0.0))
    part, inner = window.still(), immersed(window, [hull])
    rate = damping(window.shape, sides=(True, True, False, False))
    steps = round(11.0 / speed / dt)
    for n in range(steps):
        at = Hull(hull.x + speed * dt * (n + 1), hull.y, 0.0, hull.length, hull.width, hull.draught)
        after = immersed(pool, [at])
        step(pool, whole, dt, given=displaced(before, after))
        before = after
        ahead = int((at.x - 5.5 - window.origin[0]) / cell)
        if ahead > 0:
            window, part = moved_on(window, part, ahead, 0, window.rest)
            inner = shifted(inner, ahead, 0)
        lies = immersed(window, [at])
        step(window, part, dt, given=displaced(inner, lies))
        damp(part, window, rate, dt)
        inner = lies
    first = round(window.origin[0] / cell)
    mine, other = part.rise[30:-30], whole.rise[first + 30 : first + 80]
    scale = float(np.abs(other).max())
    assert scale > 0.01 and window.origin[0] > 8.0
    assert np.sqrt(((mine - other) ** 2).mean()) < 0.05 * scale


def test_a_shift_keeps_what_is_in_both():
    field = np.arange(24, dtype=np.float32).reshape(4, 6)
    for di, dj in ((1, 0), (0, -2), (-3, 1), (5, 0)):
        out = shifted(field, di, dj, -1.0)
        for i in range(4):
            for j in range(6):
                a, b = i + di, j + dj
                inside = 0 <= a < 4 and 0 <= b < 6
                assert out[i, j] == (field[a, b] if inside else -1.0)


def test_speeds_stay_below_what_a_step_may_carry():
    basin = Basin.flat((30, 30), 0.1, 0.2)
    state, dt = basin.still(), 0.01
    state.rise[:5] += 3.0
    for _ in range(200):
        step(basin, state, dt)
    assert np.isfinite(state.rise).all()
    assert max(np.abs(state.u).max(), np.abs(state.v).max()) <= MOST_COURANT * basin.cell / dt + 1e-4
