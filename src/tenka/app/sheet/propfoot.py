"""Under a prop's place: what can be made of it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.effect.additions import with_break
from tenka.scene.props import prop_mesh


class PropFoot(QWidget):
    def __init__(self, state: State, id: str) -> None:
        super().__init__()
        self.state, self.id = state, id
        line = QHBoxLayout(self)
        line.setContentsMargins(12, 4, 8, 4)
        self.breaks = QPushButton("Let it break")
        self.breaks.setToolTip(
            "A layer of debris, cut from this prop: its pieces stand where it stood until they fly"
        )
        self.breaks.clicked.connect(self._break)
        line.addWidget(self.breaks)
        line.addStretch(1)

    def _break(self) -> None:
        effect = self.state.effect
        prop = next((p for p in effect.props if p.id == self.id), None)
        if prop is None:
            return
        try:
            low, high = prop_mesh(prop, effect.props, self.state.folder).bounds
        except TenkaError as error:
            self.state.refuse(error)
            return
        x, y, z = (round(float(v), 3) for v in 0.5 * (low + high))
        effect, path = with_break(effect, self.id, (x, y, z), float(np.max(high - low)))
        self.state.apply(effect, f"Let {prop.name} break")
        self.state.select(path)
