"""Pathlines against closed forms, from fields and by hand; and how strongly forces push on a plane."""

from __future__ import annotations

import csv
import io

import numpy as np
import pytest
from build import frame_of

from tenka.cache.store import Frame
from tenka.effect.model import Effect, Gravity, Pull, Turbulence, Wind
from tenka.look.pathlines import pathlines, paths_csv, seeds_of
from tenka.look.pushes import Room, push_slice, pushes_at

RATE = 24.0


def turning(index: int, n: int = 24, h: float = 0.1) -> Frame:
    """Gas that turns round z, faster from frame to frame (at t turns a second), and rises at 0.5 m/s; the
    denser the further out, the hotter with time."""
    frame = frame_of(np.zeros((n, n, n)), h, 100.0 * index / RATE, origin=(-n * h / 2, -n * h / 2, 0.0))
    x = (np.arange(n) + 0.5) * h - n * h / 2
    a, b, _ = np.meshgrid(x, x, x, indexing="ij")
    omega = 2 * np.pi * index / RATE
    assert frame.velocity is not None
    frame.velocity[0], frame.velocity[1], frame.velocity[2] = -omega * b, omega * a, 0.5
    frame.density[:] = np.hypot(a, b)
    return frame


def test_lines_go_round_as_the_turning_gathers_pace():
    """By pi t^2 from 0.5 s on, back to 0.25 s and on to 1 s."""
    seeds = np.array([(0.5, 0.0, 0.6), (0.0, -0.8, 1.0)])
    lines = pathlines(turning, 12, RATE, seeds, 6, 12)
    assert lines.times[0] == pytest.approx(0.25) and lines.times[-1] == pytest.approx(1.0)
    assert lines.places[:, lines.at] == pytest.approx(seeds)
    r = np.hypot(lines.places[..., 0], lines.places[..., 1])
    assert r == pytest.approx(np.repeat(np.array([[0.5], [0.8]]), r.shape[1], axis=1), rel=0.01)
    angle = np.unwrap(np.arctan2(lines.places[..., 1], lines.places[..., 0]), axis=1)
    turned = angle - angle[:, lines.at][:, None]
    expected = np.pi * (lines.times**2 - 0.25)
    assert np.abs(turned - expected).max() < 0.03  # of 2.4 rad
    assert lines.places[0, :, 2] == pytest.approx(0.6 + 0.5 * (lines.times - 0.5), abs=1e-3)
    assert lines.alive.all()


def test_a_held_frame_gives_streamlines():
    frame = turning(24)
    lines = pathlines(lambda n: frame, 24, RATE, np.array([(0.6, 0.0, 0.3)]), 0, 6)
    angle = np.unwrap(np.arctan2(lines.places[0, :, 1], lines.places[0, :, 0]))
    assert angle[-1] - angle[0] == pytest.approx(2 * np.pi * 0.25, rel=0.01)


@pytest.mark.parametrize("colour", ("density", "temperature", "time"))
def test_any_value_colours_them(colour: str):
    lines = pathlines(turning, 12, RATE, np.array([(0.5, 0.0, 0.6)]), 6, 6, colour)
    assert lines.values is not None and lines.field is not None and lines.field.id == colour
    expected = {
        "density": np.full(len(lines.times), 0.5),
        "temperature": 288.15 + 100 * lines.times,
        "time": lines.times,
    }[colour]
    assert lines.values[0] == pytest.approx(expected, rel=0.02)
    assert lines.range[0] <= lines.values.min() and lines.range[1] >= lines.values.max()
    rows = list(csv.reader(io.StringIO(paths_csv(lines))))
    assert len(rows) == 1 + len(lines.times) and rows[0][:2] == ["line", "time (s)"]
    assert float(rows[1][1]) == pytest.approx(0.25)


def test_they_end_at_the_border_and_where_frames_end():
    up = np.array([(0.1, 0.1, 2.2)])
    lines = pathlines(turning, 12, RATE, up, 0, 24)
    assert 0.3 < lines.times[lines.alive[0]][-1] - 0.5 < 0.5 and not lines.alive[0, -1]
    some = pathlines(lambda n: turning(n) if n <= 15 else None, 12, RATE, up - 1.0, 0, 24)
    assert some.times[-1] == pytest.approx(15 / RATE)
    none = pathlines(lambda n: None, 12, RATE, up, 3, 3)
    assert none.places.shape == (1, 1, 3)


def test_seeds_lie_evenly_where_the_field_is_at_least_what_was_asked():
    frame = turning(1)
    seeds = seeds_of(frame, "density", 0.8, 500)
    assert seeds.shape == (500, 3)
    far = np.hypot(seeds[:, 0], seeds[:, 1])
    assert far.min() > 0.8 - 0.15
    assert np.abs(seeds[:, :2].mean(axis=0)).max() < 0.12  # all round
    assert seeds_of(frame, "density", 99.0, 50).shape == (0, 3)
    assert pathlines(lambda n: frame, 0, RATE, np.zeros((0, 3)), 0, 4).places.shape[0] == 0


def test_pushes_have_their_closed_forms():
    wind = Wind(id="w", name="W", speed=3.0, grip=2.0, gusts=0.0)
    down = Gravity(id="g", name="G", strength=0.5, rise=-90.0)
    draw = Pull(id="p", name="P", position=(0, 0, 0), reach=1.0, strength=4.0, falloff=2.0)
    stir = Turbulence(id="t", name="T", strength=1.5, grip=2.0)
    points = np.array([(2.0, 0.0, 0.0), (0.0, 4.0, 0.0)])
    for force, expected in ((wind, (6.0, 6.0)), (down, (4.905, 4.905)), (draw, (1.0, 0.25))):
        found = pushes_at(Effect(forces=(force,)), None, 0.5, points)
        assert found == pytest.approx(expected, rel=1e-3), force.kind
    many = np.random.default_rng(1).uniform(-9, 9, (4000, 3))
    felt = pushes_at(Effect(forces=(stir,)), None, 0.0, many)
    assert np.sqrt((felt**2).mean()) == pytest.approx(3.0, rel=0.05)
    both = Effect(forces=(wind, down))
    assert pushes_at(both, None, 0.5, points)[0] == pytest.approx(np.hypot(6.0, 4.905), rel=1e-3)
    assert pushes_at(both, None, 0.5, points, only="g")[0] == pytest.approx(4.905, rel=1e-3)
    assert not pushes_at(Effect(), None, 0.0, points).any()


@pytest.mark.parametrize("axis", range(3))
def test_a_plane_of_pushes_lies_where_it_was_asked_for(axis: int):
    draw = Pull(id="p", name="P", position=(0.3, 0.2, 0.1), reach=0.2, strength=4.0)
    room = Room((-1.0, -1.0, -1.0), (20, 24, 16), 0.1)
    place = (0.3, 0.2, 0.1)[axis]
    cut = push_slice(Effect(forces=(draw,)), None, 0.0, room, axis, place)
    assert cut.values.shape == tuple(n for a, n in enumerate(room.shape) if a != axis)
    assert cut.corners[0, axis] == pytest.approx(place, abs=0.051)
    peak = np.unravel_index(np.argmax(cut.values), cut.values.shape)
    there = [-1.0 + 0.1 * (k + 0.5) for k in peak]
    assert there == pytest.approx([p for a, p in enumerate((0.3, 0.2, 0.1)) if a != axis], abs=0.2)
