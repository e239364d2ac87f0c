"""The cost model: a roofline over what is drawn (Williams, Waterman & Patterson 2009), and real block sizes.

Time of a pass is the largest of its arithmetic, its memory traffic and its fill; each term is kept with its
inputs. What the model leaves out is said in `told.LEFT_OUT`, in the window and the terminal.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from tenka.base.errors import BadInput
from tenka.budget.devices import Device, device
from tenka.budget.lamps import lamp_line, lights_of_set, shining_lights
from tenka.budget.lines import Line, Term
from tenka.budget.routes import ROUTES
from tenka.effect.courses import most
from tenka.effect.document import delivered_on, on_tier
from tenka.effect.model import Delivery, Effect, Tier
from tenka.look.shot import SHOWN
from tenka.pack.layout import bounds_of, left_out, packable, taken
from tenka.pack.looked import Known
from tenka.pack.routes import ROUTES as WRITERS
from tenka.pack.routes.base import refusing
from tenka.pack.shaping import Shape, better_shape
from tenka.package.parts import Element
from tenka.run.kinds import KINDS

MUCH = 0.3  # of a budget


@dataclass(frozen=True)
class Uncounted:
    """A layer that is seen, whose cost is not known, and why."""

    layer: str
    why: str

    def __str__(self) -> str:
        return f"{self.layer} is not counted: {self.why}."


@dataclass(frozen=True)
class Ledger:
    """All lines of an effect on a tier, against its budget.

    Attributes
    ----------
    elements : of each line, the delivery and what it gives the game; the lines after them are of the effect's
        own lights
    shapes : of flipbooks, by delivery, whose frames are better cut in another
    """

    tier: Tier
    device: Device
    lines: tuple[Line, ...] = field(default_factory=tuple)
    problems: tuple[str, ...] = ()
    uncounted: tuple[Uncounted, ...] = ()
    notes: tuple[str, ...] = ()
    elements: tuple[tuple[Delivery, Element], ...] = field(default=(), repr=False)
    shapes: Mapping[str, Shape] = field(default_factory=dict, repr=False)

    @property
    def ms(self) -> float:
        """Drawing, ms."""
        return sum(line.ms for line in self.lines)

    @property
    def update_ms(self) -> float:
        """Moving sprites, ms: it runs beside drawing."""
        return sum(line.update_ms for line in self.lines)

    @property
    def mb(self) -> float:
        return sum(line.mb for line in self.lines)

    @property
    def over(self) -> bool:
        """Whether a figure is beyond the budget, or a texture beyond what the device takes."""
        most = max(self.ms, self.update_ms)
        return most > self.tier.ms or self.mb > self.tier.mb or bool(self.problems)

    @property
    def calibration(self) -> str:
        """What the figures rest on, in words."""
        return f"calibrated by {self.device.calibrated}" if self.device.calibrated else "uncalibrated"


def _shows(delivery: Delivery, tier: Tier) -> bool:
    """Whether a delivery is shown at the distance of a tier."""
    return delivery.route.seen_from <= tier.distance < delivery.route.seen_to


def _unseen(line: Line, delivery: Delivery, tier: Tier) -> Line:
    """What is left of a line at whose distance the delivery is not shown: its memory."""
    route = delivery.route
    why = f"from {route.seen_from:g} m to {route.seen_to:g} m, and not at {tier.distance:g} m"
    terms = (Term("shown", 0.0, "", why), *(t for t in line.terms if t.unit == "MB"))
    return replace(line, ms=0.0, update_ms=0.0, overdraw=0.0, covered=0.0, terms=terms)


def _why_unknown(layer: Any, played: Effect) -> str:
    """Why a seen layer that no delivery takes is not counted."""
    if layer.kind not in KINDS or layer.kind not in SHOWN:
        return f"layers of the kind '{layer.kind}' have no delivery yet"
    ways = played.deliveries_of(layer.id)
    why = next((f"as {d.route.TITLE.lower()} it {text}" for d in ways if (text := d.route.fits(layer))), "")
    return why or ("its delivery is left out here" if ways else "it has no delivery")


def ledger(
    effect: Effect,
    tier_id: str | None = None,
    figures: Mapping[str, Mapping[int, dict[str, Any]]] | None = None,
    folder: Path | None = None,
    known: Known | None = None,
) -> Ledger:
    """The ledger of an effect on one of its tiers, with the tier's levers in place.

    Every layer that is seen has a line, or is named as not counted.

    Parameters
    ----------
    figures : what was measured of the frames of each layer; kinds whose size only a simulation tells need
        them
    folder : of the effect, for its meshes
    known : looks up what drawing told of an element before
    """
    try:
        tier = effect.tier(tier_id)
    except KeyError:
        names = ", ".join(t.name for t in effect.tiers) or "none yet"
        raise BadInput(f"no tier is called '{tier_id}'", f"one of {names}") from None
    d = device(tier.device)
    played = on_tier(effect, tier.id)
    lines, problems, uncounted, undrawn = [], [], [], []
    elements, shapes = list[tuple[Delivery, Element]](), dict[str, Shape]()
    for layer in left_out(played):
        uncounted.append(Uncounted(layer.name, _why_unknown(layer, played)))
    for delivery in packable(played):
        box = bounds_of(played, delivery, figures or {})
        if box is None:
            why = "it has not been simulated yet, so that nobody knows how large it is"
            uncounted += [Uncounted(layer.name, why) for layer in taken(played, delivery)]
            continue
        kind = delivery.route.kind
        with refusing(delivery):
            element = WRITERS[kind].describe(played, delivery, box, figures or {}, folder)
        if delivery.route.told_by_drawing:
            found = known(played, delivery) if known is not None else None
            if found is None:
                undrawn.append(
                    f"{delivery.name}: {delivery.route.told_by_drawing} is known when its frames have been "
                    "drawn at Pack; here its sprites are counted as whole frames."
                )
            else:
                element = element.model_copy(update=dict(found))
        for width, height in element.textures:
            if max(width, height) > d.largest_texture_px:
                problems.append(
                    f"{delivery.name}: a texture of {width} × {height} px is larger than "
                    f"{d.name} takes ({d.largest_texture_px} px)."
                )
        line = replace(ROUTES[kind](delivery.name, element, tier, d), id=delivery.id)
        lines.append(line if _shows(delivery, tier) else _unseen(line, delivery, tier))
        elements.append((delivery, element))
        shape = better_shape(played, delivery, box)
        if shape is not None:
            shapes[delivery.id] = shape
    lines += [lamp_line(light, played, tier, d) for light in shining_lights(played)]
    notes = (*_notes(effect, tier, d), *_many_calls(lines, tier), *undrawn)
    return Ledger(tier, d, tuple(lines), tuple(problems), tuple(uncounted), notes, tuple(elements), shapes)


def _many_calls(lines: Sequence[Line], tier: Tier) -> Iterator[str]:
    """That copies in calls of their own take much of a budget."""
    if tier.copies == 1 or tier.copies_a_call > 1:
        return
    ms = sum(t.value for line in lines if line.ms for t in line.terms if t.shared)
    if ms > MUCH * tier.ms:
        yield (
            f"The calls of {tier.copies} copies take {ms:.2f} ms of {tier.name}'s {tier.ms:g} ms: "
            "'in one call' says how many of them the game draws together."
        )


def packed_lines(elements: Sequence[Element], effect: Effect, tier_id: str) -> tuple[Line, ...]:
    """The lines of a tier by what a package really holds, as the tier plays it, and of the effect's lights.

    Parameters
    ----------
    elements : of a package of the effect as the tier gets it
    """
    tier, found = effect.tier(tier_id), []
    d = device(tier.device)
    there = on_tier(effect, tier.id)
    played = {delivery.id: delivery for delivery in there.deliveries}
    for element in elements:
        delivery = played[element.id]
        player = getattr(delivery.route, "player", None)
        if player is not None:
            element = element.model_copy(update={"player": player})
        line = replace(ROUTES[delivery.route.kind](delivery.name, element, tier, d), id=delivery.id)
        found.append(line if _shows(delivery, tier) else _unseen(line, delivery, tier))
    return (*found, *(lamp_line(light, there, tier, d) for light in shining_lights(there)))


def _notes(effect: Effect, tier: Tier, d: Device) -> tuple[str, ...]:
    """What a tier's own budget asks of its device beyond what that gives to all effects together, and what
    is not in the ledger."""
    found = []
    standing = [light.name for light in lights_of_set(effect)]
    if standing:
        found.append(f"{', '.join(standing)}: part of the game's set, and not counted here.")
    dark = [x.name for x in shining_lights(effect) if x.id in tier.unlit]
    if dark:
        found.append(f"{', '.join(dark)}: left out on {tier.name}.")
    played = delivered_on(effect, tier.id)
    bent = {id for d in played.deliveries if d.route.kind == "shimmer" for id in d.of}
    bending = [g.name for g in effect.gases if not g.hidden and most(g.look.shimmer) > 0 and g.id not in bent]
    if bending:
        found.append(f"{', '.join(bending)}: its shimmer has no delivery, and is not counted here.")
    if tier.ms > d.effects_ms:
        found.append(
            f"{tier.name} allows {tier.ms:g} ms where all effects together may take {d.effects_ms:.2f} ms of "
            f"{d.name}'s frame."
        )
    if tier.mb > d.effects_memory_mb:
        found.append(
            f"{tier.name} allows {tier.mb:g} MB where all effects together may take "
            f"{d.effects_memory_mb:g} MB "
            f"of {d.name}'s memory."
        )
    return tuple(found)
