"""Variants of what is delivered: which there are, what was found out about each, and which none beats."""

from __future__ import annotations

import hashlib
import itertools
import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.board.likeness import Likeness
from tenka.board.looking import Looking
from tenka.board.measuring import Measured, players_of
from tenka.cache.store import FrameStore
from tenka.effect.document import delivered_on, get, param_at, with_own
from tenka.effect.model import Effect
from tenka.look.shot import seen

VERSION = 4
MOST = 4096  # variants of a sweep

Values = Mapping[str, Any]


@dataclass(frozen=True)
class Tried:
    """A variant that was measured.

    Attributes
    ----------
    values : of settings of deliveries, by path
    ms, mb : what it takes on the tier, by what was written; as counted before where it was not
    over : whether that is more than its budget
    likeness : how far its pictures are from the stage's; None where it cannot be packed; `fault` says why
    picture : (h, w, 3) uint8, its middle one
    known : whether it had been measured before
    """

    values: Values
    ms: float
    mb: float
    over: bool
    likeness: Likeness | None
    picture: np.ndarray
    fault: str = ""
    known: bool = False


def combined(effect: Effect, tier: str, asked: Mapping[str, Sequence[Any]]) -> list[tuple[Values, Effect]]:
    """All combinations of values, each with the effect as it is then on the tier.

    Raises
    ------
    BadInput
        A path that is no setting of a delivery, a value that does not fit it, or too many combinations.
    """
    for path, values in asked.items():
        for one in values:
            with_own(effect, tier, path, one)
    count = math.prod(len(v) for v in asked.values())
    if count > MOST:
        raise BadInput(f"{count:,} variants", f"at most {MOST:,}; fewer values", place="sweep")
    found = list[tuple[Values, Effect]]()
    for choice in itertools.product(*asked.values()):
        chosen = dict(zip(asked, choice))
        found.append((chosen, with_values(effect, tier, chosen)))
    return found


def with_values(effect: Effect, tier: str, values: Values) -> Effect:
    """The effect with values of a tier's own. What a lever turns there is turned by that lever.

    Raises
    ------
    BadInput
        See `combined`; or a value that its lever does not reach.
    """
    for path, value in values.items():
        id = effect.tier(tier).id
        lever = next((x for x in effect.levers if x.path == path and x.id in effect.tier(id).levers), None)
        if lever is None:
            effect = with_own(effect, id, path, value)
            continue
        with_own(effect, id, path, value)  # checked as a setting
        if not lever.low <= float(value) <= lever.high:
            raise BadInput(
                f"the lever '{lever.name}' cannot be {value:g}",
                f"{lever.low:g} to {lever.high:g}",
                place=path,
            )
        turned = {**effect.tier(id).levers, lever.id: float(value)}
        tiers = tuple(t.model_copy(update={"levers": turned}) if t.id == id else t for t in effect.tiers)
        effect = effect.model_copy(update={"tiers": tiers})
    return effect


def fitted(effect: Effect, path: str, text: str) -> Any:
    """A value for a setting from how it is written.

    Raises
    ------
    BadInput
        A path that is no setting, or what is no value of it.
    """
    param, now = param_at(effect, path), get(effect, path)
    if isinstance(now, bool):
        if text.lower() not in ("true", "false", "yes", "no"):
            raise BadInput(f"'{text}' is neither yes nor no", "yes or no", place=path)
        return text.lower() in ("true", "yes")
    if param.kind in ("number", "whole"):
        try:
            return int(text) if param.kind == "whole" else float(text)
        except ValueError:
            raise BadInput(f"'{text}' is no number", "numbers with commas between", place=path) from None
    return text


def key_of(
    effect: Effect,
    before: Effect,
    tier: str,
    looking: Looking,
    frames: Mapping[str, str],
    files: Mapping[str, str],
) -> str:
    """The name under which a variant's figures are kept: of all that they hang on.

    Parameters
    ----------
    before : what it is a variant of
    frames : the name of each layer's last frame
    files : what is in the files that the effect names
    """
    played = delivered_on(effect, tier)
    told: list[Any] = [VERSION, asdict(looking), effect.rate, effect.frames, sorted(frames.items())]
    told += [d.model_dump(mode="json") for d in played.deliveries]
    told += [x.look.model_dump(mode="json") for x in seen(effect)] + [str(x.edits) for x in seen(effect)]
    told += [x.model_dump(mode="json") for x in (effect.light, effect.camera, *effect.props)]
    told += [x.model_dump(mode="json") for x in (*effect.lights, *played.lights)]
    told += [(id, player.model_dump(mode="json")) for id, player in players_of(before, tier).items()]
    told += [effect.tier(tier).model_dump(mode="json", exclude={"name", "ms", "mb", "values"})]
    told.append(sorted(files.items()))
    return hashlib.blake2b(json.dumps(told).encode(), digest_size=16).hexdigest() + ".tried"


def kept(store: FrameStore, name: str) -> Measured | None:
    """What was measured under a name before; None when nothing was."""
    found = store.get(name) if store.notice(name) else None
    try:
        if found is None:
            return None
        arrays, meta = found
        return Measured(Likeness(**meta["likeness"]), arrays["picture"], meta["ms"], meta["mb"])
    except (KeyError, TypeError):
        return None


def keep(store: FrameStore, name: str, found: Measured) -> None:
    """Keep what was measured."""
    told = {"likeness": asdict(found.likeness), "ms": found.ms, "mb": found.mb}
    store.put(name, {"picture": found.picture}, told)


def beaten_by_none(costs: Sequence[float], losses: Sequence[float]) -> list[int]:
    """Which of some variants no other beats in both cost and loss, by index, the cheapest first; what is no
    number is none of them."""
    there = [n for n, loss in enumerate(losses) if math.isfinite(loss)]
    best, found = math.inf, []
    for n in sorted(there, key=lambda n: (costs[n], losses[n])):
        if losses[n] < best:
            best = losses[n]
            found.append(n)
    return found


def front(tried: Sequence[Tried], by: str = "ms") -> list[int]:
    """Which variants no other beats in both loss and cost, by index, the cheapest first.

    Parameters
    ----------
    by : the cost: "ms" or "mb"
    """
    losses = [t.likeness.loss if t.likeness is not None else math.nan for t in tried]
    return beaten_by_none([getattr(t, by) for t in tried], losses)
