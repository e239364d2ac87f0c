"""A cask bursts from inside on demand: pieces, flash and smoke, triggered three times overlapping."""

from __future__ import annotations

from bench.jobs.checks import counted, stored, worst
from bench.jobs.hand import Hand

TITLE = "A cask bursts from inside on demand"
MENDED = "As for the jar."


def do(hand: Hand) -> None:
    hand.new("Fireball")
    hand.coarse(26)
    charge = "layers.fireball.sources.charge"
    hand.select(charge)
    hand.vector("position", 0.0, 0.0, 0.5)
    hand.tray("Prop", "Cylinder")
    hand.vector("size", 0.7, 0.7, 1.0)
    hand.colour("colour", 0.2, 0.11, 0.06)
    hand.foot("Let it break")
    hand.vector("pieces.grain", 1.0, 1.0, 4.0)
    hand.type("pieces.wall", "4 cm")
    hand.see((0.0, 0.0, 1.2), 9.0, -75.0, 7.0)
    hand.simulated()
    hand.whole()
    hand.choose("again", "add")
    hand.station("pack")
    hand.delivery("Fireball")
    hand.menu("route.player.scale", "Give it to the game")
    hand.tier("Low")
    hand.own("route.width", 1024)
    hand.own("route.height", 896)
    hand.tier("Mid")
    hand.deliver()
    if hand.dry:
        return
    for _ in range(2):
        hand.spin(0.3)
        hand.button("Trigger")
    hand.spin(0.2)
    runs = hand.window.proof.performance.runs
    hand.seen = {"starts": [run.start for run in runs], "levers": list(hand.window.proof.bar.levers.sliders)}


def holds(hand: Hand) -> dict[str, str]:
    assert len(hand.seen["starts"]) == 3 and len(hand.seen["levers"]) == 1, hand.seen
    pieces = next(x for x in hand.effect.layers if x.kind == "debris")
    last = stored(hand, pieces.id, hand.effect.frames - 1)
    assert len(last.points) > 20
    once, thrice = worst(hand, "mid"), worst(hand, "mid", 0.0, 0.3, 0.6)
    assert thrice[0] > 1.5 * once[0]
    counted(hand)
    return {
        "Pieces": f"{len(last.points)}",
        "Worst moment on Mid": f"{once[0]:.2f} ms once, {thrice[0]:.2f} ms at {thrice[1]:.2f} s when it is "
        "triggered at 0, 0.3 and 0.6 s",
    }
