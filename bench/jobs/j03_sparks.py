"""A burst of 300 sparks in real units with tapering trails, told in a table, and handed on as curves."""

from __future__ import annotations

import numpy as np
from pxr import Usd, UsdGeom

from bench.jobs.hand import Hand

TITLE = "A burst of 300 sparks with tapering trails"
MENDED = "Nothing new."


def do(hand: Hand) -> None:
    hand.new()
    layer = hand.tray("Layer", "Sparks")
    source = f"{layer}.sources.burst"
    hand.select(source)
    hand.type("position", 0.9, 2)
    for axis in range(3):
        hand.type("size", "6 cm", axis)
    hand.type("burst", 300)
    hand.type("burst_over", 0)
    hand.type("life", 0.9)
    hand.type("width", "4 mm")
    hand.type("speed", "6 m/s")
    hand.whole()
    hand.type("seconds", 1.5)
    hand.select(layer)
    hand.station("look")
    hand.choose("look.form", "ribbon")
    hand.type("look.trail", "120 ms")
    hand.shape("look.trail_width", (0.0, 1.0), (0.35, 0.7), (1.0, 0.0))
    hand.type("look.brightness", 60)
    hand.choose("light.backdrop", "dark")
    hand.type("light.strength", 0.25)
    hand.type("light.sky", 0.12)
    hand.station("shape")
    hand.see((0.0, 0.0, 1.0), 5.2, -80.0, 5.0)
    hand.simulated()
    hand.at(0)
    hand.spin(0.1)
    hand.foot("Table…")
    table = hand.window.sheet.point_foot.table
    hand.until(lambda: table.isVisible() and table.model.rowCount(), "the table", 20)
    ages = next(c for c in table.model.columns if c.name == "age").values
    hand.seen = {"rows": table.model.rowCount(), "youngest": float(ages.min()), "oldest": float(ages.max())}
    table.close()
    hand.station("pack")
    hand.route("trails")
    hand.tick("route.paths")
    hand.moment = 5
    hand.deliver()


def holds(hand: Hand) -> dict[str, str]:
    assert hand.seen == {"rows": 300, "youngest": 0.0, "oldest": 0.0}, hand.seen
    (file,) = hand.packages[-1].glob("*_paths.usdc")
    stage = Usd.Stage.Open(str(file))
    curves = [UsdGeom.BasisCurves(p) for p in stage.Traverse() if p.IsA(UsdGeom.BasisCurves)]
    counts = np.concatenate([np.array(c.GetCurveVertexCountsAttr().Get()) for c in curves])
    speeds = np.concatenate([birth_speeds(c) for c in curves])
    assert len(counts) == len(speeds) == 300 and counts.min() >= 2
    assert UsdGeom.GetStageMetersPerUnit(stage) == 1.0
    assert 4.5 < speeds.mean() < 7.5 and speeds.std() > 0.5
    for tier in hand.effect.tiers:
        assert not hand.state.ledgers[tier.id].uncounted
    return {
        "Table": "300 rows at the first frame, all of age 0",
        "Curves": f"300 in {file.name}, speed at birth {speeds.mean():.2f} m/s in the mean, as thrown",
    }


def birth_speeds(curves: UsdGeom.BasisCurves) -> np.ndarray:
    """Speed at the first point of each curve, m/s."""
    api = UsdGeom.PrimvarsAPI(curves)
    return np.linalg.norm(np.array(api.GetPrimvar("firstVelocity").Get(), float), axis=1)
