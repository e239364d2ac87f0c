"""Forces along bent axes and within the forms of sources, held against straight ones and closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tenka.base.errors import BadInput
from tenka.base.jit import kernel
from tenka.effect.courses import Key, Keys
from tenka.effect.model import (
    Brake,
    DomainBox,
    Effect,
    GasLayer,
    ParticleLayer,
    PointSource,
    Prop,
    Source,
    Swirl,
)
from tenka.gas.bent import axis_of
from tenka.gas.felt import felt_at, resolve_forces
from tenka.gas.held import forces_of
from tenka.gas.placed import placed_table
from tenka.gas.settings import Moment
from tenka.run.plans import Plan

RATE = 24.0


@kernel
def _all(table, points, out):
    for i in range(points.shape[0]):
        found = felt_at(table, 0, points[i, 0], points[i, 1], points[i, 2])
        for a in range(7):
            out[i, a] = found[a]


def felt(forces, points: np.ndarray, t: float = 0.0, props: tuple = (), seed: int = 5) -> np.ndarray:
    """Rate, velocity and acceleration of one force at points, (n, 7)."""
    resolved = resolve_forces(forces, Moment(props, RATE, t, 1 / RATE), seed, lambda pull: (pull,))
    out = np.zeros((len(points), 7))
    _all(placed_table(resolved.locals), points, out)
    return out


def swirl(**changes: object) -> Swirl:
    return Swirl(id="whirl", name="Whirl", **changes)  # type: ignore[arg-type]


POINTS = np.random.default_rng(2).uniform(-2.5, 2.5, (400, 3))


def test_a_curve_that_is_straight_is_the_plain_column():
    plain = swirl(position=(0.2, 0.1, 0.3), tilt=25.0, turn=40.0)
    bent = plain.model_copy(update={"curve": ((0, 0, -1.5), (0, 0, 0.2), (0, 0, 1.5))})
    one, other = felt((plain,), POINTS), felt((bent,), POINTS)
    moved = one[:, 0] > 0
    assert 100 < moved.sum() < 400
    assert other[:, 0] == pytest.approx(one[:, 0], abs=1e-6)
    assert other[moved, 1:] == pytest.approx(one[moved, 1:], abs=1e-6)


def test_round_a_ring_the_air_turns_as_round_a_straight_axis():
    """A ring of 3 m: near it, the speed at a distance is that of the profile, square to the ring and to the
    way to it; through it the air goes all one way."""
    around = np.linspace(0, 1.9 * math.pi, 25)
    ring = tuple((3 * math.cos(a), 3 * math.sin(a), 0.0) for a in around)
    force = swirl(position=(0, 0, 0), curve=ring, reach=1.0, spin=1.0, lift=0.0, pull=0.0)
    angle, off = np.meshgrid(np.linspace(0.5, 5.0, 12), np.linspace(0.2, 6.0, 7))
    angle, off, r = angle.ravel(), off.ravel(), 0.3
    out = np.stack([np.cos(angle), np.sin(angle), 0 * angle], axis=1)
    ahead = np.stack([-np.sin(angle), np.cos(angle), 0 * angle], axis=1)
    away = np.cos(off)[:, None] * out + np.sin(off)[:, None] * np.array([0, 0, 1.0])
    found = felt((force,), 3 * out + r * away)[:, 1:4]
    straight = swirl(position=(0, 0, 0), reach=1.0, spin=1.0, lift=0.0, pull=0.0)
    speed = np.linalg.norm(felt((straight,), np.array([[r, 0, 0.0]]))[0, 1:4])
    assert speed > 1.0
    assert found == pytest.approx(speed * np.cross(ahead, away), abs=0.05 * speed)
    assert len({bool(v > 0) for v in felt((force,), 2.7 * out)[:, 3]}) == 1


def test_an_axis_wanders_about_its_place_and_no_further_than_set():
    force = swirl(wander=0.5, restless=0.7, height=2.0)
    axes = np.array([axis_of(force, 9, t) for t in np.arange(0, 400, 0.31)])
    assert np.abs(axes[..., :2]).max() <= 0.5
    assert np.abs(axes[..., :2].mean(axis=(0, 1))).max() < 0.02
    assert 0.15 < axes[..., 0].std() < 0.35
    assert axes[..., 2] == pytest.approx(np.broadcast_to(np.linspace(-1, 1, 33), axes.shape[:2]))
    step = np.abs(axis_of(force, 9, 5.0) - axis_of(force, 9, 5.01)).max()
    assert 0 < step < 0.05  # without jumps
    assert np.all(axis_of(force, 9, 5.0) == axis_of(force, 9, 5.0))


def test_an_unsteady_spin_swings_about_its_own():
    place = np.array([[0.6, 0.0, 1.0]])
    speeds = [
        felt((swirl(unsteady=0.5, restless=0.4, lift=0.0, pull=0.0),), place, t)[0, 2]
        for t in np.arange(0, 60, 0.17)
    ]
    steady = felt((swirl(lift=0.0, pull=0.0),), place)[0, 2]
    assert np.mean(speeds) == pytest.approx(steady, rel=0.06)
    assert 0.5 * steady <= min(speeds) < 0.75 * steady and 1.25 * steady < max(speeds) <= 1.5 * steady


def brake(**changes: object) -> Brake:
    return Brake(id="stop", name="Stop", rate=3.0, border=0.4, **changes)  # type: ignore[arg-type]


def effect_of(source: Source | PointSource, props: tuple[Prop, ...] = (), **changes: object) -> Effect:
    kind = GasLayer if isinstance(source, Source) else ParticleLayer
    layer = kind(id="own", name="Own", sources=(source,))
    force = brake(region="source", region_source="own/born", **changes)
    return Effect(layers=(layer,), forces=(force,), props=props)


@pytest.mark.parametrize("made", (Source, PointSource))
@pytest.mark.parametrize("shape", ("sphere", "box", "cylinder"))
def test_within_a_source_is_within_the_same_region(made: type, shape: str):
    size = (1.6, 1.0, 1.2) if shape == "box" else (1.4, 1.4, 1.4)
    source = made(id="born", name="Born", shape=shape, size=size, position=(0.3, -0.2, 0.4), turn=30.0)
    own = felt(forces_of(effect_of(source), None), POINTS)
    plain = brake(region=shape, region_size=size, position=(0.3, -0.2, 0.4), turn=30.0)
    other = felt((plain,), POINTS)
    assert other[:, 0].max() == 3.0
    assert own[:, 0] == pytest.approx(other[:, 0], abs=0.3)


def test_it_grows_and_goes_with_its_source():
    grows = Keys(keys=(Key(t=0.0, v=1.0, ease="linear"), Key(t=2.0, v=3.0)))
    goes = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=2.0, v=4.0)))
    source = Source(
        id="born",
        name="Born",
        shape="sphere",
        size=(1, 1, 1),
        position=(0, 0, 0),
        size_over=grows,
        shift_x=goes,
    )
    force = forces_of(effect_of(source), None)
    at = np.array([[0.5, 0, 0], [4.0, 0, 0], [4.0, 1.5, 0]])
    assert felt(force, at, 0.0)[:, 0] == pytest.approx([1.5, 0, 0], abs=0.6)
    assert felt(force, at, 2.0)[:, 0] == pytest.approx([0, 3.0, 1.5], abs=0.6)


@pytest.mark.parametrize("shape", ("torus", "cone", "capsule", "curve", "inside", "surface"))
def test_every_form_of_a_source_holds_it(shape: str):
    """By its volume: the integral of the share over space is that of the form within the border's width."""
    prop = Prop(id="crate", name="Crate", shape="box", size=(1.2, 1.0, 0.8), position=(0.1, 0, 0))
    source = Source(
        id="born",
        name="Born",
        shape=shape,
        prop="crate",
        size=(0.6, 0.6, 1.6) if shape == "capsule" else (1.6, 1.6, 0.6),
        position=(0, 0, 0.4),
        curve=((-0.7, 0, 0), (0.7, 0, 0)),
        thickness=0.2,
    )
    force = effect_of(source, (prop,)).forces[0].model_copy(update={"border": 0.1})
    effect = effect_of(source, (prop,)).model_copy(update={"forces": (force,)})
    n = 90
    x = np.linspace(-1.2, 1.2, n, endpoint=False) + 1.2 / n
    points = np.stack(np.meshgrid(x, x, x + 0.4, indexing="ij"), axis=-1).reshape(-1, 3)
    volume = felt(forces_of(effect, None), points, props=(prop,))[:, 0].sum() / 3.0 * (2.4 / n) ** 3
    expected = {
        "torus": 2 * math.pi**2 * 0.5 * 0.3**2,
        "cone": math.pi * 0.8**2 * 0.6 / 3,
        "capsule": math.pi * 0.3**2 * 1.0 + 4 / 3 * math.pi * 0.3**3,
        "curve": math.pi * 0.2**2 * 1.4 + 4 / 3 * math.pi * 0.2**3,
        "inside": 1.2 * 1.0 * 0.8,
        "surface": 1.6 * 1.4 * 1.2 - 0.8 * 0.6 * 0.4,
    }[shape]
    assert volume == pytest.approx(expected, rel=0.3 if shape == "surface" else 0.12)


def test_what_has_no_form_or_is_not_there_is_told():
    point = PointSource(id="born", name="Born", shape="point")
    with pytest.raises(BadInput, match="Stop is held to Born, which has no form of its own"):
        felt(forces_of(effect_of(point), None), POINTS)
    gone = effect_of(Source(id="other", name="Other"))
    with pytest.raises(BadInput, match="Stop is held to a source that is not in the effect"):
        felt(forces_of(gone, None), POINTS)


def test_stored_frames_know_the_form_that_a_force_is_held_to():
    def keys(effect: Effect) -> dict[int, str]:
        return Plan.of(effect, "dust").keys

    source = Source(id="born", name="Born", size=(1, 1, 1))
    gas = GasLayer(id="own", name="Own", sources=(source,), domain=DomainBox(voxel=0.2))
    dust = ParticleLayer(id="dust", name="Dust", sources=(PointSource(id="s", name="S"),))
    force = brake(region="source", region_source="own/born")
    effect = Effect(layers=(gas, dust), forces=(force,))
    wider = gas.model_copy(update={"sources": (source.model_copy(update={"size": (2, 1, 1)}),)})
    renamed = gas.model_copy(update={"sources": (source.model_copy(update={"name": "Else"}),)})
    assert keys(effect) != keys(effect.with_layer(wider))
    assert keys(effect) == keys(effect.with_layer(renamed))
