"""Water at the Pack station: how high its waves are, and how many vertices its meshes have, over time."""

from __future__ import annotations

from tenka.app.pack.base import Curve, CurveView, Shown


class WaterView(CurveView):
    """Its highest wave, over time."""

    TITLE, UNIT = "Highest wave", "m"

    def curve_of(self, shown: Shown) -> Curve:
        return self.measured(shown, "highest")


class LiquidView(CurveView):
    """Vertices of its meshes, over time."""

    TITLE, UNIT = "Vertices", ""

    def curve_of(self, shown: Shown) -> Curve:
        return self.measured(shown, "skin")
