"""Sweeps: every combination of some values of settings on a tier, cheapest first.

Each is measured once and kept by what it is made of, so that a sweep that was stopped goes on.
"""

from __future__ import annotations

import hashlib
import itertools
import json
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.board.likeness import Likeness
from tenka.board.measuring import Looking, measured, references
from tenka.budget.cost import Ledger, ledger
from tenka.cache.store import FrameStore
from tenka.effect.document import delivered_on, get, param_at, with_own
from tenka.effect.model import Effect
from tenka.look.shot import seen
from tenka.run.driver import figures_of, simulate
from tenka.run.plans import plans_of

VERSION = 1
MOST = 4096  # variants of a sweep

Values = Mapping[str, Any]


@dataclass(frozen=True)
class Tried:
    """A variant that was measured.

    Attributes
    ----------
    values : of settings of deliveries, by path
    ms, mb : what it takes on the tier; over : whether that is more than its budget
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
    count = int(np.prod([len(v) for v in asked.values()])) if asked else 1
    if count > MOST:
        raise BadInput(f"{count:,} variants", f"at most {MOST:,}; fewer values", place="sweep")
    found = list[tuple[Values, Effect]]()
    for choice in itertools.product(*asked.values()):
        chosen, made = dict(zip(asked, choice)), effect
        for path, value in chosen.items():
            made = with_own(made, tier, path, value)
        found.append((chosen, made))
    return found


def fitted(effect: Effect, path: str, text: str) -> Any:
    """A value for a setting from how it is written in the terminal.

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
    effect: Effect, tier: str, folder: Path | None, looking: Looking, frames: Mapping[str, str]
) -> str:
    """The name under which a variant's figures are kept: of all that its pictures hang on."""
    played = delivered_on(effect, tier)
    told: list[Any] = [VERSION, asdict(looking), effect.rate, effect.frames, sorted(frames.items())]
    told += [d.model_dump(mode="json") for d in played.deliveries]
    told += [x.look.model_dump(mode="json") for x in seen(effect)] + [str(x.edits) for x in seen(effect)]
    told += [x.model_dump(mode="json") for x in (effect.light, effect.camera, *effect.lights, *effect.props)]
    told.append(str(folder))
    return hashlib.blake2b(json.dumps(told).encode(), digest_size=16).hexdigest() + ".tried"


def _kept(store: FrameStore, name: str) -> tuple[Likeness, np.ndarray] | None:
    found = store.get(name) if store.notice(name) else None
    try:
        return None if found is None else (Likeness(**found[1]["likeness"]), found[0]["picture"])
    except (KeyError, TypeError):
        return None


def sweep(
    effect: Effect,
    tier: str,
    asked: Mapping[str, Sequence[Any]],
    folder: Path | None,
    store: FrameStore,
    progress: Progress | None = None,
    looking: Looking | None = None,
) -> Iterator[Tried]:
    """Measure all combinations of values on a tier, the cheapest first; one is given as soon as it is known.

    A variant that cannot be packed is given with its fault, and the next one is tried; those that do not even
    fit together come at the end.

    Raises
    ------
    BadInput
        See `combined`; or nothing that is seen can be simulated.
    """
    progress, looking = progress or Progress(), looking or Looking.of(effect)
    variants = combined(effect, tier, asked)
    plans = plans_of(effect, folder)
    for layer in seen(effect):
        simulate(plans[layer.id], store, progress)
    figures = {layer.id: figures_of(plans[layer.id], store) for layer in seen(effect)}
    frames = {layer.id: plans[layer.id].name(effect.frames - 1) for layer in seen(effect)}
    costed, unfit = list[tuple[Ledger, Values, Effect]](), list[tuple[Values, str]]()
    for values, made in variants:
        try:
            costed.append((ledger(made, tier, figures, folder), values, made))
        except BadInput as error:
            unfit.append((values, str(error)))
    costed.sort(key=lambda one: (_time(one[0]), one[0].mb))
    against: list[list[np.ndarray]] | None = None
    blank = np.zeros((*looking.size[::-1], 3), np.uint8)
    for book, values, made in costed:
        progress.check()
        name = key_of(made, tier, folder, looking, frames)
        kept, fault = _kept(store, name), ""
        was = kept is not None
        if kept is None:
            if against is None:
                against = references(effect, folder, store, looking, progress)
            try:
                kept = measured(made, tier, folder, store, looking, against, progress)
                store.put(name, {"picture": kept[1]}, {"likeness": asdict(kept[0])})
            except BadInput as error:
                fault = str(error)
        like, picture = kept if kept is not None else (None, blank)
        yield Tried(values, _time(book), book.mb, book.over, like, picture, fault, was)
    for values, fault in unfit:
        yield Tried(values, math.inf, math.inf, True, None, blank, fault)


def _time(book: Ledger) -> float:
    """What a tier's budget of time is held against, ms: drawing, or moving sprites beside it."""
    return max(book.ms, book.update_ms)


def front(tried: Sequence[Tried]) -> list[int]:
    """Which variants no other beats in both likeness and cost, by index, the cheapest first."""
    order = sorted(
        (n for n, t in enumerate(tried) if t.likeness is not None),
        key=lambda n: (tried[n].ms, tried[n].likeness.flip),  # type: ignore[union-attr]
    )
    best, found = float("inf"), []
    for n in order:
        like = tried[n].likeness
        assert like is not None
        if like.flip < best:
            best = like.flip
            found.append(n)
    return found
