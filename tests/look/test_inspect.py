"""Looking into a frame: closed forms, and the table read back."""

from __future__ import annotations

import csv

import numpy as np
import pytest
from build import frame_of

from tenka.cache.store import Frame
from tenka.look.inspect import FIELDS, histogram, slice_of, table_csv, values_of, vectors_on


def turning(n: int = 24, h: float = 0.1) -> Frame:
    """Gas that turns round z once a second and rises at 0.5 m/s, denser outwards."""
    frame = frame_of(np.zeros((n, n, n)), h, 50.0, origin=(-n * h / 2, -n * h / 2, 0.0))
    x = (np.arange(n) + 0.5) * h - n * h / 2
    a, b, _ = np.meshgrid(x, x, x, indexing="ij")
    assert frame.velocity is not None
    frame.velocity[0], frame.velocity[1], frame.velocity[2] = -2 * np.pi * b, 2 * np.pi * a, 0.5
    frame.density[:] = np.hypot(a, b)
    return frame


def test_derived_fields_have_their_closed_forms():
    frame = turning()
    inner = (slice(1, -1),) * 3
    np.testing.assert_allclose(values_of(frame, "vorticity")[inner], 4 * np.pi, rtol=1e-4)
    np.testing.assert_allclose(values_of(frame, "divergence")[inner], 0.0, atol=1e-4)
    np.testing.assert_allclose(values_of(frame, "velocity_z"), 0.5)
    np.testing.assert_allclose(
        values_of(frame, "speed"), np.sqrt((2 * np.pi * frame.density) ** 2 + 0.25), rtol=1e-5
    )
    np.testing.assert_allclose(values_of(frame, "temperature"), 338.15, rtol=1e-5)
    assert not values_of(frame, "flame").any()


@pytest.mark.parametrize("axis", range(3))
def test_a_slice_is_the_plane_that_was_asked_for(axis: int):
    frame = turning()
    cut = slice_of(frame, "density", axis, frame.origin[axis] + 0.51)
    assert cut.index == 5
    np.testing.assert_array_equal(cut.values, np.take(frame.density, 5, axis=axis))
    assert np.allclose(cut.corners[:, axis], frame.origin[axis] + 0.55)
    assert slice_of(frame, "density", axis, 99.0).index == 23


def test_signed_fields_are_shown_about_nothing():
    low, high = slice_of(turning(), "velocity_x", 2, 1.0).range
    assert low == -high and slice_of(turning(), "density", 2, 1.0).range[0] == 0.0


def test_vectors_lie_on_the_slice():
    frame = turning()
    cut = slice_of(frame, "speed", 2, 1.0)
    places, velocity = vectors_on(frame, cut)
    assert np.allclose(places[:, 2], cut.corners[0, 2])
    np.testing.assert_allclose(velocity[:, 0], -2 * np.pi * places[:, 1], atol=1e-5)


def test_a_histogram_counts_what_is_there():
    values = np.concatenate([np.zeros(100), np.full(30, 0.5), np.full(20, 1.0)])
    counts, edges = histogram(values, 10)
    assert counts.sum() == 50 and edges[0] == 0.5 and edges[-1] == 1.0
    assert not histogram(np.zeros(5))[0].any()


def test_the_table_reads_back_with_units_and_all_voxels():
    frame = turning(8)
    cut = slice_of(frame, "density", 1, 0.0)
    rows = list(csv.reader(table_csv(frame, cut).splitlines()))
    assert rows[0][:6] == ["x", "y", "z", "x (m)", "y (m)", "z (m)"] and "temperature (K)" in rows[0]
    assert len(rows) == 1 + 64 and len(rows[0]) == 6 + len(FIELDS)
    one = dict(zip(rows[0], rows[1 + 3 * 8 + 5]))
    assert (one["x"], one["y"], one["z"]) == ("3", "4", "5")
    assert float(one["density"]) == pytest.approx(float(frame.density[3, 4, 5]), rel=1e-5)
