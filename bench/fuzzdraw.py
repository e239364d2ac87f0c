"""A fuzzer that draws what it read: packages of every route, stored frames of every kind, and effects with
extreme values from the catalogue. `python -m bench fuzzdraw --tries N [--seed S]`.

Each try is made in a child process, which tells its number first: where a child dies, that is the failure of
the try, and the next child goes on behind it. What is wrong may be refused in a sentence, or drawn.
"""

from __future__ import annotations

import io
import json
import os
import random
import shutil
import signal
import struct
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from bench.fuzz import Hang, harmed_bytes, harmed_tree, no_sentence
from bench.ways import many_ways
from tenka.base.errors import TenkaError
from tenka.base.exr import exr_bytes, read_exr
from tenka.budget.cost import ledger
from tenka.cache.store import MAGIC, FrameStore, opened, sealed
from tenka.effect import storage
from tenka.effect.catalogue import walk
from tenka.effect.document import replaced
from tenka.effect.model import Effect
from tenka.look.render import Renderer
from tenka.look.shot import shot_of
from tenka.pack.amiss import amiss
from tenka.pack.packing import pack
from tenka.package import manifest
from tenka.proof.engine import Package
from tenka.run.placing import placing
from tenka.run.plans import plans_of
from tenka.scene.cameras import view_of
from tenka.scene.meshes import primitive

SECONDS = 20.0  # a try that takes longer hangs
SIZE = (72, 48)  # px of pictures
A_CHILD = 120  # tries, until its memory is given back
EXTREMES = (0.0, -0.0, 1e-30, 1e-6, 1.0, -1.0, 255.0, 65504.0, 1e6, -1e6, 1e7, 3e38, -3e38, np.nan, np.inf)


@dataclass
class Report:
    tries: int = 0
    refused: int = 0
    drawn: int = 0
    failures: list[str] = field(default_factory=list)

    @property
    def told(self) -> str:
        """How its tries ended."""
        return f"{self.drawn:,} drawn, {self.refused:,} refused in a sentence"


# --- what is harmed -------------------------------------------------------------------------------


def prepared(folder: Path) -> None:
    """A package of every route, and the frames that it was made of."""
    effect = many_ways()
    store = FrameStore(folder / "frames")
    pack(effect, None, store, folder / "package", page=False)
    storage.save(effect, folder / "effect.tenka")


def _number(now: Any, rng: random.Random) -> Any:
    if isinstance(now, bool):
        return not now
    if isinstance(now, int):
        return rng.choice((0, 1, 2, now - 1, now + 1, 2 * now, 64, 4096, 65536, 10**7))
    near = (now, -now, 0.5 * now, 1.01 * now, 1e3 * now, 1e-3 * now)
    return rng.choice((*near, 0.0, 1e-9, 1.0, -1.0, 0.999, 89.0, 1e3, 1e6, -1e6, 1e9, -1e9))


def extreme_tree(good: bytes, rng: random.Random) -> bytes:
    """A JSON file with a few of its numbers at the ends of what may be."""
    tree = json.loads(good)
    places: list[tuple[Any, Any]] = []
    left = [tree]
    while left:
        node = left.pop()
        for key, value in node.items() if isinstance(node, dict) else enumerate(node):
            if isinstance(value, dict | list):
                left.append(value)
            elif isinstance(value, int | float):
                places.append((node, key))
    for node, key in rng.sample(places, min(len(places), rng.choice((1, 1, 2, 3, 6)))):
        node[key] = _number(node[key], rng)
    return json.dumps(tree).encode()


def extreme_values(values: np.ndarray, rng: random.Random) -> np.ndarray:
    """An array with some extreme values: a few places, a row, or all of a channel."""
    out = np.array(values)
    if not out.size:
        return out
    odd = [x for x in EXTREMES if out.dtype.kind == "f" or np.isfinite(x)]
    flat = out.reshape(-1)
    with np.errstate(all="ignore"):
        for _ in range(rng.choice((1, 3, 20))):
            value = np.clip(rng.choice(odd), -3e38, 3e38) if out.dtype.itemsize < 4 else rng.choice(odd)
            if out.dtype.kind in "iu":
                ends = np.iinfo(out.dtype)
                value = int(min(max(float(value), float(ends.min) / 2), float(ends.max) / 2))
            flat[rng.randrange(flat.size)] = value
        if rng.random() < 0.3 and out.ndim > 1 and out.dtype.kind == "f":
            out[..., rng.randrange(out.shape[-1])] = rng.choice(odd)
    return out


def _harmed_package(folder: Path, rng: random.Random) -> None:
    """Do something to a copy of the package: its manifest or one of its files."""
    way = rng.randrange(6)
    file = folder / manifest.MANIFEST
    if way in (0, 1):
        file.write_bytes(extreme_tree(file.read_bytes(), rng))
        return
    if way == 2:
        file.write_bytes(harmed_tree(file.read_bytes(), rng))
        return
    chosen = rng.choice(sorted(p for p in folder.iterdir() if p.suffix not in (".json", ".html", ".txt")))
    data = chosen.read_bytes()
    if way == 3 or chosen.suffix not in (".exr", ".png"):
        chosen.write_bytes(harmed_bytes(data, rng))
    elif chosen.suffix == ".png":
        with Image.open(io.BytesIO(data)) as image:
            texels = extreme_values(np.asarray(image), rng)
        Image.fromarray(texels).save(chosen)
    else:
        import OpenEXR

        with OpenEXR.File(str(chosen), separate_channels=True) as held:
            letters = "".join(c for c in "RGBA" if c in held.channels())
            tall, wide = held.channels()[letters[0]].pixels.shape
        chosen.write_bytes(exr_bytes(extreme_values(read_exr(chosen, wide, tall, letters), rng)))


def _harmed_frame(store: FrameStore, name: str, rng: random.Random) -> None:
    """Change a stored frame, and seal it with its store's own key."""
    file = store.folder / name
    if rng.random() < 0.5:
        found = store.get(name)
        assert found is not None
        arrays, meta = found
        which = rng.choice(sorted(arrays))
        arrays[which] = extreme_values(arrays[which], rng)
        if rng.random() < 0.3:
            meta = json.loads(extreme_tree(json.dumps(meta).encode(), rng))
        store.put(name, arrays, meta)
        return
    body = bytes(opened(file.read_bytes(), store._key))
    start = len(MAGIC) + 4
    (size,) = struct.unpack_from("<I", body, len(MAGIC))
    head = body[start : start + size]
    if rng.random() < 0.6:
        head = (extreme_tree if rng.random() < 0.5 else harmed_tree)(head, rng)
        body = MAGIC + struct.pack("<I", len(head)) + head + body[start + size :]
    else:
        body = body[: start + size] + harmed_bytes(body[start + size :], rng)
    file.write_bytes(sealed(body, store._key))


# --- what is done with it -------------------------------------------------------------------------


class Bench:
    """What the tries of a child are made with."""

    def __init__(self, folder: Path) -> None:
        self.good, self.spare = folder, Path(tempfile.mkdtemp(dir=folder))
        self.effect = storage.load(folder / "effect.tenka")
        self.plans = plans_of(self.effect, None)
        self.mesh = primitive("box", (0.4, 0.3, 0.2))
        self._warm()

    def _warm(self) -> None:
        """Draw all as it is, so that no try waits for what is compiled or loaded."""
        package = Package(self.good / "package")
        package.draw(0.24, view_of(package.camera, *SIZE), heat=True)
        package.draw(0.24, view_of(package.camera, *SIZE))
        store = FrameStore(self.good / "frames")
        for id, plan in self.plans.items():
            self._draw(id, plan.read(store, 6, True), 6)
        _asked(self.effect)

    def package(self, rng: random.Random) -> None:
        """Harm a package, open it and draw it at some moments, some copies of it, from some sides."""
        folder = self.spare / "package"
        shutil.rmtree(folder, ignore_errors=True)
        shutil.copytree(self.good / "package", folder)
        _harmed_package(folder, rng)
        package = Package(folder)
        for _ in range(2):
            camera = package.camera.model_copy(update={"heading": rng.uniform(-180, 180)})
            view = view_of(camera, *SIZE)
            time = rng.choice((0.0, 0.1, 0.24, 0.49, 0.5, 3.0, 614.0))
            carriers = np.array([[0.0, 0.0, 0.0], [1.0, 0.5, 0.0]]) if rng.random() < 0.3 else None
            package.draw(time, view, carriers=carriers, heat=rng.random() < 0.1)

    def frame(self, rng: random.Random) -> None:
        """Harm the stored frame of a layer, read it and draw it."""
        there = FrameStore(self.good / "frames")
        stored = {
            id: [f for f in plan.keys if f >= 0 and there.has(plan.name(f))]
            for id, plan in self.plans.items()
        }
        id = rng.choice(sorted(id for id, frames in stored.items() if frames))
        plan, index = self.plans[id], rng.choice(stored[id])
        store = FrameStore(self.spare / "frames")
        name = plan.name(index)
        shutil.copyfile(self.good / "frames" / name, store.folder / name)
        shutil.copyfile(self.good / "frames" / ".key", store.folder / ".key")
        store = FrameStore(self.spare / "frames")
        _harmed_frame(store, name, rng)
        found = plan.read(store, index, True)
        if found is None:
            raise TenkaError("not there any more.")
        self._draw(id, found, index, rng.uniform(-180, 180), rng.choice((1, 2)))

    def _draw(self, id: str, frame: Any, index: int, heading: float = 0.0, coarse: int = 2) -> None:
        camera = self.effect.camera.model_copy(update={"heading": heading})
        shot = shot_of(self.effect, {id: frame}, None, index / self.effect.rate, self.mesh, {})
        Renderer().draw_shot(shot, self.effect.light, view_of(camera, *SIZE), coarse)

    def setting(self, rng: random.Random) -> None:
        """Put settings at the ends of their range, and ask what the program asks before it simulates."""
        effect = self.effect
        known = [(path, p) for path, p, _, _ in walk(effect) if p.low is not None and p.high is not None]
        for path, p in rng.sample(known, rng.choice((1, 1, 2, 4))):
            value: Any = rng.choice((p.low, p.high))
            value = int(value) if p.kind == "whole" else (value,) * 3 if p.kind == "vector" else float(value)
            if p.kind in ("number", "whole", "vector"):
                try:
                    effect = replaced(effect, path, value)
                except TenkaError:
                    continue
        _asked(effect)


def _asked(effect: Effect) -> None:
    storage.loads(storage.dumps(effect))
    if effect.frames < 4000:
        plans_of(effect, None)
    placing(effect)
    amiss(effect)
    if all(getattr(getattr(d.route, "player", None), "count", 0) < 400 for d in effect.deliveries):
        for tier in effect.tiers[:1]:
            ledger(effect, tier.id)


KINDS: dict[str, Callable[[Bench, random.Random], None]] = {
    "package": Bench.package,
    "frame": Bench.frame,
    "setting": Bench.setting,
}


def _rung(*_: object) -> None:
    raise Hang


def child(folder: Path, seed: int, first: int, count: int) -> None:
    """Make some tries, and tell of each on standard output: its number, then how it ended."""
    np.seterr(all="ignore")
    signal.signal(signal.SIGALRM, _rung)
    bench, kinds = Bench(folder), list(KINDS)
    for number in range(first, first + count):
        kind = kinds[number % len(kinds)]
        print(f"@{number} {kind}", flush=True)
        signal.setitimer(signal.ITIMER_REAL, SECONDS)
        try:
            KINDS[kind](bench, random.Random(f"{seed}/{number}"))
            told = "drawn"
        except TenkaError as error:
            what = no_sentence(error)
            told = f"failed {what}" if what else "refused"
        except Hang:
            told = f"failed took longer than {SECONDS:g} s"
        except BaseException as error:
            told = f"failed {type(error).__name__}: {' '.join(str(error).split())[:200]}"
        finally:
            signal.setitimer(signal.ITIMER_REAL, 0)
        print(f"@{told}", flush=True)


def run(
    tries: int, seed: int = 1, told: Callable[[str], None] = print, numbers: list[int] | None = None
) -> Report:
    """Make tries in children; `numbers`: these alone. A try is told by its seed and number."""
    report = Report()
    with tempfile.TemporaryDirectory(prefix="tenka-fuzz-") as name:
        folder = Path(name)
        prepared(folder)
        spans = [(n, 1) for n in numbers] if numbers is not None else [(0, tries)]
        for first, count in spans:
            _span(report, folder, seed, first, first + count, told)
    return report


def _span(report: Report, folder: Path, seed: int, next_: int, end: int, told: Callable[[str], None]) -> None:
    while next_ < end:
        count = min(A_CHILD, end - next_)
        words = [sys.executable, "-m", "bench.fuzzdraw", str(folder), str(seed), str(next_), str(count)]
        process = subprocess.Popen(
            words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=os.environ
        )
        assert process.stdout is not None and process.stderr is not None
        begun = ""
        lines = (line[1:].strip() for line in process.stdout if line[0] == "@")
        for begun in lines:
            ended = next(lines, "")
            if not ended:
                break
            report.tries, next_ = report.tries + 1, int(begun.split()[0]) + 1
            report.drawn += ended == "drawn"
            report.refused += ended == "refused"
            if ended.startswith("failed"):
                report.failures.append(f"seed {seed}, try {begun}: {ended[7:]}")
                told(report.failures[-1])
            begun = ""
        code = process.wait()
        if begun or code:
            died = process.stderr.read().strip().splitlines()[-1:] or [""]
            number = int(begun.split()[0]) if begun else next_
            report.failures.append(
                f"seed {seed}, try {begun or next_}: the process died ({code}) {died[0][:200]}"
            )
            told(report.failures[-1])
            report.tries, next_ = report.tries + 1, number + 1


if __name__ == "__main__":
    child(Path(sys.argv[1]), *(int(word) for word in sys.argv[2:5]))
