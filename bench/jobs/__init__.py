"""Twenty whole jobs, from *New* to a package that a game plays, by the gestures of a hand in the real window:
`python -m bench.jobs [NUMBER ...]` does them, and `tests/jobs` does them in small."""

from __future__ import annotations

import importlib
import pkgutil
from dataclasses import dataclass
from types import ModuleType

from bench.jobs.hand import Hand


@dataclass(frozen=True)
class Job:
    """One of them: a module with a `TITLE`, `do` (all that the hand does), `holds` (what must be true then,
    told as figures by name), and `MENDED` (what was put right in the program on the way); `PICTURE` names the
    one that the guide shows where that is not the stage's."""

    number: int
    name: str
    module: ModuleType

    @property
    def title(self) -> str:
        return str(self.module.TITLE)

    @property
    def mended(self) -> str:
        return str(self.module.MENDED)

    @property
    def picture(self) -> str:
        return str(getattr(self.module, "PICTURE", "stage"))

    def do(self, hand: Hand) -> None:
        self.module.do(hand)

    def holds(self, hand: Hand) -> dict[str, str]:
        return dict(self.module.holds(hand))


def jobs() -> dict[int, Job]:
    """All of them, by number."""
    found = {}
    for info in pkgutil.iter_modules(__path__):
        if info.name.startswith("j") and info.name[1:3].isdigit():
            module = importlib.import_module(f"{__name__}.{info.name}")
            number = int(info.name[1:3])
            found[number] = Job(number, info.name[4:], module)
    return found
