"""What was found out about a flipbook when its frames were drawn, kept with the frames: so that the ledger
knows it afterwards, in the window and in the terminal."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from tenka.cache.store import FrameStore
from tenka.effect.model import Delivery, Effect
from tenka.pack.layout import framed, taken
from tenka.package.elements.flipbook import CutOut
from tenka.run.plans import Plan, plans_of

Known = Callable[[Effect, Delivery], Mapping[str, Any] | None]
"""Looks up values of an element that are known by drawing it."""


def look_name(effect: Effect, delivery: Delivery, plans: dict[str, Plan]) -> str:
    """The name under which it is kept: of all that its cells are drawn from, not of how it is played."""
    last = effect.frames - 1
    told: list[Any] = [delivery.route.as_written().model_dump(mode="json")]
    for layer in taken(effect, framed(effect, delivery)):
        told += [layer.look.model_dump(mode="json"), plans[layer.id].name(last), str(layer.edits)]
    told += [effect.light.model_dump(mode="json"), [x.model_dump(mode="json") for x in effect.lights]]
    told += [[x.model_dump(mode="json") for x in effect.props], effect.rate]
    return hashlib.blake2b(json.dumps(told).encode(), digest_size=16).hexdigest() + ".look"


def keep_cut(store: FrameStore, name: str, cut: CutOut) -> None:
    """Remember a cut-out."""
    store.put(name, {}, {"cut_out": cut.model_dump(mode="json")})


def kept_cut(store: FrameStore, name: str) -> CutOut | None:
    """The cut-out of before, where there is one."""
    found = store.get(name) if store.notice(name) else None
    try:
        return CutOut.model_validate(found[1]["cut_out"]) if found is not None else None
    except (KeyError, ValidationError):
        return None


def known_cuts(store: FrameStore, folder: Path | None) -> Known:
    """Looks up the cut-outs of flipbooks that have been drawn before."""

    def known(effect: Effect, delivery: Delivery) -> Mapping[str, Any] | None:
        found = kept_cut(store, look_name(effect, delivery, plans_of(effect, folder)))
        return {"cut_out": found} if found is not None else None

    return known
