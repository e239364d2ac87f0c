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
from tenka.effect.model import Effect, GasLayer, Source, heard
from tenka.gas.settings import SAMPLES, course_samples, envelope_samples
from tenka.gas.solver import SOLVER_VERSION, run_up_frames

_BY_ENVELOPE = ("start", "end", "emission")


def _still_settings(effect: Effect, layer: GasLayer, folder: Path | None) -> dict[str, Any]:
    """All that shapes the simulation and does not move: without names, looks and what is passed over."""
    simulation = {"simulation"}
    sources, used = {}, set()
    for source in heard(layer.sources):
        own = settings_that_affect(source, simulation)
        sources[source.id] = {k: v for k, v in own.items() if k not in _BY_ENVELOPE}
        if source.shape == "surface":
            used.add(source.prop)
    props = {}
    for prop in effect.props:
        if prop.id in used:
            props[prop.id] = settings_that_affect(prop, simulation)
            if prop.shape == "mesh" and prop.file:
                file = Path(prop.file) if Path(prop.file).is_absolute() else (folder or Path.cwd()) / prop.file
                props[prop.id]["content"] = _digest(file)
    parts = {name: settings_that_affect(getattr(layer, name), simulation) for name in ("domain", "motion", "fading", "quality")}
    forces = {f.id: {"kind": f.kind, **settings_that_affect(f, simulation)} for f in heard(effect.forces)}
    return {"solver": SOLVER_VERSION, "seed": effect.seed, "rate": effect.rate, "layer": layer.id, "sources": sources, "props": props,
            "forces": forces, **parts}  # fmt: skip


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
    nodes: list[Any] = [layer.motion, layer.fading, *heard(layer.sources), *heard(effect.forces)]
    for node in nodes:
        if isinstance(node, Source):
            rows.append(envelope_samples(node, first, count, effect.rate))
        for _, p, value, _ in walk(node):
            if isinstance(value, Course) and p.name != "emission":
                rows.append(course_samples(value, first, count, effect.rate))
    return np.array(rows) if rows else np.zeros((0, count))


def frame_keys(effect: Effect, layer: GasLayer, folder: Path | None) -> dict[int, str]:
    """Key of every frame from the first of the run-up (negative indices) to the last shown one.

    A frame's key covers the samples from the frame before it up to itself.
    """
    before = run_up_frames(layer, effect.rate)
    still = json.dumps(_still_settings(effect, layer, folder), sort_keys=True, default=plain).encode()
    key = hashlib.blake2b(still, digest_size=16).hexdigest()
    count = (before + effect.frames - 1) * SAMPLES + 1
    samples = _moving(effect, layer, -before * SAMPLES, max(1, count))
    keys = {-before: key}
    for n in range(1, before + effect.frames):
        part = np.ascontiguousarray(samples[:, (n - 1) * SAMPLES : n * SAMPLES + 1])
        key = hashlib.blake2b(key.encode() + part.tobytes(), digest_size=16).hexdigest()
        keys[n - before] = key
    return keys
