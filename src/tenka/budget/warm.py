"""Compiling every kernel once, by doing a tiny piece of all the work there is."""

from __future__ import annotations

import gc
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.jit import is_compiled, note_compiled
from tenka.base.jobs import Progress
from tenka.budget.cost import ledger
from tenka.budget.warmwater import warm_liquid, warm_water
from tenka.cache.store import Frame, FrameStore
from tenka.effect.courses import Wave
from tenka.effect.model import (
    POINTS,
    SURFACE,
    Collider,
    DebrisLayer,
    DomainBox,
    Effect,
    Fading,
    Fire,
    Flipbook,
    GasLayer,
    Motion,
    ParticleLayer,
    Pieces,
    Player,
    PointCollider,
    PointMotion,
    PointSource,
    Prop,
    Source,
    Swirl,
    Tier,
    Turbulence,
    Wind,
    first_delivery,
)
from tenka.gas.forces import apply_forces
from tenka.gas.ghosts import push_out
from tenka.gas.grid import GasState, Grid, Workspace
from tenka.gas.settings import StepInputs, resolve
from tenka.gas.solids import find_solids
from tenka.gas.sources import give, source_mask
from tenka.gas.step import Half, step
from tenka.gas.viscosity import soften
from tenka.gas.vorticity import vorticity_push
from tenka.look.march import march
from tenka.look.render import Renderer
from tenka.look.shot import shot_of
from tenka.look.volume import light_volume
from tenka.pack.packing import pack
from tenka.particles.solver import PointSolver
from tenka.particles.state import AirField
from tenka.proof.engine import Package, package_view
from tenka.run.driver import simulate
from tenka.run.frames import PointFrame
from tenka.run.plans import Plan
from tenka.scene.cameras import view_of
from tenka.scene.distance import distance_field
from tenka.scene.meshes import primitive
from tenka.scene.props import scene_mesh

PROCESSES = 2


def tiny_effect() -> Effect:
    """The smallest effect that uses everything."""
    layer = GasLayer(
        id="puff",
        name="Puff",
        domain=DomainBox(origin=(-1, -1, 0), size=(2, 2, 2), voxel=0.2, run_up=0.1, follow=True),
        sources=(
            Source(
                id="source",
                name="Source",
                position=(0, 0, 0.5),
                size=(0.8, 0.8, 0.8),
                push=(0, 0, 1),
                fuel=2.0,
                expansion=0.1,
                outward=0.1,
                dye=True,
            ),
        ),
        colliders=(Collider(id="stop", name="Stop", prop="box"),),
        fire=Fire(burns=True),
        motion=Motion(viscosity=0.001),
        fading=Fading(spread=0.001),
    )
    box = Prop(id="box", name="Box", size=(0.5, 0.5, 0.2), shift_x=Wave(amount=0.1))
    forces = (
        Wind(id="wind", name="Wind"),
        Turbulence(id="eddies", name="Eddies"),
        Turbulence(id="there", name="There", region="sphere"),
        Swirl(id="swirl", name="Swirl"),
    )
    tier = Tier(id="mid", name="Mid", width=128, height=96)
    book = Flipbook(columns=2, rows=2, width=64, height=64, last=0.2, player=Player(count=2))
    return Effect(
        name="Warm-up",
        seconds=0.2,
        layers=(layer,),
        deliveries=(first_delivery(layer, route=book),),
        props=(box,),
        forces=forces,
        tiers=(tier,),
    )


def stand_in(grid: Grid, time: float) -> Frame:
    """A frame of nothing that was simulated, for the kernels that only look at it."""
    rng = np.random.default_rng(1)
    density = rng.random(grid.shape).astype(np.float16)
    dye = np.repeat(density[..., None], 4, axis=3)
    heat, still = 900 * density, np.zeros((3, *grid.shape), np.float16)
    return Frame(
        density, heat, still, grid.origin, grid.voxel, time, {"wall": [0.0] * 6}, density, density, dye
    )


def _plain(effect: Effect) -> Effect:
    """The effect without what only some effects have: solids, thickness, fire, dye, placed forces."""
    layer = effect.gas()
    source = layer.sources[0].model_copy(update={"fuel": 0.0, "expansion": 0.0, "outward": 0.0, "dye": False})
    domain = layer.domain.model_copy(update={"follow": False})
    plain = layer.model_copy(
        update={
            "colliders": (),
            "motion": Motion(),
            "fading": Fading(),
            "fire": Fire(),
            "sources": (source,),
            "domain": domain,
        }
    )
    forces = tuple(f for f in effect.forces if f.region == "everywhere" and f.kind in ("wind", "turbulence"))
    return effect.model_copy(update={"layers": (plain,), "forces": forces})


def _one_step() -> tuple[GasState, Grid, Workspace, StepInputs]:
    """What one step of a plain gas works on."""
    effect = _plain(tiny_effect())
    layer = effect.gas()
    grid = Grid.of(layer.domain)
    work = Workspace(grid)
    inputs = resolve(layer, effect.forces, effect.props, 1, effect.rate, 0.1, 0.02)
    return GasState.still(grid), grid, work, inputs


def warm_flow() -> None:
    """How every gas is carried, and kept from piling up."""
    state, grid, work, _ = _one_step()
    step(state, grid, (Half(StepInputs(), []), Half(StepInputs(), [])), work, 0.02)


def warm_push() -> None:
    """What gives every gas matter and sets it moving."""
    state, grid, work, inputs = _one_step()
    for given in inputs.sources:
        give(state, grid, given, source_mask(given, (), grid, None), 0.02, work.expansion)
    mean = vorticity_push(state, grid, inputs, work)
    apply_forces(state, grid, inputs, work, mean, 0.11, 0.02)


def warm_more_gas() -> None:
    """What burns, follows the gas, turns in swirls, and final runs."""
    effect = tiny_effect()
    with tempfile.TemporaryDirectory() as folder:
        store = FrameStore(Path(folder) / "frames")
        simulate(Plan.of(effect), store, Progress(), (0, 1))
        simulate(Plan.of(effect, final=True), store, Progress(), (0, 1))


def warm_solids() -> None:
    """What acts at colliders, and thickness."""
    effect = tiny_effect()
    layer = effect.gas()
    grid = Grid.of(layer.domain)
    state, work = GasState.still(grid), Workspace(grid)
    inputs = resolve(layer, effect.forces, effect.props, 1, effect.rate, 0.1, 0.02)
    solids = find_solids(inputs.colliders, grid, None, None)
    state.scalars[:] = 1.0
    push_out(state, solids)
    half = Half(StepInputs(colliders=inputs.colliders), [])
    step(state, grid, (half, half), work, 0.02)
    soften(state, grid, 0.001, 0.001, 0.02, work)
    distance_field(primitive("box", (1.0, 1.0, 1.0)), 0.2)


def warm_set() -> None:
    """What draws the set, lays a gas over it, and weighs it."""
    effect = tiny_effect()
    ledger(effect)
    mesh, view = scene_mesh(effect, None), view_of(effect.camera, 64, 48)
    for coarse in (1, 4):
        Renderer().draw(None, effect.gas().look, effect.light, view, mesh, coarse)


def warm_cloud() -> None:
    """What lights a gas and looks through it."""
    effect = tiny_effect()
    frame = stand_in(Grid.of(effect.gas().domain), 0.1)
    volume = light_volume(frame, effect.gas().look, effect.light)
    march(volume, view_of(effect.camera, 64, 48), np.full((48, 64), 1e9, np.float32), 0.5)


def warm_delivery() -> None:
    """What packs, plays and weighs."""
    effect = tiny_effect()
    with tempfile.TemporaryDirectory() as folder:
        store = FrameStore(Path(folder) / "frames")
        plan, grid = Plan.of(effect), Grid.of(effect.gas().domain)
        for index in range(effect.frames):
            store.put_frame(plan.name(index), stand_in(grid, index / effect.rate))
        pack(effect, None, store, Path(folder) / "package")
        package = Package(Path(folder) / "package")
        package.draw(1.0, package_view(package, 64, 48))
        ledger(effect)


def warm_points() -> None:
    """Particles and pieces: that they are born, move, hit, and are drawn in a gas."""
    box = Prop(id="box", name="Box", size=(0.5, 0.5, 0.2))
    thrown = PointSource(id="s", name="S", position=(0, 0, 1), rate=400.0, start=0.0, burst=20)
    apart = PointSource(id="s", name="S", shape="pieces", burst_at=0.01)
    stop = (PointCollider(id="stop", name="Stop", prop="box"),)
    forces = (
        Wind(id="wind", name="Wind"),
        Turbulence(id="eddies", name="Eddies"),
        Turbulence(id="there", name="There", region="sphere"),
    )
    motion = PointMotion(follows="puff")
    layers = (
        ParticleLayer(id="dust", name="Dust", sources=(thrown,), colliders=stop, motion=motion),
        DebrisLayer(id="bits", name="Bits", sources=(thrown,), colliders=stop, motion=motion),
        DebrisLayer(id="cut", name="Cut", sources=(apart,), pieces=Pieces(make="cut", prop="box", cuts=4)),
    )
    gas = stand_in(Grid.of(tiny_effect().gas().domain), 0.0)
    air = np.zeros((*gas.shape, 4), np.float32)
    field = AirField(air, gas.origin, air, gas.origin, gas.voxel, 0.0, 1.0)
    effect = Effect(
        name="Warm-up",
        seconds=0.2,
        layers=(GasLayer(id="puff", name="Puff"), *layers),
        props=(box,),
        forces=forces,
    )
    frames: dict[str, Frame | PointFrame] = {"puff": gas}
    for layer in layers:
        solver = PointSolver(layer, forces, (box,), 1, 24.0, 5, gas=lambda _: field)
        state = solver.frame(solver.start())
        frames[layer.id] = PointFrame(state.points, state.time)
    for coarse in (1, 4):
        Renderer().draw_shot(
            shot_of(effect, frames, None, 0.05), effect.light, view_of(effect.camera, 64, 48), coarse
        )


@dataclass(frozen=True)
class Part:
    """Kernels that are compiled together."""

    work: Callable[[], None]
    kernels: int  # about how many it compiles when those that go before are there: for progress
    after: tuple[str, ...] = ()


PARTS = {
    "push": Part(warm_push, 21),
    "flow": Part(warm_flow, 20),
    "cloud": Part(warm_cloud, 9),
    "set": Part(warm_set, 20),
    "solids": Part(warm_solids, 30),
    "delivery": Part(warm_delivery, 6, ("set", "cloud")),
    "points": Part(warm_points, 48, ("set", "cloud", "push")),
    "more gas": Part(warm_more_gas, 25, ("flow", "push", "solids")),
    "water": Part(warm_water, 30, ("set", "push")),
    "liquid": Part(warm_liquid, 50, ("set", "push", "solids", "points", "water")),
}
"""The kernels in parts that can be compiled beside each other, in the order in which they are wanted."""


def next_part(left: list[str], running: Iterable[str]) -> str | None:
    """Take from `left` the first part that waits for none that is left or running."""
    unfinished = {*left, *running}
    part = next((name for name in left if unfinished.isdisjoint(PARTS[name].after)), None)
    if part is not None:
        left.remove(part)
    return part


def first_parts(effect: Effect) -> list[str]:
    """The parts that an effect needs before it plays, and what those wait for."""
    found = {"push", "flow", "cloud", "set"} if effect.gases else {"set"}
    if any(layer.colliders for layer in effect.gases):
        found.add("solids")
    burns = any(g.fire.burns or g.domain.follow or any(s.dye for s in g.sources) for g in effect.gases)
    if burns or any(f.region != "everywhere" or f.kind not in ("wind", "turbulence") for f in effect.forces):
        found.add("more gas")
    if any(layer.HANDS == SURFACE for layer in effect.layers):
        found.add("water")
    if any(layer.HANDS == POINTS for layer in effect.layers):
        found.add("points")
    bodies = (getattr(layer, "bodies", None) for layer in effect.layers)
    if any(layer.kind == "liquid" for layer in effect.layers) or any(b and b.floats for b in bodies):
        found.add("liquid")
    for part in reversed(PARTS):  # what a part waits for stands before it
        if part in found:
            found.update(PARTS[part].after)
    return [part for part in PARTS if part in found]


def compile_part(part: str, told: Callable[[int], None] | None = None) -> None:
    """Compile one part, and note that it is there; `told` hears how many kernels are done."""
    from numba.core import event

    class Count(event.Listener):
        done = 0

        def on_start(self, event: object) -> None:
            """Only ends are counted."""

        def on_end(self, event: object) -> None:
            Count.done += 1
            if told is not None:
                told(Count.done)

    gc.disable()  # a compiler's heap is searched in vain again and again
    try:
        with event.install_listener("numba:compile", Count()):
            PARTS[part].work()
    finally:
        gc.enable()
    note_compiled(part)


def warm_up(progress: Progress, again: bool = False) -> None:
    """Compile what is not compiled yet; steps are told to `progress`.

    Two processes share the work, since compiling keeps only one core busy.
    """
    left = [part for part in PARTS if again or not is_compiled(part)]
    progress.begin(len(left), "Compiling kernels")
    running: list[tuple[str, subprocess.Popen[bytes]]] = []
    while left or running:
        while len(running) < PROCESSES and (part := next_part(left, (p for p, _ in running))):
            words = [sys.executable, "-m", "tenka.cli", "warm", "--part", part, "--json"]
            running.append((part, subprocess.Popen(words, stdout=subprocess.DEVNULL)))
        time.sleep(0.05)
        for part, process in list(running):
            if process.poll() is None:
                continue
            running.remove((part, process))
            if process.returncode:
                compile_part(part)  # the fault is said here
            progress.step()
