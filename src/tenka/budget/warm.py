"""Compiling every kernel once, by doing a tiny piece of all the work there is."""

from __future__ import annotations

import tempfile
from pathlib import Path

from tenka.base.jobs import Progress
from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect.courses import Wave
from tenka.effect.model import (
    Collider,
    DomainBox,
    Effect,
    Fading,
    Fire,
    Flipbook,
    GasLayer,
    Motion,
    Player,
    Prop,
    Source,
    Swirl,
    Tier,
    Turbulence,
    Wind,
)
from tenka.look.render import Renderer
from tenka.pack.flipbook import pack
from tenka.proof.engine import Package, package_view
from tenka.run.driver import Plan, simulate
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


def warm_up(progress: Progress) -> None:
    """Simulate, light, draw, pack, play and weigh a very small effect; steps are told to `progress`."""
    effect = tiny_effect()
    progress.begin(5, "Compiling kernels")
    with tempfile.TemporaryDirectory() as folder:
        store = FrameStore(Path(folder) / "frames")
        plan = Plan.of(effect)
        simulate(plan, store, Progress())
        progress.step()
        simulate(Plan.of(effect, final=True), store, Progress(), (0, 1))
        distance_field(primitive("box", (1.0, 1.0, 1.0)), 0.2)
        progress.step()
        mesh, view = scene_mesh(effect, None), view_of(effect.camera, 64, 48)
        for coarse in (1, 4):
            Renderer().draw(store.get_frame(plan.name(2)), effect.layer().look, effect.light, view, mesh, coarse)
        progress.step()
        pack(effect, None, store, Path(folder) / "package")
        package = Package(Path(folder) / "package")
        package.draw(1.0, package_view(package, 64, 48))
        progress.step()
        ledger(effect)
        progress.step()
