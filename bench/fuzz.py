"""A fuzzer for every reader: good files are harmed by chance, and a reader may answer only with what the file
holds or with one sentence. `python -m bench fuzz --tries N [--seed S]`."""

from __future__ import annotations

import io
import json
import random
import resource
import signal
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from tenka.base.errors import BadInput, TenkaError
from tenka.budget.cost import ledger
from tenka.budget.devices import SHIPPED, load_device
from tenka.cache.store import pack_arrays, unpack_arrays
from tenka.demo import EFFECTS, FOLDER
from tenka.effect import presets, storage
from tenka.effect.document import with_trial
from tenka.effect.model import Effect, PointSource
from tenka.gas.images import brightness_of
from tenka.pack.layout import packable
from tenka.package import manifest
from tenka.particles import files as points
from tenka.proof.engine import Package
from tenka.run.kinds import kind_of
from tenka.run.plans import plans_of
from tenka.scene import files as meshes
from tenka.scene.props import scene_mesh

SECONDS = 8.0  # a reader that takes longer hangs
MOST_MB = 1500.0  # by which a try may make the process grow
HOSTILE: tuple[Any, ...] = (
    None,
    True,
    -1,
    0,
    1e308,
    -1e308,
    1e-320,
    10**17,
    -(10**17),
    "",
    "\0",
    "\ud800",
    "x" * 5000,
    "../../etc/passwd",
    "/dev/zero",
    [],
    {},
    [[[]]],
    {"a": {"b": {}}},
    "NaN",
    [1e300] * 3,
    "nothing",
    "box",
    "gas",
    2**31,
    0.1,
)
TOKENS = (
    b"1e999",
    b"NaN",
    b"Infinity",
    b"-1",
    b"99999999999999999999999",
    b"[" * 200,
    b'{"a":' * 200,
    b"\x00",
    b"\xff",
    b"4294967295",
    b"e",
    b"-",
    b"9" * 6000,
    b"element vertex 999999999\n",
    b"nan",
    b"inf",
    b"\n",
    b",",
    b'"',
)


class Hang(Exception):
    """A try took too long."""


def no_sentence(error: TenkaError) -> str:
    """What is wrong with the words of a refusal; nothing where they are a sentence."""
    text = str(error)
    good = "\n" not in text and text.endswith(".") and len(text) <= 1500
    return "" if good else f"no sentence: {text[:200]!r}"


@dataclass
class Failure:
    reader: str
    number: int
    what: str
    data: bytes


@dataclass
class Report:
    tries: int = 0
    refused: int = 0
    taken: int = 0
    slowest: float = 0.0
    failures: list[Failure] = field(default_factory=list)

    @property
    def told(self) -> str:
        """How its tries ended."""
        return f"{self.taken:,} read, {self.refused:,} refused in a sentence, slowest {self.slowest:.1f} s"


# --- good files -----------------------------------------------------------------------------------


def _tiny() -> Effect:
    """A small effect with a thing of every kind."""
    effect = storage.load(FOLDER / "boiler_burst.tenka")
    trimmed = effect.model_copy(update={"seconds": 0.25, "trials": ()})
    return with_trial(trimmed)[0]


def _ply(text: bool) -> bytes:
    head = (
        "ply\nformat {} 1.0\nelement vertex 3\n{}element face 1\nproperty list uchar int "
        "vertex_indices\nend_header\n"
    )
    props = "".join(f"property float {a}\n" for a in ("x", "y", "z", "vx", "vy", "vz"))
    if text:
        return (head.format("ascii", props) + "0 0 0 1 1 1\n1 0 0 1 1 1\n0 1 0 1 1 1\n3 0 1 2\n").encode()
    rows = np.arange(18, dtype="<f4").tobytes() + b"\x03" + np.array([0, 1, 2], "<i4").tobytes()
    return head.format("binary_little_endian", props).encode() + rows


def _npz() -> bytes:
    out = io.BytesIO()
    rng = np.random.default_rng(1)
    np.savez(
        out, place=rng.random((20, 3)), velocity=rng.random((20, 3)), id=np.arange(20), width=rng.random(20)
    )
    return out.getvalue()


def _png() -> bytes:
    out = io.BytesIO()
    Image.fromarray((np.random.default_rng(1).random((24, 24, 3)) * 255).astype(np.uint8)).save(out, "PNG")
    return out.getvalue()


OBJ = b"mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nusemtl a\nf 1 2 3\nf 1 2 4\nf 1/1/1 3//1 4\n"
STL = (
    b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\n"
    b"endloop\nendfacet\nendsolid a\n"
)
CSV = (
    b"id,x (m),y (m),z (m),vx,vy,vz,width,red,green,blue\n"
    b"1,0,0,0,1,1,1,0.1,255,0,0\n2,1,0,0,1,1,1,0.1,0,255,0\n"
)


def _package(folder: Path) -> None:
    """A package that was not simulated: a manifest, two atlases, a set."""
    from tenka.effect.model import Flipbook, GasLayer, first_delivery
    from tenka.pack.layout import bounds_of, describe
    from tenka.scene.glb import to_bytes
    from tenka.scene.meshes import box

    book = Flipbook(columns=2, rows=2, width=64, height=64, second="emission")
    layer = GasLayer(id="puff", name="Puff")
    delivery = first_delivery(layer, route=book)
    effect = Effect(name="Small", seconds=0.2, layers=(layer,), deliveries=(delivery,))
    held = bounds_of(effect, delivery, {})
    assert held is not None
    element = describe(effect, delivery, held)
    for name, mode in ((element.colour.file, "RGBA"), (element.second.file if element.second else "", "RGB")):
        Image.new(mode, (64, 64)).save(folder / name)
    (folder / "set.glb").write_bytes(to_bytes({"box": box((1, 1, 1), (0.5, 0.5, 0.5))}, effect.camera))
    stands = manifest.Set(
        file="set.glb", sun_heading=0, sun_height=30, sun_strength=1, sun_kelvin=5000, sky=1, exposure=0
    )
    whole = manifest.Manifest(
        effect="Small",
        frame_rate=24,
        bounds_low=(0, 0, 0),
        bounds_high=(1, 1, 1),
        levers=(),
        tiers=(),
        set=stands,
        elements=(element,),
    )
    (folder / manifest.MANIFEST).write_bytes(whole.dumps())


# --- readers --------------------------------------------------------------------------------------


def _read_effect(file: Path) -> None:
    """Read an effect, and ask of it what the program asks before anything is simulated."""
    effect = storage.load(file)
    storage.loads(storage.dumps(effect))
    for layer in effect.layers:
        kind_of(layer).told(effect, layer, FOLDER)
    if effect.frames < 4000:
        plans_of(effect, FOLDER)
    packable(effect)
    for tier in effect.tiers[:2]:
        if (
            all(getattr(getattr(d.route, "player", None), "count", 0) < 200 for d in packable(effect))
            and tier.width * tier.height < 4e6
        ):
            ledger(effect, tier.id)
    if sum(p.copies for p in effect.props) < 200:
        scene_mesh(effect, FOLDER, 0.1)


def _read_journal(file: Path) -> None:
    journal = storage.Journal(file, file.parent / "journal")
    journal.path.write_bytes(file.read_bytes())
    journal.recover(None)
    for left in journal.folder.iterdir():
        left.unlink()
    journal.close()


def _read_image(file: Path) -> None:
    brightness_of(file)


def _read_frame(file: Path) -> None:
    try:
        unpack_arrays(file.read_bytes())
    except (ValueError, KeyError, TypeError, RuntimeError, MemoryError):
        raise BadInput("damaged", file=file) from None  # what the store takes as a frame that is not there


def _read_points(file: Path) -> None:
    source = PointSource(id="s", name="S", shape="file", file=str(file))
    points.cloud_at(source, None, 0)


def _read_package(file: Path) -> None:
    Package(file.parent)


@dataclass(frozen=True)
class Target:
    """A reader with a good file: harmed are its bytes, or its tree where it is JSON."""

    name: str
    file: str
    good: bytes
    read: Callable[[Path], object]
    tree: bool = False


def targets(folder: Path) -> list[Target]:
    """All readers, with the files beside which they read."""
    effect = storage.dumps(_tiny())
    sparks = presets.keep(storage.load(EFFECTS[-1]).layers[0], "A preset", folder).read_bytes()
    frame = pack_arrays({"density": np.ones((6, 6, 6), np.float16)}, {"time": 0.0})
    (folder / "package").mkdir()
    _package(folder / "package")
    whole = (folder / "package" / manifest.MANIFEST).read_bytes()
    book = json.loads(whole)["elements"][0]
    atlas = (folder / "package" / book["colour"]["file"]).read_bytes()
    stands = (folder / "package" / "set.glb").read_bytes()
    device = (SHIPPED / "hearth.json").read_bytes()
    canvas = (FOLDER / "props" / "canvas.glb").read_bytes()
    return [
        Target("effect", "a.tenka", effect, _read_effect, True),
        Target("effect bytes", "b.tenka", effect, _read_effect),
        Target("journal", "c.tenka", effect, _read_journal, True),
        Target("preset", "p.json", sparks, presets.load, True),
        Target("device", "d.json", device, load_device, True),
        Target("manifest", "package/manifest.json", whole, _read_package, True),
        Target("atlas", f"package/{book['colour']['file']}", atlas, _read_package),
        Target("set", "package/set.glb", stands, _read_package),
        Target("glb", "a.glb", canvas, meshes.read),
        Target("obj", "a.obj", OBJ, meshes.read),
        Target("stl", "a.stl", STL, meshes.read),
        Target("ply mesh", "a.ply", _ply(True), meshes.read),
        Target("ply points", "b.ply", _ply(False), _read_points),
        Target("csv", "a.csv", CSV, _read_points),
        Target("npz", "a.npz", _npz(), _read_points),
        Target("image", "a.png", _png(), _read_image),
        Target("frame", "f", frame, _read_frame),
    ]


# --- harm -----------------------------------------------------------------------------------------


def harmed_bytes(good: bytes, rng: random.Random) -> bytes:
    """A file with a few faults: bits turned, parts gone, twice, or replaced, cut off."""
    data = bytearray(good)
    for _ in range(rng.choice((1, 1, 2, 4, 12))):
        at = rng.randrange(max(1, len(data)))
        way = rng.randrange(7)
        if way == 0 and data:
            data[at % len(data)] ^= 1 << rng.randrange(8)
        elif way == 1:
            del data[at : at + rng.choice((1, 4, 64, 1000))]
        elif way == 2:
            data[at:at] = data[at : at + rng.choice((1, 8, 200))]
        elif way == 3:
            data[at:at] = rng.choice(TOKENS)
        elif way == 4:
            data[at : at + 4] = rng.choice((0, 1, 2**31 - 1, 2**32 - 1, 10**6, 255)).to_bytes(4, "little")
        elif way == 5:
            del data[at:]
        else:
            data[at : at + 8] = bytes(rng.randrange(256) for _ in range(8))
    return bytes(data)


def harmed_tree(good: bytes, rng: random.Random) -> bytes:
    """A JSON file with a few values replaced, added or taken away."""
    tree = json.loads(good)
    for _ in range(rng.choice((1, 1, 2, 3))):
        node, key, holder = tree, None, None
        while isinstance(node, dict | list) and node and (holder is None or rng.random() < 0.85):
            holder = node
            key = rng.choice(list(node)) if isinstance(node, dict) else rng.randrange(len(node))
            node = node[key]
        if holder is None or key is None:
            continue
        way = rng.randrange(6)
        if way < 4:
            value = rng.choice(HOSTILE)
            if isinstance(node, int | float) and not isinstance(node, bool) and rng.random() < 0.5:
                value = node * rng.choice((-1, 0, 1e-9, 10, 1e6, 1e12))
            holder[key] = value
        elif way == 4 and isinstance(holder, dict):
            del holder[key]
        elif isinstance(holder, dict):
            holder[rng.choice(("extra", "id", "kind", "name"))] = rng.choice(HOSTILE)
        else:
            holder.append(rng.choice(HOSTILE) if rng.random() < 0.5 else node)
    return json.dumps(tree).encode()


# --- the run --------------------------------------------------------------------------------------


def _rung(*_: object) -> None:
    raise Hang


def one(target: Target, file: Path, data: bytes, number: int, report: Report) -> None:
    """One try, with its limits."""
    file.write_bytes(data)
    before, start = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.perf_counter()
    signal.setitimer(signal.ITIMER_REAL, SECONDS)
    what = ""
    try:
        target.read(file)
        report.taken += 1
    except TenkaError as error:
        report.refused += 1
        what = no_sentence(error)
    except Hang:
        what = f"took longer than {SECONDS:g} s"
    except BaseException as error:
        what = f"{type(error).__name__}: {str(error)[:200]}"
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    if not what and grown > MOST_MB:
        what = f"took {grown:.0f} MB"
    report.tries += 1
    report.slowest = max(report.slowest, time.perf_counter() - start)
    if what:
        report.failures.append(Failure(target.name, number, what, data))


def run(
    tries: int, seed: int = 1, seconds: float | None = None, told: Callable[[str], None] = print
) -> Report:
    """Harm files and read them, `tries` times or for so many seconds; all readers in turn.

    A try is told by its seed and number alone, so that any can be made again.
    """
    signal.signal(signal.SIGALRM, _rung)
    report, end = Report(), None if seconds is None else time.monotonic() + seconds
    with tempfile.TemporaryDirectory(prefix="tenka-fuzz-") as name:
        folder = Path(name)
        known = targets(folder)
        for (
            target
        ) in known:  # what is compiled or loaded for it, no try waits for; an alarm amid that is no fault
            (folder / target.file).write_bytes(target.good)
            target.read(folder / target.file)
        for number in range(tries):
            if end is not None and time.monotonic() > end:
                break
            target = known[number % len(known)]
            rng = random.Random(f"{seed}/{number}")
            data = harmed_tree(target.good, rng) if target.tree else harmed_bytes(target.good, rng)
            file = folder / target.file
            one(target, file, data, number, report)
            file.write_bytes(target.good)
            if report.failures and report.failures[-1].number == number:
                told(f"try {number}, {target.name}: {report.failures[-1].what}")
    return report
