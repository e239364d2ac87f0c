"""What stands above or under a layer's rows: a text that follows the layer and its frames, and buttons."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tenka.app.dialogs.writeout import WriteOut
from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.effect.additions import with_trail

Button = tuple[str, str, Callable[[], object]]
"""Its words, what it does in a sentence, and what it calls."""


def step_text(figures: Sequence[dict[str, Any]]) -> str:
    """How many steps frames took and how long each, as a phrase behind others; nothing before there are
    any."""
    parts = [sum(m["parts"].values()) for m in figures if m.get("parts")]
    steps = [m["steps"] for m in figures if m.get("steps")]
    if not parts or not steps:
        return ""
    return f"; {sum(steps) / len(steps):.1f} steps a frame, each {sum(parts) / len(parts):.3g} ms"


class Foot(QWidget):
    """A text and rows of buttons about a layer.

    Parameters
    ----------
    rows : of buttons
    """

    def __init__(self, state: State, layer: Any, rows: Sequence[Sequence[Button]] = ()) -> None:
        super().__init__()
        self.state, self.id, self.kind = state, layer.id, layer.kind
        self.writing: WriteOut | None = None
        self.buttons: dict[str, QPushButton] = {}
        self.column = column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 8, 6)
        column.setSpacing(5)
        self.told = Wrapped()
        self.told.setProperty("quiet", True)
        column.addWidget(self.told)
        for row in rows:
            line = QHBoxLayout()
            line.setSpacing(5)
            for name, tip, call in row:
                button = self.buttons[name] = QPushButton(name)
                button.setToolTip(tip)
                button.clicked.connect(call)
                line.addWidget(button)
            column.addLayout(line)
        state.changed.connect(self.refresh)  # not through a lambda: that would outlive the widget
        state.news.connect(self.refresh)
        self.refresh()

    def layer(self) -> Any:
        """The layer as it is now; None where it is gone, or another one has its id."""
        return next((x for x in self.state.effect.layers if x.id == self.id and x.kind == self.kind), None)

    def figures(self) -> list[dict[str, Any]]:
        """Those of its frames, so far."""
        own = self.state.status.layers.get(self.id)
        return list(own.figures.values()) if own is not None else []

    def refresh(self, _: str = "") -> None:
        layer = self.layer()
        if layer is not None:
            self.told.setText(self.text(layer))

    def text(self, layer: Any) -> str:
        """What is told of the layer."""
        raise NotImplementedError

    def open_writing(self) -> None:
        """What will be written, and how, before anything is."""
        self.writing = WriteOut(self.state, self.id, self.window())
        self.writing.show()

    def feed_gas(self, said: str) -> None:
        """Let the first gas be fed along the layer's paths; `said` is what undo calls it."""
        try:
            effect, path = with_trail(self.state.effect, self.id)
        except KeyError:
            self.state.said.emit("There is no gas to feed yet: add one from the tray's Layer menu first.")
            return
        self.state.apply(effect, said)
        self.state.select(path)
