"""What lies between two stored frames: moved along its motion, not shown twice."""

from __future__ import annotations

import numpy as np
import pytest

from tenka.cache.store import Frame
from tenka.particles.state import FREE, Points
from tenka.run.between import gas_between, points_between
from tenka.run.frames import PointFrame

VOXEL, SPEED, SPAN = 0.1, 4.0, 0.1  # m, m/s, s: the puff goes four voxels from frame to frame


def puff(at: float, t: float) -> Frame:
    """A ball of smoke at `at` m along x in air that moves evenly."""
    shape = (40, 16, 16)
    x, y, z = (VOXEL * (np.arange(n) + 0.5) for n in shape)
    far = (x[:, None, None] - at) ** 2 + (y[None, :, None] - 0.8) ** 2 + (z[None, None, :] - 0.8) ** 2
    smoke = np.exp(-far / 0.03).astype(np.float32)
    velocity = np.zeros((3, *shape), np.float32)
    velocity[0] = SPEED
    return Frame(smoke, 300 * smoke, velocity, (0.0, 0.0, 0.0), VOXEL, t, {})


@pytest.mark.parametrize("share", [0.0, 0.25, 0.5, 0.8, 1.0])
def test_a_puff_that_is_blown_evenly_is_where_it_should_be_and_no_wider(share: float):
    a, b = puff(1.2, 1.0), puff(1.2 + SPEED * SPAN, 1.0 + SPAN)
    found, meant = gas_between(a, b, share), puff(1.2 + share * SPEED * SPAN, 0.0)
    x = VOXEL * (np.arange(40) + 0.5)
    smoke = found.density.astype(float).sum(axis=(1, 2))
    middle = float((smoke * x).sum() / smoke.sum())
    assert found.time == pytest.approx(1.0 + share * SPAN)
    assert middle == pytest.approx(1.2 + share * SPEED * SPAN, abs=0.02 * VOXEL)
    assert smoke.sum() == pytest.approx(float(meant.density.sum()), rel=0.01)
    spread = float((smoke * (x - middle) ** 2).sum() / smoke.sum())
    plain = meant.density.astype(float).sum(axis=(1, 2))
    assert spread == pytest.approx(float((plain * (x - middle) ** 2).sum() / plain.sum()), rel=0.15)
    assert np.abs(found.temperature - 300 * found.density).max() < 2.0
    moving = gas_between(a, b, share, whole=True)
    assert moving.velocity is not None and moving.velocity.shape == (3, *moving.density.shape)
    seen = moving.density > 0.05
    assert moving.velocity[0][seen] == pytest.approx(SPEED, rel=0.01)
    assert np.abs(moving.velocity[1:, seen]).max() < 0.01 * SPEED


def particles(ids: list[int], t: float) -> PointFrame:
    """Particles on parabolas of their own."""
    n, k, f32 = len(ids), np.array(ids, float), np.float32
    place, velocity = np.zeros((n, 3), f32), np.zeros((n, 3), f32)
    place[:, 0], place[:, 2] = k * t, 5.0 - 0.5 * 9.81 * t * t
    velocity[:, 0], velocity[:, 2] = k, -9.81 * t
    points = Points(
        np.array(ids, np.int64),
        np.zeros(n),
        np.full(n, 10.0, f32),
        place,
        velocity,
        np.full(n, 0.1, f32),
        np.zeros(n, f32),
        np.zeros(n, np.int16),
        np.zeros(n, np.uint8),
        np.full(n, FREE, np.int8),
        np.zeros((n, 3), f32),
    )
    return PointFrame(points, t, {}, {})


@pytest.mark.parametrize("share", [0.25, 0.5, 0.9])
def test_particles_in_between_lie_on_their_curves(share: float):
    a, b = particles([1, 2, 3], 0.5), particles([2, 3, 4], 0.6)
    t = 0.5 + 0.1 * share
    p = points_between(a, b, share).points
    both = np.isin(p.id, (2, 3))
    assert both.sum() == 2
    want = particles([int(i) for i in p.id[both]], t).points
    np.testing.assert_allclose(p.place[both], want.place, atol=1e-5)
    np.testing.assert_allclose(p.velocity[both], want.velocity, atol=1e-3)
