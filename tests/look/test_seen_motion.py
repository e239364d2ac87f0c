"""How what is seen moves over the picture, against what projection says of it."""

from __future__ import annotations

import numpy as np
import pytest
from build import frame_of

from tenka.cache.store import Frame
from tenka.effect.model import Camera, Light, Look, PointLook
from tenka.look.motion import motion_of, spread
from tenka.look.render import Shot
from tenka.look.swarm import Swarm
from tenka.particles.state import Points, rest_of_pieces
from tenka.scene.cameras import View, view_of
from tenka.scene.cameras import frame_of as axes_of
from tenka.scene.meshes import Mesh, joined, primitive

NOTHING = joined([])
EYE = Camera(target=(0, 0, 0), distance=6.0, heading=-90.0, pitch=0.0, fov=40.0)
SPEED = np.array([0.7, 1.1, -0.4])
DT = 0.04


def gas(speed: np.ndarray = SPEED, voxel: float = 0.1) -> Frame:
    n = round(1.0 / voxel)
    frame = frame_of(np.ones((n, n, n), np.float32), voxel, origin=(-0.5, -0.5, -0.5))
    frame.velocity = np.broadcast_to(speed[:, None, None, None], (3, n, n, n)).astype(np.float16)
    return frame


def points(place: np.ndarray, speed: np.ndarray = SPEED, rigid: bool = False) -> Points:
    n = len(place)
    f32 = np.float32
    more = dict(zip(("turn", "spin", "still"), rest_of_pieces(n))) if rigid else {}
    return Points(
        id=np.arange(n),
        born=np.zeros(n),
        life=np.full(n, 10.0, f32),
        place=place.astype(f32),
        velocity=np.broadcast_to(speed, (n, 3)).astype(f32),
        width=np.full(n, 0.4, f32),
        heat=np.zeros(n, f32),
        source=np.zeros(n, np.int16),
        state=np.zeros(n, np.uint8),
        holder=np.zeros(n, np.int8),
        colour=np.ones((n, 3), f32),
        **more,
    )


def flat_view(width: int, height: int, half: float) -> View:
    """A straight view from the front."""
    forward, right, up = axes_of(-90.0, 0.0)
    return View(-10.0 * forward, forward, right, up, half, width, height, True)


def moved(view: View, place: np.ndarray, speed: np.ndarray = SPEED) -> np.ndarray:
    a, b = (view.project(p[None])[0, :2] for p in (place, place + speed * DT))
    return b - a


@pytest.mark.parametrize("voxel", (0.05, 0.1, 0.2))
@pytest.mark.parametrize("flat", (True, False))
def test_a_dense_gas_moves_as_its_face_does(flat: bool, voxel: float):
    view = flat_view(160, 100, 1.5) if flat else view_of(EYE, 160, 100)
    look = Look(extinction=400.0)
    found = motion_of(Shot([(gas(voxel=voxel), look)], NOTHING), Light(), view, DT)
    assert found[50, 80, 2] == pytest.approx(1.0, abs=0.02)
    start, way = view.ray(80.5, 50.5)
    front = start + way * ((-0.5 - start[1]) / way[1])  # where its near face is met
    np.testing.assert_allclose(found[50, 80, :2] / found[50, 80, 2], moved(view, front), rtol=0.03, atol=0.02)
    assert not found[2, 2].any()


def test_thin_gas_is_weighted_by_what_is_seen_of_it():
    """Beer and Lambert: the weight over 1 m is 1 - exp(-extinction)."""
    view = flat_view(64, 64, 1.0)
    found = motion_of(Shot([(gas(), Look(extinction=1.5))], NOTHING), Light(), view, DT)
    assert found[32, 32, 2] == pytest.approx(1 - np.exp(-1.5), rel=0.02)
    np.testing.assert_allclose(found[32, 32, :2] / found[32, 32, 2], moved(view, np.zeros(3)), rtol=1e-3)


@pytest.mark.parametrize("form", ("disc", "sprite", "streak"))
def test_particles_move_as_their_places_do(form: str):
    view = view_of(EYE, 160, 100)
    place = np.array([[0.6, -0.8, 0.3]])
    swarm = Swarm(points(place), 1.0, PointLook(form=form, opacity=1.0), np.array([10.0]))  # type: ignore[arg-type]
    found = motion_of(Shot([], NOTHING, [swarm]), Light(), view, DT)
    at = view.project(place)[0]
    pixel = found[int(at[1]), int(at[0])]
    assert pixel[2] > 0.5
    np.testing.assert_allclose(pixel[:2] / pixel[2], moved(view, place[0]), rtol=1e-3, atol=1e-3)


def test_pieces_move_and_turn():
    held = points(np.zeros((1, 3)), np.zeros(3), rigid=True)
    held.spin[0] = (0.0, 3.0, 0.0)  # round the way in which one looks
    ahead = held.advanced(0.5)
    half = 0.5 * 0.5 * 3.0
    np.testing.assert_allclose(ahead.turn[0], (np.cos(half), 0, np.sin(half), 0), atol=1e-6)
    view = flat_view(200, 200, 1.0)
    box = primitive("box", (1.0, 0.2, 1.0))
    box = box.moved(box.points - box.points.mean(axis=0))

    def later(dt: float) -> Mesh:
        a = 3.0 * dt
        turn = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
        return box.moved(box.points @ turn.T)

    found = motion_of(Shot([], NOTHING, bodies=[box], later=[later]), Light(), view, 0.01)
    seen = found[..., 2] > 0
    assert seen.mean() == pytest.approx(0.25, abs=0.01)
    rows, columns = np.nonzero(seen)
    right, up = columns - 99.5, 99.5 - rows  # px from its middle, about which it turns by 0.03 rad
    np.testing.assert_allclose(found[seen][:, 0], 0.03 * up, atol=0.03)
    np.testing.assert_allclose(found[seen][:, 1], 0.03 * right, atol=0.03)


def test_what_lies_before_hides_the_motion_behind():
    view = flat_view(64, 64, 1.0)
    box = primitive("box", (0.4, 0.2, 0.4))
    box = box.moved(box.points - box.points.mean(axis=0) + np.array([0.0, -2.0, 0.0]))
    shot = Shot([(gas(), Look(extinction=400.0))], NOTHING, bodies=[box], later=[lambda dt: box])
    found = motion_of(shot, Light(), view, DT)
    assert abs(found[32, 32, 0]) < 1e-6 and found[32, 32, 2] == 1.0
    assert abs(found[32, 4, 0]) < 1e-6 or found[32, 20, 0] > 0  # beside it the gas goes to the right


def test_motion_is_spread_to_where_nothing_is_seen():
    motion = np.zeros((40, 40, 3), np.float32)
    motion[18:22, 18:22] = (1.5, -0.5, 0.5)
    found = spread(motion)
    np.testing.assert_allclose(found[20, 20], (3.0, -1.0))
    np.testing.assert_allclose(found[2, 20], (3.0, -1.0), rtol=1e-3)
