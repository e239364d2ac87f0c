"""A volume at the Pack station: how many voxels each moment holds."""

from __future__ import annotations

from tenka.app.pack.base import Curve, CurveView, Shown


class VolumeView(CurveView):
    """Voxels that are filled, over time."""

    TITLE = "Filled voxels"

    def curve_of(self, shown: Shown) -> Curve:
        return self.measured(shown, "filled")
