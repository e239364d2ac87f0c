"""From what a layer's frames were made last, so that it can be said why they are to be made again."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any

from tenka.cache.store import FrameStore
from tenka.effect.catalogue import plain
from tenka.run.keys import still_settings
from tenka.run.plans import Plan

PLACES = {"own": "", "props": "prop ", "forces": "force ", "sources": "source ", "colliders": "collider "}
WORDS = {"seed": "the seed", "rate": "the frame rate", "versions": "Tenka's solvers", "camera": "the camera"}
MOST = 4  # changes that are named


def _name(plan: Plan, store: FrameStore) -> str:
    return f"{store.owner}|{plan.layer.id}|{'final' if plan.final else 'preview'}"


def _told(plan: Plan) -> dict[str, Any]:
    """All that shapes a layer and does not move, as plain values."""
    still = still_settings(plan.effect, plan.layer, plan.folder, plan.final)
    found: dict[str, Any] = json.loads(json.dumps(still, default=plain))
    return found


def note_made(plan: Plan, store: FrameStore) -> None:
    """Keep from what a layer's frames were made."""
    last = plan.effect.frames - 1
    if not store.owner or not store.has(plan.name(last)):
        return
    if (store.noted(_name(plan, store)) or {}).get("last") != plan.name(last):
        store.note(_name(plan, store), {"told": _told(plan), "last": plan.name(last)})


def why_again(plan: Plan, store: FrameStore) -> str:
    """Why frames of a layer are to be made, as a phrase; nothing where all are there."""
    stored = plan.stored(store)
    if all(stored):
        return ""
    before = store.noted(_name(plan, store))
    if before is None or not isinstance(before.get("told"), dict):
        return "not simulated to its end yet"
    if before.get("last") == plan.name(plan.effect.frames - 1):
        return "frames were removed, by hand or for want of room"
    changed = list(_changes(before["told"], _told(plan)))
    if not changed:
        first = stored.index(False) / plan.effect.rate
        return f"something that moves has changed, from {first:.2f} s on, or what it takes from"
    more = f" and {len(changed) - MOST} more" if len(changed) > MOST else ""
    return ", ".join(changed[:MOST]) + more


def _changes(before: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[str]:
    """What differs, in words: the setting, and from what to what where that is short."""
    for part in now:
        was, is_ = before.get(part), now[part]
        if was == is_:
            continue
        if part in WORDS or not (isinstance(was, dict) and isinstance(is_, dict)):
            yield f"{WORDS.get(part, part)} changed"
        elif part == "own":
            yield from _settings("", was, is_)
        else:
            for id in dict.fromkeys((*was, *is_)):
                name = f"{PLACES.get(part, '')}{id}"
                if id not in was:
                    yield f"{name} is new"
                elif id not in is_:
                    yield f"{name} is gone"
                elif was[id] != is_[id]:
                    yield from _settings(f"{name}, ", was[id], is_[id])


def _settings(name: str, was: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[str]:
    for path in dict.fromkeys((*was, *now)):
        a, b = was.get(path), now.get(path)
        if a != b:
            label = path.rsplit(".", 1)[-1].replace("_", " ")
            short = all(isinstance(v, int | float | str) and len(str(v)) < 16 for v in (a, b))
            yield f"{name}{label} {a} → {b}" if short else f"{name}{label} changed"
