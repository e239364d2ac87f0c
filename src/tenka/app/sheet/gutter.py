"""The cost gutter at the right edge of a section: this section's share of the step and of the frame."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from tenka.app import theme
from tenka.app.state import State


class Gutter(QWidget):
    """Two thin bars with figures: this section's share of the simulation step, and of the tier's frame."""

    def __init__(self, state: State, section: str, costs: set[str]) -> None:
        super().__init__()
        self.state, self.section, self.costs = state, section, costs
        self.setFixedSize(118, 30)
        self.setToolTip(
            "Upper: measured share of a simulation step.\nLower: modelled share of the tier's "
            "budget; empty where the game never pays."
        )
        state.news.connect(self.update)
        state.costed.connect(self.update)

    def figures(self) -> tuple[tuple[float, str] | None, tuple[float, str] | None]:
        """(share, figure) of the step and of the frame."""
        parts = self.state.status.of(self.state.layer.id if self.state.layer else None).step_parts
        total = sum(parts.values())
        step = None
        if total > 0:
            ms = (
                total
                if self.section == "Quality" and "step" in self.costs
                else sum(parts.get(c, 0.0) for c in self._parts())
            )
            if ms > 0:
                step = (ms / total, f"{ms:.1f} ms")
        book = self.state.ledger
        frame = None
        if book is not None and self.costs & {"fill", "arithmetic"}:
            frame = (book.ms / book.tier.ms, f"{book.ms:.3f} ms")
        elif book is not None and "memory" in self.costs:
            frame = (book.mb / book.tier.mb, f"{book.mb:.1f} MB")
        return step, frame

    def _parts(self) -> set[str]:
        return (self.costs - {"step"}) | ({"velocity", "pressure"} if "step" in self.costs else set())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setFont(theme.font(theme.SMALL))
        for row, (found, token) in enumerate(zip(self.figures(), (theme.QUIET, None))):
            if found is None:
                continue
            share, text = found
            y = 8 + row * 14
            theme.draw_share(painter, QRectF(0, y - 1, 54, 3), share, token)
            painter.setPen(theme.colour(theme.QUIET if row == 0 else theme.TEXT))
            painter.drawText(
                QRectF(58, y - 7, self.width() - 60, 14),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                text,
            )
