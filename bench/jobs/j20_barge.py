"""A boiler on a barge that goes bursts: its cloud rides in a box that goes along, with streaks, pieces and
spray."""

from __future__ import annotations

import numpy as np

from bench.jobs.checks import counted, stored
from bench.jobs.hand import Hand
from tenka.base.jobs import Progress
from tenka.demo import FOLDER
from tenka.effect.document import get, replaced
from tenka.proof.riding import RIDES
from tenka.run.driver import frame_at, simulate
from tenka.run.plans import plans_of
from tenka.scene.poses import pose_at

TITLE = "A boiler on a moving barge bursts"
MENDED = "Nothing new."
SPEED = 1.5  # m/s


def do(hand: Hand) -> None:
    hand.new("Fireball")
    hand.coarse(24, 1.0)
    hand.drop(FOLDER / "props" / "cask_raft.glb")
    barge = hand.state.selection
    hand.vector("position", -1.5, 0.0, 0.28)
    end = hand.effect.seconds - 1.0 / hand.effect.rate
    hand.keyed("shift_x", (0.0, 0.0), (end, SPEED * end))
    hand.drop(FOLDER / "props" / "boiler.glb")
    boiler = hand.state.selection
    hand.vector("position", 0.0, 0.0, 0.6)
    hand.choose("parent", "cask_raft")
    hand.foot("Let it break")
    pieces = hand.state.selection
    hand.seen |= {"barge": barge, "boiler": boiler, "pieces": pieces}
    hand.type("pieces.cuts", 50 if not hand.small else 12)
    hand.type("pieces.wall", "3 cm")
    hand.at(round((0.5 if not hand.small else 0.25) * hand.effect.rate))
    hand.click(hand.window.tempo.cue)
    charge = "layers.fireball.sources.charge"
    hand.select(charge)
    hand.vector("position", 0.0, 0.0, 1.6)
    hand.choose("parent", "cask_raft")
    hand.choose("cue", hand.effect.cues[0].name)
    hand.select("layers.fireball")
    hand.foot("Fit to sources")
    hand.type("domain.voxel", "9 cm" if not hand.small else "18 cm")
    hand.choose("domain.rides", "cask_raft")
    streaks = hand.tray("Layer", "Sparks")
    spray = hand.tray("Layer", "Dust")
    for layer, name, rate in ((streaks, "burst", 90), (spray, "puff", 2500)):
        hand.select(f"{layer}.sources.{name}")
        hand.vector("position", 0.0, 0.0, 1.5 if name == "burst" else 0.3)
        hand.choose("parent", "cask_raft")
        if name == "burst":
            hand.type("burst", rate)
            hand.type("burst_at", 0.5 if not hand.small else 0.25)
            hand.type("speed", 9)
        else:
            hand.vector("size", 1.9, 1.9, 0.1)
            hand.type("rate", rate if not hand.small else 300)
            hand.type("start", 0.5 if not hand.small else 0.25)
            hand.type("end", 0.75)
            hand.type("speed", 5)
            hand.type("life", 1.2)
            hand.type("width", "3 cm")
    hand.select(spray)
    hand.type("motion.gravity", 1)
    hand.select(streaks)
    hand.seen |= {"streaks": streaks, "spray": spray}
    before = hand.effect.gases[0].domain.origin
    hand.select(barge)
    hand.type("position", -1.9, 0)
    hand.seen["rode"] = hand.effect.gases[0].domain.origin[0] - before[0]
    hand.see((0.2, 0.0, 1.9), 13.0, -80.0, 6.0)
    hand.simulated()
    hand.station("pack")
    hand.seen_from(22)
    hand.delivery("Sparks")
    hand.route("particles")
    hand.delivery("Dust")
    hand.route("particles")
    hand.type("route.most", 1200)
    hand.delivery("Fireball")
    hand.type("route.player.carried", 0.3)
    hand.tier("Low")
    hand.own("route.width", 1024)
    hand.own("route.height", 896)
    hand.delivery("Dust")
    hand.own("route.most", 500)
    hand.tier("Mid")
    hand.moment = round(0.36 * hand.effect.frames)
    hand.deliver()
    hand.choose_from(hand.window.proof.bar.ride, f"it {RIDES[1]}")
    hand.spin(0.3)


def holds(hand: Hand) -> dict[str, str]:
    effect, last = hand.effect, hand.effect.frames - 1
    gas = effect.gases[0]
    barge = get(effect, hand.seen["barge"])
    assert abs(hand.seen["rode"] + 0.4) < 1e-3, hand.seen["rode"]
    low, high = (np.array(gas.domain.origin), np.array(gas.domain.origin) + gas.domain.size)
    goes = [pose_at(barge, effect.props, n / effect.rate).origin for n in range(effect.frames)]
    assert all((low[:2] < p[:2]).all() and (p[:2] < high[:2]).all() for p in goes)
    late = round((0.6 if hand.small else 0.8) * last)
    cloud = stored(hand, gas.id, late)
    where = np.average(np.indices(cloud.density.shape)[0], weights=cloud.density + 1e-9)
    behind = goes[late][0] - cloud.origin[0] - (where + 0.5) * cloud.voxel
    assert behind > 0.05, behind
    told, when = {}, min(last, round(0.8 * effect.rate))
    for name in ("streaks", "spray", "pieces"):
        path = hand.seen[name]
        middles = []
        for steps in (1, 2, 8) if not hand.small else (1, 8):
            tried = replaced(effect, f"{path}.steps", steps)
            plan, store = plans_of(tried, hand.state.folder)[path.split(".")[1]], hand.state.store
            simulate(plan, store, Progress())
            frame = frame_at(plan, store, when, Progress())
            middles.append(np.mean(frame.points.place, axis=0))
        apart = float(np.max(np.ptp(middles, axis=0)))
        told[name] = apart
        assert apart < 0.15, (name, middles)
    counted(hand)
    return {
        "Box": f"put {hand.seen['rode']:+.2f} m aside with the barge; it holds all of its way",
        "Cloud": f"{behind:.2f} m behind the barge at {late / effect.rate:.1f} s",
        "1, 2 and 8 sub-steps": ", ".join(
            f"{name}: middles {100 * apart:.1f} cm apart" for name, apart in told.items()
        ),
    }
