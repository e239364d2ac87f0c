"""A liquid layer as the program runs it: what is given, kept, resumed, drawn, meshed, found, and told."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pygltflib
import pytest
import trimesh

from tenka.base.errors import BadInput
from tenka.base.jobs import Cancelled, Progress
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.document import replaced
from tenka.effect.forces import Wind
from tenka.effect.model import (
    Effect,
    LiquidCollider,
    LiquidLayer,
    LiquidMotion,
    LiquidQuality,
    LiquidSource,
    ParticleLayer,
    PointSource,
    Prop,
    Tank,
)
from tenka.liquid.nets import net_of
from tenka.pack.packing import pack
from tenka.pack.points import export
from tenka.package.manifest import read
from tenka.package.netfile import NetFile
from tenka.run.driver import figures_of, simulate
from tenka.run.kinds import kind_of
from tenka.run.liquids import LiquidFrame, liquid_between
from tenka.run.plans import plans_of

SHUT = (False, False, False)
POOL = LiquidSource(
    id="pool", name="Pool", shape="box", gives="fill", position=(0, 0, 0.2), size=(1, 1, 0.4), push=(0, 0, 0)
)
JET = LiquidSource(id="jet", name="Jet", position=(0, 0, 0.4), size=(0.2, 0.2, 0.2), push=(0, 0, 3.0))


def liquid(*sources: LiquidSource, **more: Any) -> LiquidLayer:
    tank = {"origin": (-0.5, -0.5, 0.0), "size": (1.0, 1.0, 1.0), "voxel": 0.05} | more.pop("tank", {})
    return LiquidLayer(id="liquid", name="Liquid", tank=Tank(**tank), sources=sources or (POOL,), **more)


def effect_of(layer: LiquidLayer, **more: Any) -> Effect:
    return Effect(layers=(layer, *more.pop("further", ())), **{"seconds": 0.5, **more})


def run(effect: Effect, folder: Path) -> list[LiquidFrame]:
    store, plan = FrameStore(folder / "frames"), plans_of(effect, None)["liquid"]
    simulate(plan, store, Progress())
    return [plan.read(store, f) for f in range(effect.frames)]


def findings(effect: Effect, folder: Path) -> list[str]:
    run(effect, folder)
    layer = effect.layers[0]
    known = figures_of(plans_of(effect, None)["liquid"], FrameStore(folder / "frames"))
    return [f.text for f in kind_of(layer).findings(effect, layer, known)]


@pytest.mark.parametrize("voxel", [0.05, 0.04])
def test_a_fill_is_as_much_as_its_form_and_is_drawn_as_much(tmp_path: Path, voxel: float) -> None:
    """What is filled, and what is drawn of it, is the form's volume; shut in, it stays for good."""
    shut = {"open_low": SHUT, "open_high": SHUT, "voxel": voxel}
    frames = run(effect_of(liquid(tank=shut), seconds=1.0), tmp_path)
    for frame in (frames[0], frames[-1]):
        assert frame.meta["volume"] == pytest.approx(0.4, rel=0.02)
        assert frame.meta["drawn"] == pytest.approx(0.4, rel=0.03)
    level = net_of(frames[-1].skin).points[:, 2].max()
    assert level == pytest.approx(0.4, abs=0.6 * voxel)
    assert frames[-1].meta["went"] == 0.0


@pytest.mark.parametrize("steps", [1, 3])
def test_a_jet_rises_as_high_as_its_speed(tmp_path: Path, steps: int) -> None:
    """v^2 / 2g over where it is let go."""
    layer = liquid(JET, quality=LiquidQuality(courant=2.0 / steps, most_steps=48), tank={"size": (1, 1, 1.6)})
    frames = run(effect_of(layer, seconds=0.6), tmp_path)
    top = max(float(net_of(f.skin).points[:, 2].max()) for f in frames if f.skin is not None)
    assert top - 0.5 == pytest.approx(3.0**2 / (2 * 9.81), abs=0.09)
    came = [f.meta["came"] for f in frames]
    assert all(b >= a for a, b in zip(came, came[1:]))


def test_what_comes_in_is_there_or_has_left(tmp_path: Path) -> None:
    frames = run(effect_of(liquid(JET), seconds=1.0), tmp_path)
    last = frames[-1].meta
    assert last["went"] > 0.0
    assert last["came"] - last["went"] == pytest.approx(last["volume"], rel=1e-6)


def test_a_broken_run_goes_on_to_the_byte(tmp_path: Path) -> None:
    effect = effect_of(liquid(POOL, JET), seconds=1.0, forces=(Wind(id="wind", name="Wind", speed=4.0),))
    whole = run(effect, tmp_path / "whole")
    store, plan = FrameStore(tmp_path / "broken" / "frames"), plans_of(effect, None)["liquid"]
    progress = Progress()

    def stop(_: str, index: int, *_more: Any) -> None:
        if index == 15:
            progress.cancel()

    with pytest.raises(Cancelled):
        simulate(plan, store, progress, made=stop)
    simulate(plan, store, Progress())
    again = plan.read(store, effect.frames - 1)
    assert np.array_equal(again.distance, whole[-1].distance)
    assert np.array_equal(again.loose.place, whole[-1].loose.place)


def test_a_post_stands_in_its_way_and_a_ram_pushes(tmp_path: Path) -> None:
    from tenka.effect.courses import Key, Keys

    post = Prop(id="post", name="Post", size=(0.3, 0.3, 1.0), position=(0.0, 0.0, 0.0))
    stop = LiquidCollider(id="post", name="Post", prop="post")
    shut = {"open_low": SHUT, "open_high": SHUT}
    frames = run(effect_of(liquid(colliders=(stop,), tank=shut), props=(post,)), tmp_path / "still")
    points = net_of(frames[-1].skin).points
    inside = (np.abs(points[:, :2]) < 0.08).all(axis=1)
    assert not inside.any() and frames[-1].meta["volume"] == pytest.approx(0.4 - 0.3 * 0.3 * 0.4, rel=0.06)
    way = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=0.5, v=0.4, ease="linear")))
    ram = post.model_copy(update={"position": (-0.5, 0.0, 0.0), "size": (0.2, 1.2, 1.2), "shift_x": way})
    pushed = run(effect_of(liquid(colliders=(stop,), tank=shut), props=(ram,)), tmp_path / "moved")
    heap = net_of(pushed[-1].skin).points
    assert heap[:, 2].max() > 0.5  # it is heaped up before it
    assert heap[:, 0].min() > -0.12  # and none of it is where the ram has been


@pytest.mark.parametrize("slow", [1.0, 0.5, 2.0])
def test_what_is_thrown_falls_by_its_own_clock(tmp_path: Path, slow: float) -> None:
    """The middle of a ball of water by z0 + v t - g t^2 / 2 in its own time; its speed is what is seen."""
    ball = LiquidSource(
        id="ball",
        name="Ball",
        gives="fill",
        position=(0, 0, 0.5),
        size=(0.2,) * 3,
        push=(0, 0, 1.5),
        scatter=0.0,
    )
    frames = run(
        effect_of(liquid(ball, tank={"size": (1.0, 1.0, 1.2)}, time_scale=slow), seconds=0.45), tmp_path
    )
    for f in frames:
        own = slow * f.time
        if own > 0.35:  # it lies soon
            break
        middle = 0.5 * (f.meta["low"][2] + f.meta["high"][2])
        assert middle == pytest.approx(
            0.5 + 1.5 * own - 0.5 * 9.81 * own**2, abs=0.01 + 0.5 * 9.81 * own * slow / 24
        )
        assert f.meta["fastest"] == pytest.approx(slow * abs(1.5 - 9.81 * own), abs=0.12 * slow)


def test_what_is_thick_spreads_more_slowly(tmp_path: Path) -> None:
    lump = POOL.model_copy(update={"size": (0.4, 0.4, 0.6), "position": (0, 0, 0.3)})
    wide = []
    for n, thick in enumerate((0.0, 0.5)):
        layer = liquid(lump, motion=LiquidMotion(viscosity=thick))
        frame = run(effect_of(layer, seconds=0.4), tmp_path / str(n))[-1]
        inside = np.argwhere(frame.distance < 0) * frame.cell
        wide.append(float(inside[:, 0].std()))
    assert wide[0] > 1.1 * wide[1]


def test_between_two_frames_it_is_carried(tmp_path: Path) -> None:
    """A drop that falls is half way, and not there twice."""
    drop = POOL.model_copy(update={"shape": "sphere", "size": (0.3,) * 3, "position": (0, 0, 0.8)})
    frames = run(effect_of(liquid(drop), seconds=0.3), tmp_path)
    a, b = frames[4], frames[5]
    half = liquid_between(a, b, 0.5)
    middles = [float(net_of(f.skin).points[:, 2].mean()) for f in (a, half, b)]
    assert middles[1] == pytest.approx((middles[0] + middles[2]) / 2, abs=0.01)
    counts = [int((f.distance < 0).sum()) for f in (a, half, b)]
    assert counts[1] == pytest.approx((counts[0] + counts[2]) / 2, rel=0.1)
    assert half.time == pytest.approx((a.time + b.time) / 2)


def test_drops_give_birth_to_particles(tmp_path: Path) -> None:
    off = PointSource(id="off", name="Off", shape="particles", of="liquid", rate=20.0, life=0.3)
    spray = ParticleLayer(id="spray", name="Spray", sources=(off,))
    effect = effect_of(liquid(JET), further=(spray,), seconds=0.6)
    store, plans = FrameStore(tmp_path / "frames"), plans_of(effect, None)
    simulate(plans["spray"], store, Progress())
    last = plans["spray"].read(store, effect.frames - 1)
    assert len(last.points) > 5 and len(plans["liquid"].read(store, 5).loose) > 0


def test_its_meshes_are_closed_and_others_read_them(tmp_path: Path) -> None:
    effect = effect_of(liquid(POOL, JET), seconds=0.4)
    effect = replaced(effect.with_layers(effect.layers), "deliveries.liquid.route.coarser", 1)
    pack(effect, None, FrameStore(tmp_path / "frames"), tmp_path / "package")
    element = read(tmp_path / "package").elements[0]
    file = tmp_path / "package" / element.files[0]
    nets = NetFile(file)
    assert len(nets) == len(element.times)
    net = nets.at(len(nets) - 1)
    assert (len(net.points), len(net.faces), len(net.drops)) == (
        element.vertices[-1],
        element.triangles[-1],
        element.drops[-1],
    )
    first, volume = nets.at(0), drawn_at(effect, tmp_path, 0)
    mesh = trimesh.Trimesh(first.points, first.faces, process=False)
    edges = np.concatenate([net.faces[:, [0, 1]], net.faces[:, [1, 2]], net.faces[:, [2, 0]]]).astype(
        np.int64
    )
    ahead, back = (edges @ np.array(way) for way in ([1 << 32, 1], [1, 1 << 32]))
    assert np.array_equal(np.sort(ahead), np.sort(back))  # each edge is gone along both ways as often: closed
    assert mesh.volume == pytest.approx(volume, rel=0.04)
    others = pygltflib.GLTF2().load(str(file))
    assert len(others.meshes) == len(nets) and others.meshes[0].name == "frame_0000"
    scene = trimesh.load(file)
    assert sum(len(getattr(g, "faces", ())) for g in scene.geometry.values()) > 0
    (tmp_path / "cut.glb").write_bytes(file.read_bytes()[:200])
    with pytest.raises(BadInput, match="mesh sequence"):
        NetFile(tmp_path / "cut.glb")


def drawn_at(effect: Effect, folder: Path, index: int) -> float:
    plan = plans_of(effect, None)["liquid"]
    found = plan.read(FrameStore(folder / "frames"), index)
    return float(found.meta["drawn"])


def test_it_is_written_out_as_meshes_alone(tmp_path: Path) -> None:
    effect, store = effect_of(liquid(), seconds=0.2), FrameStore(tmp_path / "frames")
    written = export(effect, None, store, tmp_path / "out.glb")
    assert written.frames == effect.frames and len(NetFile(tmp_path / "out.glb")) == effect.frames
    with pytest.raises(BadInput, match=r"\.glb"):
        export(effect, None, store, tmp_path / "out.csv")


def test_findings_of_liquids(tmp_path: Path) -> None:
    far = JET.model_copy(update={"position": (5.0, 0.0, 0.0)})
    assert any("nothing comes into" in f for f in findings(effect_of(liquid(far)), tmp_path / "a"))
    thin = JET.model_copy(update={"size": (0.06, 0.3, 0.3)})
    assert any("less than 2 voxels" in f for f in findings(effect_of(liquid(thin)), tmp_path / "b"))
    fast = JET.model_copy(update={"push": (0.0, 0.0, 20.0)})
    hurried = liquid(fast, quality=LiquidQuality(most_steps=1))
    assert any("crosses more voxels" in f for f in findings(effect_of(hurried), tmp_path / "c"))
    few = liquid(quality=LiquidQuality(most=1000))
    assert any("refused" in f for f in findings(effect_of(few), tmp_path / "d"))
    off = PointSource(id="off", name="Off", shape="particles", of="liquid", born_on="death")
    deaf = effect_of(liquid(), further=(ParticleLayer(id="spray", name="Spray", sources=(off,)),))
    assert any("which tells none" in f for f in findings(deaf, tmp_path / "f"))
    assert findings(effect_of(liquid()), tmp_path / "e") == []


def test_emission_and_size_count_for_jets_and_fills(tmp_path: Path) -> None:
    """A fill at a half is half as full; one of twice the size is eight times as much; a jet at a half is half
    as fast."""
    small = POOL.model_copy(update={"size": (0.3,) * 3, "position": (0, 0, 0.5)})
    runs = {}
    for name, changes in (("plain", {}), ("half", {"emission": 0.5}), ("grown", {"size_over": 2.0})):
        layer = liquid(small.model_copy(update=changes))
        runs[name] = run(effect_of(layer, seconds=0.1), tmp_path / name)[0].meta["volume"]
    assert runs["half"] == pytest.approx(0.5 * runs["plain"], rel=0.1)
    assert runs["grown"] == pytest.approx(8.0 * runs["plain"], rel=0.05)
    weightless = LiquidMotion(gravity=0.0)
    fast = []
    for n, emission in enumerate((1.0, 0.5)):
        layer = liquid(JET.model_copy(update={"emission": emission, "scatter": 0.0}), motion=weightless)
        last = run(effect_of(layer, seconds=0.2), tmp_path / str(n))[-1]
        fast.append(last.meta["fastest"])
    assert fast[0] == pytest.approx(3.0, rel=0.3) and fast[1] == pytest.approx(0.5 * fast[0], rel=0.25)


def test_bad_input_is_one_sentence() -> None:
    with pytest.raises(BadInput, match="names the prop"):
        effect_of(liquid()).with_layer(liquid(colliders=(LiquidCollider(id="x", name="X", prop="gone"),)))
    huge = liquid(tank={"size": (900.0, 900.0, 900.0), "voxel": 0.002})
    with pytest.raises(Exception, match=r"GB"):
        plans_of(effect_of(huge), None)["liquid"].solver()
    again = storage.loads(storage.dumps(effect_of(liquid(JET))))
    assert again.layers[0] == liquid(JET)


def test_coarser_meshes_keep_thin_sheets(tmp_path: Path) -> None:
    """Water that is thrown thin covers as much with a part of the vertices."""
    fan = JET.model_copy(update={"shape": "box", "size": (0.12, 0.8, 0.12), "push": (0.0, 0.0, 3.5)})
    last = run(effect_of(liquid(fan, tank={"size": (1, 1, 1.4)}), seconds=0.4), tmp_path)[-1]
    fine = net_of(last.skin)
    for coarser, share in ((2, 0.5), (3, 0.3), (4, 0.2)):
        net = net_of(last.skin, coarser)
        assert len(net.points) < share * len(fine.points)
        areas = [trimesh.Trimesh(n.points, n.faces, process=False).area for n in (fine, net)]
        assert areas[1] == pytest.approx(areas[0], rel=0.25)
        ends = [np.concatenate([n.points.min(axis=0), n.points.max(axis=0)]) for n in (fine, net)]
        assert np.abs(ends[1] - ends[0]).max() < coarser * last.cell
