"""Layers that take from each other: keys, groups, chains in both directions, and what a moved cue moves."""

from __future__ import annotations

import gc
import weakref
from pathlib import Path

import numpy as np
import pytest
from build import KEEP, QUIET, small_effect

from tenka.base.errors import BadInput, TooLarge
from tenka.base.jobs import Progress
from tenka.cache.store import Frame, FrameStore
from tenka.effect.courses import Key, Keys
from tenka.effect.document import replaced
from tenka.effect.model import (
    Bed,
    Cue,
    DomainBox,
    Effect,
    GasLayer,
    Layer,
    ParticleLayer,
    PointCollider,
    PointMotion,
    PointSource,
    Prop,
    Source,
    Wind,
    ramp,
)
from tenka.run.driver import simulate
from tenka.run.frames import PointFrame
from tenka.run.links import groups, taking_part
from tenka.run.plans import Plan, plans_of

STRAIGHT = PointMotion(gravity=0.0, drag=0.0, ground="none", heat_half_life=3600.0)


def thrower(**changes: object) -> PointSource:
    base = {
        "shape": "point",
        "position": (-0.8, 0.0, 1.0),
        "rate": 0.0,
        "burst": 1,
        "direction": (1.0, 0.0, 0.0),
        "cone": 0.0,
        "speed": 9.0,
        "speed_spread": 0.0,
        "far_share": 0.0,
        "life": 9.0,
        "life_spread": 0.0,
        "width": 0.2,
        "least_width": 1.0,
    }
    return PointSource(id="throw", name="Throw", **{**base, **changes})  # type: ignore[arg-type]


def sparks(*sources: PointSource, id: str = "sparks", **changes: object) -> ParticleLayer:
    return ParticleLayer(
        id=id, name=id.title(), sources=sources, motion=changes.pop("motion", STRAIGHT), **changes
    )  # type: ignore[arg-type]


def smoke(*sources: Source, voxel: float = 0.1, **changes: object) -> GasLayer:
    box = DomainBox(origin=(-1, -1, 0), size=(2, 2, 2), voxel=voxel, run_up=0.0, open_low=(True, True, True))
    return GasLayer(
        id="smoke", name="Smoke", domain=box, sources=sources, motion=QUIET, fading=KEEP, **changes
    )  # type: ignore[arg-type]


def trail(**changes: object) -> Source:
    base = {
        "density": 5.0,
        "temperature": 0.0,
        "breakup": 0.0,
        "grip": 0.0,
        "point_size": 1.0,
        "point_size_over": ramp((0, 1), (1, 1)),
        "point_give_over": ramp((0, 1), (1, 1)),
    }
    return Source(id="trail", name="Trail", shape="particles", of="sparks", **{**base, **changes})  # type: ignore[arg-type]


def effect_of(*layers: Layer, frames: int = 6, **changes: object) -> Effect:
    return Effect(name="Small", seconds=frames / 24, layers=layers, **changes)  # type: ignore[arg-type]


def done(effect: Effect, folder: Path, layer: str) -> tuple[Plan, FrameStore]:
    store, plan = FrameStore(folder), plans_of(effect, None)[layer]
    simulate(plan, store, Progress())
    return plan, store


def gas_at(plan: Plan, store: FrameStore, frame: int) -> Frame:
    found = plan.read(store, frame)
    assert isinstance(found, Frame)
    return found


def points_at(plan: Plan, store: FrameStore, frame: int) -> PointFrame:
    found = plan.read(store, frame)
    assert isinstance(found, PointFrame)
    return found


# --- order and keys -------------------------------------------------------------------------------


def chain() -> Effect:
    """Sparks feed smoke; motes are carried by it."""
    motes = sparks(thrower(burst=20, speed=0.0), id="motes", motion=PointMotion(follows="smoke", gravity=0.0))
    return effect_of(motes, smoke(trail()), sparks(thrower()))


def test_layers_come_after_those_that_they_take_from():
    assert groups(chain()) == [("sparks",), ("smoke",), ("motes",)]


def test_layers_that_feed_each_other_are_one_group_particles_first():
    ash = sparks(thrower(), motion=PointMotion(follows="smoke"))
    effect = effect_of(smoke(trail()), ash)
    assert groups(effect) == [("smoke", "sparks")]
    assert list(Plan.of(effect, "smoke").group) == ["sparks", "smoke"]


def test_what_is_taken_from_is_simulated_even_when_another_is_heard_alone():
    effect = chain()
    alone = replaced(effect, "layers.motes.solo", True)
    assert [layer.id for layer in taking_part(alone)] == ["motes", "smoke", "sparks"]
    assert [layer.id for layer in taking_part(replaced(effect, "layers.sparks.solo", True))] == ["sparks"]


@pytest.mark.parametrize(
    "path, value, stale",
    [
        ("layers.sparks.sources.throw.speed", 4.0, {"sparks", "smoke", "motes"}),
        ("layers.smoke.motion.drag", 1.0, {"smoke", "motes"}),
        ("layers.motes.motion.follow", 1.0, {"motes"}),
        ("layers.sparks.look.brightness", 3.0, set()),
        ("layers.sparks.look.copies", 4, set()),
        ("layers.smoke.look.extinction", 3.0, set()),
        ("layers.motes.name", "Other", set()),
        ("seed", 7, {"sparks", "smoke", "motes"}),
    ],
)
def test_a_change_makes_stale_just_what_takes_from_it(path: str, value: object, stale: set[str]):
    before, after = (plans_of(e, None) for e in (chain(), replaced(chain(), path, value)))
    assert {id for id in before if before[id].keys[5] != after[id].keys[5]} == stale


def test_a_burst_that_moves_late_keeps_the_frames_before_it():
    effect = effect_of(smoke(trail()), sparks(thrower(burst_at=0.2)), frames=12)
    moved = replaced(effect, "layers.sparks.sources.throw.burst_at", 0.35)
    a, b = plans_of(effect, None), plans_of(moved, None)
    for id in ("sparks", "smoke"):
        same = [f for f in range(12) if a[id].keys[f] == b[id].keys[f]]
        assert same == [0, 1, 2, 3, 4]  # 0.2 s falls between frames 4 and 5


def test_a_burst_moved_within_a_sample_is_another_burst():
    effect = effect_of(sparks(thrower(burst_at=0.101)))
    keys = [
        plans_of(replaced(effect, "layers.sparks.sources.throw.burst_at", t), None)["sparks"].keys[5]
        for t in (0.101, 0.102, 0.103)
    ]
    assert len(set(keys)) == 3


def test_moving_a_cue_moves_all_that_hangs_on_it(tmp_path: Path):
    late = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=0.1, v=1.0), Key(t=0.2, v=0.0, ease="hold")))
    puff = Source(
        id="puff",
        name="Puff",
        position=(0, 0, 1),
        size=(0.5, 0.5, 0.5),
        cue="bang",
        emission=late,
        breakup=0.0,
    )
    effect = effect_of(
        smoke(puff),
        sparks(thrower(cue="bang", burst_at=0.05)),
        frames=16,
        cues=(Cue(id="bang", name="Bang", at=0.0),),
    )
    moved = replaced(effect, "cues.bang.at", 0.25)
    before, after = (done(e, tmp_path / n, "smoke") for e, n in ((effect, "a"), (moved, "b")))
    assert gas_at(*after, 5).density.max() == 0
    np.testing.assert_allclose(gas_at(*after, 14).density, gas_at(*before, 8).density, atol=2e-3)
    one, other = done(effect, tmp_path / "a", "sparks"), done(moved, tmp_path / "b", "sparks")
    assert len(points_at(*other, 7).points) == 0
    np.testing.assert_allclose(points_at(*other, 14).points.place, points_at(*one, 8).points.place, atol=1e-5)


# --- particles to gas -----------------------------------------------------------------------------


@pytest.mark.parametrize("follow", [False, True])
def test_a_fast_particles_smoke_has_no_beads(tmp_path: Path, follow: bool):
    layer = smoke(trail(density=60.0), voxel=0.05)
    layer = layer.model_copy(update={"domain": layer.domain.model_copy(update={"follow": follow})})
    plan, store = done(effect_of(layer, sparks(thrower())), tmp_path, "smoke")
    frame = gas_at(plan, store, 4)
    along = frame.density.astype(float).sum(axis=(1, 2))
    x = frame.origin[0] + (np.arange(len(along)) + 0.5) * frame.voxel
    inner = along[(x > -0.65) & (x < 0.45)]
    assert len(inner) > 15 and inner.std() / inner.mean() < 0.05  # at 9 m/s it goes seven voxels in a frame


def test_what_a_particle_gives_does_not_depend_on_the_voxel_or_the_steps(tmp_path: Path):
    masses = []
    for n, (voxel, most) in enumerate(((0.1, 1), (0.1, 8), (0.05, 8), (0.2, 4))):
        layer = smoke(trail(), voxel=voxel)
        layer = layer.model_copy(
            update={"quality": layer.quality.model_copy(update={"courant": 0.5, "most_substeps": most})}
        )
        plan, store = done(effect_of(layer, sparks(thrower(speed=2.0)), frames=9), tmp_path / str(n), "smoke")
        masses.append(gas_at(plan, store, 8).density.astype(float).sum() * voxel**3)
    wanted = 5.0 * (8 / 24) * 4 / 3 * np.pi * 0.1**3  # rate, time, volume
    assert np.allclose(masses, wanted, rtol=0.03), masses


def test_streaks_taper_over_life(tmp_path: Path):
    tapering = trail(density=60.0, point_size_over=ramp((0, 1), (1, 0.2)))
    plan, store = done(
        effect_of(smoke(tapering, voxel=0.05), sparks(thrower(life=0.2, speed=7.0))), tmp_path, "smoke"
    )
    frame = gas_at(plan, store, 5)
    along = frame.density.astype(float).sum(axis=(1, 2))
    x = frame.origin[0] + (np.arange(len(along)) + 0.5) * frame.voxel
    parts = [along[(x > a) & (x < a + 0.3)].mean() for a in (-0.7, -0.3, 0.1)]
    assert parts[0] > 2 * parts[1] > 4 * parts[2] * 0.9


def test_particles_hand_their_movement_to_the_gas(tmp_path: Path):
    stirring = trail(density=0.0, grip=30.0, carried=ramp((0, 1), (1, 1)), point_size=3.0)
    plan, store = done(
        effect_of(smoke(stirring), sparks(thrower(burst=60, scatter=(0.2, 0.8, 0.8), speed=3.0))),
        tmp_path,
        "smoke",
    )
    frame = plan.read(store, 5, velocity=True)
    assert isinstance(frame, Frame) and frame.velocity is not None
    assert frame.velocity[0].max() > 0.8 and frame.density.max() == 0


def test_a_final_run_is_finer_and_fed_by_the_same_particles(tmp_path: Path):
    effect = effect_of(smoke(trail(density=40.0)), sparks(thrower(speed=2.0)), frames=8)
    store, final, preview = FrameStore(tmp_path), plans_of(effect, None, final=True), plans_of(effect, None)
    assert final["sparks"].keys == preview["sparks"].keys and final["smoke"].keys != preview["smoke"].keys
    for plans in (preview, final):
        simulate(plans["smoke"], store, Progress())
    coarse, fine = gas_at(preview["smoke"], store, 7), gas_at(final["smoke"], store, 7)
    assert fine.voxel == coarse.voxel / 2 and fine.density.dtype == np.float32
    masses = [f.density.astype(float).sum() * f.voxel**3 for f in (coarse, fine)]
    assert masses[1] == pytest.approx(masses[0], rel=0.05)


def test_a_bed_and_its_gas_have_a_final_run_too(tmp_path: Path):
    ash = sparks(thrower(), motion=PointMotion(follows="smoke", gravity=0.0, ground="none"))
    effect = effect_of(ash, smoke(trail(density=40.0)), frames=5)
    store, final = FrameStore(tmp_path), plans_of(effect, None, final=True)
    assert set(final["smoke"].group) == {"smoke"} and set(final["smoke"].feeds) == {"sparks"}
    simulate(final["smoke"], store, Progress())
    assert gas_at(final["smoke"], store, 4).density.max() > 0


# --- gas to particles -----------------------------------------------------------------------------


def test_a_stored_gas_carries_particles(tmp_path: Path):
    wind = Wind(id="wind", name="Wind", speed=2.0, gusts=0.0, grip=50.0)
    air = smoke()
    carried = sparks(
        thrower(speed=0.0, position=(-0.5, 0, 1)),
        motion=PointMotion(gravity=0.0, drag=0.0, forces=0.0, ground="none", follows="smoke", follow=200.0),
    )
    plan, store = done(effect_of(air, carried, frames=12, forces=(wind,)), tmp_path, "sparks")
    assert points_at(plan, store, 11).points.velocity[0] == pytest.approx((2.0, 0.0, 0.0), abs=0.05)
    loose = replaced(plan.document, "layers.sparks.motion.follow", 0.0)
    plan, store = done(loose, tmp_path, "sparks")
    assert np.abs(points_at(plan, store, 11).points.velocity).max() == 0


def test_births_in_a_gas_lie_where_it_is_dense(tmp_path: Path):
    ball = Source(
        id="ball",
        name="Ball",
        position=(0.3, 0, 1),
        size=(0.6, 0.6, 0.6),
        density=20.0,
        breakup=0.0,
        temperature=0.0,
    )
    born = PointSource(
        id="born",
        name="Born",
        shape="gas",
        of="smoke",
        least=0.5,
        rate=2000.0,
        start=0.1,
        speed=0.0,
        stays=True,
    )
    plan, store = done(effect_of(smoke(ball), sparks(born), frames=12), tmp_path, "sparks")
    p = points_at(plan, store, 11).points
    assert 600 < len(p) < 800
    assert np.linalg.norm(p.place - (0.3, 0, 1), axis=1).max() < 0.55


def test_a_bed_sleeps_until_gas_or_a_mover_disturbs_it(tmp_path: Path):
    bed = PointSource(
        id="bed",
        name="Bed",
        shape="box",
        position=(0, 0, 0.01),
        size=(1.6, 1.6, 0.01),
        rate=0.0,
        burst=400,
        stays=True,
        width=0.01,
    )
    lying = sparks(
        bed, motion=PointMotion(follows="smoke", follow=20.0, drag=1.0), bed=Bed(rests=True, wakes_at=0.5)
    )
    blow = Source(
        id="blow",
        name="Blow",
        position=(0, 0, 0.2),
        size=(0.5, 0.5, 0.3),
        density=1.0,
        outward=4.0,
        grip=60.0,
        start=0.25,
        temperature=0.0,
    )
    closed = smoke(blow)
    closed = closed.model_copy(
        update={"domain": closed.domain.model_copy(update={"open_low": (True, True, False)})}
    )
    effect = effect_of(lying, closed, frames=16)
    plan, store = done(effect, tmp_path, "sparks")
    asleep = [(points_at(plan, store, f).points.state & 1).mean() for f in (0, 5, 15)]
    assert asleep[0] == asleep[1] == 1.0 and asleep[2] < 0.95
    assert np.abs(points_at(plan, store, 5).points.velocity).max() == 0
    woken = points_at(plan, store, 15).points
    moved = (woken.state & 1) == 0
    assert (
        np.linalg.norm(woken.place[moved, :2], axis=1).mean()
        < np.linalg.norm(woken.place[~moved, :2], axis=1).mean() + 0.2
    )


def test_a_bed_feeds_the_gas_that_wakes_it_in_one_group(tmp_path: Path):
    bed = PointSource(
        id="bed",
        name="Bed",
        shape="box",
        position=(0, 0, 0.01),
        size=(1.6, 1.6, 0.01),
        rate=0.0,
        burst=300,
        stays=True,
        width=0.05,
    )
    lying = sparks(
        bed, motion=PointMotion(follows="smoke", follow=20.0, drag=1.0), bed=Bed(rests=True, wakes_at=0.4)
    )
    blow = Source(
        id="blow",
        name="Blow",
        position=(0, 0, 0.2),
        size=(0.5, 0.5, 0.3),
        density=0.0,
        outward=4.0,
        grip=60.0,
        start=0.1,
        temperature=0.0,
    )
    air = smoke(trail(density=200.0, point_size=4.0, point_least=0.001), blow)
    floor = air.domain.model_copy(update={"open_low": (True, True, False)})
    effect = effect_of(lying, air.model_copy(update={"domain": floor}), frames=10)
    plans = plans_of(effect, None)
    assert (
        set(plans["smoke"].group) == {"sparks", "smoke"} and plans["smoke"].keys[3] != plans["sparks"].keys[3]
    )
    plan, store = done(effect, tmp_path, "smoke")
    assert gas_at(plan, store, 2).density.max() == 0 and gas_at(plan, store, 9).density.max() > 0.05
    # a run that begins again from its middle gives the same
    for f in range(6, 10):
        for p in plans.values():
            store.drop(p.name(f))
    whole = gas_at(*done(effect, tmp_path / "again", "smoke"), 9)
    simulate(plans["sparks"], store, Progress())
    np.testing.assert_array_equal(gas_at(plan, store, 9).density, whole.density)


# --- particles to particles -----------------------------------------------------------------------


def test_particles_give_birth_over_their_life_at_their_place(tmp_path: Path):
    child = PointSource(
        id="child",
        name="Child",
        shape="particles",
        of="sparks",
        rate=240.0,
        speed=0.0,
        stays=True,
        width=0.01,
    )
    plan, store = done(effect_of(sparks(thrower(life=0.15)), sparks(child, id="embers")), tmp_path, "embers")
    p = points_at(plan, store, 5).points
    assert len(p) == pytest.approx(0.15 * 240, abs=1)
    np.testing.assert_allclose(p.place[:, 0], -0.8 + 9.0 * p.born, atol=0.02)
    gaps = np.diff(np.sort(p.born))
    np.testing.assert_allclose(gaps, 1 / 240, rtol=1e-3)


@pytest.mark.parametrize(
    "on, count, at", [("birth", 5, (-0.8, 1.0)), ("death", 5, (0.55, 1.0)), ("bounce", 5, (None, 0.1))]
)
def test_particles_give_birth_at_their_moments(tmp_path: Path, on: str, count: int, at: tuple):
    falling = STRAIGHT.model_copy(update={"ground": "bounce", "bounce": 0.2}) if on == "bounce" else STRAIGHT
    way = {"direction": (1, 0, -3)} if on == "bounce" else {}
    child = PointSource(
        id="child",
        name="Child",
        shape="particles",
        of="sparks",
        born_on=on,
        burst=count,
        rate=0.0,
        speed=0.0,
        stays=True,
    )
    plan, store = done(
        effect_of(sparks(thrower(life=0.15, **way), motion=falling), sparks(child, id="embers")),
        tmp_path,
        "embers",
    )
    p = points_at(plan, store, 5).points
    assert len(p) == count and len(np.unique(p.id)) == count
    if at[0] is not None:
        assert p.place[:, 0] == pytest.approx(at[0], abs=0.02)
    assert p.place[:, 2] == pytest.approx(at[1], abs=0.02)


# --- refusals -------------------------------------------------------------------------------------


def test_absurd_counts_are_refused_with_the_memory_before_anything_runs(tmp_path: Path):
    flood = sparks(thrower(rate=5e6, burst=0, start=0.0, stays=True), most=20_000_000)
    effect = effect_of(flood, frames=24 * 300)
    from tenka.particles import solver

    before = solver.free_bytes
    solver.free_bytes = lambda: 10**9
    try:
        with pytest.raises(TooLarge, match=r"20,000,000 particles at once in Sparks would take about .* GB"):
            plans_of(effect, None)["sparks"].runner(None)
    finally:
        solver.free_bytes = before


def test_births_beyond_the_limit_are_counted(tmp_path: Path):
    plan, store = done(effect_of(sparks(thrower(burst=50), most=30)), tmp_path, "sparks")
    frame = points_at(plan, store, 5)
    assert len(frame.points) == 30 and frame.meta["lost"]["refused"] == 20
    plan, store = done(
        effect_of(sparks(thrower(rate=2400.0, burst=0, start=0.0, stays=True), most=30)), tmp_path, "sparks"
    )
    frame = points_at(plan, store, 5)
    assert len(frame.points) == 30 and frame.meta["lost"]["refused"] > 400


@pytest.mark.parametrize(
    "change, sentence",
    [
        ({"of": "gone"}, "names the layer 'gone'"),
        ({"of": "sparks"}, "names its own layer"),
        ({"of": "smoke"}, "hands over a gas and not particles"),
    ],
)
def test_links_to_nothing_or_to_the_wrong_kind_are_refused(change: dict, sentence: str):
    child = PointSource(id="child", name="Child", shape="particles", **change)
    with pytest.raises(ValueError, match=sentence):
        effect_of(smoke(), sparks(child))


def test_a_link_that_is_taken_away_is_refused_in_a_sentence():
    with pytest.raises(BadInput, match="names the layer 'sparks'"):
        replaced(chain(), "layers", tuple(layer for layer in chain().layers if layer.id != "sparks"))


def test_only_props_that_take_part_change_the_keys():
    box = Prop(id="box", name="Box", size=(1, 1, 1))
    stopped = sparks(thrower(), colliders=(PointCollider(id="stop", name="Stop", prop="box"),))

    def keys(layer: ParticleLayer, size: float) -> dict[int, str]:
        props = (box.model_copy(update={"size": (size, 1.0, 1.0)}),)
        return plans_of(small_effect(layers=(layer,), props=props), None)["sparks"].keys

    assert keys(sparks(thrower()), 1.0) == keys(sparks(thrower()), 2.0)
    assert keys(stopped, 1.0) != keys(stopped, 2.0)


def test_children_carry_their_parents_colour(tmp_path: Path):
    child = PointSource(
        id="child", name="Child", shape="particles", of="sparks", rate=100.0, coloured=True, colour=(0, 0, 0)
    )
    plan, store = done(
        effect_of(sparks(thrower(colour=(0.2, 0.9, 0.1))), sparks(child, id="embers")), tmp_path, "embers"
    )
    assert np.allclose(points_at(plan, store, 5).points.colour, (0.2, 0.9, 0.1))


def test_a_solver_that_is_left_gives_its_memory_back_without_the_collector(tmp_path: Path):
    effect = small_effect()
    gc.collect()
    gc.disable()
    try:
        group = Plan.of(effect).runner(FrameStore(tmp_path))
        states = group.frame(group.start(), 0)
        held = weakref.ref(group.members["puff"].solver.work)
        del group, states
        assert held() is None, "its work space waits for the collector"
    finally:
        gc.enable()
