"""Signed distances and poses against closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tenka.effect.courses import Key, Keys
from tenka.effect.model import Effect, Prop
from tenka.scene.distance import curve_distance, distance_field, form_distance, gradient
from tenka.scene.meshes import Mesh, box, joined, primitive, turned_profile
from tenka.scene.poses import motion_between, moves, pose_at

RNG = np.random.default_rng(3)


def test_a_boxs_field_is_exact_near_its_surface_and_has_the_right_sign():
    field = distance_field(box((1, 2, 0.5), (1, 1, 1)), 0.03)
    points = RNG.uniform(-1.2, 1.2, (3000, 3))
    exact = form_distance("box", np.array([1, 2, 0.5]), points - [0, 0, 0.25])
    near = np.abs(exact) < 0.05
    np.testing.assert_allclose(field.at(points)[near], exact[near], atol=0.01)
    clear = np.abs(exact) > 0.01
    assert ((field.at(points) < 0) == (exact < 0))[clear].all()


def test_the_sign_survives_a_missing_and_a_turned_triangle():
    whole = primitive("sphere", (1, 1, 1))
    faces = np.delete(whole.faces, 40, axis=0)
    faces[100] = faces[100][::-1]
    field = distance_field(Mesh(whole.points, faces, whole.colours[:-1]), 0.04)
    points = RNG.uniform(-0.7, 0.7, (2000, 3)) + np.array([0, 0, 0.5])
    exact = np.linalg.norm(points - [0, 0, 0.5], axis=1) - 0.5
    clear = np.abs(exact) > 0.06
    assert ((field.at(points) < 0) == (exact < 0))[clear].mean() > 0.995


def test_an_open_sheet_has_no_inside():
    sheet = Mesh(
        np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32),
        np.array([[0, 1, 2], [0, 2, 3]], np.int32),
        np.ones((2, 3), np.float32),
    )
    field = distance_field(sheet, 0.05)
    assert field.values.min() >= 0
    assert field.at(np.array([[0.5, 0.5, 0.1]]))[0] == pytest.approx(0.1, abs=5e-3)


def test_two_solids_in_one_mesh_are_both_solid():
    pair = joined(
        [
            box((0.4, 0.4, 0.4), (1, 1, 1)),
            Mesh(
                primitive("sphere", (1, 1, 1)).points + np.float32([1.2, 0, 0]),
                primitive("sphere", (1, 1, 1)).faces,
                primitive("sphere", (1, 1, 1)).colours,
            ),
        ]
    )
    inside = distance_field(pair, 0.04).at(np.array([[0, 0, 0.2], [1.2, 0, 0.5], [0.6, 0, 0.2]]))
    assert inside[0] < -0.1 and inside[1] < -0.3 and inside[2] > 0.1


@pytest.mark.parametrize(
    ("shape", "point", "distance"),
    [
        ("sphere", (1.0, 0, 0), 0.5),
        ("sphere", (0, 0, 0), -0.5),
        ("box", (0.5, 0.5, 1.0), 0.5),
        ("cylinder", (1.0, 0, 0.2), 0.5),
        ("cylinder", (0, 0, 0.9), 0.4),
        ("cone", (0, 0, -1.0), 0.5),
        ("capsule", (0, 0, 1.0), 0.5),
    ],
)
def test_forms_of_one_metre_have_their_distances(
    shape: str, point: tuple[float, float, float], distance: float
):
    assert form_distance(shape, np.ones(3), np.array([point], float))[0] == pytest.approx(distance, abs=1e-6)


def test_a_torus_and_a_curve_have_their_distances():
    ring = form_distance(
        "torus", np.array([2.0, 2.0, 0.4]), np.array([[0.8, 0, 0], [0, 0, 0], [0.8, 0, 0.5]])
    )
    np.testing.assert_allclose(ring, [-0.2, 0.6, 0.3], atol=1e-9)
    bent = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0.0]])
    np.testing.assert_allclose(
        curve_distance(bent, np.array([[0.5, 0.3, 0], [1.4, 0.5, 0], [1, 1, 2.0]])), [0.3, 0.4, 2.0]
    )


def test_the_gradient_points_away():
    points = RNG.standard_normal((50, 3))
    way = gradient(lambda p: form_distance("sphere", np.ones(3), p), points, 0.01)
    np.testing.assert_allclose(way, points / np.linalg.norm(points, axis=1, keepdims=True), atol=1e-3)


def test_a_part_of_a_mesh_is_cut_by_height():
    from tenka.scene.surface import Part, part_faces

    tower = turned_profile([(0, 0), (0.5, 0), (0.5, 1), (0.5, 2), (0, 2)], 12, (1, 1, 1))
    top = part_faces(tower, Part(low=0.6))
    assert 0 < len(top) < len(tower.faces) and tower.corners[top][:, :, 2].mean(axis=1).min() >= 1.2
    assert len(part_faces(tower, Part())) == len(tower.faces)


def test_a_child_is_carried_by_its_parents_turn_and_shift():
    arm = Prop(id="arm", name="Arm", position=(1, 0, 0), turn=90.0, shift_z=2.0)
    tip = Prop(id="tip", name="Tip", position=(3, 0, 0), parent="arm")
    pose = pose_at(tip, (arm, tip), 0.0)
    np.testing.assert_allclose(pose.origin, [1, 3, 2], atol=1e-12)
    np.testing.assert_allclose(pose.to_scene(np.array([[1.0, 0, 0]])), [[1, 4, 2]], atol=1e-12)
    np.testing.assert_allclose(
        pose.to_own(pose.to_scene(np.array([[0.3, -2, 1.0]]))), [[0.3, -2, 1.0]], atol=1e-12
    )


def test_who_carries_himself_is_refused_and_who_moves_is_known():
    a, b = Prop(id="a", name="A", parent="b"), Prop(id="b", name="B", parent="a")
    with pytest.raises(ValueError, match="carried by itself"):
        Effect(props=(a, b))
    with pytest.raises(ValueError, match="not in the effect"):
        Effect(props=(a,))
    still = Prop(id="c", name="C", parent="d")
    turning = Prop(id="d", name="D", turn=Keys(keys=(Key(t=0, v=0), Key(t=1, v=90))))
    assert moves(still, (still, turning)) and not moves(still, (still,))


@given(st.floats(-170, 170), st.floats(-80, 80), st.tuples(*[st.floats(-3, 3)] * 3))
def test_motion_between_poses_carries_points_along_their_way(
    turn: float, tilt: float, shift: tuple[float, float, float]
):
    """For a small step, v dt is where each point went, to second order."""
    dt = 1e-3
    start = Prop(id="p", name="P", turn=turn, tilt=tilt)
    end = start.model_copy(
        update={
            "turn": turn + 90 * dt,
            "tilt": tilt - 40 * dt,
            "shift_x": shift[0] * dt,
            "shift_y": shift[1] * dt,
            "shift_z": shift[2] * dt,
        }
    )
    before, after = pose_at(start, (), 0.0), pose_at(end, (), 0.0)
    own = np.array([[0.5, 0.2, 1.0], [-1.0, 0.4, 0.3]])
    went = (after.to_scene(own) - before.to_scene(own)) / dt
    found = motion_between(before, after, dt).at(0.5 * (before.to_scene(own) + after.to_scene(own)))
    np.testing.assert_allclose(found, went, atol=2e-4 + 1e-3 * math.hypot(*shift))
