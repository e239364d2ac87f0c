"""Compiles the kernels of water, thrown water, and what floats: see tenka.budget.warm."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.courses import Wave
from tenka.effect.liquid import LiquidEnds
from tenka.effect.model import (
    BasinBox,
    Bodies,
    DebrisLayer,
    Effect,
    InWater,
    LiquidCollider,
    LiquidLayer,
    LiquidMotion,
    LiquidSource,
    PointSource,
    Prop,
    Pull,
    Tank,
    WaterLayer,
    WaterSource,
    Wind,
)
from tenka.liquid.nets import net_of
from tenka.look.alone import drawn_alone
from tenka.look.motion import motion_of
from tenka.look.netted import Netted
from tenka.look.render import Renderer
from tenka.look.shot import shot_of
from tenka.run.driver import simulate
from tenka.run.plans import plans_of
from tenka.scene.cameras import view_of
from tenka.scene.meshes import joined


def warm_water() -> None:
    """Water: that it flows, is pushed, foams, sets, and is drawn."""
    box = Prop(
        id="box", name="Box", size=(0.4, 0.4, 0.4), position=(0.5, 0.5, -0.7), shift_x=Wave(amount=0.2)
    )
    post = Prop(id="post", name="Post", size=(0.1, 0.1, 1.0), position=(0.0, 0.0, -0.6))
    rain = WaterSource(id="rain", name="Rain", shape="everywhere", gives="rain", drops=500.0)
    layer = WaterLayer(
        id="water",
        name="Water",
        basin=BasinBox(origin=(-1.0, -1.0, -0.5), size=(2.0, 2.0, 1.0), depth=0.4, cell=0.1),
        colliders=(
            InWater(id="hull", name="Hull", prop="box"),
            InWater(id="bed", name="Bed", prop="post", acts="bed"),
        ),
        sources=(rain,),
    )
    thick = layer.model_copy(update={"id": "slip", "flow": layer.flow.model_copy(update={"stress": 20.0})})
    pull = Pull(id="pull", name="Pull", position=(0.0, 0.0, 0.0))
    effect = Effect(seconds=0.1, layers=(layer, thick), props=(box, post), forces=(pull,))
    with tempfile.TemporaryDirectory() as folder:
        store = FrameStore(Path(folder) / "frames")
        plans = plans_of(effect, None)
        for plan in plans.values():
            simulate(plan, store, Progress())
        frames = {id: plan.read(store, 1) for id, plan in plans.items()}
    for coarse in (1, 4):
        shot = shot_of(effect, frames, None, 0.05)
        Renderer().draw_shot(shot, effect.light, view_of(effect.camera, 64, 48), coarse)


def warm_liquid() -> None:
    """Thrown water: jets, fills, props, forces, thickness, its surface, meshes and drops; and what floats."""
    post = Prop(id="post", name="Post", size=(0.2, 0.2, 0.5), position=(0.2, 0.2, 0.0))
    liquid = LiquidLayer(
        id="liquid",
        name="Liquid",
        tank=Tank(origin=(-0.5, -0.5, -0.4), size=(1.0, 1.0, 1.4), voxel=0.1),
        sources=(
            LiquidSource(id="jet", name="Jet", position=(-0.2, 0.0, 0.5), size=(0.3, 0.3, 0.3)),
            LiquidSource(
                id="pool",
                name="Pool",
                shape="box",
                gives="fill",
                position=(0, 0, 0.1),
                size=(1.0, 1.0, 0.6),
                push=(0, 0, -1.0),
            ),
        ),
        colliders=(LiquidCollider(id="post", name="Post", prop="post"),),
        motion=LiquidMotion(viscosity=0.01),
        ends=LiquidEnds(joins="pond"),
    )
    pond = WaterLayer(
        id="pond",
        name="Pond",
        basin=BasinBox(origin=(-1.0, -1.0, -0.5), size=(2.0, 2.0, 1.0), depth=0.4, cell=0.1),
        colliders=(InWater(id="bits", name="Bits", acts="pieces", of="bits"),),
        sources=(WaterSource(id="pours", name="Pours", shape="liquid", of="liquid"),),
    )
    thrown = PointSource(id="one", name="One", rate=0.0, burst=2, width=0.3, position=(0.0, 0.0, 0.1))
    bits = DebrisLayer(id="bits", name="Bits", sources=(thrown,), bodies=Bodies(floats="pond"))
    wind = Wind(id="wind", name="Wind")
    effect = Effect(seconds=0.1, layers=(liquid, pond, bits), props=(post,), forces=(wind,))
    with tempfile.TemporaryDirectory() as folder:
        store = FrameStore(Path(folder) / "frames")
        plans = plans_of(effect, None)
        for plan in plans.values():
            simulate(plan, store, Progress())
        frame = plans["liquid"].read(store, 1)
        plans["liquid"].kind.between(plans["liquid"].read(store, 0), frame, 0.5)
    view = view_of(effect.camera, 64, 48)
    for coarse in (1, 4):
        shot = shot_of(effect, {"liquid": frame}, None, 0.05)
        Renderer().draw_shot(shot, effect.light, view, coarse)
    alone = shot_of(effect, {"liquid": frame}, None, 0.05, joined([]))  # as flipbooks draw it
    drawn_alone(alone, effect.light, view)
    motion_of(alone, effect.light, view, 0.1)
    net, look = net_of(frame.skin, 2), liquid.look
    mesh = Netted(net.points, net.normals, np.zeros(len(net.points), np.float32), net.faces, look, 0.0)
    shot.waters[:] = [mesh]
    Renderer().draw_shot(shot, effect.light, view)
