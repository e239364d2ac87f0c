"""Speed of pieces: many of them falling on each other and coming to rest; and of cutting a prop up."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from bench.result import Result
from tenka.demo import make
from tenka.effect.model import Bodies, DebrisLayer, Pieces, PointMotion, PointSource
from tenka.particles.fracture import Breaking, broken
from tenka.particles.solver import PointSolver
from tenka.scene import files
from tenka.scene.solid import solid_of

COUNT = 500
FRAMES = 60


def pieces() -> Iterator[Result]:
    """500 convex pieces in a heap, from the first fall until they rest; each step is a frame of 1/24 s."""
    source = PointSource(
        id="s",
        name="S",
        shape="box",
        size=(1.6, 1.6, 3.0),
        position=(0, 0, 2.0),
        rate=0.0,
        burst=COUNT,
        stays=True,
        speed=0.0,
        width=0.3,
        least_width=0.4,
    )
    layer = DebrisLayer(
        id="p",
        name="P",
        sources=(source,),
        motion=PointMotion(drag=0.0, bounce=0.2),
        pieces=Pieces(make="lumps"),
        bodies=Bodies(),
    )
    solver = PointSolver(layer, (), (), 1, 24.0, FRAMES + 1)
    state = solver.frame(solver.start())
    took = []
    for _ in range(FRAMES):
        begun = time.perf_counter()
        state = solver.frame(state)
        took.append(1000 * (time.perf_counter() - begun))
    for name, part in (("falling", took[:20]), ("coming to rest", took[20:])):
        ms = float(np.median(part))
        yield Result(f"pieces, {name}", f"{COUNT}", ms, target="30 ms", met=ms <= 30)
    mesh = files.load(Path(make.__file__).parent / "props" / "boiler.glb")
    middle = mesh.points.mean(axis=0).astype(np.float64)
    how = Breaking(120, np.ones(120), middle, 3.0, 0.5, np.ones(3), 1)
    solid = solid_of(mesh, 0.03)
    begun = time.perf_counter()
    broken(solid, how)
    yield Result("a boiler with walls, cut up", "120", 1000 * (time.perf_counter() - begun))
