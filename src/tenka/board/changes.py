"""Single changes by which deliveries may take less: every setting that costs says so in the catalogue."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from tenka.base.errors import BadInput
from tenka.board.variants import Values, with_values
from tenka.budget.cost import Ledger
from tenka.budget.lamps import reach_of, shining_lights
from tenka.effect.catalogue import Param, params
from tenka.effect.document import on_tier
from tenka.effect.model import Delivery, Effect, Flipbook
from tenka.effect.routes.base import EVERYWHERE
from tenka.pack.layout import packable
from tenka.pack.shaping import Shape

FACTORS = (0.9, 0.8, 0.71, 0.6, 0.5, 0.35, 0.25)
FURTHER = (0.18, 0.125)  # for how far a light shines
MORE = (1.5, 2.0, 3.0, 4.0)
LOOKS = frozenset(
    f"{where}{name}"
    for where, names in (
        ("", "seen_from seen_to window window_size"),
        ("player.", "scale tall size_spread size_over far_share width length reach"),
    )
    for name in names.split()
)
"""Settings that say what a thing is to look like or where, and not how well it is made."""
EVEN = 4  # px by which sides of textures go: blocks of compressed ones


@dataclass(frozen=True)
class Change:
    """A change of one delivery, or of one of the effect's own lights, on a tier.

    Attributes
    ----------
    what : in words: which delivery, which setting, from what to what
    values : of settings, by path
    without : deliveries that are left out
    unlit : lights that are
    note : what is lost that pictures do not show
    hides : whether something is not seen at all any more
    """

    what: str
    values: Values = field(default_factory=dict)
    without: tuple[str, ...] = ()
    unlit: tuple[str, ...] = ()
    note: str = ""
    hides: bool = False

    def on(self, effect: Effect, tier: str) -> Effect:
        """The effect with the change made on a tier.

        Raises
        ------
        BadInput
            Where it does not fit any more.
        """
        effect = with_values(effect, tier, self.values)
        if self.without or self.unlit:
            left = effect.tier(tier)
            out = {
                "without": tuple(dict.fromkeys((*left.without, *self.without))),
                "unlit": tuple(dict.fromkeys((*left.unlit, *self.unlit))),
            }
            tiers = tuple(t.model_copy(update=out) if t.id == left.id else t for t in effect.tiers)
            effect = effect.model_copy(update={"tiers": tiers})
        return effect

    @property
    def of_lights(self) -> bool:
        """Whether it changes a light of the effect."""
        return bool(self.unlit) or any(path.startswith("lights.") for path in self.values)

    @property
    def touched(self) -> set[str]:
        """What it changes: settings by path, deliveries, lights."""
        return {*self.values, *self.without, *(f"lights.{id}" for id in self.unlit)}


Ladder = list[Change]
"""Changes of the same setting, from the smallest to the largest."""


def ladders(effect: Effect, tier: str, book: Ledger | None = None) -> Iterator[Ladder]:
    """All settings of a tier's deliveries that may take less, each with the steps by which it may.

    Parameters
    ----------
    book : of the effect on the tier, which knows in which shapes frames are better cut
    """
    played = on_tier(effect, tier)
    deliveries = [d for d in packable(played) if not getattr(d.route, "matches", "")]
    for d in deliveries:
        path, together = f"deliveries.{d.id}.route", d.route.TOGETHER
        grouped = {name for group in together for name in group}
        for group in together:
            yield _scaled(d, path, group)
        if book is not None and d.id in book.shapes and isinstance(d.route, Flipbook):
            yield [_shaped(d.name, d.route, path, book.shapes[d.id])]
        for owner, prefix in ((d.route, ""), (getattr(d.route, "player", None), "player.")):
            for p in params(type(owner)).values() if owner is not None else ():
                name = prefix + p.name
                if p.cost and name not in LOOKS and name not in grouped and p.shown_when(owner):  # type: ignore[arg-type]
                    yield from _of_one(d, f"{path}.{name}", p, getattr(owner, p.name))
    if len(deliveries) > 1:
        for d in deliveries:
            near, far = d.route.seen_from, d.route.seen_to
            note = f"it is shown from {near:g} m to {far:g} m" if near > 0 or far < EVERYWHERE else ""
            what = f"{d.name}: left out, as {d.route.TITLE.lower()}"
            yield [Change(what, without=(d.id,), note=note, hides=d.route.SHOWS)]
    for light in shining_lights(played):
        yield [Change(f"{light.name}: left out, as light", unlit=(light.id,))]
        now = reach_of(light)
        steps = list(dict.fromkeys(float(f"{now * f:.2g}") for f in (*FACTORS, *FURTHER)))
        yield [
            _change(light.name, f"lights.{light.id}.reach", "reach", f"→ {v:g} m", v)
            for v in steps
            if v < now
        ]


def _change(who: str, path: str, label: str, told: str, value: Any, note: str = "") -> Change:
    return Change(f"{who}: {label} {told}", {path: value}, note=note)


def _of_one(d: Delivery, path: str, p: Param, now: Any) -> Iterator[Ladder]:
    note = d.route.ASIDE.get(p.name, "")

    def change(value: Any, told: str) -> Change:
        return _change(d.name, path, p.label, told, value, note)

    if p.kind == "toggle":
        yield [change(not now, "off" if now else "on")]
    elif p.kind == "choice":
        for other in p.choices:
            if other != now:
                yield [change(other, f"“{other}”")]
    elif p.kind in ("number", "whole") and isinstance(now, int | float):
        for factors in (FACTORS, MORE):
            steps = list(dict.fromkeys(_fit(p, now * f) for f in factors))
            if p.low == 0 and factors is FACTORS:
                steps.append(0 if p.kind == "whole" else 0.0)
            ladder = [change(v, f"{now:g} → {v:g} {p.unit}".rstrip()) for v in steps if v != now]
            if ladder:
                yield ladder


def _fit(p: Param, value: float) -> Any:
    value = p.clamp(value)
    return max(1, round(value)) if p.kind == "whole" else float(f"{value:.3g}")


def _scaled(d: Delivery, path: str, group: tuple[str, ...]) -> Ladder:
    """Settings that are changed by the same factor: what counts frames by whole ones, and textures so that a
    frame stays as large."""
    table, now = params(type(d.route)), [getattr(d.route, name) for name in group]
    counts = [n for n, name in enumerate(group) if table[name].unit != "px"]
    found: Ladder = []
    if counts:
        begin = now[counts[0]]
        factors = [n / begin for n in range(begin - 1, max(1, begin // 2) - 1, -1)]
    else:
        factors = list(FACTORS)
    for f in factors:
        values = {}
        for name, value in zip(group, now):
            p = table[name]
            exact = value * f
            whole = round(exact) if p.unit != "px" or counts else EVEN * max(1, round(exact / EVEN))
            values[f"{path}.{name}"] = int(p.clamp(max(1, whole)))
        if list(values.values()) == now:
            continue
        labels = [table[name].label for name in group]
        steps = [f"{a} {b} → {c}" for a, b, c in zip(labels, now, values.values())]
        found.append(Change(f"{d.name}: {', '.join(steps)}", values))
    return found


def _shaped(name: str, book: Flipbook, path: str, shape: Shape) -> Change:
    """Frames in the shape of what they show: less of a sprite is empty, and what is seen has more pixels."""
    what = f"{name}: columns {book.columns} → {shape.columns}, rows {book.rows} → {shape.rows}"
    return Change(what, {f"{path}.columns": shape.columns, f"{path}.rows": shape.rows})


def fitting(effect: Effect, tier: str, ladder: Ladder, enough: Callable[[Effect], bool]) -> Change | None:
    """The smallest change of a ladder that is enough; None where none is."""
    for change in ladder:
        try:
            if enough(change.on(effect, tier)):
                return change
        except BadInput:
            continue
    return None
