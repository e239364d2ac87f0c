"""The ledger at the top right: the effect's ms and MB on the chosen tier, always in sight."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QPainter, QPaintEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from tenka.app import theme
from tenka.app.state import State


class Meter(QWidget):
    """Two figures against their budgets, each with a thin bar."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.setFixedHeight(34)
        self.setMinimumWidth(128)
        self.setMaximumWidth(252)
        self.setAccessibleName("Ledger")
        state.costed.connect(self._show)

    def sizeHint(self) -> QSize:
        return QSize(252, 34)

    def _show(self) -> None:
        book = self.state.ledger
        if book is not None:
            lines = [
                f"{line.layer}, {line.route}: {line.ms:.3f} ms, {line.mb:.2f} MB, bound by {line.bound}"
                for line in book.lines
            ]
            lines.append(f"Budget: {book.tier.ms:g} ms drawing, {book.tier.mb:g} MB")
            lines += [str(missing) for missing in book.uncounted]
            lines.append(
                f"Updating, beside drawing: {book.update_ms:.3f} ms. The figures are {book.calibration}."
            )
            self.setToolTip(
                "\n".join(
                    [
                        (
                            f"{book.tier.name} on {book.device.name}, {book.tier.copies} on screen at "
                            f"{book.tier.distance:g} m"
                        ),
                        *lines,
                    ]
                )
            )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        book = self.state.ledger
        painter = QPainter(self)
        each = min(128.0, self.width() / 2)  # both have room in a narrow window too
        for k, (now, limit, unit, digits) in enumerate(
            ((book.ms, book.tier.ms, "ms", 2), (book.mb, book.tier.mb, "MB", 1)) if book is not None else ()
        ):
            left, share = k * each, now / limit
            over = share > 1
            painter.setFont(theme.font(theme.BODY, QFont.Weight.Medium))
            painter.setPen(theme.colour(theme.BRICK if over else theme.TEXT))
            more = "+" if book is not None and book.uncounted else ""  # something seen is not counted
            text = f"{'▲ ' if over else ''}{now:.{digits}f}{more}"
            painter.drawText(
                QRectF(left, 4, 118, 18), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text
            )
            used = painter.fontMetrics().horizontalAdvance(text + " ")
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.colour(theme.QUIET))
            beside = f"of {limit:g} {unit}"
            if used + painter.fontMetrics().horizontalAdvance(beside) > each - 4:
                beside = unit  # the limit is in the tip
            painter.drawText(
                QRectF(left + used, 4, 118, 18),
                Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
                beside,
            )
            theme.draw_share(painter, QRectF(left, 25, each - 16, 3), share)


class LedgerBar(QWidget):
    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(12)
        self.tiers = QComboBox()
        self.tiers.setToolTip("The tier whose budget and viewing the figures are for")
        self.tiers.setAccessibleName("Tier")
        self.tiers.setMinimumWidth(76)
        self.tiers.activated.connect(lambda: state.choose_tier(self.tiers.currentData()))
        line.addWidget(self.tiers)
        self.meter = Meter(state)
        line.addWidget(self.meter)
        state.changed.connect(lambda _: self._fill())
        state.tier_chosen.connect(self._fill)
        self._fill()

    def _fill(self) -> None:
        wanted = [(t.id, t.name) for t in self.state.effect.tiers]
        if wanted != [(self.tiers.itemData(i), self.tiers.itemText(i)) for i in range(self.tiers.count())]:
            self.tiers.clear()
            for id, name in wanted:
                self.tiers.addItem(name, id)
        if self.state.tier is not None:
            self.tiers.setCurrentIndex(max(0, self.tiers.findData(self.state.tier.id)))
        self.tiers.setVisible(bool(wanted))
