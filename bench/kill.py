"""A killer: a process is ended without warning in the midst of its work, and what it left is looked at.
`python -m bench kill --times N`."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.document import replaced
from tenka.effect.model import (
    DebrisLayer,
    DomainBox,
    Effect,
    Flipbook,
    GasLayer,
    Player,
    PointSource,
    Quality,
    Source,
    Tier,
    first_delivery,
)
from tenka.package import manifest
from tenka.run.driver import simulate
from tenka.run.plans import plans_of

LATEST = 0.6  # s after the work began at which it is killed
WORK = {
    "save": """
effects = [storage.load(here / n) for n in ("one.tenka", "two.tenka")]
begin()
n = 0
while True:
    storage.save(effects[n % 2], here / "saved.tenka")
    n += 1
""",
    "autosave": """
effects = [storage.load(here / n) for n in ("one.tenka", "two.tenka")]
journal = storage.Journal(here / "one.tenka", here / "journal")
begin()
n = 0
while True:
    journal.keep(effects[n % 2])
    n += 1
""",
    "simulate": """
plans = plans_of(storage.load(here / "one.tenka"), here)
begin()
for plan in plans.values():
    simulate(plan, FrameStore(here / "frames"), Progress())
""",
    "final run": """
plans = plans_of(storage.load(here / "one.tenka"), here, final=True)
begin()
for plan in plans.values():
    simulate(plan, FrameStore(here / "frames"), Progress())
""",
    "pack": """
effects = [storage.load(here / n) for n in ("one.tenka", "two.tenka")]
begin()
n = 0
while True:
    pack(effects[n % 2], here, FrameStore(here / "packing"), here / "package")
    n += 1
""",
    "export": """
effect = storage.load(here / "one.tenka")
begin()
while True:
    for kind in ("glb", "usdc", "ply"):
        export(effect, here, FrameStore(here / "exporting"), here / f"out.{kind}", layer_id="bits")
""",
}
HEAD = """
import sys
from pathlib import Path
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.pack.packing import pack
from tenka.pack.points import export
from tenka.run.driver import simulate
from tenka.run.plans import plans_of
here = Path(sys.argv[1])
def begin():
    print("begin", flush=True)
"""


@dataclass
class Report:
    kills: int = 0
    by: dict[str, int] = field(default_factory=dict)
    failures: list[str] = field(default_factory=list)


def small() -> Effect:
    """An effect of gas and pieces that is quick to make."""
    gas = GasLayer(
        id="puff",
        name="Puff",
        domain=DomainBox(origin=(-1, -1, 0), size=(2, 2, 2), voxel=0.2, run_up=0.1),
        sources=(Source(id="s", name="S", position=(0, 0, 0.4), size=(0.8, 0.8, 0.6)),),
        quality=Quality(detail=2),
    )
    thrown = PointSource(id="b", name="B", position=(0, 0, 1), rate=0.0, burst=12, width=0.2)
    bits = DebrisLayer(id="bits", name="Bits", sources=(thrown,))
    tier = Tier(id="mid", name="Mid", width=320, height=180)
    book = Flipbook(columns=3, rows=3, width=192, height=192, player=Player(count=2))
    deliveries = tuple(first_delivery(layer, route=book) for layer in (gas, bits))
    return Effect(name="Killed", seconds=0.5, layers=(gas, bits), deliveries=deliveries, tiers=(tier,))


def _frames(effect: Effect, folder: Path, frames: Path, final: bool) -> dict[str, bytes]:
    """All stored arrays of an effect, what is missing simulated first."""
    store, found = FrameStore(frames), {}
    for id, plan in plans_of(effect, folder, final=final).items():
        simulate(plan, store, Progress())
        for f in range(effect.frames):
            held = store.get(plan.name(f))
            assert held is not None
            found[f"{id} {f}"] = b"".join(np.ascontiguousarray(a).tobytes() for a in held[0].values())
    return found


class Killer:
    """One folder, in which each kind of work is begun and killed again and again."""

    def __init__(self, here: Path) -> None:
        self.here = here
        one = small()
        self.effects = [one, replaced(one, "layers.puff.look.extinction", 20.0)]
        for effect, name in zip(self.effects, ("one", "two")):
            storage.save(effect, here / f"{name}.tenka")
        storage.save(one, here / "saved.tenka")
        self.whole = {final: _frames(one, here, here / f"whole{final}", final) for final in (False, True)}

    def kill(self, work: str, wait: float) -> bool:
        """Begin the work, and end it after a while; False when it had ended by itself."""
        process = subprocess.Popen(
            [sys.executable, "-c", HEAD + WORK[work], str(self.here)],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env={**os.environ, "NUMBA_NUM_THREADS": "2"},
        )
        assert process.stdout is not None
        process.stdout.readline()
        time.sleep(wait)
        running = process.poll() is None
        process.send_signal(signal.SIGKILL)
        process.wait()
        return running

    def look(self, work: str) -> str:
        """What is wrong with what the work left; nothing when all is well."""
        checks: dict[str, Callable[[], str]] = {
            "save": self._saved,
            "autosave": self._kept,
            "simulate": lambda: self._simulated(False),
            "final run": lambda: self._simulated(True),
            "pack": self._packed,
            "export": self._exported,
        }
        try:
            return checks[work]()
        except Exception as error:
            return f"{type(error).__name__}: {error}"

    def _saved(self) -> str:
        return "" if storage.load(self.here / "saved.tenka") in self.effects else "another effect was saved"

    def _kept(self) -> str:
        journal = storage.Journal(self.here / "one.tenka", self.here / "journal")
        found = journal.recover(None)
        journal.close()
        if journal.set_aside is not None:
            return "the journal could not be read"
        return "" if found is None or found.effect in self.effects else "the journal holds another effect"

    def _simulated(self, final: bool) -> str:
        now = _frames(self.effects[0], self.here, self.here / "frames", final)
        worse = [name for name, data in self.whole[final].items() if now.get(name) != data]
        for file in (self.here / "frames").iterdir():
            if file.is_file():
                file.unlink()
        return f"{len(worse)} frames differ from a run that was left alone, first {worse[0]}" if worse else ""

    def _packed(self) -> str:
        folder = self.here / "package"
        if folder.exists():
            manifest.read(folder)
            if not manifest.is_ours(folder):
                return "the package holds something else"
        return ""

    def _exported(self) -> str:
        for file in self.here.glob("out*"):
            if (
                file.suffix == ".glb"
                and int.from_bytes(file.read_bytes()[8:12], "little") != file.stat().st_size
            ):
                return f"{file.name} is not whole"
            if file.suffix == ".ply":
                from tenka.particles import files

                files.read(file)
        return ""


def run(times: int, seed: int = 1, told: Callable[[str], None] = print) -> Report:
    """Kill each kind of work in turn, `times` in all, at moments of chance."""
    rng, report = random.Random(seed), Report()
    with tempfile.TemporaryDirectory(prefix="tenka-kill-") as name:
        killer = Killer(Path(name))
        kinds = list(WORK)
        while report.kills < times:
            work = kinds[report.kills % len(kinds)]
            running = killer.kill(work, rng.random() ** 2 * LATEST)
            wrong = killer.look(work)
            report.kills += 1
            report.by[work] = report.by.get(work, 0) + int(running)
            if wrong:
                report.failures.append(f"{work}: {wrong}")
                told(report.failures[-1])
            left = [p.name for p in Path(name).iterdir() if p.name.endswith((".part", ".old"))]
            if len(left) > 12:
                report.failures.append(f"{len(left)} unfinished files are left: {left[:3]}")
                told(report.failures[-1])
                break
    return report


def as_json(report: Report) -> str:
    return json.dumps({"kills": report.kills, "in the midst": report.by, "failures": report.failures})
