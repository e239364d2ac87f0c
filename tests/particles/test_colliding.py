"""Pieces against each other: momentum, energy, stacks, what lies over an edge, what falls when its support
goes."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest

from tenka.effect.model import Bodies, DebrisLayer, Pieces, PointMotion, PointSource, Prop
from tenka.look.pieces import turns
from tenka.particles.hulls import hulls_of
from tenka.particles.pieces import kind_of, pieces_of
from tenka.particles.solver import PointSolver
from tenka.particles.state import ASLEEP, FREE, Points, PointState
from tenka.particles.touching import POINTS, touch

BRICK = Prop(id="brick", name="Brick", shape="box", size=(0.4, 0.2, 0.2))
FLOATING = PointMotion(gravity=0.0, drag=0.0, ground="none", bounce=1.0, friction=0.0)


def layer_of(
    motion: PointMotion | None = None, bodies: Bodies | None = None, pieces: Pieces | None = None
) -> DebrisLayer:
    still = PointSource(id="source", name="Source", shape="point", rate=0.0, burst=0, stays=True)
    return DebrisLayer(
        id="bits",
        name="Bits",
        sources=(still,),
        motion=motion or PointMotion(drag=0.0, bounce=0.2, friction=0.6),
        bodies=bodies or Bodies(),
        pieces=pieces or Pieces(make="prop", prop="brick"),
    )


def solver_of(layer: DebrisLayer) -> PointSolver:
    return PointSolver(layer, (), (BRICK,), 1, 24.0, 400)


def placed(
    places: list, width: float = 0.4, velocity: np.ndarray | None = None, turn: np.ndarray | None = None
) -> Points:
    n = len(places)
    return Points(
        np.arange(n, dtype=np.int64),
        np.full(n, -1.0),
        np.full(n, np.inf, np.float32),
        np.asarray(places, np.float32),
        np.zeros((n, 3), np.float32) if velocity is None else np.asarray(velocity, np.float32),
        np.full(n, width, np.float32),
        np.zeros(n, np.float32),
        np.zeros(n, np.int16),
        np.zeros(n, np.uint8),
        np.full(n, FREE, np.int8),
        np.zeros((n, 3), np.float32),
        np.tile(np.array([1, 0, 0, 0], np.float32), (n, 1)) if turn is None else turn.astype(np.float32),
        np.zeros((n, 3), np.float32),
        np.zeros(n, np.float32),
    )


def run(layer: DebrisLayer, points: Points, frames: int, count: int = 1) -> list[PointState]:
    solver = solver_of(layer)
    states = [dataclasses.replace(solver.start(), points=points)]
    for _ in range(frames):
        states.append(solver.frame(states[-1], count))
    return states


def sums(layer: DebrisLayer, p: Points) -> tuple[np.ndarray, np.ndarray, float]:
    """Momentum, angular momentum about 0, and energy of motion, of all pieces."""
    own = pieces_of(layer, (BRICK,), None)
    kinds = kind_of(layer, p.id, len(own))
    mass = np.array([own[k].volume for k in kinds]) * p.width.astype(float) ** 3
    inertia = np.stack([own[k].inertia for k in kinds]) * (mass * p.width.astype(float) ** 2)[:, None, None]
    turn = turns(p.turn)
    spin = np.einsum("nij,njk,nlk,nl->ni", turn, inertia, turn, p.spin)
    v = p.velocity.astype(float)
    energy = 0.5 * (mass * (v**2).sum(axis=1)).sum() + 0.5 * (spin * p.spin).sum()
    turning = spin + np.cross(p.place.astype(float), mass[:, None] * v)
    return (mass[:, None] * v).sum(axis=0), turning.sum(axis=0), float(energy)


def test_two_bricks_touch_where_their_boxes_overlap():
    """Boxes of 0.4 x 0.2 x 0.2, the upper shifted by (0.1, 0.05) and 1 mm into the lower: four corners of
    the shared rectangle, 1 mm deep, straight up."""
    layer = layer_of()
    (own,) = pieces_of(layer, (BRICK,), None)
    p = placed([(0, 0, 0), (0.1, 0.05, 0.199)])
    out = np.zeros((POINTS, 4))
    hulls = hulls_of([own.corners])
    count, way = touch(0, 1, p.place, p.turn, p.width, np.zeros(2, np.int64), hulls, 0.0, out)
    assert count == 4 and np.allclose(way, (0, 0, 1))
    assert np.allclose(out[:4, 3], 0.001, atol=1e-6)
    assert sorted(np.round(out[:4, 0], 4).tolist()) == pytest.approx([-0.1, -0.1, 0.2, 0.2], abs=1e-4)
    assert sorted(np.round(out[:4, 1], 4).tolist()) == pytest.approx([-0.05, -0.05, 0.1, 0.1], abs=1e-4)
    p.place[1, 2] = 0.2005
    assert touch(0, 1, p.place, p.turn, p.width, np.zeros(2, np.int64), hulls, 0.0, out)[0] == 0


def test_hulls_have_the_planes_of_their_form():
    box = np.array([[x, y, z] for x in (-0.5, 0.5) for y in (-0.25, 0.25) for z in (-0.1, 0.1)])
    hulls = hulls_of([box])
    assert (hulls.sides[0] == 4).sum() == 6 and (hulls.sides[0] > 0).sum() == 6
    assert sorted(np.round(hulls.planes[0, :, 3], 6)) == [0.1, 0.1, 0.25, 0.25, 0.5, 0.5]
    for f in range(6):  # anticlockwise from outside
        a, b, c = (hulls.corners[0, hulls.loops[0, f, k]] for k in range(3))
        assert np.cross(b - a, c - b) @ hulls.planes[0, f, :3] > 0
    flat = hulls_of([np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0.0]])])
    assert np.ptp(flat.corners[0, :, 2]) > 0.005


@pytest.mark.parametrize("bounce", (0.0, 0.5, 1.0))
@pytest.mark.parametrize("friction", (0.0, 0.8))
@pytest.mark.parametrize("make", ("lumps", "planks", "plates"))
def test_a_cloud_of_pieces_keeps_its_momenta_and_gains_no_energy(bounce: float, friction: float, make: str):
    rng = np.random.default_rng(3)
    n = 60
    place = rng.uniform(-0.7, 0.7, (n, 3))
    turn = rng.normal(size=(n, 4))
    p = placed(
        place.tolist(),
        0.3,
        rng.normal(size=(n, 3)) - 2.0 * place,
        turn / np.linalg.norm(turn, axis=1)[:, None],
    )
    p.spin[:] = rng.normal(size=(n, 3)) * 4
    p.width[:] = rng.uniform(0.1, 0.4, n)
    motion = FLOATING.model_copy(update={"bounce": bounce, "friction": friction})
    layer = layer_of(motion, Bodies(damping=0.0, sleeps=0.0, most_turns=0.0), Pieces(make=make))
    states = run(layer, p, 24)
    momentum, turning, energy = zip(*(sums(layer, s.points) for s in states))
    scale = float(np.abs(states[0].points.velocity).sum() * 1e-3)
    np.testing.assert_allclose(momentum[-1], momentum[0], atol=1e-3 * scale + 1e-6)
    # being pushed apart moves middles by millimetres, which moves what is counted about 0 a little
    assert np.linalg.norm(np.subtract(turning[-1], turning[0])) < 0.03 * np.sqrt(energy[0])
    assert (np.diff(energy) < 1e-3 * energy[0]).all() and (energy[-1] < 0.98 * energy[0] or bounce == 1.0)


def test_a_stack_of_bricks_comes_to_rest_and_stays():
    """Six bricks with a gap of 1 cm between them fall on each other."""
    layer = layer_of(PointMotion(drag=0.0, bounce=0.1, friction=0.6))
    places = [(0.01 * (-1) ** k, 0.0, 0.105 + 0.21 * k) for k in range(6)]
    states = run(layer, placed(places), 96)
    p = states[-1].points
    heights = np.sort(p.place[:, 2])
    np.testing.assert_allclose(heights, 0.1 + 0.2 * np.arange(6), atol=0.012)
    assert np.abs(p.place[:, :2]).max() < 0.03
    assert (p.state & ASLEEP).all()
    assert np.abs(turns(p.turn)[:, 2, 2]).min() > 0.999


@pytest.mark.parametrize("steps", (1, 4))
def test_a_wall_of_bricks_stands(steps: int):
    layer = layer_of(PointMotion(drag=0.0, bounce=0.1, friction=0.8))
    places = [(0.4 * c + 0.2 * (r % 2), 0.0, 0.1 + 0.2 * r) for r in range(6) for c in range(6)]
    p = run(layer, placed(places), 72, steps)[-1].points
    moved = np.linalg.norm(p.place - np.asarray(places), axis=1)
    assert moved.max() < 0.02 and (p.state & ASLEEP).mean() > 0.9


@pytest.mark.parametrize(("reach", "stays"), ((0.15, True), (0.27, False)))
def test_a_brick_over_an_edge_tips_when_its_middle_is_beyond_it(reach: float, stays: bool):
    """Half of a brick is 0.2 m: with its middle 0.15 m out it is held by 0.05 m, at 0.27 m by nothing."""
    layer = layer_of(PointMotion(drag=0.0, bounce=0.0, friction=0.8))
    places = [(0, 0, 0.1), (0, 0, 0.3), (reach, 0, 0.5)]
    p = run(layer, placed(places), 48)[-1].points
    assert (p.place[2, 2] > 0.45) == stays


def test_what_lay_on_a_piece_falls_when_that_is_gone():
    layer = layer_of(PointMotion(drag=0.0, bounce=0.1, friction=0.6))
    p = placed([(0, 0, 0.1), (0, 0, 0.3), (0, 0, 0.5)])
    p.life[0] = 4.0
    states = run(layer, p, 120)
    assert (states[60].points.state & ASLEEP).all() and len(states[60].points) == 3
    last = states[-1].points
    assert len(last) == 2 and last.place[:, 2].max() < 0.32


def test_a_thrown_brick_wakes_and_moves_a_stack():
    layer = layer_of(PointMotion(drag=0.0, bounce=0.2, friction=0.4))
    p = placed([(0, 0, 0.1), (0, 0, 0.3), (-4.0, 0, 0.35)], velocity=[(0, 0, 0), (0, 0, 0), (8, 0, 2.4)])
    p.state[:2] = ASLEEP
    last = run(layer, p, 48)[-1].points
    assert last.place[1, 0] > 0.3 and last.place[0, 0] < last.place[1, 0]


def test_heaps_do_not_depend_on_the_sub_steps():
    rng = np.random.default_rng(5)
    p = placed(rng.uniform(-0.3, 0.3, (20, 3)) + np.array([0, 0, 0.8]))
    layer = layer_of(pieces=Pieces(make="lumps"))
    one, four = (run(layer, p, 18, count)[-1].points for count in (1, 4))
    np.testing.assert_allclose(one.place, four.place, atol=0.02)
