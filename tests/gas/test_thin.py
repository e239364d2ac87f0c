"""Plates that are thinner than voxels hold what is blown at them and push what they meet."""

from __future__ import annotations

import numpy as np
import pytest

from tenka.effect.courses import Key, Keys
from tenka.effect.model import Collider, DomainBox, Fading, GasLayer, Motion, Prop, Source
from tenka.gas.grid import DENSITY, GasState
from tenka.gas.solver import GasSolver
from tenka.gas.thin import crossed, may_be_thin

H = 0.1


def channel(source: Source, plate: Prop) -> GasLayer:
    """A channel along x, open at both ends, with a plate across it."""
    return GasLayer(
        id="g",
        name="G",
        domain=DomainBox(
            origin=(-1.6, -0.8, 0),
            size=(3.2, 1.6, 1.6),
            voxel=H,
            run_up=0.0,
            open_low=(True, False, False),
            open_high=(True, False, False),
        ),
        sources=(source,),
        colliders=(Collider(id="c", name="C", prop="plate"),),
        motion=Motion(lift=0.0, weight=0.0, curls=0.0, drag=0.0),
        fading=Fading(half_life=3600.0),
    )


def run(layer: GasLayer, plate: Prop, frames: int) -> GasState:
    solver = GasSolver(layer, (), (plate,), 1, 24.0)
    state = solver.start()
    for _ in range(frames):
        state = solver.frame(state)
    return state


@pytest.mark.parametrize("tilt", (0.0, 25.0))
@pytest.mark.parametrize("place", (0.0, 0.03, 0.05))
@pytest.mark.parametrize("thick", (0.02, 0.08, 0.16))
def test_a_plate_of_any_thickness_holds_a_blast(thick: float, place: float, tilt: float):
    """Smoke blown at it at 4 m/s: a quarter to a third passed one of less than two voxels."""
    plate = Prop(id="plate", name="Plate", size=(thick, 4, 4), position=(place, 0, -1), tilt=tilt)
    blast = Source(
        id="s",
        name="S",
        shape="box",
        position=(-0.9, 0, 0.8),
        size=(0.6, 1.4, 1.4),
        density=6.0,
        temperature=0.0,
        push=(4, 0, 0),
        grip=40.0,
        breakup=0.0,
        start=0.0,
    )
    smoke = run(channel(blast, plate), plate, 16).scalars[..., DENSITY]
    x = -1.6 + (np.arange(smoke.shape[0]) + 0.5) * H
    beyond = place + thick / 2 + H + 1.1 * abs(np.sin(np.radians(tilt)))
    assert smoke.sum() > 100.0
    assert smoke[x > beyond].sum() < 1e-4 * smoke.sum()


@pytest.mark.parametrize("thick", (0.02, 0.12))
def test_a_plate_of_any_thickness_pushes_what_it_meets(thick: float):
    """It goes 1.2 m through smoke, which is all before it then, and all there."""
    goes = Keys(keys=(Key(t=0.2, v=0.0, ease="linear"), Key(t=1.2, v=1.2)))
    plate = Prop(id="plate", name="Plate", size=(thick, 4, 4), position=(-1, 0, -1), shift_x=goes)
    cloud = Source(
        id="s",
        name="S",
        shape="box",
        position=(-0.4, 0, 0.8),
        size=(0.8, 1.4, 1.4),
        density=6.0,
        temperature=0.0,
        breakup=0.0,
        start=0.0,
        end=0.1,
        grip=0.0,
    )
    begun = run(channel(cloud, plate), plate, 4).scalars[..., DENSITY].sum()
    smoke = run(channel(cloud, plate), plate, 29).scalars[..., DENSITY]
    x = -1.6 + (np.arange(smoke.shape[0]) + 0.5) * H
    assert smoke[x < 0.2].sum() < 0.01 * smoke.sum()
    assert smoke.sum() == pytest.approx(begun, rel=2e-3)


def test_only_what_is_crossed_is_shut():
    """A thick wall and a ball shut nothing more than their distances tell; a thin plate a whole plane."""
    n = 16
    x = (np.arange(n) + 0.5) * H
    in_own = np.stack(np.meshgrid(x, x, x, indexing="ij"), axis=-1).reshape(-1, 3)

    def wall(p: np.ndarray) -> np.ndarray:
        return np.abs(p[:, 0] - 0.8) - 0.3

    def plate(p: np.ndarray) -> np.ndarray:
        return np.abs(p[:, 0] - 0.8) - 0.01

    def ball(p: np.ndarray) -> np.ndarray:
        return np.linalg.norm(p - 0.8, axis=1) - 0.5

    for distance, count in ((wall, 0), (ball, 0), (plate, n * n)):
        found = crossed(distance(in_own).reshape(n, n, n), in_own, distance, H)
        assert sum(len(faces) for _, faces in found) == count
    assert len(crossed(plate(in_own).reshape(n, n, n), in_own, plate, H)[0][1]) == n * n
    assert not may_be_thin(Prop(id="p", name="P", size=(1, 1, 1)), 0.0, H)
    assert may_be_thin(Prop(id="p", name="P", size=(1, 0.1, 1)), 0.0, H)
    assert not may_be_thin(Prop(id="p", name="P", size=(1, 0.1, 1)), 0.07, H)
