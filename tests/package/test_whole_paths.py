"""Whole paths of trails as USD curves, read by the library itself: closed forms, and the textures again."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from pxr import Usd, UsdGeom
from routes import many_ways

from tenka.cache.store import FrameStore
from tenka.effect.document import replaced
from tenka.pack.packing import pack
from tenka.pack.paths import write_paths
from tenka.package.elements.trails import Trails
from tenka.package.rows import trail_rows

RATE = 30.0


def thrown(moments: int, born: float, v: tuple[float, float, float], id: int) -> dict[int, np.ndarray]:
    """Rows of a body in free fall from the moment after its birth on: place, width, light, opacity, speed,
    age."""
    found = {}
    for n in range(moments):
        t = n / RATE - born
        if 0 <= t < 0.5:
            place = np.array(v) * t - [0, 0, 4.905 * t * t]
            speed = np.array(v) - [0, 0, 9.81 * t]
            found[n] = np.array([*place, 0.01 * id, 1, 0.5, 0.2, 1 - t, *speed, t], np.float32)
    return found


def read_curves(file: Path, path: str) -> tuple[UsdGeom.BasisCurves, dict[str, np.ndarray]]:
    stage = Usd.Stage.Open(str(file))
    curves = UsdGeom.BasisCurves(stage.GetPrimAtPath(path))
    found = {p.GetPrimvarName(): np.array(p.Get()) for p in UsdGeom.PrimvarsAPI(curves).GetPrimvars()}
    found["points"], found["widths"] = (
        np.array(curves.GetPointsAttr().Get()),
        np.array(curves.GetWidthsAttr().Get()),
    )
    found["counts"] = np.array(curves.GetCurveVertexCountsAttr().Get())
    assert UsdGeom.GetStageMetersPerUnit(stage) == 1.0 and UsdGeom.GetStageUpAxis(stage) == "Z"
    return stage, found


def test_paths_of_free_fall_keep_their_values(tmp_path: Path):
    bodies = {7: thrown(30, 0.11, (1.0, 0.0, 3.0), 7), 3: thrown(30, 0.3, (0.0, -2.0, 1.0), 3)}
    bodies[9] = {29: bodies[3].get(20, np.zeros(12, np.float32))}  # there in one moment alone: no curve
    held = []
    for n in range(30):
        there = [(id, rows[n]) for id, rows in bodies.items() if n in rows]
        held.append(
            (np.array([id for id, _ in there], np.int64), np.array([r for _, r in there]).reshape(-1, 12))
        )
    times = tuple(n / RATE for n in range(30))
    assert write_paths(tmp_path / "a.usdc", "tails", times, held) == 2
    _, found = read_curves(tmp_path / "a.usdc", "/tails/paths")
    assert found["id"].tolist() == [3, 7] and found["counts"].tolist() == [len(bodies[3]), len(bodies[7])]
    np.testing.assert_allclose(found["bornAt"], [0.3, 0.11], atol=1e-5)
    second = slice(found["counts"][0], None)
    t = found["age"][second].astype(float)
    np.testing.assert_allclose(found["points"][second, 2], 3 * t - 4.905 * t * t, atol=1e-5)
    np.testing.assert_allclose(found["time"][second], t + 0.11, atol=1e-5)
    np.testing.assert_allclose(found["widths"][second], 0.07, atol=1e-6)
    # how fast it set out, less what gravity took until it was first written
    np.testing.assert_allclose(found["firstVelocity"][1], (1.0, 0.0, 3.0 - 9.81 * t[0]), atol=1e-5)
    assert write_paths(tmp_path / "b.usdc", "tails", times, held) == 2
    assert (tmp_path / "a.usdc").read_bytes() == (tmp_path / "b.usdc").read_bytes()
    assert write_paths(tmp_path / "none.usdc", "tails", times, held[:0]) == 0


def test_packed_paths_are_what_the_textures_hold(tmp_path: Path):
    effect = replaced(many_ways(), "deliveries.tails.route.paths", True)
    (element,) = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p", only="tails").elements
    assert isinstance(element, Trails) and element.paths is not None
    assert element.paths.file in (tmp_path / "p" / "READ-ME.txt").read_text()
    _, found = read_curves(tmp_path / "p" / element.paths.file, "/tails/paths")
    rows = trail_rows(tmp_path / "p", element)
    assert found["counts"].sum() == len(found["points"]) > 10
    starts = np.cumsum([0, *found["counts"]])
    moments = np.searchsorted(np.array(element.times), found["time"] - 1e-4)
    for start, end in zip(starts, starts[1:]):
        assert (np.diff(found["time"][start:end]) > 0).all()
        ages, times = found["age"][start:end], found["time"][start:end]
        np.testing.assert_allclose(ages - ages[0], times - times[0], atol=2e-3)
        for n in range(start, end):  # each place stands in its moment's row
            off = np.abs(rows[moments[n], :, :3] - found["points"][n]).max(axis=1).min()
            assert off == pytest.approx(0.0, abs=1e-5)
