"""Cache keys: a frame's key is a hash of all that led to it.

The key of a frame chains the key before it with the samples of every course in its span, and with the keys of
the frames that it takes from. Two effects that differ only from frame 40 on therefore share the keys, and the
stored frames, of frames 0 to 39.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tenka.effect.catalogue import plain, settings_that_affect, walk
from tenka.effect.courses import Course
from tenka.effect.model import ON_PROP, Effect, Feed, Layer, PointSource, Prop, Swirl, heard
from tenka.gas.held import source_of
from tenka.gas.images import image_file
from tenka.gas.settings import SAMPLES, course_samples, envelope_samples
from tenka.gas.solver import SOLVER_VERSION
from tenka.liquid.solver import LIQUID_VERSION
from tenka.particles.files import points_file, sequence
from tenka.particles.schedule import Schedule
from tenka.particles.solver import POINTS_VERSION
from tenka.scene.poses import carriers
from tenka.scene.props import mesh_file
from tenka.water.solver import WATER_VERSION

_BY_ENVELOPE = ("start", "end", "emission", "delay", "cue")
OF_PICTURES = ("roll", "aperture", "sharp")  # of the camera: what cuts nothing off
_BY_SCHEDULE = ("rate", "burst", "burst_at", "burst_over", "burst_every")


def first_frame(layer: Layer, rate: float) -> int:
    """The first frame of a layer's run-up, 0 or below."""
    return -round(layer.run_up_seconds * rate)


def _source_settings(source: Feed, number: int, folder: Path | None, simulation: set[str]) -> dict[str, Any]:
    """What of a source counts and does not move: its span and its rate are taken as samples, its files by
    what
    they hold."""
    own = settings_that_affect(source, simulation)
    points = isinstance(source, PointSource)
    left = _BY_ENVELOPE + (_BY_SCHEDULE if points and source.shape != "particles" else ())
    found = {k: v for k, v in own.items() if k not in left}
    if isinstance(source, PointSource):
        found["number"] = number
        if source.shape == "particles":
            found |= {"start": source.start, "end": source.end, "delay": source.delay}
            found["emission"] = own.get("emission")
        if source.shape == "file" and source.file:
            files = sequence(points_file(source, folder))
            found["file"] = [_digest(f) for f in (files if source.plays else files[:1])]
            times = {name: getattr(source, name) for name in ("burst_at", "burst_over", "delay")}
            found |= times
    elif getattr(source, "shaped_by", "") == "image" and getattr(source, "image", ""):
        found["image"] = _digest(image_file(source, folder))  # type: ignore[arg-type]
    return found


def still_settings(effect: Effect, layer: Layer, folder: Path | None, final: bool) -> dict[str, Any]:
    """All that shapes the simulation and does not move: without names, looks and what is passed over.

    Which settings these are the catalogue says, for every kind of layer alike.
    """
    simulation = {"simulation", "final"} if final else {"simulation"}
    sources = {
        source.id: _source_settings(source, layer.sources.index(source), folder, simulation)
        for source in heard(layer.sources)
    }
    props = {}
    for prop in _taking_part(effect, layer):
        props[prop.id] = settings_that_affect(prop, simulation)
        if prop.shape == "mesh" and prop.file:
            props[prop.id]["content"] = _digest(mesh_file(prop, folder))
            props[prop.id].pop("file", None)  # what it holds counts, not where it lies
    own = layer.model_copy(update={"sources": (), "colliders": ()})
    culls = getattr(getattr(layer, "ends", None), "off_camera", False)
    seen = {k: v for k, v in plain(effect.camera).items() if k not in OF_PICTURES} if culls else None
    return {
        "versions": [SOLVER_VERSION, POINTS_VERSION, WATER_VERSION, LIQUID_VERSION],
        "seed": effect.seed,
        "rate": effect.rate,
        "layer": [layer.id, layer.kind],
        "own": settings_that_affect(own, simulation),
        "more": layer.more_for_key(),
        "sources": sources,
        "colliders": {c.id: settings_that_affect(c, simulation) for c in heard(layer.colliders)},
        "props": props,
        "forces": {
            f.id: {"kind": f.kind, **settings_that_affect(f, simulation)} for f in heard(effect.forces)
        },
        "held to": {s.id: settings_that_affect(s, simulation) for s in _held_to(effect)},
        "camera": seen,
    }


def _held_to(effect: Effect) -> list[Feed]:
    """The sources within whose form a force acts."""
    held = (source_of(effect, f) for f in heard(effect.forces) if f.region == "source")
    return [source for source in held if source is not None]


def _taking_part(effect: Effect, layer: Layer) -> list[Prop]:
    """The props that the simulation sees: those that give, those that stop the layer, and whatever carries or
    turns something."""
    used = layer.props_used()
    used |= {f.turned_by for f in heard(effect.forces) if isinstance(f, Swirl)}
    used |= {s.prop for s in _held_to(effect) if s.shape in ON_PROP}
    seen = [p for p in effect.props if p.id in used]
    for placed in (*seen, *heard(layer.sources), *heard(effect.forces), *_held_to(effect)):
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


def _births(source: PointSource, first: int, count: int, rate: float) -> list[np.ndarray]:
    """What decides on a source's births, at each sample: the rate and the span so far, and the bursts that
    have come or come before the next sample."""
    times = (first + np.arange(count)) / (rate * SAMPLES)
    if source.shape in ("particles", "file"):
        return []
    plan = Schedule.of(source, 0, first / (rate * SAMPLES), max(count, 2), rate)
    begun = plan.begun(times + 1.0 / (rate * SAMPLES))
    bursts = begun * (source.burst + 1e-3)
    coming = np.where(begun > 0, source.burst_at + source.delay + 1e3 * source.burst_over, 0.0)
    coming += begun * (1e-3 + source.burst_every)
    return [plan.level[:count], np.asarray(plan.clipped(times), float), bursts, coming]


def _moving(effect: Effect, layer: Layer, first: int, count: int) -> np.ndarray:
    """Samples of every course and envelope, (curves, count), in the order of the document."""
    rows = []
    own = layer.model_copy(update={"sources": (), "colliders": ()})
    nodes: list[Any] = [own, *heard(layer.sources), *heard(effect.forces), *_taking_part(effect, layer)]
    nodes += _held_to(effect)
    for node in nodes:
        if isinstance(node, PointSource):
            rows += _births(node, first, count, effect.rate)
        elif isinstance(node, Feed):
            rows += list(envelope_samples(node, first, count, effect.rate))
        delay = node.delay if isinstance(node, Feed) else 0.0
        for _, p, value, _ in walk(node):
            if isinstance(value, Course) and p.name != "emission" and p.affects in ("simulation", "final"):
                placed = p.section in ("Where", "Path")
                rows.append(course_samples(value, first, count, effect.rate, 0.0 if placed else delay))
    return np.array(rows) if rows else np.zeros((0, count))


def frame_keys(
    effect: Effect,
    layers: list[Layer],
    folder: Path | None,
    final: bool = False,
    feeds: Mapping[str, Mapping[int, str]] | None = None,
) -> dict[str, dict[int, str]]:
    """Keys of the frames of layers that are stepped together, by layer, from the first of the run-up
    (negative indices) to the last shown one.

    With `final`, what only a finer final run sees is covered too. A frame's key covers the samples from the
    frame before it up to itself, and the same of what it takes from.

    Parameters
    ----------
    effect : with its cues put into delays, see `timed`
    feeds : keys of the layers outside that they take from
    """
    first = min(first_frame(layer, effect.rate) for layer in layers)
    still = json.dumps(
        [still_settings(effect, layer, folder, final) for layer in layers], sort_keys=True, default=plain
    ).encode()
    key = hashlib.blake2b(still, digest_size=16).hexdigest()
    count = (effect.frames - 1 - first) * SAMPLES + 1
    samples = [_moving(effect, layer, first * SAMPLES, max(1, count)) for layer in layers]

    def taken(*frames: int) -> str:
        return "".join(f"{id}{keys.get(f, '')}" for id, keys in sorted((feeds or {}).items()) for f in frames)

    chain = {
        first: hashlib.blake2b((key + taken(first)).encode(), digest_size=16).hexdigest() if feeds else key
    }
    for n in range(first + 1, effect.frames):
        at = (n - first) * SAMPLES
        part = b"".join(np.ascontiguousarray(rows[:, at - SAMPLES : at + 1]).tobytes() for rows in samples)
        chain[n] = hashlib.blake2b(
            (chain[n - 1] + taken(n - 1, n)).encode() + part, digest_size=16
        ).hexdigest()
    if len(layers) == 1:
        return {layers[0].id: chain}
    return {
        layer.id: {
            n: hashlib.blake2b((k + layer.id).encode(), digest_size=16).hexdigest() for n, k in chain.items()
        }
        for layer in layers
    }
