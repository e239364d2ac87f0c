"""How long a step of a water's surface takes."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bench.result import Result
from bench.yardsticks import Advection, in_turn
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
