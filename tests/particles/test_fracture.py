"""A prop cut into pieces: that they fill it, keep its colours, follow their histogram, and are finer where it
is struck."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tenka.base.errors import BadInput
from tenka.demo import make
from tenka.effect.courses import Key, Keys
from tenka.effect.model import (
    Bodies,
    DebrisLayer,
    ParticleLayer,
    Pieces,
    PointMotion,
    PointSource,
    Prop,
    ramp,
)
from tenka.look.pieces import bodies_mesh, turns
from tenka.particles.fracture import Breaking, broken, within
from tenka.particles.pieces import drawn_sizes, kind_of, pieces_of
from tenka.particles.solver import PointSolver
from tenka.particles.state import ASLEEP, PointState
from tenka.scene import files
from tenka.scene.meshes import Mesh, box
from tenka.scene.solid import solid_of

PROPS = Path(make.__file__).parent / "props"


def volume_of(mesh: Mesh) -> float:
    a, b, c = (mesh.corners.astype(float)[:, k] for k in range(3))
    return float(np.einsum("nk,nk->n", a, np.cross(b, c)).sum() / 6)


def how(count: int = 40, **changes: object) -> Breaking:
    given = {
        "count": count,
        "sizes": np.linspace(0.5, 1.0, count),
        "blow": np.zeros(3),
        "finer": 1.0,
        "reach": 0.5,
        "grain": np.ones(3),
        "seed": 1,
    }
    return Breaking(**{**given, **changes})  # type: ignore[arg-type]


def turned_over(mesh: Mesh) -> Mesh:
    return Mesh(mesh.points, mesh.faces[:, ::-1].copy(), mesh.colours)


def test_a_box_is_a_solid_and_with_walls_the_shell_of_one():
    mesh = box((1.0, 2.0, 3.0), (0.5, 0.4, 0.3))
    assert solid_of(mesh).body.volume() == pytest.approx(6.0, rel=1e-6)
    assert solid_of(turned_over(mesh)).body.volume() == pytest.approx(6.0, rel=1e-6)
    # walls go in along the corners' own directions: between the shell of 10 cm and what its corners leave
    shell = solid_of(mesh, 0.1).body.volume()
    assert 6.0 - 0.8 * 1.8 * 2.8 > shell > 0.5 * (6.0 - 0.8 * 1.8 * 2.8)


def test_what_is_open_is_closed_and_what_touches_stays_whole():
    mesh = box((1.0, 1.0, 1.0), (0.5, 0.4, 0.3))
    top = mesh.corners[:, :, 2].min(axis=1) > 0.99
    open_box = Mesh(mesh.points, mesh.faces[~top], mesh.colours[~top])
    assert solid_of(open_box).body.volume() == pytest.approx(1.0, rel=1e-6)
    beside = mesh.points + np.array([1.0, 1.0, 0.0], np.float32)  # shares one upright edge
    both = Mesh(
        np.concatenate([mesh.points, beside]),
        np.concatenate([mesh.faces, mesh.faces + len(mesh.points)]),
        np.concatenate([mesh.colours, mesh.colours]),
    )
    assert solid_of(both).body.volume() == pytest.approx(2.0, rel=1e-6)


def test_a_sheet_needs_walls():
    sheet = Mesh(
        np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32),
        np.array([[0, 1, 2], [0, 2, 3]], np.int32),
        np.full((2, 3), 0.5, np.float32),
    )
    with pytest.raises(BadInput, match="encloses nothing"):
        solid_of(sheet)
    assert solid_of(sheet, 0.02).body.volume() == pytest.approx(0.02, rel=1e-5)


@pytest.mark.parametrize("name", ("crate", "low_wall", "boiler", "hopper", "lime_sacks"))
def test_pieces_fill_their_prop_and_each_is_closed(name: str):
    solid = solid_of(files.load(PROPS / f"{name}.glb"))
    pieces = broken(solid, how(30))
    assert len(pieces) >= 20
    assert sum(p.volume for p in pieces) == pytest.approx(solid.body.volume(), rel=3e-3)
    for p in pieces:
        assert volume_of(p.mesh) == pytest.approx(p.volume, rel=1e-3, abs=1e-9)
    middle = sum(p.volume * p.middle for p in pieces) / sum(p.volume for p in pieces)
    whole = solid.body.to_mesh64()
    corners = np.asarray(whole.vert_properties)[:, :3][whole.tri_verts.astype(int)]
    a, b, c = (corners[:, k] for k in range(3))
    parts = np.einsum("nk,nk->n", a, np.cross(b, c)) / 6
    np.testing.assert_allclose(middle, (parts[:, None] * (a + b + c)).sum(0) / (4 * parts.sum()), atol=5e-3)


def test_the_outside_keeps_its_colours_and_its_area():
    mesh = box((1.0, 1.0, 1.0), (0.5, 0.4, 0.3))
    pieces = broken(solid_of(mesh), how())

    def area(mesh: Mesh, faces: np.ndarray) -> float:
        a, b, c = (mesh.corners[faces][:, k].astype(float) for k in range(3))
        return float(0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1).sum())

    outside = 0.0
    for p in pieces:
        own = np.setdiff1d(np.arange(len(p.mesh.faces)), p.mesh.groups["inner"])
        outside += area(p.mesh, own)
        assert np.allclose(p.mesh.colours[own], mesh.colours[0])
    assert outside == pytest.approx(6.0, rel=2e-3)


def test_sizes_follow_the_histogram():
    """A histogram that holds only one size gives pieces much more alike than one over all of them; and drawn
    sizes have its shares."""
    solid = solid_of(box((1.0, 1.0, 1.0), (0.5, 0.4, 0.3)))
    spread = {}
    for name, curve in (
        ("one", ramp((0.9, 0.0), (0.95, 1.0), (1.0, 0.0))),
        ("all", ramp((0.0, 1.0), (1.0, 1.0))),
    ):
        cut = Pieces(make="cut", cuts=80, sizes=curve)
        across = np.cbrt([p.volume for p in broken(solid, how(80, sizes=drawn_sizes(cut)))])
        spread[name] = across.std() / across.mean()
    assert spread["all"] > 1.6 * spread["one"]
    drawn = drawn_sizes(Pieces(make="cut", cuts=2000, sizes=ramp((0.5, 1.0), (0.5, 0.0), (1.0, 0.0))))
    assert np.log2(drawn.max() / drawn.min()) == pytest.approx(2.0, abs=0.05)  # half of four octaves
    assert np.log2(drawn).mean() == pytest.approx(-3.0, abs=0.02)


def test_pieces_are_finer_where_it_is_struck():
    solid = solid_of(box((2.0, 0.4, 2.0), (0.5, 0.4, 0.3)))
    pieces = broken(solid, how(120, sizes=np.ones(120), blow=np.array([0.0, 0.0, 1.0]), finer=4.0))
    far = np.array([np.linalg.norm(p.middle - (0, 0, 1.0)) for p in pieces])
    across = np.cbrt([p.volume for p in pieces])
    assert across[far > 0.9].mean() > 2.0 * across[far < 0.3].mean()


def test_the_grain_makes_splinters():
    solid = solid_of(box((0.4, 0.4, 2.0), (0.5, 0.4, 0.3)))
    pieces = broken(solid, how(40, grain=np.array([1.0, 1.0, 8.0])))
    long = [np.ptp(p.mesh.points, axis=0)[2] / np.ptp(p.mesh.points, axis=0)[:2].max() for p in pieces]
    assert np.median(long) > 3.0


def test_points_are_told_in_from_out():
    mesh = box((1.0, 1.0, 1.0), (0.5, 0.4, 0.3))
    points = np.random.default_rng(1).uniform(-1, 2, (500, 3))
    inside = (np.abs(points[:, :2]) < 0.5).all(axis=1) & (points[:, 2] > 0) & (points[:, 2] < 1)
    assert np.array_equal(within(mesh, points), inside)


POT = Prop(id="pot", name="Pot", shape="box", position=(0, 0, 1), turn=30.0, size=(0.6, 0.5, 0.4))


def layer_of(source: dict | None = None, motion: PointMotion | None = None, **pieces: object) -> DebrisLayer:
    given = {"shape": "pieces", "burst_at": 0.5, "speed": 0.0, "stays": True, "position": (0.3, 0, 1.2)}
    return DebrisLayer(
        id="bits",
        name="Bits",
        sources=(PointSource(id="source", name="Source", **{**given, **(source or {})}),),
        motion=motion or PointMotion(drag=0.0, gravity=0.0, ground="none"),
        bodies=Bodies(turning=0.0, damping=0.0),
        pieces=Pieces(make="cut", prop="pot", **{"cuts": 30, **pieces}),
    )


def run(layer: DebrisLayer, props: tuple[Prop, ...], frames: int, count: int = 1) -> list[PointState]:
    solver = PointSolver(layer, (), props, 1, 24.0, frames + 1)
    states = [solver.start()]
    for _ in range(frames):
        states.append(solver.frame(states[-1], count))
    return states


def test_pieces_stand_assembled_where_their_prop_stood():
    from tenka.effect.model import Effect
    from tenka.scene.props import prop_mesh

    layer = layer_of()
    states = run(layer, (POT,), 24)
    assert len(states[11].points) == 0 and len(states[12].points) >= 30
    effect = Effect(name="Pot", props=(POT,), layers=(layer,))
    for state in (states[12], states[24]):  # nothing acts on them
        mesh = bodies_mesh(layer, state.points, state.time, effect, None)
        whole = prop_mesh(POT, (POT,), None)
        np.testing.assert_allclose(mesh.bounds, whole.bounds, atol=2e-3)
        assert volume_of(mesh) == pytest.approx(volume_of(whole), rel=5e-3)


def test_pieces_let_go_one_after_the_other_and_each_at_its_own_moment():
    falling = PointMotion(drag=0.0, gravity=1.0, ground="none")
    layer = layer_of({"burst_over": 0.5}, falling)
    layer = layer.model_copy(update={"bodies": Bodies(each_other=False)})
    states = run(layer, (POT,), 30, 2)
    waiting = [(s.points.state & ASLEEP > 0).mean() for s in states[13:27]]
    assert waiting[0] > 0.8 and waiting[-1] == 0.0 and (np.diff(waiting) <= 0).all()
    far = np.linalg.norm(states[12].points.place - (0.3, 0, 1.2), axis=1)
    fallen = states[12].points.place[:, 2] - states[26].points.place[:, 2]
    assert np.corrcoef(far, fallen)[0, 1] < -0.9


def test_pieces_of_a_moving_prop_go_on_with_it():
    cart = POT.model_copy(
        update={"shift_x": Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=2.0, v=6.0, ease="linear")))}
    )
    carried = {"carried": ramp((0.0, 1.0), (1.0, 1.0))}
    p = run(layer_of(carried), (cart,), 13)[-1].points
    np.testing.assert_allclose(p.velocity[:, 0], 3.0, atol=0.02)


def test_the_throw_falls_off_away_from_the_source_and_goes_away_from_it():
    thrown = {"speed": 6.0, "lean": 1.0, "spread": 0.0, "throw_reach": 0.3, "tail": 0.0}
    layer = layer_of(thrown).model_copy(update={"bodies": Bodies(each_other=False)})
    p = run(layer, (POT,), 12)[-1].points
    away = p.place - np.array([0.3, 0, 1.2])
    far = np.linalg.norm(away, axis=1)
    np.testing.assert_allclose(
        np.linalg.norm(p.velocity, axis=1), 6.0 * np.exp(-((far / 0.3) ** 2)), atol=0.02
    )
    assert ((p.velocity * away).sum(axis=1) > 0).all()


def test_the_arrow_is_the_sources_own_however_its_prop_is_turned():
    thrown = {"speed": 3.0, "spread": 0.0, "tail": 0.0, "arrow": (1, 0, 0), "turn": 90.0}
    layer = layer_of(thrown).model_copy(update={"bodies": Bodies(each_other=False)})
    p = run(layer, (POT,), 12)[-1].points
    np.testing.assert_allclose(p.velocity, np.tile((0.0, 3.0, 0.0), (len(p), 1)), atol=1e-4)


def test_each_birth_is_a_piece_of_its_own_and_other_sources_take_any():
    layer = layer_of()
    own = pieces_of(layer, (POT,), None)
    p = run(layer, (POT,), 12)[-1].points
    assert sorted(kind_of(layer, p.id, len(own)).tolist()) == list(range(len(own)))
    np.testing.assert_allclose(p.width, [own[k].width for k in kind_of(layer, p.id, len(own))], rtol=1e-6)
    q = turns(p.turn)[0]
    np.testing.assert_allclose(q[:2, 0], (np.cos(np.radians(30)), np.sin(np.radians(30))), atol=1e-5)


def test_particles_have_no_pieces_and_that_is_said():
    source = PointSource(id="source", name="Source", shape="pieces")
    for layer in (
        ParticleLayer(id="bits", name="Bits", sources=(source,)),
        DebrisLayer(id="bits", name="Bits", sources=(source,)),
    ):
        with pytest.raises(BadInput, match="pieces"):
            PointSolver(layer, (), (), 1, 24.0, 5).start()


def test_a_prop_that_encloses_nothing_is_named_with_what_mends_it():
    cloth = POT.model_copy(
        update={"name": "Cloth", "shape": "mesh", "file": str(PROPS / "canvas.glb"), "size": (1, 1, 1)}
    )
    with pytest.raises(BadInput, match=r"^prop Cloth: encloses nothing.*thickness of its walls"):
        pieces_of(layer_of(), (cloth,), None)
    assert len(pieces_of(layer_of(wall=0.02), (cloth,), None)) >= 20
