"""A water layer as the program runs it: amounts, hulls, beds, sources, forces, windows, findings."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tenka.base.errors import BadInput
from tenka.base.jobs import Cancelled, Progress
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.courses import Key, Keys
from tenka.effect.document import replaced
from tenka.effect.forces import Brake, Gravity, Turbulence, Wind
from tenka.effect.model import BasinBox, Effect, Flow, Foam, InWater, Prop, WaterLayer, WaterSource
from tenka.run.driver import figures_of, simulate
from tenka.run.kinds import kind_of
from tenka.run.plans import plans_of
from tenka.run.watering import WaterFrame, get_water, reached_at, water_between
from tenka.water.basin import Basin
from tenka.water.shapes import Stand, laid, profile_of


def straight(*keys: tuple[float, float]) -> Keys:
    return Keys(keys=tuple(Key(t=t, v=v, ease="linear") for t, v in keys))


def water(**more: Any) -> WaterLayer:
    box = {"origin": (-1.0, -1.0, -0.5), "size": (2.0, 2.0, 1.0), "depth": 0.5, "cell": 0.05}
    box |= more.pop("basin", {})
    return WaterLayer(id="water", name="Water", basin=BasinBox(**box), **more)


def effect_of(layer: WaterLayer, **more: Any) -> Effect:
    return Effect(layers=(layer,), **{"seconds": 1.0, **more})


def run(effect: Effect, folder: Path, final: bool = False) -> list[WaterFrame]:
    """All frames of the one water."""
    store, plan = FrameStore(folder / "frames"), plans_of(effect, None, final)[effect.layers[0].id]
    simulate(plan, store, Progress())
    return [plan.read(store, f) for f in range(effect.frames)]


def figures(effect: Effect, folder: Path) -> dict[int, dict[str, Any]]:
    run(effect, folder)
    return figures_of(plans_of(effect, None)["water"], FrameStore(folder / "frames"))


def findings(effect: Effect, folder: Path) -> list[Any]:
    layer = effect.layers[0]
    return kind_of(layer).findings(effect, layer, figures(effect, folder))


# --- amounts ---------------------------------------------------------------------------------------


def test_what_nothing_stirs_stays_exactly_as_it_is(tmp_path: Path):
    frames = run(effect_of(water(basin={"falls": 8.0, "falls_to": 30.0})), tmp_path)
    assert all(np.array_equal(f.rise, frames[0].rise) for f in frames)
    assert all(not f.u.any() and not f.v.any() and not f.foam.any() for f in frames)
    # a floor that turns about its middle holds as much as an even one while it is under water
    assert frames[-1].meta["volume"] == pytest.approx(2.0, rel=1e-6)


@pytest.mark.parametrize(("cell", "rate"), [(0.1, 24.0), (0.05, 24.0), (0.05, 60.0), (0.04, 12.0)])
def test_an_inflow_gives_what_it_says_at_any_cell_and_rate(cell: float, rate: float, tmp_path: Path):
    flow = straight((0.0, 0.0), (0.5, 0.2), (1.0, 0.0))  # 0.1 m^3 in all
    source = WaterSource(id="in_", name="In", flow=flow, position=(0.2, 0.1, 0.2), size=(0.3, 0.3, 0.3))
    effect = effect_of(water(basin={"cell": cell}, sources=(source,)), rate=rate, seconds=1.0 + 2.0 / rate)
    frames = run(effect, tmp_path)
    held = [f.meta["volume"] for f in frames]
    assert held[-1] - held[0] == pytest.approx(0.1, rel=5e-3)
    assert held[round(0.5 * rate)] - held[0] == pytest.approx(0.05, rel=3e-2)
    assert abs(frames[-1].meta["astray"]) < 1e-6 * held[0]


def test_an_inflow_through_half_a_second_gives_half(tmp_path: Path):
    source = WaterSource(id="in_", name="In", flow=0.2, start=0.25, end=0.75, position=(0, 0, 0.2))
    frames = run(effect_of(water(sources=(source,)), seconds=1.0 + 1 / 24), tmp_path)
    assert frames[-1].meta["given"] == pytest.approx(0.1, rel=1e-5)


def test_rain_raises_the_level_by_what_falls_and_its_rings_by_nothing(tmp_path: Path):
    rain = WaterSource(
        id="rain",
        name="Rain",
        shape="everywhere",
        gives="rain",
        rain=36_000.0,
        drops=40.0,
        position=(0, 0, 1),
    )
    frames = run(effect_of(water(sources=(rain,)), seconds=1.0 + 1 / 24), tmp_path)
    # 36 m an hour is 10 mm a second, on 4 square metres
    assert frames[-1].meta["given"] == pytest.approx(0.04, rel=1e-4)
    assert abs(frames[-1].meta["astray"]) < 1e-6
    assert float(frames[-1].rise.std()) > 3e-4
    again = run(effect_of(water(sources=(rain,)), seconds=1.0 + 1 / 24, seed=2), tmp_path)
    assert not np.array_equal(again[-1].rise, frames[-1].rise)


def test_an_outflow_takes_no_more_than_there_is(tmp_path: Path):
    out = WaterSource(id="out", name="Out", shape="everywhere", flow=-4.0, position=(0, 0, 0))
    frames = run(effect_of(water(sources=(out,)), seconds=1.5), tmp_path)
    assert frames[-1].meta["volume"] == pytest.approx(0.0, abs=1e-5)
    assert min(float((f.rise + f.rest).min()) for f in frames) >= -1e-6
    assert frames[-1].meta["given"] == pytest.approx(-frames[0].meta["volume"], rel=1e-5)


def test_a_held_level_is_reached(tmp_path: Path):
    hold = WaterSource(
        id="hold", name="Hold", shape="everywhere", gives="level", stands=0.1, grip=8.0, position=(0, 0, 0)
    )
    frames = run(effect_of(water(sources=(hold,))), tmp_path)
    t = frames[-1].time
    assert frames[-1].meta["level"] == pytest.approx(0.1 * (1 - np.exp(-8.0 * t)), rel=1e-3)


def test_a_dry_basin_fills_from_its_inflow(tmp_path: Path):
    source = WaterSource(id="in_", name="In", flow=0.1, position=(0, 0, 0.2), size=(0.4, 0.4, 0.4))
    effect = effect_of(water(basin={"depth": 0.0}, sources=(source,)), seconds=1.5)
    frames = run(effect, tmp_path)
    assert frames[0].meta["volume"] == 0.0
    assert frames[-1].meta["volume"] == pytest.approx(0.1 * frames[-1].time, rel=1e-4)
    assert np.isfinite(frames[-1].rise).all() and frames[-1].meta["fastest"] < 4.0


def test_slow_motion_passes_the_same_moments_later(tmp_path: Path):
    source = WaterSource(id="in_", name="In", flow=0.0, push=(0, 0, -1.5), end=0.1, position=(0, 0, 0))
    usual = run(effect_of(water(sources=(source,)), seconds=1.0), tmp_path)
    late = source.model_copy(update={"end": 0.2})
    slow = run(effect_of(water(sources=(late,), time_scale=0.5), seconds=2.0), tmp_path)
    a, b = usual[12], slow[24]
    assert float(np.abs(a.rise - b.rise).max()) < 0.06 * float(np.abs(a.rise).max())
    assert float(np.abs(b.u).max()) == pytest.approx(0.5 * float(np.abs(a.u).max()), rel=0.06)


def test_a_run_that_was_broken_off_goes_on_to_the_same_bytes(tmp_path: Path):
    source = WaterSource(id="in_", name="In", flow=0.1, push=(1.0, 0.5, 0), position=(0, 0, 0), foams=2.0)
    effect = effect_of(water(sources=(source,)))
    whole = run(effect, tmp_path / "a")
    store, plan = FrameStore(tmp_path / "b"), plans_of(effect, None)["water"]

    class Breaks(Progress):
        def step(self, count: int = 1) -> None:
            super().step(count)
            if self.done >= 9:
                raise Cancelled

    with pytest.raises(Cancelled):
        simulate(plan, store, Breaks())
    stored = sum(store.has(plan.name(f)) for f in range(effect.frames))
    assert 4 < stored < effect.frames
    report = simulate(plan, store, Progress())
    assert report.reused >= stored - 1
    last = plan.read(store, effect.frames - 1)
    for name in ("rise", "u", "v", "foam"):
        assert getattr(last, name).tobytes() == getattr(whole[-1], name).tobytes()


# --- what stands and moves in it -----------------------------------------------------------------------


def test_a_profile_holds_the_volume_of_what_is_immersed():
    box = Prop(id="box", name="Box", shape="box", size=(0.8, 0.4, 0.3))
    from tenka.scene.props import own_mesh

    corners = own_mesh(box, None).corners
    for heading in (0.0, 0.4, 1.3):
        profile = profile_of(corners, 0.05, 0.1)
        basin = Basin.flat((60, 60), 0.05, 1.0)
        thick = profile.thickness(-0.1, 0.0, -1.0)  # its lowest 10 cm
        here, (laid_thick,) = laid(profile, thick[None], Stand(1.5, 1.5, heading), basin)
        assert float(laid_thick.sum()) * 0.05**2 == pytest.approx(0.8 * 0.4 * 0.1, rel=0.07)


def towed(cells: str = "every", speed: float = 2.0, **basin: Any) -> Effect:
    raft = Prop(
        id="raft",
        name="Raft",
        shape="box",
        size=(0.5, 0.25, 0.2),
        position=(-1.2, 0.0, -0.06),
        shift_x=straight((0.0, 0.0), (2.0, 2.0 * speed)),
    )
    layer = water(
        basin={"origin": (-2.0, -1.2, -0.5), "size": (4.0, 2.4, 1.0), "cell": 0.05, **basin},
        colliders=(InWater(id="hull", name="Hull", prop="raft"),),
        flow=Flow(lengths=cells),
    )
    return effect_of(layer, props=(raft,), seconds=1.0)


def test_a_towed_hull_leaves_a_wake_that_is_alike_on_both_sides_and_no_water_less(tmp_path: Path):
    frames = run(towed(speed=1.6), tmp_path)
    last = frames[-1]
    assert last.meta["highest"] > 0.02 and last.meta["touching"] == ["hull"]
    assert float(np.abs(last.rise - last.rise[:, ::-1]).max()) < 2e-3 * last.meta["highest"] + 1e-6
    assert abs(last.meta["astray"]) < 1e-6 * last.meta["volume"]
    assert last.meta["foam"] > 0.01
    x, _ = Basin(last.cell, last.rest, last.origin, last.level).middles()
    ahead = x[:, 0] > -1.2 + 1.6 * last.time + 0.6
    assert float(np.abs(last.rise[ahead]).max()) < 0.5 * last.meta["highest"]
    assert last.under.max() > 0.9
    assert float(last.under.sum()) * last.cell**2 == pytest.approx(0.5 * 0.25, rel=0.1)


def test_a_hull_that_is_switched_off_makes_nothing(tmp_path: Path):
    effect = replaced(towed(), "layers.water.colliders.hull.push", 0.0)
    assert all(f.meta["highest"] == 0.0 for f in run(effect, tmp_path))
    later = replaced(
        towed(), "layers.water.colliders.hull.push", straight((0.0, 0.0), (0.4, 0.0), (0.5, 1.0))
    )
    frames = run(later, tmp_path)
    assert frames[8].meta["highest"] == 0.0 and frames[-1].meta["highest"] > 0.01


def test_a_shallow_wake_opens_as_the_speed_says(tmp_path: Path):
    """asin(1 / Fr), as a shock's front: a wedge that the fastest wave draws."""
    depth, speed = 0.1, 2.0
    effect = towed("long", speed, origin=(-2.0, -1.6, -depth), size=(5.0, 3.2, 1.0), depth=depth, cell=0.025)
    effect = replaced(effect, "props.raft.size", (0.3, 0.16, 0.2))
    effect = replaced(effect, "props.raft.position", (-1.6, 0.0, -0.02))
    effect = replaced(effect, "seconds", 1.3)
    last = run(effect, tmp_path)[-1]
    front = -1.6 + speed * last.time + 0.15
    x, y = (m.ravel() for m in Basin(last.cell, last.rest, last.origin, last.level).middles())
    places = []
    for back in np.linspace(0.5, 1.3, 9):
        row = last.rise[np.argmin(np.abs(x - (front - back)))]
        side = y > 0.1
        there = np.flatnonzero(row[side] > 0.3 * row[side].max())
        places.append((back, y[side][there.max()]))
    slope = np.polyfit(*np.array(places).T, 1)[0]
    froude = speed / np.sqrt(9.81 * depth)
    assert np.degrees(np.arctan(slope)) == pytest.approx(np.degrees(np.arcsin(1.0 / froude)), rel=0.12)


def test_a_window_that_follows_keeps_waves_and_foam_where_they_are(tmp_path: Path):
    whole = towed("long", 1.0, origin=(-3.0, -2.0, -0.5), size=(6.0, 4.0, 1.0))
    part = towed("long", 1.0, origin=(-3.0, -1.5, -0.5), size=(3.0, 3.0, 1.0), follows="raft")
    part = replaced(replaced(part, "seconds", 0.75), "layers.water.foam", Foam(contact=8.0))
    whole = replaced(replaced(whole, "seconds", 0.75), "layers.water.foam", Foam(contact=8.0))
    (tmp_path / "w").mkdir()
    a, b = run(whole, tmp_path / "w"), run(part, tmp_path)
    assert b[0].origin != b[-1].origin
    shift = np.subtract(b[-1].origin, b[0].origin) / b[0].cell
    assert np.allclose(shift, np.round(shift), atol=1e-4) and shift[0] == pytest.approx(
        (b[-1].time - 1 / 24) / 0.05, abs=2.1
    )
    i, j = (round((p - o) / a[-1].cell) for p, o in zip(b[-1].origin, a[-1].origin))
    nx, ny = b[-1].shape
    over = a[-1].rise[i : i + nx, j : j + ny]
    border = 12
    inner = np.s_[border:-border, border:-border]
    top = float(np.abs(over).max())
    assert float(np.abs(over - b[-1].rise)[inner].max()) < 0.06 * top
    assert float(np.abs(a[-1].foam[i : i + nx, j : j + ny] - b[-1].foam)[inner].max()) < 0.08


@pytest.mark.parametrize("speed", (0.6, 1.25))
def test_a_window_that_follows_a_slow_hull_makes_no_waves_of_its_own(tmp_path: Path, speed: float):
    """With waves of every length: short ones grew by how the window moved, and covered all of it."""
    box = {"origin": (-3.0, -1.5, -0.9), "depth": 0.9, "cell": 0.05}
    heights = []
    for name, size, follows in (("whole", (6.0, 3.0, 1.2), ""), ("part", (3.0, 3.0, 1.2), "raft")):
        effect = replaced(towed("every", speed, size=size, follows=follows, **box), "seconds", 1.5)
        (tmp_path / name).mkdir()
        last = run(effect, tmp_path / name)[-1]
        heights.append(float(np.abs(last.rise).sum()) * last.cell**2)
    assert heights[1] < 1.1 * heights[0]


def test_water_goes_round_a_bed_and_is_lifted_by_it(tmp_path: Path):
    post = Prop(id="post", name="Post", shape="box", size=(0.4, 0.4, 2.0), position=(0.3, 0.0, -0.6))
    source = WaterSource(
        id="in_", name="In", flow=0.0, push=(1.0, 0, 0), size=(0.4, 1.6, 0.4), position=(-0.6, 0, 0)
    )
    layer = water(
        colliders=(InWater(id="stands", name="Stands", prop="post", acts="bed"),), sources=(source,)
    )
    frames = run(effect_of(layer, props=(post,), seconds=0.6), tmp_path)
    dry = frames[-1].depth <= 1e-4
    assert dry.sum() * 0.05**2 == pytest.approx(0.16, rel=0.12)
    x, y = Basin(0.05, frames[-1].rest, frames[-1].origin, 0.0).middles()
    inside = (np.abs(x - 0.3) < 0.15) & (np.abs(y) < 0.15)
    assert dry[inside].all()
    u, v = frames[-1].speed
    assert np.abs(v)[(np.abs(x - 0.05) < 0.1) & (np.abs(np.abs(y) - 0.25) < 0.1)].max() > 0.03
    assert abs(frames[-1].meta["astray"]) < 1e-6
    sill = Prop(
        id="sill",
        name="Sill",
        shape="box",
        size=(1.0, 1.0, 0.2),
        position=(0, 0, -0.7),
        shift_z=straight((0.0, 0.0), (0.3, 0.2)),
    )
    layer = water(colliders=(InWater(id="sill", name="Sill", prop="sill", acts="bed"),))
    frames = run(effect_of(layer, props=(sill,), seconds=0.5), tmp_path)
    assert frames[-1].meta["volume"] == pytest.approx(frames[0].meta["volume"], rel=1e-5)
    assert frames[-1].meta["highest"] > 0.03  # a bed that rises lifts what is over it


def test_a_sluice_lets_through_what_its_head_drives(tmp_path: Path):
    """Below a gate water goes at sqrt(2 g head): head on one side, a dry bed on the other."""
    gate = Prop(id="gate", name="Gate", shape="box", size=(0.1, 1.2, 1.2), position=(0.0, 0.0, -0.44))
    drain = WaterSource(
        id="out", name="Out", shape="box", flow=-9.0, size=(0.5, 1.0, 2.0), position=(1.7, 0, 0)
    )
    hold = WaterSource(
        id="hold",
        name="Hold",
        shape="box",
        gives="level",
        stands=0.0,
        grip=60.0,
        size=(0.6, 1.0, 2),
        position=(-1.7, 0, 0),
    )
    layer = water(
        basin={"origin": (-2.0, -0.5, -0.5), "size": (4.0, 1.0, 1.0), "cell": 0.05, "depth": 0.5},
        colliders=(InWater(id="gate", name="Gate", prop="gate", acts="bed"),),
        sources=(drain, hold),
        flow=Flow(lengths="long", drag=0.0),
    )
    frames = run(effect_of(layer, props=(gate,), seconds=6.0), tmp_path)
    gap, last = 0.06, frames[-1]
    u, _ = last.speed
    # what passes in a second, from what the middle of the lower side carries on
    i = int((0.6 + 2.0) / 0.05)
    through = float((u[i] * last.depth[i]).sum() * 0.05)
    assert through == pytest.approx(gap * np.sqrt(2 * 9.81 * 0.5) * 1.0, rel=0.25)
    shut = replaced(effect_of(layer, props=(gate,), seconds=1.0), "props.gate.position", (0.0, 0.0, -0.5))
    frames = run(shut, tmp_path)
    low = frames[-1].rise[: int(1.8 / 0.05)]
    assert np.abs(low).max() < 1e-3  # nothing goes over or under it


# --- forces --------------------------------------------------------------------------------------------


def test_a_gravity_that_leans_tilts_the_water_until_it_lies_across_it(tmp_path: Path):
    lean = Gravity(id="lean", name="Lean", strength=0.05, heading=0.0)
    layer = water(flow=Flow(lengths="long", drag=6.0))
    last = run(effect_of(layer, forces=(lean,), seconds=6.0), tmp_path)[-1]
    slope = (last.rise[-1].mean() - last.rise[0].mean()) / (2.0 - 0.05)
    assert slope == pytest.approx(0.05, rel=0.03)


def test_a_wind_draws_the_water_along_as_the_law_says(tmp_path: Path):
    wind = Wind(id="wind", name="Wind", speed=10.0, heading=0.0, gusts=0.0)
    layer = water(flow=Flow(lengths="long", drag=6.0, wind=100.0))
    last = run(effect_of(layer, forces=(wind,), seconds=6.0), tmp_path)[-1]
    slope = (last.rise[-1].mean() - last.rise[0].mean()) / (2.0 - 0.05)
    # the surface's slope bears the wind's pull: 1.2 x 1.3e-3 x 10^2 x 100 / (1000 x 9.81 x 0.5)
    assert slope == pytest.approx(15.6 / (1000 * 9.81 * 0.5), rel=0.05)
    still = run(effect_of(layer, forces=(wind.model_copy(update={"passed_over": True}),)), tmp_path)[-1]
    assert not still.u.any()


def test_a_brake_slows_it_and_eddies_are_told_to_do_nothing(tmp_path: Path):
    push = WaterSource(
        id="in_", name="In", flow=0.0, push=(1, 0, 0), end=0.3, shape="everywhere", position=(0, 0, 0)
    )
    layer = water(sources=(push,))
    slow = Brake(id="slow", name="Slow", rate=8.0)
    eddies = Turbulence(id="stir", name="Stir", strength=2.0)
    free, braked = (
        run(effect_of(layer, forces=f), tmp_path)[-1].meta["energy"] for f in ((), (slow, eddies))
    )
    assert braked < 0.2 * free
    told = findings(effect_of(layer, forces=(slow, eddies)), tmp_path)
    assert any("Stir does not act on Water" in f.text for f in told)


def test_a_source_that_is_moved_hands_on_its_own_speed(tmp_path: Path):
    from tenka.effect.model import ramp

    boat = WaterSource(
        id="in_",
        name="In",
        flow=0.0,
        shape="box",
        size=(0.4, 1.8, 0.4),
        position=(-0.7, 0, 0),
        grip=20.0,
        shift_x=straight((0.0, 0.0), (1.0, 1.0)),
        carried=ramp((0.0, 1.0), (1.0, 1.0)),
    )
    layer = water(flow=Flow(lengths="long", drag=0.0))
    kept = run(effect_of(layer.model_copy(update={"sources": (boat,)})), tmp_path)[-1]
    none = boat.model_copy(update={"carried": ramp((0.0, 0.0), (1.0, 0.0))})
    still = run(effect_of(layer.model_copy(update={"sources": (none,)})), tmp_path)[-1]
    assert not still.u.any() and kept.u.max() > 0.3


def test_a_basin_that_rides_on_a_prop_goes_where_that_is_put(tmp_path: Path):
    from tenka.run.fitting import ridden

    quay = Prop(id="quay", name="Quay", shape="box", size=(1, 1, 1))
    before = effect_of(water(basin={"rides": "quay"}), props=(quay,))
    after = ridden(before, replaced(before, "props.quay.position", (2.0, -1.0, 0.5)))
    assert after.layers[0].basin.origin == (1.0, -2.0, 0.0)
    assert after.layers[0].basin.depth == before.layers[0].basin.depth


# --- frames, documents, findings ------------------------------------------------------------------------


def test_between_two_frames_lies_their_blend_and_a_window_is_that_of_the_nearer(tmp_path: Path):
    a, b = run(towed(), tmp_path)[10:12]
    mixed = water_between(a, b, 0.25)
    assert np.allclose(mixed.rise, 0.75 * a.rise + 0.25 * b.rise, atol=1e-6) and mixed.time == pytest.approx(
        a.time + 0.25 * (b.time - a.time)
    )
    moved = WaterFrame(**{**vars(b), "origin": (b.origin[0] + b.cell, b.origin[1])})
    assert water_between(a, moved, 0.2).rise is a.rise and water_between(a, moved, 0.8).rise is moved.rise


def test_a_ray_meets_the_water_or_passes_it(tmp_path: Path):
    frame = run(effect_of(water(), seconds=0.1), tmp_path)[0]
    down = np.array([0.0, 0.0, -1.0])
    assert reached_at(frame, np.array([0.3, 0.2, 2.0]), down) == pytest.approx(2.0)
    assert reached_at(frame, np.array([3.0, 0.2, 2.0]), down) is None
    assert reached_at(frame, np.array([0.3, 0.2, 2.0]), np.array([1.0, 0, 0])) is None


def test_a_frame_that_was_damaged_is_no_frame(tmp_path: Path):
    effect = effect_of(water(), seconds=0.2)
    run(effect, tmp_path)
    store, plan = FrameStore(tmp_path / "frames"), plans_of(effect, None)["water"]
    store.put(plan.name(1), {"rise": np.zeros((2, 2), np.float32)}, {"time": 0.0})
    assert get_water(store, plan.name(1)) is None and not store.has(plan.name(1))


def test_cells_go_by_size_or_by_count(tmp_path: Path):
    layer = water(basin={"size": (4.0, 2.0, 1.0), "cell": 0.1})
    assert layer.basin.cells == (40, 20) and layer.basin.edge == 0.1
    counted = water(basin={"size": (4.0, 2.0, 1.0), "cells_by": "count", "count": 100})
    assert counted.basin.cells == (100, 50) and counted.basin.edge == pytest.approx(0.04)
    twice = counted.model_copy(update={"basin": counted.basin.model_copy(update={"size": (8.0, 4.0, 1.0)})})
    assert twice.basin.cells == (100, 50) and twice.basin.edge == pytest.approx(0.08)
    keys = [plans_of(effect_of(x), None)["water"].keys[0] for x in (layer, counted, twice)]
    assert len(set(keys)) == 3
    file = tmp_path / "e.tenka"
    storage.save(effect_of(counted), file)
    assert storage.load(file) == effect_of(counted)


def test_looks_simulate_nothing_again_and_what_shapes_it_does(tmp_path: Path):
    effect = towed()
    keys = plans_of(effect, None)["water"].keys
    for path, value in (
        ("layers.water.look.murk", 3.0),
        ("layers.water.look.ripples", 0.05),
        ("layers.water.basin.rides", "raft"),
    ):
        assert plans_of(replaced(effect, path, value), None)["water"].keys == keys
    for path, value in (
        ("layers.water.flow.drag", 0.5),
        ("layers.water.foam.half_life", 5.0),
        ("layers.water.colliders.hull.push", 0.4),
        ("layers.water.basin.follows", "raft"),
        ("props.raft.size", (0.6, 0.3, 0.2)),
        ("seed", 9),
    ):
        assert plans_of(replaced(effect, path, value), None)["water"].keys != keys, path


def test_what_is_likely_wrong_is_told_and_mended(tmp_path: Path):
    assert findings(towed(), tmp_path) == []
    high = replaced(towed(), "props.raft.position", (-1.2, 0.0, 0.4))
    (found,) = findings(high, tmp_path)
    assert "Raft touches no water of Water" in found.text
    under = replaced(towed(), "props.raft.position", (-1.2, 0.0, -2.0))
    (found,) = findings(under, tmp_path)
    assert "touches no water" in found.text and "under its bed" in found.text
    coarse = replaced(towed(), "layers.water.basin.cell", 0.2)
    found = next(f for f in findings(coarse, tmp_path) if "less than 3 cells" in f.text)
    assert found.mended is not None and found.mended.layers[0].basin.edge < 0.09
    assert not any("less than" in f.text for f in findings(found.mended, tmp_path))
    dry = effect_of(water(basin={"depth": 0.0}), seconds=0.2)
    (found,) = findings(dry, tmp_path)
    assert "is dry" in found.text and found.mended is not None
    assert findings(found.mended, tmp_path) == []
    low = replaced(towed(), "layers.water.basin.size", (4.0, 2.4, 0.51))
    found = next(f for f in findings(low, tmp_path) if "has room for" in f.text)
    assert found.mended is not None and findings(found.mended, tmp_path) == []
    fast = effect_of(
        water(basin={"origin": (-1, -1, -40.0), "depth": 40.0, "cell": 0.02}), seconds=0.5, rate=8.0
    )
    assert any("cross more than a cell a step" in f.text for f in findings(fast, tmp_path))
    small = towed(size=(2.0, 2.0, 1.0), follows="raft")
    assert any("what leaves it is forgotten" in f.text for f in findings(small, tmp_path))


def test_a_water_too_large_for_the_machine_is_refused_in_a_sentence(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
):
    monkeypatch.setattr("tenka.water.solver.free_bytes", lambda: 50_000_000)
    with pytest.raises(BadInput, match=r"has 2,000 x 2,000 cells, which need"):
        run(effect_of(water(basin={"cell": 0.001 * 2, "size": (4.0, 4.0, 1.0)}), seconds=0.1), tmp_path)


def test_thick_mud_stands_where_it_is_poured(tmp_path: Path):
    pour = WaterSource(id="pour", name="Pour", flow=0.05, end=0.8, size=(0.3, 0.3, 0.3), position=(0, 0, 0.2))
    layer = water(
        basin={"depth": 0.02, "cell": 0.04},
        sources=(pour,),
        flow=Flow(lengths="long", viscosity=0.03, stress=400.0, density=1700.0, drag=0.0),
    )
    frames = run(effect_of(layer, seconds=4.0), tmp_path)
    top = [f.meta["highest"] for f in frames]
    assert top[-1] > 0.05 and top[-1] == pytest.approx(top[-12], rel=0.02)  # it has come to rest
    assert frames[-1].meta["fastest"] < 2e-3 and frames[-1].meta["foam"] == 0.0
    # nowhere is it steeper than its yield stress bears: stress = density g h slope
    last = frames[-1]
    slope = np.hypot(*np.gradient(last.rise, last.cell))
    deep = np.maximum(last.depth, 1e-3)
    assert float(np.quantile(1700 * 9.81 * deep * slope, 0.98)) < 1.25 * 400.0
