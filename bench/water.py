"""How long a step of a water's surface takes, and one of thrown water."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bench.result import Result
from bench.yardsticks import Advection, in_turn
from tenka.gas.grid import Grid
from tenka.liquid.spread import space_of
from tenka.liquid.state import PER_AXIS, Liquid
from tenka.liquid.step import Work
from tenka.liquid.step import step as stepped
from tenka.water.airy import Airy
from tenka.water.basin import Basin
from tenka.water.foam import Foaming, foamed
from tenka.water.movers import Hull, displaced, immersed
from tenka.water.step import largest_step, step

CELLS, GOAL = 512, 12.0  # ms


def water() -> Iterator[Result]:
    """512 x 512 cells over an uneven bed, with foam and two hulls; shallow alone, and with waves of every
    length."""
    rest = np.random.default_rng(1).uniform(0.4, 2.0, (CELLS, CELLS)).astype(np.float32)
    basin = Basin(0.1, rest)
    dt = largest_step(basin, 3.0)
    for name, airy in (("shallow", None), ("waves of every length", Airy(basin, dt))):
        state, foam, time = basin.still(), np.zeros(basin.shape, np.float32), 0.0
        before = immersed(basin, _hulls(time))

        def work(state=state, airy=airy) -> None:
            nonlocal foam, before, time
            time += dt
            after = immersed(basin, _hulls(time))
            had = state.rise.copy()
            step(basin, state, dt, airy, given=displaced(before, after))
            foam, before = foamed(basin, state, had, foam, dt, Foaming()), after

        for _ in range(5):
            work()
        ms, yard = in_turn(work, Advection(64), 21)
        size = f"{CELLS}^2, foam, two hulls"
        goal = {"target": f"at most {GOAL:g} ms", "met": ms <= GOAL} if airy is not None else {}
        yield Result(f"water step, {name}", size, ms, Advection.name, yard, ms / yard, **goal)  # type: ignore[arg-type]


def _hulls(time: float) -> list[Hull]:
    return [Hull(5.0 + 3.0 * time, y, 0.0, 2.0, 1.0, 0.2) for y in (15.0, 35.0)]


def liquid() -> Iterator[Result]:
    """A column of 200,000 particles that breaks in a shut box."""
    grid = Grid((64, 30, 40), 0.04, (0.0, 0.0, 0.0), (False,) * 3, (False,) * 3)
    part = grid.voxel / PER_AXIS
    at = np.stack(
        np.meshgrid(*(np.arange(n * PER_AXIS) for n in grid.shape), indexing="ij"), axis=-1
    ).reshape(-1, 3)
    place = (at + np.random.default_rng(1).uniform(0.2, 0.8, at.shape)) * part
    place = place[(place[:, 0] < 1.1) & (place[:, 2] < 1.21)][:200_000]
    column = Liquid.none(grid.shape, 0.0)
    column.add(place, np.zeros_like(place))
    held, space = Work(grid), space_of(grid, None)

    def falls(faces: list[np.ndarray], _: np.ndarray, dt: float) -> None:
        faces[2] -= np.float32(9.81 * dt)

    def work() -> None:
        stepped(column, space, held, 1 / 120, falls)

    for _ in range(12):
        work()
    ms, yard = in_turn(work, Advection(64), 21)
    yield Result(
        "liquid step",
        f"{len(column):,} particles, 64 x 30 x 40 voxels",
        ms,
        Advection.name,
        yard,
        ms / yard,
        target="at most 150 ms",
        met=ms <= 150.0,
    )
