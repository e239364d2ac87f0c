"""Particles, trails and bodies at the Pack station: how many there are at each moment."""

from __future__ import annotations

from tenka.app.pack.base import Curve, CurveView, Shown


class AliveView(CurveView):
    """How many are alive, over time."""

    TITLE = "Alive"

    def curve_of(self, shown: Shown) -> Curve:
        return self.measured(shown, "alive")
