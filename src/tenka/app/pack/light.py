"""A light at the Pack station: how much its layers give off over time, as far as that is measured."""

from __future__ import annotations

from tenka.app.pack.base import Curve, CurveView, Shown
from tenka.effect.model import FIELD


class LightView(CurveView):
    """What burns in a gas, or how many particles shine."""

    def curve_of(self, shown: Shown) -> Curve:
        layer = self.state.effect.layer(shown.delivery.of[0])
        if layer.HANDS == FIELD:
            self.TITLE, self.UNIT = "Flame that gives light", "m³"
            return self.measured(shown, "flame")
        self.TITLE, self.UNIT = "Particles that shine", ""
        return self.measured(shown, "alive")


class HeatView(CurveView):
    """How much heat a gas holds."""

    TITLE, UNIT = "Heat", "K m³"

    def curve_of(self, shown: Shown) -> Curve:
        return self.measured(shown, "heat")
