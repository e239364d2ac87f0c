"""Under a trial's name: what it has otherwise than the effect has now, and going back to it."""

from __future__ import annotations

from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.effect.document import differences

MOST = 14


class TrialFoot(QWidget):
    def __init__(self, state: State, id: str) -> None:
        super().__init__()
        self.state, self.id = state, id
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 2, 8, 4)
        column.setSpacing(6)
        self.told = Wrapped()
        self.told.setProperty("quiet", True)
        column.addWidget(self.told)
        self.back = QPushButton("Go back to it")
        self.back.setToolTip(
            "Takes the settings of this trial; its frames are there at once. Undo returns to those of now"
        )
        self.back.clicked.connect(self.go_back)
        column.addWidget(self.back)
        state.changed.connect(self.refresh)  # not through a lambda: that would outlive the widget
        self.refresh()

    def refresh(self, _: str = "") -> None:
        effect = self.state.effect
        trial = next((t for t in effect.trials if t.id == self.id), None)
        if trial is None:
            return
        found = differences(trial.onto(effect), effect)
        more = [f"and {len(found) - MOST} more"] if len(found) > MOST else []
        self.told.setText(
            "\n".join(["Changed since:", *found[:MOST], *more]) if found else "The effect is as it was kept."
        )
        self.back.setEnabled(bool(found))

    def go_back(self) -> None:
        trial = next((t for t in self.state.effect.trials if t.id == self.id), None)
        if trial is not None:
            self.state.apply(trial.onto(self.state.effect), f"Go back to {trial.name}")
