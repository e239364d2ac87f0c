"""Scenes, packed and weighed: what several effects take on one time axis, and where they come together."""

from __future__ import annotations

import json
import re
import tempfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.files import write_atomic
from tenka.base.jobs import Progress
from tenka.budget.cost import Ledger, ledger
from tenka.budget.figures import needed_figures
from tenka.budget.overtime import over_time
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.document import on_tier
from tenka.effect.model import Effect
from tenka.effect.scenes import Scene
from tenka.pack.looked import known_cuts
from tenka.pack.packing import pack
from tenka.proof.engine import Package
from tenka.proof.together import Standing

STEPS = 20  # moments of a second, at which what is taken is summed
TOGETHER, MARK = "scene.json", "Tenka scene"


@dataclass(frozen=True)
class Player:
    """A member with its effect, as a tier has it.

    Attributes
    ----------
    key : name of its package: the same for members of the same effect
    """

    name: str
    key: str
    at: float
    place: tuple[float, float, float]
    effect: Effect
    folder: Path
    tier: str


@dataclass(frozen=True)
class SceneBook:
    """What a scene takes on a tier.

    Attributes
    ----------
    times : (n,) s
    ms : (members, n) of drawing
    mb : of all packages, each once
    budget_ms, budget_mb : what all effects together may take on the device of the first
    uncounted : what of it is not counted, and why
    """

    players: tuple[Player, ...]
    books: tuple[Ledger, ...]
    times: np.ndarray
    ms: np.ndarray
    mb: float
    budget_ms: float
    budget_mb: float
    uncounted: tuple[str, ...]

    @property
    def worst(self) -> tuple[float, float]:
        """The most that a moment takes, ms, and which one that is, s."""
        whole = self.ms.sum(axis=0)
        at = int(np.argmax(whole))
        return float(whole[at]), float(self.times[at])

    @property
    def over(self) -> bool:
        return self.worst[0] > self.budget_ms or self.mb > self.budget_mb


def players_of(scene: Scene, folder: Path, tier: str) -> list[Player]:
    """All members with their effects.

    Parameters
    ----------
    folder : of the scene
    tier : name or id of a tier that each effect has

    Raises
    ------
    BadInput
    """
    if not scene.members:
        raise BadInput("the scene has no effect", "one or more")
    found, keys = [], dict[Path, str]()
    for member in scene.members:
        file = (folder / member.effect).resolve()
        effect = storage.load(file)
        own = next((t.id for t in effect.tiers if tier in (t.id, t.name)), None)
        if own is None:
            names = ", ".join(t.name for t in effect.tiers) or "none"
            raise BadInput(f"no tier is called '{tier}'", f"one of: {names}", file)
        if file not in keys:
            plain = re.sub(r"[^a-z0-9_]+", "_", file.stem.lower()).strip("_") or "effect"
            taken = set(keys.values())
            keys[file] = next(k for k in (plain, *(f"{plain}_{n}" for n in range(2, 999))) if k not in taken)
        found.append(Player(member.name, keys[file], member.at, member.place, effect, file.parent, own))
    return found


def weigh(players: Sequence[Player], store: FrameStore, progress: Progress) -> SceneBook:
    """What all take over time; what is missing for that is simulated.

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    end = max(p.at + p.effect.seconds for p in players)
    times = np.linspace(0.0, end, max(2, round(end * STEPS) + 1))
    books, curves, memory, uncounted = [], np.zeros((len(players), len(times))), dict[str, float](), []
    for row, p in zip(curves, players):
        progress.check()
        figures = needed_figures(p.effect, p.folder, store, progress)
        book = ledger(p.effect, p.tier, figures, p.folder, known_cuts(store, p.folder))
        own = over_time(book, p.effect, figures)
        there = (times >= p.at - 1e-9) & (times <= p.at + p.effect.seconds + 1e-9)
        row[:] = np.where(there, np.interp(times - p.at, own.times, own.ms), 0.0)
        memory[p.key] = book.mb
        books.append(book)
        uncounted += [f"{p.name}: {u}" for u in book.uncounted]
    device = books[0].device
    limits = (device.effects_ms, device.effects_memory_mb)
    told = tuple(dict.fromkeys(uncounted))
    return SceneBook(tuple(players), tuple(books), times, curves, sum(memory.values()), *limits, told)


def pack_scene(
    scene: Scene,
    players: Sequence[Player],
    store: FrameStore,
    out: Path,
    progress: Progress,
    apart: bool = False,
) -> list[Path]:
    """Write a package for each effect; together with them, unless they go apart, a file that says when and
    where a game triggers each.

    Raises
    ------
    BadInput
        Also where `out` holds a scene file that is not ours.
    TooLarge, Unstable, Cancelled
    """
    file = out / TOGETHER
    if not apart and file.exists() and not _is_ours(file):
        raise BadInput("is there, and no scene of ours", "another folder", file)
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput("cannot be made", "a folder that you may write to", out) from error
    folders = []
    for p in {p.key: p for p in players}.values():
        played = on_tier(p.effect, p.tier)
        pack(played, p.folder, store, out / p.key, progress, packed_for=p.tier or "")
        folders.append(out / p.key)
    if not apart:
        told = {
            "written_by": MARK,
            "name": scene.name,
            "axes": {"up": "z", "unit": "m"},
            "members": [
                {
                    "name": p.name,
                    "package": p.key,
                    "at": round(p.at, 6),
                    "lasts": round(p.effect.seconds, 6),
                    "place": list(p.place),
                }
                for p in players
            ],
        }
        write_atomic(file, json.dumps(told, indent=1, ensure_ascii=False).encode() + b"\n")
    return folders


def _is_ours(file: Path) -> bool:
    try:
        found = json.loads(file.read_bytes())
        return isinstance(found, dict) and found.get("written_by") == MARK
    except (OSError, ValueError, RecursionError):
        return False


def standing_in(players: Sequence[Player], out: Path) -> list[Standing]:
    """The packages of a scene, opened to be played together.

    Raises
    ------
    BadInput
    """
    opened = {key: Package(out / key) for key in dict.fromkeys(p.key for p in players)}
    return [Standing(opened[p.key], p.at, p.effect.seconds, p.place) for p in players]


@lru_cache(maxsize=1)
def _home() -> tempfile.TemporaryDirectory[str]:
    return tempfile.TemporaryDirectory(prefix="tenka-scene-")


def spare_folder() -> Path:
    """A folder for packages that are only looked at; it goes with the process."""
    return Path(_home().name)


def runs_of(book: SceneBook) -> Iterator[tuple[Player, float, float]]:
    """Each member with its mean and its worst ms while it is there."""
    for p, curve in zip(book.players, book.ms):
        there = curve[(book.times >= p.at) & (book.times <= p.at + p.effect.seconds)]
        yield p, float(there.mean()) if len(there) else 0.0, float(curve.max())
