"""Particles and pieces as USD: points, or instances of pieces with their turns and spins.

Time code 0 is the first frame that is written, as second 0 is in GLB.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import BadInput, TenkaError
from tenka.base.files import beside, reason
from tenka.look.pieces import Posed, posed
from tenka.pack.outgoing import Outgoing, Written, columns_of
from tenka.pack.turning import keys_between, turn_at, ways_between
from tenka.particles.state import Points


def write_usd(out: Path, job: Outgoing) -> Written:
    """Write a layer's frames into one stage, whole or not at all.

    Raises
    ------
    BadInput
        A place that cannot be written.
    """
    from pxr import Usd, UsdGeom

    part = beside(out).with_suffix(out.suffix if out.suffix != ".usd" else ".usdc")
    try:
        if not out.parent.is_dir() or not os.access(out.parent, os.W_OK):
            raise BadInput("cannot be written", "a folder with room that you may write to", out)
        stage = Usd.Stage.CreateNew(str(part))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        stage.SetTimeCodesPerSecond(job.rate)
        stage.SetStartTimeCode(0)
        stage.SetEndTimeCode(len(job.frames) - 1)
        root = UsdGeom.Xform.Define(stage, f"/{job.layer.id}")
        stage.SetDefaultPrim(root.GetPrim())
        most = _instances(stage, job) if job.shapes is not None else _points(stage, job)
        if not stage.GetRootLayer().Save():
            raise BadInput("cannot be written", "a folder with room that you may write to", out)
        del stage
        os.replace(part, out)
    except OSError as error:
        raise BadInput(
            f"cannot be written ({reason(error)})", "a folder with room that you may write to", out
        ) from None
    except (TenkaError, MemoryError):
        raise
    except Exception as error:  # the library raises errors of its own for a full or forbidden place
        raise BadInput(
            f"cannot be written ({str(error).splitlines()[0][:120] if str(error) else 'error'})",
            "a folder with room that you may write to",
            out,
        ) from None
    finally:
        part.unlink(missing_ok=True)
    return Written((out,), len(job.frames), most, len(job.dropped))


def vec3_array(values: np.ndarray) -> Any:
    """Rows of three, (n, 3), as USD takes them."""
    from pxr import Vt

    return Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(values, np.float32))


def _extent(place: np.ndarray, wide: float) -> Any:
    """Least and most corner of what is shown, with half of the largest round it."""
    if not len(place):
        return vec3_array(np.zeros((2, 3)))
    return vec3_array(np.stack([place.min(axis=0) - 0.5 * wide, place.max(axis=0) + 0.5 * wide]))


def _points(stage: Any, job: Outgoing) -> int:
    from pxr import Sdf, Usd, UsdGeom, Vt

    target = UsdGeom.Points.Define(stage, f"/{job.layer.id}/points")
    api = UsdGeom.PrimvarsAPI(target)
    names = Sdf.ValueTypeNames
    colour = api.CreatePrimvar("displayColor", names.Color3fArray, UsdGeom.Tokens.vertex)
    opacity = api.CreatePrimvar("displayOpacity", names.FloatArray, UsdGeom.Tokens.vertex)
    most = 0
    for code, (time, p) in enumerate(job.points()):
        at = Usd.TimeCode(code)
        values = {c.name: c.values for c in columns_of(job.layer, p, time)}
        most = max(most, len(p))
        target.CreateIdsAttr().Set(Vt.Int64Array.FromNumpy(p.id), at)
        target.CreateVelocitiesAttr().Set(vec3_array(p.velocity), at)
        target.CreatePointsAttr().Set(vec3_array(p.place), at)
        target.CreateWidthsAttr().Set(Vt.FloatArray.FromNumpy(values["width"]), at)
        target.CreateExtentAttr().Set(_extent(p.place, float(values["width"].max(initial=0.0))), at)
        colour.Set(vec3_array(np.stack([values[n] for n in ("red", "green", "blue")], axis=1)), at)
        opacity.Set(Vt.FloatArray.FromNumpy(values["opacity"]), at)
    return most


def _prototypes(stage: Any, job: Outgoing, target: Any) -> float:
    """The pieces' meshes; and how far the largest reaches, at a size of 1 m."""
    from pxr import Sdf, UsdGeom, Vt

    reach = 0.0
    for n, shape in enumerate(job.shapes or ()):
        mesh = UsdGeom.Mesh.Define(stage, f"/{job.layer.id}/points/piece_{n:02d}")
        m = shape.mesh
        reach = max(reach, float(np.linalg.norm(m.points, axis=1).max()))
        mesh.CreatePointsAttr(vec3_array(m.points))
        mesh.CreateExtentAttr(_extent(m.points, 0.0))
        mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(m.faces), 3, np.int32)))
        mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(m.faces.reshape(-1).astype(np.int32)))
        mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        tint = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar(
            "displayColor", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.uniform
        )
        tint.Set(vec3_array(m.colours))
        target.GetPrototypesRel().AddTarget(mesh.GetPath())
    return reach


def _instances(stage: Any, job: Outgoing) -> int:
    from pxr import Gf, Usd, UsdGeom, Vt

    target = UsdGeom.PointInstancer.Define(stage, f"/{job.layer.id}/points")
    reach = _prototypes(stage, job, target)
    most, last = 0, np.zeros((0, 4))

    def turned(turn: np.ndarray, code: float) -> None:
        quaternions = [Gf.Quath(*(float(v) for v in q)) for q in turn]
        target.CreateOrientationsAttr().Set(Vt.QuathArray(quaternions), Usd.TimeCode(code))

    known: dict[int, np.ndarray] = {}
    for code, (_, p, stand, ways) in enumerate(_stands(job)):
        at = Usd.TimeCode(code)
        most = max(most, len(p))
        last = stand.turn.astype(float)
        for n, id in enumerate(p.id.tolist()):  # q and -q are one turn: the side of the frame before is kept
            if id in known and known[id] @ last[n] < 0:
                last[n] = -last[n]
        target.CreateIdsAttr().Set(Vt.Int64Array.FromNumpy(p.id), at)
        target.CreateVelocitiesAttr().Set(vec3_array(p.velocity), at)
        target.CreatePositionsAttr().Set(vec3_array(p.place), at)
        target.CreateAngularVelocitiesAttr().Set(vec3_array(np.degrees(ways * job.rate)), at)
        target.CreateScalesAttr().Set(vec3_array(np.repeat(stand.size[:, None], 3, axis=1)), at)
        target.CreateProtoIndicesAttr().Set(Vt.IntArray.FromNumpy(stand.kind.astype(np.int32)), at)
        target.CreateExtentAttr().Set(_extent(p.place, 2 * reach * float(stand.size.max(initial=0.0))), at)
        turned(last, code)
        between = keys_between(ways)
        for k in range(1, between + 1):
            share = k / (between + 1)
            turned(turn_at(last, ways, share), code + share)
        known = {id: turn_at(last[n : n + 1], ways[n : n + 1], 1.0)[0] for n, id in enumerate(p.id.tolist())}
    return most


def _stands(job: Outgoing) -> Iterator[tuple[float, Points, Posed, np.ndarray]]:
    """How pieces stand in each frame, and how they turn until the next, (n, 3) rad; those that end turn on as
    they do. Two frames are in memory at a time."""
    assert job.shapes is not None
    dt, held = 1.0 / job.rate, None
    for time, p in job.points():
        after = posed(job.layer, p, time, len(job.shapes))
        if held is not None:
            before, q, stand = held
            spun = job.spin_of(q, before)
            ways = spun * dt
            _, a, b = np.intersect1d(q.id, p.id, assume_unique=True, return_indices=True)
            if len(a):
                ways[a] = ways_between(stand.turn[a].astype(float), after.turn[b].astype(float), spun[a], dt)
            yield before, q, stand, ways
        held = (time, p, after)
    if held is not None:
        time, q, stand = held
        yield time, q, stand, job.spin_of(q, time) * dt
