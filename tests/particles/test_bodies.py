"""Pieces: how they are made, and that thrown ones behave as rigid bodies should."""

from __future__ import annotations

import numpy as np
import pytest
from build import ONE_POINT
from scipy.spatial import ConvexHull

from tenka.base.errors import BadInput
from tenka.effect.model import Bodies, DebrisLayer, Pieces, PointCollider, PointMotion, PointSource, Prop
from tenka.look.pieces import turns
from tenka.particles.pieces import _solid, kind_of, made, pieces_of
from tenka.particles.solver import PointSolver
from tenka.particles.state import ASLEEP, STUCK, PointState

KINDS = ("sherds", "tiles", "planks", "lumps", "plates")
ONE = {**ONE_POINT, "stays": True, "least_width": 1.0}


def debris(
    motion: PointMotion | None = None,
    bodies: Bodies | None = None,
    pieces: Pieces | None = None,
    colliders: tuple = (),
    **source: object,
) -> DebrisLayer:
    thrown = PointSource(id="source", name="Source", **{**ONE, **source})  # type: ignore[arg-type]
    return DebrisLayer(
        id="bits",
        name="Bits",
        sources=(thrown,),
        motion=motion or PointMotion(drag=0.0, bounce=0.4),
        bodies=bodies or Bodies(),
        pieces=pieces or Pieces(make="lumps"),
        colliders=colliders,
    )


def run(
    layer: DebrisLayer, frames: int, count: int = 1, props: tuple[Prop, ...] = (), seed: int = 3
) -> PointState:
    solver = PointSolver(layer, (), props, seed, 24.0, frames + 1)
    state = solver.start()
    for _ in range(frames):
        state = solver.frame(state, count)
    return state


@pytest.mark.parametrize("kind", KINDS)
def test_pieces_are_closed_convex_and_a_metre_across(kind: str):
    for n in range(4):
        mesh = made(Pieces(make=kind), n).mesh
        a, b, c = np.moveaxis(mesh.corners.astype(float), 1, 0)
        volume = float(np.einsum("nk,nk->n", a, np.cross(b, c)).sum() / 6)
        assert volume == pytest.approx(ConvexHull(mesh.points.astype(float)).volume, rel=1e-3)
        assert np.ptp(mesh.points, axis=0).max() == pytest.approx(1.0, abs=1e-5)
        edges = np.sort(
            np.concatenate([mesh.faces[:, [0, 1]], mesh.faces[:, [1, 2]], mesh.faces[:, [2, 0]]]), axis=1
        )
        assert set(np.unique(edges, axis=0, return_counts=True)[1]) == {2}


def test_the_seed_makes_other_pieces_and_the_same_seed_the_same():
    a, b, c = (made(Pieces(seed=s), 0).mesh.points for s in (1, 1, 2))
    assert np.array_equal(a, b) and not np.array_equal(a, c)


def test_roundness_takes_corners_off():
    sharp, worn = (made(Pieces(make="lumps", roundness=r), 0).mesh for r in (0.0, 0.9))

    def compactness(mesh):  # of a ball: 1
        hull = ConvexHull(mesh.points.astype(float))
        return 36 * np.pi * hull.volume**2 / hull.area**3

    assert compactness(worn) > compactness(sharp) + 0.02


def test_planks_are_long_and_plates_thin():
    assert np.sort(np.ptp(made(Pieces(make="planks"), 1).mesh.points, axis=0))[1] < 0.5
    assert np.ptp(made(Pieces(make="plates"), 1).mesh.points, axis=0).min() < 0.1


def test_a_props_own_mesh_can_be_the_piece_and_a_missing_one_is_told():
    prop = Prop(id="pot", name="Pot", shape="cylinder", size=(0.4, 0.4, 0.8))
    (piece,) = pieces_of(debris(pieces=Pieces(make="prop", prop="pot")), (prop,), None)
    assert np.ptp(piece.mesh.points, axis=0) == pytest.approx((0.5, 0.5, 1.0), abs=0.01)
    with pytest.raises(BadInput, match="names the prop 'gone'"):
        pieces_of(debris(pieces=Pieces(make="prop", prop="gone")), (), None)


def test_a_piece_in_the_air_flies_a_parabola():
    still = Bodies(damping=0.0, turning=0.05)
    layer = debris(
        PointMotion(drag=0.0, ground="none"), still, direction=(1, 0, 1), speed=4.0, position=(0, 0, 3)
    )
    last = run(layer, 24).points
    s = 4 / np.sqrt(2)
    assert np.allclose(last.place[0], (s, 0, 3 + s - 0.5 * 9.81), atol=1e-4)
    assert np.linalg.norm(last.turn[0]) == pytest.approx(1.0, abs=1e-6)


def momenta(layer: DebrisLayer, state: PointState) -> tuple[np.ndarray, np.ndarray]:
    """Angular momentum (n, 3) and energy of turning (n,) of pieces, per mass."""
    p, own = state.points, pieces_of(layer, (), None)
    inertia = np.stack([own[k].inertia for k in kind_of(layer, p.id, len(own))]) * p.width[:, None, None] ** 2
    turn = turns(p.turn)
    whole = np.einsum("nij,njk,nlk->nil", turn, inertia, turn)
    momentum = np.einsum("nij,nj->ni", whole, p.spin)
    return momentum, 0.5 * (momentum * p.spin).sum(axis=1)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("steps", (1, 4))
def test_free_flight_keeps_angular_momentum_and_energy(kind: str, steps: int):
    """Planks were off by 103 % of their momentum within a second."""
    layer = debris(
        PointMotion(drag=0.0, gravity=0.0, ground="none"),
        Bodies(damping=0.0, turning=0.1, each_other=False),
        Pieces(make=kind),
        burst=20,
    )
    (first, begun), (last, left) = (momenta(layer, run(layer, n, steps)) for n in (0, 48))
    size = np.linalg.norm(first, axis=1)
    assert (np.linalg.norm(last - first, axis=1) / size).max() < 1e-3
    np.testing.assert_allclose(left, begun, rtol=0.02)


def test_a_pieces_inertia_is_that_of_its_volume():
    """A box of 1 x 0.5 x 0.2: (b^2 + c^2) / 12; and a shifted one has its middle of mass at 0."""
    box = np.array([[x, y, z] for x in (-0.5, 0.5) for y in (-0.25, 0.25) for z in (-0.1, 0.1)])
    middle, inertia = _solid(box + np.array([0.3, 0.1, -0.2]))[1:]
    np.testing.assert_allclose(middle, (0.3, 0.1, -0.2), atol=1e-9)
    sides = np.array([0.25 + 0.04, 1 + 0.04, 1 + 0.25]) / 12
    np.testing.assert_allclose(inertia, np.diag(sides), atol=1e-9)
    for kind in KINDS:
        np.testing.assert_allclose(_solid(made(Pieces(make=kind), 1).mesh.points)[1], 0.0, atol=1e-6)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(("bounce", "friction"), ((1.0, 0.0), (1.0, 0.6), (0.5, 1.5)))
def test_blows_never_add_energy(kind: str, bounce: float, friction: float):
    """Bouncing for three seconds on the ground; with a bounce of 1 it was 4.5 times as much after two."""
    layer = debris(
        PointMotion(drag=0.0, bounce=bounce, friction=friction),
        Bodies(damping=0.0, each_other=False, sleeps=0.0, most_turns=0.0),
        Pieces(make=kind),
        burst=16,
        position=(0, 0, 1.5),
        cone=180.0,
        speed=2.0,
        width=0.4,
    )
    solver = PointSolver(layer, (), (), 3, 24.0, 80)
    state, held = solver.start(), []
    for _ in range(72):
        state = solver.frame(state)
        p = state.points
        energy = momenta(layer, state)[1] + 0.5 * (p.velocity**2).sum(axis=1) + 9.81 * p.place[:, 2]
        held.append(energy)
    held_ = np.asarray(held)
    assert (held_ <= 1.01 * held_[0] + 0.01).all()
    assert (np.diff(held_, axis=0) < 0.02 * held_[0] + 0.01).all()
    if (bounce, friction) == (1.0, 0.0):
        assert np.median(held_[-1] / held_[0]) > 0.5  # and little of it is lost


def test_a_blow_leaves_no_more_turns_than_are_set():
    pace = {}
    for most in (0.0, 2.0):
        layer = debris(
            PointMotion(drag=0.0, bounce=0.8, friction=0.6),
            Bodies(damping=0.0, each_other=False, most_turns=most, turning=0.0),
            Pieces(make="planks"),
            burst=30,
            position=(0, 0, 0.5),
            direction=(1, 0, -0.5),
            speed=8.0,
            cone=40.0,
            width=0.3,
        )
        p = run(layer, 8).points
        spins = np.linalg.norm(p.spin, axis=1) / (2 * np.pi)
        pace[most] = spins.max()
    assert pace[0.0] > 4.0 and pace[2.0] < 3.0  # a free tumble trades a little between its axes


def test_a_sleeper_is_woken_or_left_and_never_pushed_into_the_ground():
    bed = debris(
        PointMotion(drag=0.0, bounce=0.1),
        burst=30,
        shape="box",
        position=(0, 0, 0.4),
        size=(0.8, 0.8, 0.4),
        speed=0.0,
        width=0.3,
        pieces=Pieces(make="plates"),
    )
    p = run(bed, 144).points
    own = pieces_of(bed, (), None)
    corners = np.stack([own[k].corners for k in kind_of(bed, p.id, len(own))]) * p.width[:, None, None]
    low = (np.einsum("nij,nvj->nvi", turns(p.turn), corners) + p.place[:, None])[..., 2].min(axis=1)
    assert low.min() > -0.02 and (p.state & ASLEEP).mean() > 0.7


def test_what_sticks_lies_on_what_holds_it():
    wall = Prop(id="wall", name="Wall", shape="box", position=(1.5, 0, 0), size=(0.2, 6, 6))
    stop = PointCollider(id="stop", name="Stop", prop="wall", response="stick")
    layer = debris(
        burst=40,
        direction=(1, 0, 0.1),
        speed=4.0,
        position=(0, 0, 3.0),
        cone=20.0,
        width=0.3,
        pieces=Pieces(make="plates"),
        colliders=(stop,),
        bodies=Bodies(each_other=False),
    )
    p = run(layer, 72, props=(wall,)).points
    stuck = (p.state & STUCK) > 0
    assert stuck.mean() > 0.7
    flat = np.abs(turns(p.turn)[stuck][:, 0, 2])  # the plate's own up, along the wall's normal
    assert (flat > 0.95).mean() > 0.7
    assert np.abs(p.place[stuck, 0] - 1.4).max() < 0.08


def test_pieces_turn_with_their_share_of_the_energy_of_flight():
    """A tenth of it on average, whatever they are; so that larger ones turn slower."""
    for kind in KINDS:
        layer = debris(
            bodies=Bodies(turning=0.1, most_turns=0.0),
            pieces=Pieces(make=kind),
            burst=1500,
            least_width=0.1,
            skew=1.0,
            speed=5.0,
        )
        state = run(layer, 0)
        energy = momenta(layer, state)[1]
        share = energy / (0.5 * (state.points.velocity**2).sum(axis=1))
        assert share.mean() == pytest.approx(0.1, rel=0.05) and share.max() < 0.21
    pace, order = np.linalg.norm(state.points.spin, axis=1), np.argsort(state.points.width)
    assert pace[order[:200]].mean() > 3 * pace[order[-200:]].mean()


def test_turns_a_second_of_older_files_become_a_share_of_energy():
    given = debris(width=0.3, speed=4.0).model_dump()
    given["bodies"] = {"tumble": 3.0, "tumble_slower": 1.0, "damping": 0.2}
    bodies = DebrisLayer.model_validate(given).bodies
    assert 0.0 < bodies.turning < 0.2 and bodies.damping == 0.2


def test_turning_dies_down_as_set():
    alone = Bodies(damping=1.5, each_other=False)
    layer = debris(PointMotion(drag=0.0, gravity=0.0, ground="none"), alone)
    first, last = (momenta(layer, run(layer, n))[0] for n in (0, 24))
    np.testing.assert_allclose(last, first * np.exp(-1.5), rtol=1e-3)


@pytest.mark.parametrize("kind", ["lumps", "planks", "plates"])
def test_pieces_come_to_rest_on_the_ground_asleep_and_not_in_it(kind: str):
    layer = debris(
        pieces=Pieces(make=kind),
        burst=24,
        position=(0, 0, 1.5),
        cone=180.0,
        speed=2.0,
        width=0.4,
        bodies=Bodies(each_other=False),
    )
    p = run(layer, 144).points
    assert (p.state & ASLEEP).mean() > 0.9
    corners = [piece.corners for piece in pieces_of(layer, (), None)]
    placed = np.stack([corners[k] for k in kind_of(layer, p.id, len(corners))]) * p.width[:, None, None]
    low = (np.einsum("nij,nvj->nvi", turns(p.turn), placed) + p.place[:, None])[..., 2].min(axis=1)
    assert low.min() > -0.02 and np.abs(low).max() < 0.05


def test_flat_pieces_end_lying_flat():
    layer = debris(
        pieces=Pieces(make="plates"),
        burst=20,
        position=(0, 0, 1.0),
        cone=180.0,
        speed=1.0,
        width=0.5,
        bodies=Bodies(each_other=False),
    )
    p = run(layer, 144).points
    upright = np.abs(turns(p.turn)[:, 2, 2])
    assert (upright > 0.97).mean() > 0.85


def test_a_bounce_loses_energy_and_never_gains():
    layer = debris(
        PointMotion(drag=0.0, bounce=0.8, friction=0.3),
        Bodies(damping=0.0, each_other=False),
        burst=12,
        position=(0, 0, 2.0),
        speed=0.0,
        width=0.3,
    )
    solver = PointSolver(layer, (), (), 5, 24.0, 100)
    state, highest = solver.start(), []
    for _ in range(72):
        state = solver.frame(state)
        highest.append(state.points.place[:, 2].max())
    assert max(highest) <= 2.001 and max(highest[30:]) < 1.9


def test_what_happens_does_not_depend_on_the_sub_steps():
    layer = debris(burst=30, position=(0, 0, 1.0), cone=120.0, speed=3.0, width=0.3)
    one, two, eight = (run(layer, 30, n).points for n in (1, 2, 8))
    for other in (two, eight):
        assert np.allclose(one.place, other.place, atol=2e-3)


def test_pieces_push_each_other_apart():
    heap = {
        "shape": "sphere",
        "burst": 40,
        "position": (0, 0, 1.0),
        "size": (0.3, 0.3, 0.3),
        "speed": 0.0,
        "width": 0.3,
    }
    floating = PointMotion(gravity=0.0, drag=0.5, ground="none")
    apart, through = (run(debris(floating, Bodies(each_other=on), **heap), 24).points for on in (True, False))
    assert (
        np.linalg.norm(apart.place - (0, 0, 1), axis=1).mean()
        > 1.5 * np.linalg.norm(through.place - (0, 0, 1), axis=1).mean()
    )


def test_a_wall_stops_pieces_and_a_mover_wakes_them():
    from tenka.effect.courses import Key, Keys

    wall = Prop(id="wall", name="Wall", shape="box", position=(1.5, 0, 0), size=(0.2, 4, 4))
    stop = PointCollider(id="stop", name="Stop", prop="wall", bounce=0.2)
    layer = debris(
        burst=12,
        direction=(1, 0, 0.2),
        speed=6.0,
        position=(0, 0, 1.0),
        cone=15.0,
        width=0.3,
        colliders=(stop,),
    )
    p = run(layer, 30, props=(wall,)).points
    assert p.place[:, 0].max() < 1.5
    ram = wall.model_copy(
        update={
            "position": (-3.0, 0, 0),
            "shift_x": Keys(keys=(Key(t=4.0, v=0.0, ease="linear"), Key(t=5.0, v=5.0))),
        }
    )
    lying = debris(burst=6, position=(0, 0, 0.4), speed=0.0, width=0.3, colliders=(stop,))
    asleep, pushed = run(lying, 94, props=(ram,)).points, run(lying, 122, props=(ram,)).points
    assert (asleep.state & ASLEEP).all()
    assert pushed.place[:, 0].min() > asleep.place[:, 0].max() + 0.5


def test_births_follow_a_moving_parent_at_birth_only():
    from tenka.effect.courses import Key, Keys

    cart = Prop(
        id="cart",
        name="Cart",
        shift_x=Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=1.0, v=4.0, ease="linear"))),
    )
    layer = debris(
        PointMotion(gravity=0.0, drag=0.0, ground="none"),
        parent="cart",
        position=(0, 0, 1),
        speed=0.0,
        burst_at=0.5,
    )
    p = run(layer, 24, props=(cart,)).points
    assert p.place[0] == pytest.approx((2.0, 0.0, 1.0), abs=1e-4)


def test_pieces_end_out_of_the_picture_and_out_of_the_gas():
    from tenka.effect.model import Camera, Ends
    from tenka.particles.state import AirField

    layer = debris(
        PointMotion(gravity=0.0, drag=0.0, ground="none", follows="gas", follow=0.0),
        direction=(1, 0, 0),
        speed=6.0,
        position=(0, 0, 1),
    )
    air = np.zeros((10, 10, 10, 4), np.float32)
    gas = AirField(air, (-1.0, -1.0, 0.0), air, (-1.0, -1.0, 0.0), 0.2, 0.0, 1.0)
    for ends, left in ((Ends(), 1), (Ends(leaves_gas=True), 0), (Ends(off_camera=True), 0)):
        camera = Camera(target=(0, 0, 1), distance=3.0, heading=-90.0, pitch=0.0, fov=30.0)
        solver = PointSolver(
            layer.model_copy(update={"ends": ends}), (), (), 3, 24.0, 20, camera=camera, gas=lambda _: gas
        )
        state = solver.start()
        for _ in range(12):
            state = solver.frame(state)
        assert len(state.points) == left
