"""Shared builders: small effects, grids and states that tests start from."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.jobs import Progress
from tenka.cache.store import Frame, FrameStore
from tenka.effect.former import FOR_GOOD
from tenka.effect.model import (
    Camera,
    Delivery,
    DomainBox,
    Effect,
    Fading,
    Flipbook,
    GasLayer,
    Lever,
    Motion,
    Player,
    Prop,
    Source,
    Swirl,
    Tier,
    Turbulence,
    Wind,
    delivering,
)
from tenka.gas.felt import LocalInput
from tenka.gas.grid import GasState, Grid, Workspace
from tenka.gas.settings import SourceInput, StepInputs, resolve
from tenka.gas.sources import source_mask
from tenka.gas.step import Half, step
from tenka.pack.layout import Layout, box_of, describe, layout
from tenka.package.elements.flipbook import Flipbook as Element
from tenka.run.driver import simulate
from tenka.run.plans import Plan, plans_of
from tenka.scene.cameras import View

ONE_POINT = {
    "shape": "point",
    "rate": 0.0,
    "burst": 1,
    "cone": 0.0,
    "speed_spread": 0.0,
    "far_share": 0.0,
    "life": 60.0,
    "life_spread": 0.0,
}
"""A source of a single particle, thrown exactly as it is told."""
BOOK = Flipbook(
    columns=2,
    rows=3,
    width=128,
    height=192,
    last=10.0,
    padding=2,
    second="temperature",
    player=Player(count=3, life=1.0),
)
"""Six frames of 60 px."""
QUIET = Motion(lift=0.0, weight=0.0, drag=0.0, curls=0.0)
KEEP = Fading(half_life=FOR_GOOD, heat_half_life=FOR_GOOD)


def small_layer(voxel: float = 0.2, **changes: object) -> GasLayer:
    """A layer of 2 m a side with one source, quick to simulate."""
    source = Source(
        id="source", name="Source", position=(0, 0, 0.4), size=(0.8, 0.8, 0.6), density=6.0, push=(0, 0, 1)
    )
    layer = GasLayer(
        id="puff",
        name="Puff",
        domain=DomainBox(origin=(-1, -1, 0), size=(2, 2, 2), voxel=voxel, run_up=0.25),
        sources=(source,),
    )
    return layer.model_copy(update=changes)


def swirl_input(place: tuple[float, float, float] = (0.0, 0.0, 0.0), **settings: object) -> LocalInput:
    """A swirl as the kernels take it; by its settings, of now or of before."""
    swirl = Swirl.model_validate({"id": "w", "name": "W", "position": place, **settings})
    (found,) = resolve(GasLayer(id="g", name="G"), (swirl,), (), 1, 24.0, 0.0, 1 / 24).locals
    return found


def small_effect(**changes: object) -> Effect:
    """An effect of 12 frames with wind, eddies, a prop, tiers and a lever."""
    path = "deliveries.puff.route.player.count"
    effect = Effect(
        name="Small",
        seconds=0.5,
        layers=(small_layer(),),
        deliveries=(Delivery(id="puff", name="Puff", of=("puff",), route=BOOK),),
        props=(Prop(id="box", name="Box", position=(0, 0, 0), size=(0.6, 0.6, 0.2)),),
        forces=(Wind(id="wind", name="Wind", speed=1.0), Turbulence(id="eddies", name="Eddies")),
        camera=Camera(target=(0, 0, 1), distance=6.0),
        tiers=(
            Tier(
                id="low",
                name="Low",
                device="satchel",
                distance=6.0,
                width=320,
                height=180,
                levers={"sprites": 2.0},
            ),
            Tier(id="mid", name="Mid", distance=6.0, width=320, height=180, levers={"sprites": 3.0}),
        ),
        levers=(Lever(id="sprites", name="Sprites", path=path, low=1, high=12),),
    )
    if "layers" in changes and "deliveries" not in changes:
        changes["deliveries"] = delivering(effect, changes["layers"])  # type: ignore[arg-type]
    return effect.model_copy(update=changes)


def layout_of(effect: Effect) -> Layout:
    """How the flipbook of an effect's first gas is laid out."""
    return layout(effect, effect.deliveries_of(effect.gas().id)[0], gas_box(effect))


def element_of(effect: Effect) -> Element:
    """The flipbook of an effect's first gas as its manifest states it."""
    return describe(effect, effect.deliveries_of(effect.gas().id)[0], gas_box(effect))


def gas_box(effect: Effect) -> tuple[np.ndarray, np.ndarray]:
    found = box_of(effect, effect.gas(), {})
    assert found is not None
    return found


def with_layer(effect: Effect, **changes: object) -> Effect:
    return effect.model_copy(update={"layers": (effect.layers[0].model_copy(update=changes),)})


def closed(shape: tuple[int, int, int], voxel: float = 0.1) -> Grid:
    return Grid(shape, voxel, (0.0, 0.0, 0.0), (False,) * 3, (False,) * 3)


def opened(shape: tuple[int, int, int], voxel: float = 0.1) -> Grid:
    return Grid(shape, voxel, (0.0, 0.0, 0.0), (True,) * 3, (True,) * 3)


def random_state(grid: Grid, seed: int = 0, speed: float = 1.0) -> GasState:
    """A state with random velocity and smoke."""
    rng = np.random.default_rng(seed)
    state = GasState.still(grid)
    for field in (state.u, state.v, state.w):
        field[:] = rng.standard_normal(field.shape) * speed
    state.scalars[..., 0] = rng.random(grid.shape)
    state.scalars[..., 1] = 100.0 * rng.random(grid.shape)
    return state


def centres(grid: Grid) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    x, y, z = np.meshgrid(*(grid.centres(a) for a in range(3)), indexing="ij")
    return x, y, z


def frame_of(
    density: np.ndarray,
    voxel: float = 0.1,
    temperature: float = 0.0,
    origin: tuple[float, float, float] = (0, 0, 0),
) -> Frame:
    """A frame with given density, one temperature and no motion."""
    heat = np.full(density.shape, temperature, np.float32)
    return Frame(
        density.astype(np.float32), heat, np.zeros((3, *density.shape), np.float32), origin, voxel, 0.0
    )


def nothing(**changes: float) -> StepInputs:
    return StepInputs(**changes)  # type: ignore[arg-type]


def simulated(effect: Effect, folder: Path) -> tuple[Plan, FrameStore]:
    """The effect's frames in a store of their own."""
    store, plan = FrameStore(folder), Plan.of(effect)
    simulate(plan, store, Progress())
    return plan, store


def inputs_of(source: Source, *props: Prop, t: float = 0.0, dt: float = 1 / 24, seed: int = 1) -> SourceInput:
    """A source as a step from `t` sees it."""
    return resolve(GasLayer(id="gas", name="Gas", sources=(source,)), (), props, seed, 24.0, t, dt).sources[0]


def step_with(grid: Grid, state: GasState, dt: float, steps: int = 1, **inputs: object) -> GasState:
    """The state after some steps with the given inputs, still air otherwise."""
    work = Workspace(grid)
    half = Half(StepInputs(**inputs), [source_mask(s, (), grid, None) for s in inputs.get("sources", ())])  # type: ignore
    for _ in range(steps):
        state = step(state, grid, (half, half), work, dt)
    return state


def flat_view(eye: tuple, forward: tuple, right: tuple, up: tuple, half: float, px: int) -> View:
    """A square orthographic view that sees `half` metres to each side."""
    axes = (np.array(v, float) for v in (eye, forward, right, up))
    return View(*axes, half, px, px, True)


def all_frames(effect: Effect, folder: Path) -> tuple[dict[str, list[Any]], dict[str, Any]]:
    """All frames of an effect's layers, with their velocity, and the plans; by layer."""
    store, plans = FrameStore(folder / "frames"), plans_of(effect, None)
    for plan in plans.values():
        simulate(plan, store, Progress())
    return {
        id: [plan.read(store, f, True) for f in range(effect.frames)] for id, plan in plans.items()
    }, plans
