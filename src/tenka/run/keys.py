"""Cache keys: a frame's key is a hash of all that led to it.

The key of a frame chains the key before it with the samples of every course in its span. Two effects that
differ only from frame 40 on therefore share the keys, and the stored frames, of frames 0 to 39.
"""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any

import numpy as np

from tenka.effect.catalogue import plain, settings_that_affect, walk
from tenka.effect.courses import Course
from tenka.effect.model import ON_PROP, Effect, GasLayer, Prop, Source, Swirl, heard
from tenka.gas.settings import SAMPLES, course_samples, envelope_samples
from tenka.gas.solver import SOLVER_VERSION, run_up_frames
from tenka.gas.sources import image_file
from tenka.scene.poses import carriers
from tenka.scene.props import mesh_file

_BY_ENVELOPE = ("start", "end", "emission")


def _still_settings(effect: Effect, layer: GasLayer, folder: Path | None, final: bool) -> dict[str, Any]:
    """All that shapes the simulation and does not move: without names, looks and what is passed over."""
    simulation = {"simulation", "final"} if final else {"simulation"}
    sources = {}
    for source in heard(layer.sources):
        own = settings_that_affect(source, simulation)
        sources[source.id] = {k: v for k, v in own.items() if k not in _BY_ENVELOPE}
        if source.shaped_by == "image" and source.image:
            sources[source.id]["image"] = _digest(image_file(source, folder))
    props = {}
    for prop in _taking_part(effect, layer):
        props[prop.id] = settings_that_affect(prop, simulation)
        if prop.shape == "mesh" and prop.file:
            props[prop.id]["content"] = _digest(mesh_file(prop, folder))
            props[prop.id].pop("file", None)  # what it holds counts, not where it lies
    parts = {name: settings_that_affect(getattr(layer, name), simulation) for name in ("domain", "motion", "fading", "fire", "quality")}
    forces = {f.id: {"kind": f.kind, **settings_that_affect(f, simulation)} for f in heard(effect.forces)}
    colliders = {c.id: settings_that_affect(c, simulation) for c in heard(layer.colliders)}
    return {"solver": SOLVER_VERSION, "seed": effect.seed, "rate": effect.rate, "layer": layer.id, "sources": sources, "props": props,
            "forces": forces, "colliders": colliders, **parts}  # fmt: skip


def _taking_part(effect: Effect, layer: GasLayer) -> list[Prop]:
    """The props that the simulation sees: those that give, those that stop the gas, and whatever carries or turns something."""
    used = {s.prop for s in heard(layer.sources) if s.shape in ON_PROP} | {c.prop for c in heard(layer.colliders)}
    used |= {f.turned_by for f in heard(effect.forces) if isinstance(f, Swirl)}
    seen = [p for p in effect.props if p.id in used]
    for placed in (*seen, *heard(layer.sources), *heard(effect.forces)):
        used |= {p.id for p in carriers(placed, effect.props)}
    return [p for p in effect.props if p.id in used]


_digests: dict[tuple[str, int, int], str] = {}


def _digest(file: Path) -> str:
    try:
        stat = file.stat()
        mark = (str(file), stat.st_mtime_ns, stat.st_size)
        if mark not in _digests:
            _digests[mark] = hashlib.blake2b(file.read_bytes(), digest_size=12).hexdigest()
        return _digests[mark]
    except OSError:
        return "missing"


def _moving(effect: Effect, layer: GasLayer, first: int, count: int) -> np.ndarray:
    """Samples of every course and envelope, (curves, count), in the order of the document."""
    rows = []
    nodes: list[Any] = [layer.motion, layer.fading, layer.fire, *heard(layer.sources), *heard(effect.forces), *_taking_part(effect, layer)]
    for node in nodes:
        if isinstance(node, Source):
            rows.append(envelope_samples(node, first, count, effect.rate))
        for _, p, value, _ in walk(node):
            if isinstance(value, Course) and p.name != "emission":
                rows.append(course_samples(value, first, count, effect.rate))
    return np.array(rows) if rows else np.zeros((0, count))


def frame_keys(effect: Effect, layer: GasLayer, folder: Path | None, final: bool = False) -> dict[int, str]:
    """Key of every frame from the first of the run-up (negative indices) to the last shown one.

    With `final`, what only a finer final run sees is covered too. A frame's key covers the samples from the frame before it up to itself.
    """
    before = run_up_frames(layer, effect.rate)
    still = json.dumps(_still_settings(effect, layer, folder, final), sort_keys=True, default=plain).encode()
    key = hashlib.blake2b(still, digest_size=16).hexdigest()
    count = (before + effect.frames - 1) * SAMPLES + 1
    samples = _moving(effect, layer, -before * SAMPLES, max(1, count))
    keys = {-before: key}
    for n in range(1, before + effect.frames):
        part = np.ascontiguousarray(samples[:, (n - 1) * SAMPLES : n * SAMPLES + 1])
        key = hashlib.blake2b(key.encode() + part.tobytes(), digest_size=16).hexdigest()
        keys[n - before] = key
    return keys
