"""Compiling every kernel once, by doing a tiny piece of all the work there is."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

from tenka.base.jobs import Progress
from tenka.budget.cost import ledger
from tenka.cache.store import Frame, FrameStore
from tenka.effect.courses import Wave
from tenka.effect.model import (
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
)
from tenka.gas.grid import GasState, Grid, Workspace
from tenka.gas.pressure import project
from tenka.gas.settings import resolve
from tenka.gas.solids import clear_scalars, fill_velocity, find_solids, ghost_scalars
from tenka.gas.viscosity import soften
from tenka.look.render import Renderer
from tenka.look.shot import shot_of
from tenka.pack.flipbook import pack
from tenka.particles.solver import PointSolver
from tenka.particles.state import AirField
from tenka.proof.engine import Package, package_view
from tenka.run.driver import Plan, simulate
from tenka.run.frames import PointFrame
from tenka.scene.cameras import view_of
from tenka.scene.distance import distance_field
from tenka.scene.meshes import primitive
from tenka.scene.props import scene_mesh


def tiny_effect() -> Effect:
    """The smallest effect that uses everything."""
    layer = GasLayer(
        id="puff", name="Puff", domain=DomainBox(origin=(-1, -1, 0), size=(2, 2, 2), voxel=0.2, run_up=0.1, follow=True),
        sources=(Source(id="source", name="Source", position=(0, 0, 0.5), size=(0.8, 0.8, 0.8), push=(0, 0, 1), fuel=2.0, expansion=0.1, outward=0.1,
                        dye=True),),
        colliders=(Collider(id="stop", name="Stop", prop="box"),), fire=Fire(burns=True), motion=Motion(viscosity=0.001), fading=Fading(spread=0.001),
        flipbook=Flipbook(columns=2, rows=2, width=64, height=64, last=0.2, player=Player(count=2)),
    )  # fmt: skip
    box = Prop(id="box", name="Box", size=(0.5, 0.5, 0.2), shift_x=Wave(amount=0.1))
    forces = (
        Wind(id="wind", name="Wind"), Turbulence(id="eddies", name="Eddies"),
        Turbulence(id="there", name="There", region="sphere"), Swirl(id="swirl", name="Swirl"),
    )  # fmt: skip
    tier = Tier(id="mid", name="Mid", width=128, height=96)
    return Effect(name="Warm-up", seconds=0.2, layers=(layer,), props=(box,), forces=forces, tiers=(tier,))


def stand_in(grid: Grid, time: float) -> Frame:
    """A frame of nothing that was simulated, for the kernels that only look at it."""
    rng = np.random.default_rng(1)
    density = rng.random(grid.shape).astype(np.float16)
    dye = np.repeat(density[..., None], 4, axis=3)
    heat, still = 900 * density, np.zeros((3, *grid.shape), np.float16)
    return Frame(density, heat, still, grid.origin, grid.voxel, time, {"wall": [0.0] * 6}, density, density, dye)


def warm_gas(progress: Progress) -> None:
    """Everything that simulates: first what `warm_solids` has nothing of, then all of it."""
    effect = tiny_effect()
    layer = effect.gas()
    plain = layer.model_copy(update={"colliders": (), "motion": Motion(), "fading": Fading()})
    with tempfile.TemporaryDirectory() as folder:
        store = FrameStore(Path(folder) / "frames")
        simulate(Plan.of(effect.model_copy(update={"layers": (plain,)})), store, Progress(), (0, 0))
        progress.step()
        simulate(Plan.of(effect), store, Progress(), (0, 1))
        progress.step()
        simulate(Plan.of(effect, final=True), store, Progress(), (0, 1))
        progress.step()


def warm_solids() -> None:
    """What acts at colliders, and thickness."""
    effect = tiny_effect()
    layer = effect.gas()
    grid = Grid.of(layer.domain)
    state, work = GasState.still(grid), Workspace(grid)
    inputs = resolve(layer, effect.forces, effect.props, 1, effect.rate, 0.1, 0.02)
    solids = find_solids(inputs.colliders, grid, None, None)
    ghost_scalars(state, solids, grid.voxel)
    clear_scalars(state, solids)
    project(state, grid, work, None, solids)
    fill_velocity(state, solids)
    soften(state, grid, 0.001, 0.001, 0.02, work)
    distance_field(primitive("box", (1.0, 1.0, 1.0)), 0.2)


def warm_look() -> None:
    """Everything that draws, packs, plays and weighs."""
    effect = tiny_effect()
    with tempfile.TemporaryDirectory() as folder:
        store = FrameStore(Path(folder) / "frames")
        plan, grid = Plan.of(effect), Grid.of(effect.gas().domain)
        for index in range(effect.frames):
            store.put_frame(plan.name(index), stand_in(grid, index / effect.rate))
        mesh, view = scene_mesh(effect, None), view_of(effect.camera, 64, 48)
        for coarse in (1, 4):
            Renderer().draw(store.get_frame(plan.name(2)), effect.gas().look, effect.light, view, mesh, coarse)
        pack(effect, None, store, Path(folder) / "package")
        package = Package(Path(folder) / "package")
        package.draw(1.0, package_view(package, 64, 48))
        ledger(effect)


def warm_points() -> None:
    """Particles and pieces: that they are born, move, hit, and are drawn in a gas."""
    box = Prop(id="box", name="Box", size=(0.5, 0.5, 0.2))
    thrown = PointSource(id="s", name="S", position=(0, 0, 1), rate=400.0, start=0.0, burst=20)
    stop = (PointCollider(id="stop", name="Stop", prop="box"),)
    forces = (Wind(id="wind", name="Wind"), Turbulence(id="eddies", name="Eddies"), Turbulence(id="there", name="There", region="sphere"))
    motion = PointMotion(follows="puff")
    layers = (ParticleLayer(id="dust", name="Dust", sources=(thrown,), colliders=stop, motion=motion),
              DebrisLayer(id="bits", name="Bits", sources=(thrown,), colliders=stop, motion=motion))  # fmt: skip
    gas = stand_in(Grid.of(tiny_effect().gas().domain), 0.0)
    air = np.zeros((*gas.shape, 4), np.float32)
    field = AirField(air, gas.origin, air, gas.origin, gas.voxel, 0.0, 1.0)
    effect = Effect(name="Warm-up", seconds=0.2, layers=(GasLayer(id="puff", name="Puff"), *layers), props=(box,), forces=forces)
    frames: dict[str, Frame | PointFrame] = {"puff": gas}
    for layer in layers:
        solver = PointSolver(layer, forces, (box,), 1, 24.0, 5, gas=lambda _: field)
        state = solver.frame(solver.start())
        frames[layer.id] = PointFrame(state.points, state.time)
    for coarse in (1, 4):
        Renderer().draw_shot(shot_of(effect, frames, None, 0.05), effect.light, view_of(effect.camera, 64, 48), coarse)


def warm_up(progress: Progress) -> None:
    """Simulate, light, draw, pack, play and weigh a very small effect; steps are told to `progress`.

    Two processes share the work, since compiling keeps only one core busy.
    """
    progress.begin(4, "Compiling kernels")
    beside = subprocess.Popen(
        [sys.executable, "-c", "from tenka.budget import warm; warm.warm_solids(); warm.warm_look(); warm.warm_points()"]
    )
    try:
        warm_gas(progress)
    finally:
        failed = beside.wait()
    if failed:
        warm_solids()  # the fault is said here
        warm_look()
        warm_points()
    progress.step()
