"""Five hot rivets are thrown over the yard and leave smoke."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import label

from bench.jobs.checks import counted, stored
from bench.jobs.hand import Hand
from tenka.base.jobs import Progress
from tenka.effect.document import replaced
from tenka.run.driver import figures_of, simulate
from tenka.run.plans import plans_of

TITLE = "Five hot rivets over the yard leave smoke"
MENDED = (
    "*Fit to sources* did nothing before what feeds a gas was simulated: it waits for it now, and takes "
    "the room of a streak and not of all rivets together; particles that are too small to give anything "
    "are told, with a mend."
)


def do(hand: Hand) -> None:
    hand.new()
    gas = hand.tray("Layer", "Gas")
    hand.remove(f"{gas}.sources.source")
    rivets = hand.tray("Layer", "Sparks")
    hand.select(f"{rivets}.sources.burst")
    hand.vector("position", -2.0, 0.0, 1.0)
    hand.type("burst", 5)
    hand.type("burst_over", 0.4)
    hand.type("life", 3)
    hand.type("life_spread", 0)
    hand.type("width", "4 cm")
    hand.shape("sizes", (0.0, 0.0), (0.8, 0.0), (1.0, 1.0))
    hand.vector("arrow", 0.6, 0.0, 1.0)
    hand.type("spread", 16)
    hand.type("speed", 5.5)
    hand.select(rivets)
    hand.type("motion.drag", 0.1)
    hand.foot("Let it smoke")
    hand.type("density", 40)
    hand.type("point_size", 5)
    hand.whole()
    hand.type("seconds", 2.5)
    hand.coarse(40, 1.0)
    hand.select(gas)
    before = hand.got("domain")
    hand.foot("Fit to sources")
    hand.until(lambda: hand.got("domain") != before, "the box that fits", 60)
    hand.type("domain.voxel", "7 cm" if not hand.small else "18 cm")
    hand.see((1.0, 0.0, 1.4), 10.0, -80.0, 5.0)
    hand.simulated()
    hand.station("pack")
    hand.delivery("Sparks")
    hand.route("particles")
    hand.delivery("Gas")
    hand.type("route.player.count", 1)
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    gas, rivets = hand.effect.gases[0], hand.effect.layers[0]
    assert gas.domain.follow or hand.small
    last = hand.effect.frames - 1
    whole = replaced(hand.effect, f"layers.{gas.id}.domain.follow", False)
    plan, store = plans_of(whole, hand.state.folder)[gas.id], hand.state.store
    upto = min(last, 18)
    follows = [sum(stored(hand, gas.id, n).meta["parts"].values()) for n in range(6, upto)]
    simulate(plan, store, Progress(), (0, upto))
    figures = figures_of(plan, store)
    stays = [sum(figures[n]["parts"].values()) for n in range(6, upto)]
    if not hand.small:
        assert np.mean(follows) < 0.5 * np.mean(stays), (np.mean(follows), np.mean(stays))
    smoke = stored(hand, gas.id, last)
    dense = smoke.density > 0.1 * smoke.density.max()
    lumps, count = label(dense)
    assert len(stored(hand, rivets.id, last).points) == 5 and dense.any()
    counted(hand)
    return {
        "Cost": f"{np.mean(follows):.0f} ms a frame, {np.mean(stays):.0f} ms where the whole box is "
        "simulated, until 0.75 s",
        "Streaks": f"smoke lies in {count} parts at the end",
    }
