"""A water at the Pack station: how high its waves are over time."""

from __future__ import annotations

from tenka.app.pack.base import Curve, CurveView, Shown


class WaterView(CurveView):
    """Its highest wave, over time."""

    TITLE, UNIT = "Highest wave", "m"

    def curve_of(self, shown: Shown) -> Curve:
        return self.measured(shown, "highest")
