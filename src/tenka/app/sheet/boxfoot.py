"""Under a domain's rows: voxels, memory, time, and fitting the box."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.sheet.fields import NumberField
from tenka.app.sheet.row import LABEL_WIDTH
from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.words import memory, span
from tenka.effect.catalogue import plain_number
from tenka.effect.model import GasLayer
from tenka.gas.grid import Grid
from tenka.run.fitting import awaited, fitted
from tenka.run.kinds import predicted_seconds

COUNT = plain_number(
    "voxels", "", "Voxels along the longest side: the voxel's edge follows.", 4.0, 2048.0, (16.0, 200.0)
)


class BoxFoot(QWidget):
    """Under a domain's rows: its voxels along the longest side (editable), what it takes, and fitting it to
    the sources."""

    def __init__(self, state: State, layer: GasLayer) -> None:
        super().__init__()
        self.state, self.id = state, layer.id
        self._fits: object = None  # once what feeds it is simulated: the layer as it was when that was asked
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 2, 8, 4)
        column.setSpacing(4)
        line = QHBoxLayout()
        line.setSpacing(6)
        label = QLabel("voxels")
        label.setProperty("quiet", True)
        label.setFixedWidth(LABEL_WIDTH)
        line.addWidget(label)
        self.count = NumberField(COUNT, 64.0)
        self.count.setToolTip(COUNT.help)
        self.count.setFixedHeight(theme.FIELD)
        self.count.changed.connect(self._set_count)
        line.addWidget(self.count, 1)
        fit = QPushButton("Fit to sources")
        fit.setToolTip(
            "Sets the box round all sources over their time, also on meshes and carried ones, with room to "
            "rise, for their push and for the wind"
        )
        fit.clicked.connect(self._fit)
        line.addWidget(fit)
        column.addLayout(line)
        self.told = Wrapped()
        self.told.setProperty("quiet", True)
        column.addWidget(self.told)
        state.changed.connect(self.refresh)  # not through a lambda: that would outlive the widget
        state.news.connect(self.refresh)
        self.refresh()

    def _layer(self) -> GasLayer | None:
        return next((layer for layer in self.state.effect.gases if layer.id == self.id), None)

    def refresh(self, _: str = "") -> None:
        layer = self._layer()
        if layer is None:
            return
        if self._fits is not None:
            if layer is not self._fits:
                self._fits = None
            elif not awaited(self.state.effect, self.id, self._figures()):
                self._fit()
                return
        grid = Grid.of(layer.domain)
        self.count.show_value(float(max(grid.shape)))
        pace = self.state.status.pace.get(self.id)
        seconds = predicted_seconds(
            layer, self.state.effect.frames, self.state.effect.rate, *(pace or ({}, None))
        )
        x, y, z = grid.shape
        self.told.setText(
            f"{x} × {y} × {z} = {grid.voxels / 1e3:,.0f} thousand voxels; about "
            f"{memory(grid.predicted_bytes())}, and {span(seconds)} for all frames"
        )

    def _set_count(self, value: float, token: object) -> None:
        layer = self._layer()
        if layer is not None:
            voxel = max(layer.domain.size) / max(4.0, value)
            self.state.edit(
                f"layers.{self.id}.domain.voxel", voxel, "Change the voxel count", ("count", token)
            )

    def _figures(self) -> dict[str, dict[int, dict[str, Any]]]:
        return {id: own.figures for id, own in self.state.status.layers.items()}

    def _fit(self) -> None:
        """Fit the box; where its sources go may be known only once what they are born of is simulated."""
        before = self._layer()
        waits = awaited(self.state.effect, self.id, self._figures()) if before is not None else []
        self._fits = before if waits else None
        if waits:
            self.state.said.emit(f"Simulated first: {' and '.join(waits)}. Then the box fits.")
            return
        effect = fitted(self.state.effect, self.id, self.state.folder, self._figures())
        if before is None or effect.gas(self.id).domain == before.domain:
            self.state.said.emit("The box stays: no source is known to give anything yet.")
            return
        self.state.apply(effect, "Fit the box to the sources")
        times = Grid.of(effect.gas(self.id).domain).voxels / Grid.of(before.domain).voxels
        follows = effect.gas(self.id).domain.follow and not before.domain.follow
        more = "; the simulated part now follows the gas" if follows else ""
        self.state.said.emit(f"The box fits all sources over time: {times:.2g} times the voxels{more}.")
