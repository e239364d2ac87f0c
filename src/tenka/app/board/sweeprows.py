"""Which settings are swept over which values: one at a time is chosen, with values that may be typed."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.base.words import counted
from tenka.board.changes import ladders
from tenka.board.variants import combined, fitted
from tenka.effect.document import get, on_tier, param_at
from tenka.effect.model import Effect

SOME = 4  # values that are put forward


class SweepRows(QWidget):
    """Settings and their values, and how many variants they make."""

    changed = pyqtSignal()

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.asked: dict[str, list[Any]] = {}
        self._forward: dict[str, list[Any]] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        line = QHBoxLayout()
        line.setSpacing(4)
        self.setting = QComboBox()
        self.setting.setAccessibleName("Setting to try values of")
        self.setting.setToolTip("A setting of this tier's deliveries that costs")
        self.setting.setMinimumContentsLength(6)
        self.setting.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setting.currentIndexChanged.connect(lambda _: self._put_forward())
        self.values = QLineEdit()
        self.values.setMinimumWidth(50)
        self.values.setAccessibleName("Values to try")
        self.values.setToolTip("Values with commas between; Enter adds them")
        self.values.returnPressed.connect(self.add)
        self.adds = QPushButton("Add")
        self.adds.setToolTip("Try these values, in every combination with those of other settings")
        self.adds.clicked.connect(lambda _=False: self.add())
        line.addWidget(self.setting, 3)
        line.addWidget(self.values, 3)
        line.addWidget(self.adds)
        column.addLayout(line)
        self.rows = QVBoxLayout()
        self.rows.setSpacing(2)
        column.addLayout(self.rows)

    @property
    def count(self) -> int:
        """Variants that the values make."""
        found = 1
        for values in self.asked.values():
            found *= len(values)
        return found if self.asked else 0

    def refill(self) -> None:
        """Offer what costs on the present tier."""
        tier, effect = self.state.tier, self.state.effect
        forward: dict[str, list[Any]] = {}
        if tier is not None:
            try:
                for ladder in ladders(effect, tier.id, self.state.ledger):
                    for change in ladder:
                        for path, value in change.values.items():
                            forward.setdefault(path, []).append(value)
            except TenkaError:
                forward = {}
        self._forward = forward
        self.asked = {p: v for p, v in self.asked.items() if p in forward}
        wanted = [(named(effect, p), p) for p in forward]
        have = [(self.setting.itemText(n), self.setting.itemData(n)) for n in range(self.setting.count())]
        if wanted != have:
            self.setting.clear()
            for label, path in wanted:
                self.setting.addItem(label, path)
        self._show()

    def _put_forward(self) -> None:
        path, tier = self.setting.currentData(), self.state.tier
        if not path or tier is None:
            return
        now = get(on_tier(self.state.effect, tier.id), path)
        others = list(dict.fromkeys(v for v in self._forward.get(path, []) if v != now))
        some = others[:: max(1, len(others) // (SOME - 1))][: SOME - 1]
        values = [now, *some]
        if all(isinstance(v, int | float) for v in values):
            values.sort()
        self.values.setText(", ".join(map(written, values)))
        self.values.setCursorPosition(0)

    def add(self) -> None:
        """Take the values that are written; what does not fit is said."""
        path, tier = self.setting.currentData(), self.state.tier
        if not path or tier is None:
            return
        try:
            texts = [t.strip() for t in self.values.text().split(",") if t.strip()]
            values = list(dict.fromkeys(fitted(self.state.effect, path, text) for text in texts))
            combined(self.state.effect, tier.id, {**self.asked, path: values})
        except TenkaError as error:
            self.state.refuse(error)
            return
        if values:
            self.asked[path] = values
            self._show()

    def drop(self, path: str) -> None:
        """Try no values of a setting any more."""
        self.asked.pop(path, None)
        self._show()

    def _show(self) -> None:
        while (item := self.rows.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        effect = self.state.effect
        for path, values in self.asked.items():
            button = QPushButton(f"{named(effect, path)}: {', '.join(map(written, values))}")
            button.setProperty("field", True)
            button.setToolTip("Do not try these")
            button.clicked.connect(partial(self._dropped, path))
            self.rows.addWidget(button)
        self.changed.emit()

    def _dropped(self, path: str, _: bool = False) -> None:
        self.drop(path)

    def told(self) -> str:
        """How many variants there are to try."""
        return f"Try {counted(self.count, 'variant')}" if self.count else "Try variants"


def named(effect: Effect, path: str) -> str:
    """A setting of a delivery or of a light, with what it is of."""
    return f"{get(effect, '.'.join(path.split('.')[:2])).name}: {param_at(effect, path).label}"


def written(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:g}" if isinstance(value, float) else f"{value}"
