"""A furnace lights its room: a light fitted to its fire, against a flicker of waves."""

from __future__ import annotations

from bench.jobs.checks import counted
from bench.jobs.hand import Hand
from tenka.package.manifest import read

TITLE = "A furnace lights its room"
MENDED = (
    "A light could not be left out on one tier, and the board did not know of lights: it tries each without "
    "them, measures what is lost of the set, and takes them from a tier."
)


def do(hand: Hand) -> None:
    hand.new("Fire")
    hand.coarse(20, 1.0)
    for size, place in (((3.6, 0.1, 2.4), (0.0, 1.2, 0.0)), ((0.1, 2.4, 2.4), (-1.5, 0.0, 0.0))):
        hand.tray("Prop", "Box")
        hand.vector("size", *size)
        hand.vector("position", *place)
    hand.station("look")
    hand.type("light.strength", 0.15)
    hand.type("light.sky", 0.1)
    hand.choose("light.backdrop", "dark")
    hand.station("shape")
    hand.see((0.0, 0.2, 0.9), 5.5, -62.0, 9.0)
    hand.simulated()
    hand.select("layers.fire")
    hand.row_menu("layers.fire", "Fit a light to it")
    hand.until(lambda: hand.effect.lights, "the fitted light", 300)
    fitted = hand.effect.lights[0].id
    hand.tray("Light")
    waves = hand.state.selection.split(".")[1]
    hand.vector("position", 0.0, 0.0, 0.8)
    hand.choose("part_of", "effect")
    hand.type("strength", 5)
    hand.course("strength", "wave")
    hand.in_drawer("amount", 1.5)
    hand.in_drawer("period", 0.35)
    hand.seen |= {"fitted": fitted, "waves": waves}
    hand.station("pack")
    hand.type("route.player.count", 2)
    hand.save()
    said: dict[str, dict[str, tuple[float, float]]] = {}
    for tier in ("Low", "Mid", "High") if not hand.small else ("Low",):
        said[tier] = {
            next(iter(p.changes[0].unlit)): (p.ms, p.added)
            for p in hand.savings(tier)
            if len(p.changes) == 1 and p.changes[0].unlit and not p.fault
        }
    hand.seen["said"] = said
    hand.station("shape")
    hand.tier("Low")
    least = min(said["Low"], key=lambda id: said["Low"][id][1]) if said["Low"] else waves
    hand.select(f"lights.{least}")
    hand.row_menu(f"lights.{least}", "Leave it out on Low")
    hand.seen["least"] = least
    hand.tier("Mid")
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    counted(hand)
    told = {}
    named = {light.id: light.name for light in hand.effect.lights}
    for tier in hand.effect.tiers:
        lines = {line.layer: line.ms for line in hand.state.ledgers[tier.id].lines if "ight" in line.route}
        assert len(lines) == (1 if tier.id == "low" else 2) and all(ms > 0 for ms in lines.values()), lines
        told[tier.name] = ", ".join(f"{name} {ms:.3f} ms" for name, ms in lines.items())
    for tier, points in hand.seen["said"].items():
        assert set(points) == {hand.seen["fitted"], hand.seen["waves"]}, hand.seen
        told[f"The board on {tier}"] = "; ".join(
            f"without {named[id]} {ms:.3f} ms in all, FLIP {added:+.4f}" for id, (ms, added) in points.items()
        )
    assert len(read(hand.packages[0]).set.lights) + 1 == len(read(hand.packages[1]).set.lights)
    told["Left out on Low"] = named[hand.seen["least"]]
    return told
