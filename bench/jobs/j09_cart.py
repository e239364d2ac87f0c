"""A cart on fire goes, turns, and stops dead: its flames stay behind."""

from __future__ import annotations

import numpy as np

from bench.jobs.checks import counted, stored
from bench.jobs.hand import Hand
from tenka.demo import FOLDER
from tenka.effect.document import get
from tenka.proof.riding import RIDES
from tenka.scene.poses import pose_at

TITLE = "A cart on fire goes, turns and stops dead"
MENDED = (
    "A changed length of the effect left sequences and sprites as long as before: they go on lasting as "
    "long as the effect."
)


def do(hand: Hand) -> None:
    hand.new()
    hand.drop(FOLDER / "props" / "crate.glb")
    cart = hand.state.selection
    hand.seen["cart"] = cart
    hand.see((0.0, 0.2, 0.8), 9.0, -80.0, 12.0)
    hand.draw("path", [(-2.4, -0.6, 0.0), (-0.4, -0.6, 0.0), (0.9, 0.2, 0.0), (1.1, 1.6, 0.0)])
    hand.tick("faces_path")
    hand.keyed("travel", (0.0, 0.0), (2.0, 1.0))
    hand.foot("Set on fire")
    hand.type("thickness", "15 cm")
    hand.select(f"layers.{hand.effect.gases[0].id}")
    if hand.small:
        hand.coarse(30, 1.5)
    else:
        hand.type("domain.voxel", "7 cm")
        hand.whole()
        hand.type("seconds", 2.5)
    hand.simulated()
    hand.station("pack")
    hand.type("route.player.count", 2)
    hand.type("route.pitch", 12)
    hand.type("route.player.nearer", 2)
    hand.choose("route.player.stands", "to the eye")
    hand.tier("Low")
    hand.own("route.width", 1024)
    hand.own("route.height", 896)
    hand.further("light")
    hand.type("route.player.reach", 2.5)
    hand.not_on("Low")
    hand.tier("Mid")
    hand.deliver()
    shown = hand.window.proof
    for ride in RIDES[1:]:
        hand.choose_from(shown.bar.ride, f"it {ride}")
        before = shown.screen_.image
        hand.until(lambda before=before: shown.screen_.image is not before, f"it {ride}", 30)


def holds(hand: Hand) -> dict[str, str]:
    effect = hand.effect
    gas, cart = effect.gases[0], get(effect, hand.seen["cart"])
    index = round((0.75 if hand.small else 1.2) * effect.rate)
    t = index / effect.rate
    frame = stored(hand, gas.id, index)
    flame = np.asarray(frame.flame, float)
    cells = np.indices(flame.shape).reshape(3, -1).T[:, :2]
    hot = flame.reshape(-1) > 0.25 * flame.max()
    middle = np.average(cells[hot], axis=0, weights=flame.reshape(-1)[hot])
    place = np.asarray(frame.origin)[:2] + (middle + 0.5) * frame.voxel
    here, soon = (pose_at(cart, effect.props, s).origin[:2] for s in (t, t + 0.02))
    way = (soon - here) / np.linalg.norm(soon - here)
    behind = float(way @ (here - place))
    assert flame.max() > 0.02 and behind > 0.1, behind
    low, high = np.array(gas.domain.origin), np.array(gas.domain.origin) + gas.domain.size
    ways = np.array([pose_at(cart, effect.props, s).origin for s in np.linspace(0, effect.seconds, 40)])
    assert (ways[:, :2] > low[:2]).all() and (ways[:, :2] < high[:2]).all()
    counted(hand)
    return {"Flames": f"{behind:.2f} m behind the cart's middle at {t:.2f} s"}
