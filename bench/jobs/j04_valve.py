"""Steam from a valve as particles only: size, opacity and colour over life, gusts, a shelf in the way."""

from __future__ import annotations

from bench.jobs.hand import Hand
from tenka.package.manifest import read

TITLE = "Steam from a valve as particles only"
MENDED = (
    "What stops particles was told so coarsely that fast ones passed through a thin shelf in the game: it is "
    "told round the stops alone, and the law goes on in steps in which none passes."
)


def do(hand: Hand) -> None:
    hand.new()
    layer = hand.tray("Layer", "Dust")
    hand.select(f"{layer}.sources.puff")
    hand.vector("position", 0.0, 0.0, 0.6)
    hand.vector("size", 0.06, 0.06, 0.06)
    hand.type("rate", 700 if not hand.small else 120)
    hand.type("life", 2.6)
    hand.type("width", "9 cm")
    hand.type("spread", 14)
    hand.type("speed", 4.5)
    hand.select(layer)
    hand.type("motion.gravity", -0.2)
    hand.type("motion.drag", 1.6)
    hand.type("run_up", 1.5)
    hand.station("look")
    hand.shape("look.size_over", (0.0, 0.25), (0.3, 0.6), (1.0, 1.0))
    hand.type("look.scale", 4.5)
    hand.type("look.opacity", 0.2)
    hand.shape("look.opacity_over", (0.0, 0.0), (0.12, 1.0), (1.0, 0.0))
    hand.colours("look.colour", (0.0, (0.9, 0.93, 0.95)), (1.0, (0.55, 0.58, 0.6)))
    hand.station("shape")
    hand.tray("Wind")
    hand.type("speed", 0.8)
    hand.type("gusts", 0.9)
    hand.tray("Prop", "Box")
    hand.vector("size", 0.5, 0.5, 0.05)
    hand.vector("position", 0.2, 0.0, 1.7)
    hand.tray("Block")
    hand.tray("Prop", "Cylinder")
    hand.vector("size", 0.12, 0.12, 0.56)
    hand.colour("colour", 0.1, 0.09, 0.08)
    hand.see((0.35, 0.0, 1.25), 4.2, -75.0, 3.0)
    if hand.small:
        hand.coarse(seconds=1.0)
    hand.simulated()
    hand.station("pack")
    hand.route("particles")
    hand.choose("route.written", "births and law")
    hand.tier("Low")
    hand.own("route.fineness", 20)
    hand.tier("Mid")
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    told = {}
    for tier, folder in zip(hand.effect.tiers, hand.packages):
        (element,) = read(folder).elements
        book = hand.state.ledgers[tier.id]
        assert element.route == "particles" and element.remark
        assert not book.uncounted and not book.over and book.ms > 0
        told["Law against simulation"] = element.remark
    low, mid = (hand.state.ledgers[id].ms for id in ("low", "mid"))
    assert low > 0 and mid > 0
    return told
