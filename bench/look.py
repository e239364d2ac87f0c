"""How long pictures take: the first after a change, the refined ones, and the demos as they are played.

Runs often find both threads on one core: the share of two cores that was had is printed beside each figure.
"""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from bench.result import Result
from bench.yardsticks import timed
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.demo import FOLDER, PLUME
from tenka.effect import storage
from tenka.effect.document import replaced
from tenka.effect.model import Effect
from tenka.look.render import Renderer, Shot
from tenka.look.shot import gathered, set_of, shot_of, swapped
from tenka.run.driver import simulate
from tenka.run.plans import Plan, plans_of
from tenka.scene.cameras import view_of
from tenka.scene.meshes import Mesh
from tenka.scene.poses import scene_moves
from tenka.scene.props import scene_mesh

WHOLE = 32  # passes
PLAYED = 24  # frames of a demo


def taken(works: list[Callable[[], object]], warm: bool = True) -> tuple[float, float]:
    """Median ms of several, and processor time over wall time."""
    if warm:
        works[0]()
    cpu, wall = time.process_time(), time.perf_counter()
    ms = float(np.median([timed(work) for work in works]))
    return ms, (time.process_time() - cpu) / (time.perf_counter() - wall)


def row(name: str, size: str, ms: float, share: float, limit: float) -> Result:
    return Result(
        name, f"{size}, {share:.1f} cores", ms, target=f"at most {limit:g} ms", met=bool(ms <= limit)
    )


def pictures(effect: Effect) -> Iterator[Result]:
    """640 x 400 of a 96^3 frame with shadows, at two coverages; of a new frame, under a turned light, and
    whole."""
    effect = replaced(effect, "seconds", 1.5)
    with tempfile.TemporaryDirectory() as folder:
        store, plan = FrameStore(Path(folder)), Plan.of(effect, None, FOLDER)
        simulate(plan, store, Progress())
        quay = storage.load(PLUME)
        mesh = scene_mesh(
            quay.model_copy(update={"props": tuple(p for p in quay.props if p.id != "kiln")}), FOLDER
        )
        look, light = effect.layers[0].look, effect.light
        shots = [Shot([(store.get_frame(plan.name(f)), look)], mesh) for f in range(28, 36)]
        for share, limit in ((0.2, 40.0), (0.4, 60.0)):
            renderer = Renderer()
            for distance in np.linspace(14, 3, 40):
                near = {"target": (0.3, 0, 1.6), "distance": float(distance), "pitch": 5.0}
                view = view_of(effect.camera.model_copy(update=near), 640, 400)
                covered = float((renderer.draw_shot(shots[0], light, view, 4).alpha > 0.01).mean())
                if covered >= share:
                    break
            size = f"640 x 400, {100 * covered:.0f} %"
            ms, cores = taken([lambda s=s: renderer.draw_shot(s, light, view, 4) for s in shots])
            yield row("first picture of a frame", size, ms, cores, 15)
            turned = [light.model_copy(update={"heading": light.heading + 5.0 * n}) for n in range(1, 9)]
            ms, cores = taken([lambda t=t: renderer.draw_shot(shots[-1], t, view, 4) for t in turned])
            yield row("first picture, light turned", size, ms, cores, 40)
            renderer.draw_shot(shots[-1], light, view, 4)
            moved = [
                view_of(effect.camera.model_copy(update={**near, "heading": 2.0 * n}), 640, 400)
                for n in range(8)
            ]
            ms, cores = taken([lambda v=v: renderer.draw_shot(shots[-1], light, v, 1, 1) for v in moved])
            yield row("refined, first pass", size, ms, cores, limit)
            ms, cores = taken(
                [lambda: [renderer.draw_shot(shots[-1], light, view, 1, n) for n in (1, *range(4, 33, 4))]],
                False,
            )
            yield row("refined, until it has no grain", size, ms, cores, 300)


def stored(effect: Effect, last: int, store: FrameStore) -> list[Shot]:
    """Shots of the newest of so many frames."""
    plans = plans_of(effect, FOLDER)
    for plan in plans.values():
        simulate(plan, store, Progress(), (0, last))
    shots: list[Shot] = []
    meshes: dict[object, Mesh] = {}  # the props as the window keeps them
    for index in range(max(last - PLAYED, 0), last):
        frames, past = gathered(plans, store, index)
        t = index / effect.rate
        key = (frozenset(swapped(effect, t)), t if scene_moves(effect) else 0.0)
        if key not in meshes:
            meshes[key] = set_of(effect, FOLDER, t)
        shots.append(shot_of(effect, frames, FOLDER, t, meshes[key], past))
    return shots


def demos() -> Iterator[Result]:
    """Stored frames of every demo at 960 x 570: as they are played, and refined once."""
    with tempfile.TemporaryDirectory() as folder:
        store = FrameStore(Path(os.environ.get("TENKA_FRAMES", folder)))
        for path in sorted(FOLDER.glob("*.tenka")):
            effect = storage.load(path)
            shots = stored(effect, min(effect.frames, int(2.0 * effect.rate)), store)
            view, renderer = view_of(effect.camera, 960, 570), Renderer()
            works = [lambda s=s: renderer.draw_shot(s, effect.light, view, 4) for s in shots]
            ms, cores = taken(works)
            yield row("played", path.stem, ms, cores, 1000 / 24)
            ms, cores = taken([lambda: Renderer().draw_shot(shots[-1], effect.light, view, 1, 1)])
            yield row("refined from nothing", path.stem, ms, cores, 250)
