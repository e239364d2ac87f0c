"""A furnace lights its room: a light fitted to its fire, against a flicker of waves."""

from __future__ import annotations

from bench.jobs.checks import counted
from bench.jobs.hand import Hand
from tenka.package.manifest import read

TITLE = "A furnace lights its room"
MENDED = (
    "Lights went on without an end: a light has a *reach* now, on the stage, in Proof and on the page, and "
    "is counted within that. A tier may have another one or do without the light, and the board tries both, "
    "measures what is lost of the set, and takes them."
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
    taken = {}
    for tier in ("Low", "Mid", "High") if not hand.small else ("Low",):
        hand.tier(tier)
        hand.spin(0.3)
        if hand.dry or hand.state.ledger.over:
            hand.save_within(tier)
        own = hand.effect.tier(tier.lower())
        named = {light.id: light.name for light in hand.effect.lights}
        taken[tier] = [f"{named[id]} left out" for id in own.unlit]
        for path, value in own.values.items():
            group, id, *_, name = path.split(".")
            who = named[id] if group == "lights" else hand.effect.delivery(id).name
            taken[tier].append(f"{who}: {name.replace('_', ' ')} {value}")
    hand.seen["taken"] = taken
    hand.tier("Mid")
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    counted(hand)
    told = {}
    named = {light.id: light.name for light in hand.effect.lights}
    assert set(named) == {hand.seen["fitted"], hand.seen["waves"]}
    for n, tier in enumerate(hand.effect.tiers):
        book = hand.state.ledgers[tier.id]
        lines = {line.layer: line.ms for line in book.lines if line.route == "light"}
        assert len(lines) == 2 - len(tier.unlit) and all(ms > 0 for ms in lines.values()), lines
        there = {light.name: light.reach for light in read(hand.packages[n]).set.lights}
        assert set(there) == {named[id] for id in named if id not in tier.unlit}
        for id in named:
            own = tier.values.get(f"lights.{id}.reach")
            assert own is None or id in tier.unlit or there[named[id]] == own
        ends = {name: f"to {reach:g} m" if reach else "without an end" for name, reach in there.items()}
        lit = ", ".join(f"{name} {ms:.3f} ms ({ends[name]})" for name, ms in lines.items())
        told[tier.name] = f"{lit or 'no light'}; {book.ms:.3f} of {book.tier.ms:g} ms"
    for tier, changes in hand.seen["taken"].items():
        assert changes, "it was over its budget"
        assert not hand.state.ledgers[tier.lower()].over
        told[f"The board on {tier}"] = "; ".join(changes)
    return told
