"""Where particles are born: in forms, on curves and surfaces, inside props, in gas."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.randomness import unit_array
from tenka.effect.model import PointSource, Prop
from tenka.effect.ownclock import TRUE, OwnClock
from tenka.gas.settings import SAMPLES
from tenka.particles.state import AirField, Events, Paths
from tenka.scene.distance import gradient, prop_distance
from tenka.scene.props import deforms, own_mesh
from tenka.scene.surface import Part, part_faces
from tenka.water.felt import WaterField

TRIES = 48


PURPOSE = {
    name: n
    for n, name in enumerate(
        (
            "moment",
            "place",
            "direction",
            "speed",
            "scatter",
            "life",
            "width",
            "far",
            "spin",
            "turn",
            "axis",
            "piece",
            "look",
            "copy",
        )
    )
}


def chance(seed: int, id: np.ndarray, purpose: str, index: int = 0) -> np.ndarray:
    """A number in [0, 1) for each particle, the same for good, another for each purpose and index."""
    return unit_array(seed, id & 0xFFFFFFFF, id >> 32, PURPOSE[purpose] * 64 + index).astype(np.float64)


def bell(seed: int, id: np.ndarray, purpose: str, index: int = 0) -> np.ndarray:
    """A normally distributed number for each particle (Box and Muller)."""
    a = np.maximum(chance(seed, id, purpose, 2 * index), 1e-7)
    return np.sqrt(-2.0 * np.log(a)) * np.cos(2.0 * np.pi * chance(seed, id, purpose, 2 * index + 1))


@dataclass
class Context:
    """What births may look at: the effect's props and files, and the layers that are given from, and
    the layer's own clock."""

    props: tuple[Prop, ...]
    folder: Path | None
    rate: float
    gas: Callable[[str], AirField | None]
    paths: Callable[[str], Paths | None]
    events: Callable[[str, str], Events]
    clock: OwnClock = TRUE
    water: Callable[[str], WaterField | None] = lambda _: None


@dataclass
class _Spots:
    """Where births are, in the source's own coordinates; flow, colours and widths where there are any of
    their own; `far` is how far pieces are from where their prop was struck, (n,) m."""

    place: np.ndarray
    outward: np.ndarray
    flow: np.ndarray | None = None
    colour: np.ndarray | None = None
    in_scene: bool = False
    width: np.ndarray | None = None
    far: np.ndarray | None = None


def _ball(seed: int, id: np.ndarray) -> np.ndarray:
    z = 2 * chance(seed, id, "place", 0) - 1
    a = 2 * np.pi * chance(seed, id, "place", 1)
    r = np.cbrt(chance(seed, id, "place", 2))
    across = np.sqrt(np.maximum(0.0, 1 - z * z))
    return r[:, None] * np.stack([across * np.cos(a), across * np.sin(a), z], axis=1)


def in_form(shape: str, size: tuple[float, float, float], seed: int, id: np.ndarray) -> np.ndarray:
    """Places spread evenly through a form's volume, centred on the origin, (n, 3)."""
    u, v, w = (chance(seed, id, "place", k) for k in range(3))
    half = np.asarray(size) / 2
    a = 2 * np.pi * v
    if shape == "point":
        return np.zeros((len(id), 3))
    if shape == "sphere":
        return _ball(seed, id) * half
    if shape == "box":
        return (2 * np.stack([u, v, w], axis=1) - 1) * half
    if shape == "cylinder":
        r = np.sqrt(u)
        return np.stack([r * np.cos(a), r * np.sin(a), 2 * w - 1], axis=1) * half
    if shape == "cone":
        s = np.cbrt(w)
        r = np.sqrt(u) * s
        return np.stack([r * np.cos(a), r * np.sin(a), 1 - 2 * s], axis=1) * half
    radius = float(min(half[0], half[1]))
    stretch = np.array([half[0] / radius, half[1] / radius, 1.0])
    if shape == "torus":
        tube = float(half[2])
        ring = max(radius - tube, 1e-9)
        r, b = tube * np.sqrt(u), 2 * np.pi * w
        out = r * np.cos(b)
        out = np.where(
            chance(seed, id, "place", 3) > 0.5 * (1 + out / ring), -out, out
        )  # more room on the outside
        return np.stack([(ring + out) * np.cos(a), (ring + out) * np.sin(a), r * np.sin(b)], axis=1) * stretch
    reach = max(float(half[2]) - radius, 0.0)  # capsule
    body = 2 * reach / (2 * reach + 4 / 3 * radius)
    ball = _ball(seed, id) * radius
    r = radius * np.sqrt(u)
    straight = np.stack([r * np.cos(a), r * np.sin(a), (2 * w - 1) * reach], axis=1)
    ends = ball + np.where(ball[:, 2:] > 0, reach, -reach) * np.array([0.0, 0.0, 1.0])
    return np.where((chance(seed, id, "place", 3) < body)[:, None], straight, ends) * stretch


def _on_curve(source: PointSource, seed: int, id: np.ndarray, grown: np.ndarray) -> _Spots:
    p = np.asarray(source.curve, float)
    length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(p, axis=0), axis=1))])
    at = chance(seed, id, "place", 4) * length[-1]
    middle = np.stack([np.interp(at, length, p[:, a]) for a in range(3)], axis=1)
    off = _ball(seed, id) * (source.thickness * grown)[:, None]
    return _Spots(middle + off, off / np.maximum(np.linalg.norm(off, axis=1, keepdims=True), 1e-9))


def _part(source: PointSource) -> Part:
    return Part(source.part, source.part_axis, *sorted((source.part_low, source.part_high)))


def _on_surface(
    source: PointSource,
    prop: Prop,
    folder: Path | None,
    seed: int,
    id: np.ndarray,
    moment: np.ndarray,
    rate: float,
    grown: np.ndarray,
) -> _Spots:
    """On a prop's faces, even by area, or at its points; where it moves by itself, where it is at the moment
    of each birth."""
    rest = own_mesh(prop.model_copy(update={"clip": ""}), folder)
    faces = part_faces(rest, _part(source))
    corners = rest.points[rest.faces[faces]].astype(np.float64)
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(normal, axis=1)
    if source.born_at == "points":
        pick = np.minimum((chance(seed, id, "place", 0) * len(faces)).astype(int), len(faces) - 1)
        share = np.eye(3)[np.minimum((chance(seed, id, "place", 1) * 3).astype(int), 2)]
    else:
        whole = np.cumsum(area)
        pick = np.minimum(np.searchsorted(whole, chance(seed, id, "place", 0) * whole[-1]), len(faces) - 1)
        r, s = np.sqrt(chance(seed, id, "place", 1)), chance(seed, id, "place", 2)
        share = np.stack([1 - r, r * (1 - s), r * s], axis=1)
    flow = None
    if deforms(prop):
        low = np.floor(moment * rate * SAMPLES + 1e-9) / (rate * SAMPLES)
        place, flow, normals = np.zeros((len(id), 3)), np.zeros((len(id), 3)), np.zeros((len(id), 3))
        for t in np.unique(low):
            rows = np.flatnonzero(low == t)
            ends = [own_mesh(prop, folder, float(at)) for at in (t, t + 1 / (rate * SAMPLES))]
            a, b = (m.points[m.faces[faces[pick[rows]]]].astype(np.float64) for m in ends)
            f = ((moment[rows] - t) * rate * SAMPLES)[:, None, None]
            now = a + (b - a) * f
            place[rows] = np.einsum("nk,nkd->nd", share[rows], now)
            flow[rows] = np.einsum("nk,nkd->nd", share[rows], (b - a) * rate * SAMPLES)
            normals[rows] = np.cross(now[:, 1] - now[:, 0], now[:, 2] - now[:, 0])
    else:
        place, normals = np.einsum("nk,nkd->nd", share, corners[pick]), normal[pick]
    outward = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    off = source.offset + source.thickness * grown * chance(seed, id, "place", 3) * (source.born_at == "area")
    return _Spots(place + outward * off[:, None], outward, flow, rest.colours[faces[pick]].astype(np.float64))


def _inside(
    source: PointSource, prop: Prop, folder: Path | None, seed: int, id: np.ndarray, t: float
) -> _Spots:
    """Even through a prop's inside, by trying places in its bounds."""
    mesh = own_mesh(prop, folder, t)
    low, high = (np.asarray(b, float) for b in mesh.bounds)
    n = "xyz".index(source.part_axis)
    a, b = sorted((source.part_low, source.part_high))
    low[n], high[n] = low[n] + a * (high[n] - low[n]), low[n] + b * (high[n] - low[n])
    fine = max(float((high - low).max()) / 48, 1e-4)
    place, left = np.tile((low + high) / 2, (len(id), 1)), np.arange(len(id))
    for k in range(TRIES):
        if not len(left):
            break
        u = np.stack(
            [unit_array(seed, id[left] & 0xFFFFFFFF, id[left] >> 32, 5000 + 3 * k + c) for c in range(3)],
            axis=1,
        )
        tried = low + u * (high - low)
        hit = prop_distance(prop, folder, tried, fine, t) < source.offset
        place[left[hit]] = tried[hit]
        left = left[~hit]
    outward = (
        gradient(lambda p: prop_distance(prop, folder, p, fine, t), place, fine)
        if source.lean > 0 and source.leans_to != "axis"
        else np.zeros_like(place)
    )
    return _Spots(place, outward)


def _in_gas(
    source: PointSource, field: AirField | None, seed: int, id: np.ndarray, moment: np.ndarray
) -> tuple[_Spots, np.ndarray]:
    """Where a gas is denser than the least, the more the denser; and which of the births find any."""
    none = _Spots(np.zeros((0, 3)), np.zeros((0, 3)), in_scene=True), np.zeros(len(id), bool)
    if field is None:
        return none
    density = field.before[..., 3]
    cells = np.flatnonzero(density.reshape(-1) > source.least)
    if not len(cells):
        return none
    weight = np.cumsum(density.reshape(-1)[cells].astype(np.float64))
    pick = cells[
        np.minimum(np.searchsorted(weight, chance(seed, id, "place", 0) * weight[-1]), len(cells) - 1)
    ]
    index = np.stack(np.unravel_index(pick, density.shape), axis=1)
    jitter = np.stack([chance(seed, id, "place", 1 + c) for c in range(3)], axis=1)
    flow = field.before[index[:, 0], index[:, 1], index[:, 2], :3].astype(np.float64)
    place = np.asarray(field.before_origin) + (index + jitter) * field.voxel
    return _Spots(place, np.tile([0.0, 0.0, 1.0], (len(id), 1)), flow, in_scene=True), np.ones(len(id), bool)
