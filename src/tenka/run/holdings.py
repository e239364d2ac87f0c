"""What the store holds: by effect, by what of it, and what of that anybody still needs."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path

from tenka.base.errors import TenkaError
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.model import Effect
from tenka.run.plans import Plan, plans_of

NOW, FINAL, EARLIER, OTHER = "as it is now", "final run", "earlier states of it", "measured and drawn"
PINNED, UNREAD = "trials of another effect", "frames"
MEASURED = (".tried", ".against", ".look")  # of the board, and of what was packed
UNKNOWN = "of no known effect"


@dataclass
class Part:
    """Files of an effect that belong together."""

    bytes: int = 0
    names: list[str] = field(default_factory=list)

    def add(self, name: str, size: int) -> None:
        self.bytes += size
        self.names.append(name)


@dataclass
class Holding:
    """What is kept of an effect.

    Attributes
    ----------
    owner : its file; empty where nobody knows
    title : what it is called
    there : whether its file is
    parts : by what they are of: as it is now, each trial, its final run, earlier states, what was measured;
        and another effect that needs them too
    """

    owner: str
    title: str
    there: bool
    parts: dict[str, Part] = field(default_factory=dict)

    @property
    def bytes(self) -> int:
        return sum(part.bytes for part in self.parts.values())

    @property
    def needless(self) -> list[str]:
        """Files that nothing which is kept needs: of earlier states, and all that only an effect needed that
        is gone."""
        spare = {EARLIER} if self.there else {EARLIER, OTHER}
        return [name for what, part in self.parts.items() if what in spare for name in part.names]


def names_of(plans: Iterable[Plan]) -> set[str]:
    """Names of all frames and full states of plans."""
    found: set[str] = set()
    for plan in plans:
        for f in plan.keys:
            found |= {plan.name(f), plan.state_name(f)}
    return found


def wanted_by(effect: Effect, folder: Path | None) -> list[tuple[str, set[str]]]:
    """Names that an effect needs, by what for; what is in two is of the first.

    Raises
    ------
    BadInput
    """
    plans = list(plans_of(effect, folder).values())
    found = [(NOW, names_of(plans))]
    if any(plan.kind.finer for plan in plans):
        found.append((FINAL, names_of(plans_of(effect, folder, final=True).values())))
    for trial in effect.trials:
        onto = trial.onto(effect)
        plans = [*plans_of(onto, folder).values(), *plans_of(onto, folder, final=True).values()]
        found.append((f"trial {trial.name}", names_of(plans)))
    return found


def holdings(
    store: FrameStore,
    opened: tuple[str, Effect, Path | None] | None = None,
    check: Callable[[], None] = lambda: None,
) -> list[Holding]:
    """All that is kept, the largest first.

    Parameters
    ----------
    opened : owner, effect and folder of what is worked on, which may not be saved
    check : called often; it may raise
    """
    files: dict[str, list[tuple[str, int]]] = {}
    for name, size, owner in store.files():
        check()
        files.setdefault(owner, []).append((name, size))
    known, wanted = dict[str, Effect](), dict[str, dict[str, str]]()
    for owner in dict.fromkeys((*files, *([opened[0]] if opened is not None else []))):
        check()
        effect, folder = _effect_of(owner, opened)
        if effect is None:
            continue
        known[owner] = effect
        with contextlib.suppress(TenkaError):
            for what, names in reversed(wanted_by(effect, folder)):
                for name in names:
                    wanted.setdefault(name, {})[owner] = what
    pinned, found = store.pinned(), []
    for owner, rows in files.items():
        check()
        there = owner in known or Path(owner).is_file()
        title = known[owner].name if owner in known else Path(owner).stem if owner else UNKNOWN
        holding = Holding(owner, title, there)
        for name, size in rows:
            needed = wanted.get(name, {})
            if name.endswith(MEASURED):
                part = OTHER
            elif owner in needed:
                part = needed[owner]
            elif needed:
                part = f"needed by {known[next(iter(needed))].name}"
            elif name in pinned:
                part = PINNED
            elif not owner or (there and owner not in known):
                part = UNREAD
            else:
                part = EARLIER
            holding.parts.setdefault(part, Part()).add(name, size)
        found.append(holding)
    return sorted(found, key=lambda h: -h.bytes)


def _effect_of(
    owner: str, opened: tuple[str, Effect, Path | None] | None
) -> tuple[Effect | None, Path | None]:
    """An owner's effect as it is worked on, or as it is in its file; None where that cannot be read."""
    if opened is not None and owner == opened[0]:
        return opened[1], opened[2]
    try:
        return (storage.load(Path(owner)), Path(owner).parent) if Path(owner).is_file() else (None, None)
    except TenkaError:
        return None, None


def remove(store: FrameStore, names: Iterable[str]) -> int:
    """Remove files of a store; how many there were."""
    count = 0
    for name in names:
        store.drop(name)
        count += 1
    return count
