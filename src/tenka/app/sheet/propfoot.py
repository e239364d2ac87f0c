"""Under a prop's place: what can be made of it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.effect.additions import with_break, with_fed_prop
from tenka.effect.model import Prop
from tenka.run.fitting import fitted
from tenka.scene.poses import moves
from tenka.scene.props import prop_mesh


class PropFoot(QWidget):
    def __init__(self, state: State, id: str) -> None:
        super().__init__()
        self.state, self.id = state, id
        line = QHBoxLayout(self)
        line.setContentsMargins(12, 4, 8, 4)
        self.buttons: dict[str, QPushButton] = {}
        for text, starter, tip in (
            ("Set on fire", "fire", "A fire over its whole surface, in a box that fits wherever it goes"),
            ("Let it smoke", "plume", "Smoke from its whole surface, in a box that fits wherever it goes"),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, s=starter, t=text: self._feed(s, t))
            self.buttons[text] = button
            line.addWidget(button)
        self.breaks = QPushButton("Let it break")
        self.breaks.setToolTip(
            "A layer of debris, cut from this prop: its pieces stand where it stood until they fly"
        )
        self.breaks.clicked.connect(self._break)
        line.addWidget(self.breaks)
        line.addStretch(1)

    def _bounds(self) -> tuple[Prop, np.ndarray, np.ndarray] | None:
        """The prop and its bounds in the scene; one that cannot be read is said."""
        effect = self.state.effect
        prop = next((p for p in effect.props if p.id == self.id), None)
        if prop is None:
            return None
        try:
            low, high = prop_mesh(prop, effect.props, self.state.folder).bounds
        except TenkaError as error:
            self.state.refuse(error)
            return None
        return prop, np.asarray(low, float), np.asarray(high, float)

    def _feed(self, starter: str, text: str) -> None:
        """Let the whole prop burn or smoke, in a box that fits it over time."""
        found = self._bounds()
        if found is None:
            return
        prop, low, high = found
        ends = [(round(float(b[0]), 3), round(float(b[1]), 3), round(float(b[2]), 3)) for b in (low, high)]
        goes = bool(prop.clip) or moves(prop, self.state.effect.props)
        effect, path = with_fed_prop(self.state.effect, self.id, starter, ends[0], ends[1], goes)
        effect = fitted(effect, path.split(".")[1], self.state.folder)
        self.state.apply(effect, f"{text}: {prop.name}")
        self.state.select(path)

    def _break(self) -> None:
        found = self._bounds()
        if found is None:
            return
        prop, low, high = found
        x, y, z = (round(float(v), 3) for v in 0.5 * (low + high))
        effect, path = with_break(self.state.effect, self.id, (x, y, z), float(np.max(high - low)))
        self.state.apply(effect, f"Let {prop.name} break")
        self.state.select(path)
