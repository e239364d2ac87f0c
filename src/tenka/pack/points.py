"""Particles and pieces written out: sequences of PLY, CSV or NPZ, USD points and instances, GLB with a track for each piece."""

from __future__ import annotations

import json
import os
import struct
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.files import write_atomic
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.model import AMBIENT_KELVIN, Effect, PointLayer
from tenka.look.points import colours_of, life_of, over
from tenka.look.shot import kept_pieces, lives_of, posed, shapes_of
from tenka.particles.files import Column, write_points
from tenka.particles.state import ASLEEP, STUCK, Points
from tenka.run.driver import Plan, plans_of, simulate
from tenka.run.frames import PointFrame, get_points
from tenka.scene.cameras import view_of

SEQUENCES = (".ply", ".csv", ".npz")
STILL_M = 1e-4  # a piece that moves less than this from key to key is written with two keys
STILL_TURN = 1e-4


def columns_of(layer: PointLayer, p: Points, t: float) -> list[Column]:
    """All values of each particle, with units."""
    f32 = np.float32
    life = life_of(p, t, lives_of(layer, t)) if len(p) else np.zeros(0, f32)
    colour = colours_of(layer.look, p, t, life, None) if len(p) and not layer.look.colour_by.startswith("gas") else p.colour
    return [
        Column("id", "", p.id), Column("source", "", p.source), Column("age", "s", p.age(t)), Column("life", "s", p.life),
        *(Column(a, "m", p.place[:, k]) for k, a in enumerate("xyz")), *(Column(f"v{a}", "m/s", p.velocity[:, k]) for k, a in enumerate("xyz")),
        Column("speed", "m/s", np.linalg.norm(p.velocity, axis=1).astype(f32)),
        Column("width", "m", (p.width * layer.look.scale * over(layer.look.size_over, life)).astype(f32)),
        Column("opacity", "", (layer.look.opacity * over(layer.look.opacity_over, life)).astype(f32)), Column("temperature", "K", p.heat + f32(AMBIENT_KELVIN)),
        *(Column(n, "", np.clip(colour[:, k], 0, None).astype(f32)) for k, n in enumerate(("red", "green", "blue"))),
        Column("asleep", "", ((p.state & ASLEEP) > 0).astype(np.int32)), Column("stuck", "", ((p.state & STUCK) > 0).astype(np.int32)),
    ]  # fmt: skip


def _layer(effect: Effect, id: str | None) -> PointLayer:
    found = [layer for layer in effect.layers if isinstance(layer, PointLayer) and (id is None or layer.id == id)]
    if not found:
        raise BadInput(
            f"'{id}' is no layer of particles or debris" if id else "has no layer of particles or debris",
            "one to write out",
            place="export",
        )
    return found[0]


def frames_of(plan: Plan, store: FrameStore, progress: Progress, frames: range) -> Iterator[tuple[int, PointFrame]]:
    """Stored frames of a layer of particles in turn; one is in memory at a time."""
    for f in frames:
        frame = get_points(store, plan.name(f))
        if frame is None:
            raise RuntimeError(f"frame {f} vanished from the store while it was used")
        yield f, frame
        progress.step()


@dataclass(frozen=True)
class Written:
    """What an export wrote."""

    files: tuple[Path, ...]
    frames: int
    points: int
    culled: int


def export(
    effect: Effect,
    folder: Path | None,
    store: FrameStore,
    out: Path,
    progress: Progress | None = None,
    layer_id: str | None = None,
    span: tuple[int, int] | None = None,
    cull: float = 0.0,
    off_camera: bool = False,
) -> Written:
    """Write a layer of particles or debris: the file's ending says how.

    Parameters
    ----------
    out : `.ply`, `.csv`, `.npz`: one file a frame, numbered; `.usda`, `.usdc`: points, or instances of pieces; `.glb`: pieces with their tracks
    cull : pieces and particles that are ever further than this from the effect's origin are left out, m; 0 keeps all
    off_camera : leave out what is never in the effect's camera's picture

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    progress = progress or Progress()
    layer = _layer(effect, layer_id)
    kind = out.suffix.lower()
    if kind not in (*SEQUENCES, ".usda", ".usdc", ".usd", ".glb"):
        raise BadInput(f"'{out.suffix}' is no kind of file for points", ".ply, .csv, .npz, .usda, .usdc or .glb", out)
    if kind == ".glb" and layer.look.form != "mesh":
        raise BadInput(f"{layer.name} is not drawn as meshes, which alone are written as GLB", "a layer of debris", out)
    first, last = span or (0, effect.frames - 1)
    plan = plans_of(effect, folder)[layer.id]
    simulate(plan, store, progress, (0, last))
    frames = range(first, last + 1)
    dropped = _strays(plan, layer, effect, store, progress, frames, cull, off_camera) if cull > 0 or off_camera else np.zeros(0, np.int64)
    progress.begin(len(frames), f"Writing {out.name}")
    if kind in SEQUENCES:
        return _sequence(plan, layer, store, out, progress, frames, dropped)
    if kind == ".glb":
        return _bodies_glb(plan, layer, effect, folder, store, out, progress, frames, dropped)
    return _usd(plan, layer, effect, folder, store, out, progress, frames, dropped)


def _strays(
    plan: Plan, layer: PointLayer, effect: Effect, store: FrameStore, progress: Progress, frames: range, cull: float, off_camera: bool
) -> np.ndarray:
    """Ids of those that are ever too far away, or never in the picture."""
    progress.begin(len(frames), "Looking for strays")
    view = view_of(effect.camera, 1600, 900)
    far, seen, all_ = set[int](), set[int](), set[int]()
    for _, frame in frames_of(plan, store, progress, frames):
        p = frame.points
        if not len(p):
            continue
        all_.update(p.id.tolist())
        if cull > 0:
            far.update(p.id[np.linalg.norm(p.place, axis=1) > cull].tolist())
        if off_camera:
            seen.update(p.id[view.sees(p.place, 0.5 * p.width)].tolist())
    gone = far | ((all_ - seen) if off_camera else set())
    return np.array(sorted(gone), np.int64)


def _kept(layer: PointLayer, p: Points, dropped: np.ndarray) -> Points:
    p = kept_pieces(layer, p)
    return p.picked(~np.isin(p.id, dropped)) if len(dropped) and len(p) else p


def _sequence(
    plan: Plan, layer: PointLayer, store: FrameStore, out: Path, progress: Progress, frames: range, dropped: np.ndarray
) -> Written:
    digits = max(4, len(str(frames[-1] + 1)))
    files, most = [], 0
    for f, frame in frames_of(plan, store, progress, frames):
        file = out.with_name(f"{out.stem}_{f + 1:0{digits}d}{out.suffix.lower()}")
        p = _kept(layer, frame.points, dropped)
        write_points(file, columns_of(layer, p, frame.time))
        files.append(file)
        most = max(most, len(p))
    return Written(tuple(files), len(frames), most, len(dropped))


def continuous(turn: np.ndarray) -> np.ndarray:
    """Quaternions in time, (frames, 4), without flips: each on the same side as the one before it (q and -q are one turn)."""
    out = turn.astype(np.float64).copy()
    for n in range(1, len(out)):
        if out[n] @ out[n - 1] < 0:
            out[n] = -out[n]
    return out


def _usd(
    plan: Plan,
    layer: PointLayer,
    effect: Effect,
    folder: Path | None,
    store: FrameStore,
    out: Path,
    progress: Progress,
    frames: range,
    dropped: np.ndarray,
) -> Written:
    from pxr import Gf, Sdf, Usd, UsdGeom, Vt

    shapes = shapes_of(layer, effect, folder) if layer.look.form == "mesh" else None
    handle, name = tempfile.mkstemp(suffix=out.suffix if out.suffix != ".usd" else ".usdc", dir=out.parent)
    os.close(handle)
    part = Path(name)
    try:
        part.unlink()
        stage = Usd.Stage.CreateNew(str(part))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        stage.SetTimeCodesPerSecond(effect.rate)
        stage.SetStartTimeCode(frames[0] + 1)
        stage.SetEndTimeCode(frames[-1] + 1)
        root = UsdGeom.Xform.Define(stage, f"/{layer.id}")
        stage.SetDefaultPrim(root.GetPrim())
        path, most = f"/{layer.id}/points", 0
        target: Any
        if shapes is None:
            target = UsdGeom.Points.Define(stage, path)
            colour = UsdGeom.PrimvarsAPI(target).CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.vertex)
            opacity = UsdGeom.PrimvarsAPI(target).CreatePrimvar("displayOpacity", Sdf.ValueTypeNames.FloatArray, UsdGeom.Tokens.vertex)
        else:
            target = UsdGeom.PointInstancer.Define(stage, path)
            for n, shape in enumerate(shapes):
                mesh = UsdGeom.Mesh.Define(stage, f"{path}/piece_{n:02d}")
                m = shape.mesh
                mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(m.points.astype(np.float32)))
                mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(m.faces), 3, np.int32)))
                mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(m.faces.reshape(-1).astype(np.int32)))
                mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
                tint = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.uniform)
                tint.Set(Vt.Vec3fArray.FromNumpy(m.colours.astype(np.float32)))
                target.GetPrototypesRel().AddTarget(mesh.GetPath())
        before: dict[int, np.ndarray] = {}
        for f, frame in frames_of(plan, store, progress, frames):
            p, at = _kept(layer, frame.points, dropped), Usd.TimeCode(f + 1)
            values = {c.name: c.values for c in columns_of(layer, p, frame.time)}
            most = max(most, len(p))
            target.CreateIdsAttr().Set(Vt.Int64Array.FromNumpy(p.id), at)
            target.CreateVelocitiesAttr().Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(p.velocity)), at)
            if shapes is None:
                target.CreatePointsAttr().Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(p.place)), at)
                target.CreateWidthsAttr().Set(Vt.FloatArray.FromNumpy(values["width"]), at)
                colour.Set(Vt.Vec3fArray.FromNumpy(np.stack([values[n] for n in ("red", "green", "blue")], axis=1)), at)
                opacity.Set(Vt.FloatArray.FromNumpy(values["opacity"]), at)
                continue
            stand = posed(layer, p, frame.time, len(shapes))
            turn = stand.turn.copy()
            for n, id in enumerate(p.id.tolist()):
                if id in before and before[id] @ turn[n] < 0:
                    turn[n] = -turn[n]
                before[id] = turn[n]
            target.CreatePositionsAttr().Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(p.place)), at)
            target.CreateOrientationsAttr().Set(Vt.QuathArray([Gf.Quath(*(float(v) for v in q)) for q in turn]), at)
            target.CreateScalesAttr().Set(Vt.Vec3fArray.FromNumpy(np.repeat(stand.size.astype(np.float32)[:, None], 3, axis=1)), at)
            target.CreateProtoIndicesAttr().Set(Vt.IntArray.FromNumpy(stand.kind.astype(np.int32)), at)
        stage.GetRootLayer().Save()
        del stage
        os.replace(part, out)
    finally:
        part.unlink(missing_ok=True)
    return Written((out,), len(frames), most, len(dropped))


@dataclass
class _Track:
    """A piece through time."""

    kind: int
    times: list[float]
    places: list[np.ndarray]
    turns: list[np.ndarray]
    sizes: list[float]


def _bodies_glb(
    plan: Plan,
    layer: PointLayer,
    effect: Effect,
    folder: Path | None,
    store: FrameStore,
    out: Path,
    progress: Progress,
    frames: range,
    dropped: np.ndarray,
) -> Written:
    """A node for each piece with its track; a piece that is not there yet, or no more, has no size. Y is up, as glTF wants it."""
    shapes = shapes_of(layer, effect, folder)
    if shapes is None:
        raise BadInput(f"{layer.name} has no mesh to be written", "pieces, or a prop to be drawn as", out)
    tracks: dict[int, _Track] = {}
    for _, frame in frames_of(plan, store, progress, frames):
        p = _kept(layer, frame.points, dropped)
        if not len(p):
            continue
        stand = posed(layer, p, frame.time, len(shapes))
        for n, id in enumerate(p.id.tolist()):
            track = tracks.setdefault(id, _Track(int(stand.kind[n]), [], [], [], []))
            track.times.append(frame.time)
            track.places.append(p.place[n])
            track.turns.append(stand.turn[n])
            track.sizes.append(float(stand.size[n]))
    write_atomic(out, _glb(layer, shapes, tracks, frames, effect.rate))
    return Written((out,), len(frames), len(tracks), len(dropped))


def _y_up(points: np.ndarray) -> np.ndarray:
    return np.stack([points[..., 0], points[..., 2], -points[..., 1]], axis=-1).astype(np.float32)


def thinned_keys(times: np.ndarray, values: list[np.ndarray], least: list[float]) -> np.ndarray:
    """Indices of the keys that are needed: those between two alike ones go."""
    n = len(times)
    keep = np.ones(n, bool)
    for k in range(1, n - 1):
        keep[k] = any(
            np.abs(v[k] - v[k - 1]).max() > tolerance or np.abs(v[k + 1] - v[k]).max() > tolerance for v, tolerance in zip(values, least)
        )
    return np.flatnonzero(keep)


def _glb(layer: PointLayer, shapes: tuple, tracks: dict[int, _Track], frames: range, rate: float) -> bytes:
    blobs: list[bytes] = []
    views: list[dict[str, Any]] = []
    accessors: list[dict[str, Any]] = []

    def put(array: np.ndarray, kind: str, component: int, bounds: bool = False, target: int | None = None) -> int:
        data = np.ascontiguousarray(array).tobytes()
        view: dict[str, Any] = {"buffer": 0, "byteOffset": sum(len(b) for b in blobs), "byteLength": len(data)}
        if target is not None:
            view["target"] = target
        views.append(view)
        blobs.append(data + b"\0" * (-len(data) % 4))
        accessor: dict[str, Any] = {"bufferView": len(views) - 1, "componentType": component, "count": len(array), "type": kind}
        if bounds:
            flat = array.reshape(len(array), -1)
            accessor |= {"min": flat.min(axis=0).tolist(), "max": flat.max(axis=0).tolist()}
        accessors.append(accessor)
        return len(accessors) - 1

    meshes = []
    for n, shape in enumerate(shapes):
        m = shape.mesh
        corners = m.corners.astype(np.float64)
        normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
        attributes = {
            "POSITION": put(_y_up(corners.reshape(-1, 3)), "VEC3", 5126, True, 34962),
            "NORMAL": put(_y_up(np.repeat(normal, 3, axis=0)), "VEC3", 5126, False, 34962),
            "COLOR_0": put(
                np.repeat(np.concatenate([m.colours, np.ones((len(m.colours), 1))], axis=1), 3, axis=0).astype(np.float32),
                "VEC4",
                5126,
                False,
                34962,
            ),
        }
        meshes.append({"name": f"piece {n}", "primitives": [{"attributes": attributes}]})
    nodes: list[dict[str, Any]] = [{"name": layer.id, "children": []}]
    samplers: list[dict[str, Any]] = []
    channels: list[dict[str, Any]] = []
    first, last = frames[0] / rate, frames[-1] / rate
    for number, id in enumerate(sorted(tracks)):
        track = tracks[id]
        times = np.array(track.times, np.float32) - np.float32(first)
        places, sizes = _y_up(np.stack(track.places)), np.array(track.sizes, np.float32)
        w, x, y, z = continuous(np.stack(track.turns)).T
        turns = np.stack([x, z, -y, w], axis=1).astype(np.float32)
        needed = thinned_keys(times, [places, turns], [STILL_M, STILL_TURN])
        node = len(nodes)
        nodes.append({"name": f"{layer.id} {number}", "mesh": track.kind, "translation": places[0].tolist(), "rotation": turns[0].tolist(),
                      "scale": [float(sizes[0])] * 3, "extras": {"id": str(id)}})  # fmt: skip
        nodes[0]["children"].append(node)
        at = put(times[needed], "SCALAR", 5126, True)
        for path, values, kind in (("translation", places[needed], "VEC3"), ("rotation", turns[needed], "VEC4")):
            samplers.append({"input": at, "output": put(values, kind, 5126), "interpolation": "LINEAR"})
            channels.append({"sampler": len(samplers) - 1, "target": {"node": node, "path": path}})
        # there only while it lives: no size before and after
        when, size = times.tolist(), sizes.tolist()
        if when[0] > 1e-6:
            when, size = [0.0, *when], [0.0, *size]
        if when[-1] < last - first - 1e-6:
            when, size = [*when, when[-1] + 1 / rate], [*size, 0.0]
        sized = np.array(size, np.float32)
        kept = thinned_keys(np.array(when), [sized], [1e-6])
        samplers.append({"input": put(np.array(when, np.float32)[kept], "SCALAR", 5126, True),
                         "output": put(np.repeat(sized[kept][:, None], 3, axis=1), "VEC3", 5126), "interpolation": "STEP"})  # fmt: skip
        channels.append({"sampler": len(samplers) - 1, "target": {"node": node, "path": "scale"}})
    tree: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": "Tenka"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": nodes, "meshes": meshes,
        "accessors": accessors, "bufferViews": views, "buffers": [{"byteLength": sum(len(b) for b in blobs)}],
    }  # fmt: skip
    if channels:
        tree["animations"] = [{"name": "burst", "samplers": samplers, "channels": channels}]
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    body = b"".join(blobs)
    head = struct.pack("<III", 0x46546C67, 2, 12 + 8 + len(text) + 8 + len(body))
    return head + struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(body), 0x004E4942) + body
