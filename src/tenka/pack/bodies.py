"""Pieces as GLB: a node for each, with continuous keys. Second 0 is the first frame that is written."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.files import write_atomic
from tenka.look.pieces import posed
from tenka.pack.outgoing import Outgoing, Written
from tenka.pack.turning import continuous, keys_between, turn_at, ways_between
from tenka.scene.gltf import Builder, y_up

STILL_M = 1e-4  # a piece that moves less than this from key to key is written with two keys
STILL_TURN = 1e-4


@dataclass
class Track:
    """A piece through time.

    Attributes
    ----------
    times : s since the start of the effect; places (3,) m; turns (4,) w x y z; sizes m; spins (3,) rad/s
    """

    kind: int
    times: list[float] = field(default_factory=list)
    places: list[np.ndarray] = field(default_factory=list)
    turns: list[np.ndarray] = field(default_factory=list)
    sizes: list[float] = field(default_factory=list)
    spins: list[np.ndarray] = field(default_factory=list)


def write_bodies(out: Path, job: Outgoing) -> Written:
    """Write a node for each piece with its track; a piece that is not there yet, or no more, has no size.

    Raises
    ------
    BadInput
        A layer without meshes, or a place that cannot be written.
    """
    if job.shapes is None:
        raise BadInput(f"{job.layer.name} has no mesh to be written", "pieces, or a prop to be drawn as", out)
    tracks: dict[int, Track] = {}
    for time, p in job.points():
        if not len(p):
            continue
        stand, spin = posed(job.layer, p, time, len(job.shapes)), job.spin_of(p, time)
        for n, id in enumerate(p.id.tolist()):
            track = tracks.setdefault(id, Track(int(stand.kind[n])))
            track.times.append(time)
            track.places.append(p.place[n].astype(float))
            track.turns.append(stand.turn[n].astype(float))
            track.sizes.append(float(stand.size[n]))
            track.spins.append(spin[n])
    write_atomic(out, _glb(job, tracks))
    return Written((out,), len(job.frames), len(tracks), len(job.dropped))


def refined(track: Track) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Times, places and turns of a track, with keys between where it turns far from frame to frame."""
    times, places, turns = [track.times[0]], [track.places[0]], [track.turns[0]]
    for n in range(1, len(track.times)):
        a, b = track.turns[n - 1][None], track.turns[n][None]
        dt = track.times[n] - track.times[n - 1]
        ways = ways_between(a, b, track.spins[n - 1][None], dt)
        between = keys_between(ways)
        for k in range(1, between + 1):
            share = k / (between + 1)
            times.append(track.times[n - 1] + share * dt)
            places.append(track.places[n - 1] + share * (track.places[n] - track.places[n - 1]))
            turns.append(turn_at(a, ways, share)[0])
        times.append(track.times[n])
        places.append(track.places[n])
        turns.append(track.turns[n])
    return np.array(times), np.stack(places), continuous(np.stack(turns))


def thinned_keys(times: np.ndarray, values: list[np.ndarray], least: list[float]) -> np.ndarray:
    """Indices of the keys that are needed: those between two alike ones go."""
    n = len(times)
    keep = np.ones(n, bool)
    for k in range(1, n - 1):
        keep[k] = any(
            np.abs(v[k] - v[k - 1]).max() > tolerance or np.abs(v[k + 1] - v[k]).max() > tolerance
            for v, tolerance in zip(values, least)
        )
    return np.flatnonzero(keep)


def _glb(job: Outgoing, tracks: dict[int, Track]) -> bytes:
    file = Builder()
    for n, shape in enumerate(job.shapes or ()):
        file.mesh(f"piece {n}", shape.mesh)
    root = file.node({"name": job.layer.id})
    samplers: list[dict[str, object]] = []
    channels: list[dict[str, object]] = []

    def channel(node: int, path: str, times: int, values: np.ndarray, way: str) -> None:
        samplers.append({"input": times, "output": file.accessor(values), "interpolation": way})
        channels.append({"sampler": len(samplers) - 1, "target": {"node": node, "path": path}})

    first, last = job.frames[0] / job.rate, job.frames[-1] / job.rate
    children = []
    for number, id in enumerate(sorted(tracks)):
        track = tracks[id]
        when, where, turns = refined(track)
        times = (when - first).astype(np.float32)
        places, (w, x, y, z) = y_up(where), turns.T
        turned = np.stack([x, z, -y, w], axis=1).astype(np.float32)
        needed = thinned_keys(times, [places, turned], [STILL_M, STILL_TURN])
        node = file.node(
            {
                "name": f"{job.layer.id} {number}",
                "mesh": track.kind,
                "translation": places[0].tolist(),
                "rotation": turned[0].tolist(),
                "scale": [track.sizes[0]] * 3,
                "extras": {"id": str(id)},
            },
            root=False,
        )
        children.append(node)
        at = file.accessor(times[needed], bounds=True)
        channel(node, "translation", at, places[needed], "LINEAR")
        channel(node, "rotation", at, turned[needed], "LINEAR")
        spans, sizes = _lives(track, first, last, job.rate)
        kept = thinned_keys(spans, [sizes], [1e-6])
        size_at = file.accessor(spans[kept], bounds=True)
        channel(node, "scale", size_at, np.repeat(sizes[kept][:, None], 3, axis=1), "STEP")
    if children:
        file.tree["nodes"][root]["children"] = children
    if channels:
        file.add("animations", {"name": "burst", "samplers": samplers, "channels": channels})
    return file.to_bytes()


def _lives(track: Track, first: float, last: float, rate: float) -> tuple[np.ndarray, np.ndarray]:
    """Times and sizes of a piece: there only while it lives, with no size before and after."""
    when, size = [t - first for t in track.times], list(track.sizes)
    if when[0] > 1e-6:
        when, size = [0.0, *when], [0.0, *size]
    if when[-1] < last - first - 1e-6:
        when, size = [*when, when[-1] + 1 / rate], [*size, 0.0]
    return np.array(when, np.float32), np.array(size, np.float32)
