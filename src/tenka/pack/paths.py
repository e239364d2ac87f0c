"""Whole paths of trails as USD curves: each from where its particle is first written to where it is last."""

from __future__ import annotations

import errno
import os
from pathlib import Path
from typing import Any

import numpy as np

from tenka.pack.routes.rows import Row
from tenka.pack.usd import vec3_array

LEAST = 2  # places of a curve


def gathered_paths(held: list[Row]) -> dict[int, tuple[np.ndarray, np.ndarray]]:
    """Of each thing that is there in two moments or more, at which it is, and its numbers then.

    Parameters
    ----------
    held : of each moment
    """
    if not held:
        return {}
    ids = np.concatenate([of for of, _ in held])
    moments = np.repeat(np.arange(len(held)), [len(of) for of, _ in held])
    rows = np.concatenate([values for _, values in held])
    order = np.lexsort((moments, ids))
    each, starts, counts = np.unique(ids[order], return_index=True, return_counts=True)
    found = {}
    for id, start, count in zip(each.tolist(), starts.tolist(), counts.tolist()):
        if count >= LEAST:
            part = order[start : start + count]
            found[id] = (moments[part], rows[part])
    return found


def write_paths(out: Path, id: str, times: tuple[float, ...], held: list[Row]) -> int:
    """Write straight curves that stand for ever; how many there are.

    Parameters
    ----------
    id : of the delivery, after which the curves are named
    times : s, of the moments
    held : ids and rows of each moment: place, width, light, opacity, speed, age, (n, 12)

    Notes
    -----
    Along a curve: `widths`, `displayColor` (linear light), `displayOpacity`, `velocity` (m/s), `age` and
    `time` (s). Of each curve: `id`, `bornAt` (s) and `firstVelocity`, that of the first moment written.
    """
    from pxr import Sdf, Usd, UsdGeom, Vt

    paths = gathered_paths(held)
    stage = Usd.Stage.CreateNew(str(out))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    root = UsdGeom.Xform.Define(stage, f"/{id}")
    stage.SetDefaultPrim(root.GetPrim())
    curves = UsdGeom.BasisCurves.Define(stage, f"/{id}/paths")
    curves.CreateTypeAttr(UsdGeom.Tokens.linear)
    curves.CreateWrapAttr(UsdGeom.Tokens.nonperiodic)
    counts = [len(moments) for moments, _ in paths.values()]
    rows = np.concatenate([r for _, r in paths.values()]) if paths else np.zeros((0, 12), np.float32)
    first = np.cumsum([0, *counts])[:-1].astype(np.int64)
    time = np.array(times, np.float32)[[m for moments, _ in paths.values() for m in moments.tolist()]]
    curves.CreateCurveVertexCountsAttr(Vt.IntArray.FromNumpy(np.array(counts, np.int32)))
    curves.CreatePointsAttr(vec3_array(rows[:, :3]))
    curves.CreateWidthsAttr(_floats(rows[:, 3]))
    curves.SetWidthsInterpolation(UsdGeom.Tokens.vertex)
    wide = 0.5 * float(rows[:, 3].max(initial=0.0))
    low, high = (rows[:, :3].min(axis=0), rows[:, :3].max(axis=0)) if len(rows) else (np.zeros(3),) * 2
    curves.CreateExtentAttr(vec3_array(np.stack([low - wide, high + wide])))
    api, kinds = UsdGeom.PrimvarsAPI(curves), Sdf.ValueTypeNames
    along, each = UsdGeom.Tokens.vertex, UsdGeom.Tokens.uniform
    born = time[first] - rows[first, 11] if paths else np.zeros(0)
    values: tuple[tuple[str, Any, str, Any], ...] = (
        ("displayColor", kinds.Color3fArray, along, vec3_array(rows[:, 4:7])),
        ("displayOpacity", kinds.FloatArray, along, _floats(rows[:, 7])),
        ("velocity", kinds.Vector3fArray, along, vec3_array(rows[:, 8:11])),
        ("age", kinds.FloatArray, along, _floats(rows[:, 11])),
        ("time", kinds.FloatArray, along, _floats(time)),
        ("id", kinds.Int64Array, each, Vt.Int64Array.FromNumpy(np.array(list(paths), np.int64))),
        ("bornAt", kinds.FloatArray, each, _floats(born)),
        ("firstVelocity", kinds.Vector3fArray, each, vec3_array(rows[first, 8:11])),
    )
    for name, kind, interpolation, value in values:
        api.CreatePrimvar(name, kind, interpolation).Set(value)
    try:
        saved = stage.GetRootLayer().Save()
    except Exception as error:  # the library raises errors of its own for a full or forbidden place
        raise OSError(errno.EIO, str(error).splitlines()[0][:120]) from None
    if not saved:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
    return len(paths)


def _floats(values: np.ndarray) -> Any:
    from pxr import Vt

    return Vt.FloatArray.FromNumpy(np.ascontiguousarray(values, np.float32))
