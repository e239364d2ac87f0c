"""A device's profile from a table of measured times that was dropped: how well it fits, and its name."""

from __future__ import annotations

import re
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.errors import BadInput, TenkaError
from tenka.budget.calibrating import NAME, Fit, calibrate, write_device
from tenka.budget.devices import device, devices, shipped
from tenka.package import manifest as form


def ask_calibration(state: State, file: Path, parent: QWidget | None) -> Calibration | None:
    """Show how a table fits, by the profile of the present tier's device; what is no such table is said."""
    tier = state.tier
    try:
        if tier is None:
            raise BadInput("the effect has no tier", "one whose device was measured")
        elements = form.read(state.package).elements if state.package is not None else ()
        fit = calibrate(file, device(tier.device), "new", elements=elements)
    except TenkaError as error:
        state.refuse(error)
        return None
    dialog = Calibration(state, file, fit, parent)
    dialog.show()
    return dialog


class Calibration(QDialog):
    """What was found for each element, and where the profile goes."""

    def __init__(self, state: State, file: Path, fit: Fit, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.state, self.file, self.fit = state, file, fit
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Calibrate by measured times")
        self.setObjectName("ground")
        self.setMinimumWidth(460)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        made = fit.device
        about = Wrapped(
            f"{file.name}: {len(fit.rows)} rows. {made.fill_gpixel_s:g} Gpx/s, {made.arithmetic_gflop_s:g} "
            f"GFLOP/s, {made.bandwidth_gb_s:g} GB/s, {made.draw_call_us:g} µs a draw fit them; the model is "
            f"off by {100 * fit.off:.1f} % on average."
        )
        column.addWidget(about)
        column.addLayout(self._table())
        fields = QFormLayout()
        self.name = QLineEdit(self._first_name())
        self.name.setAccessibleName("Name of the profile")
        self.name.textChanged.connect(lambda _: self._check())
        fields.addRow("profile", self.name)
        column.addLayout(fields)
        self.said = Wrapped()
        self.said.setProperty("quiet", True)
        column.addWidget(self.said)
        line = QHBoxLayout()
        line.addStretch(1)
        leave = QPushButton("Leave it")
        leave.clicked.connect(self.close)
        tier = state.tier
        self.keep = QPushButton(f"Keep, and use on {tier.name if tier is not None else 'the tier'}")
        self.keep.setProperty("main", True)
        self.keep.clicked.connect(self._keep)
        line.addWidget(leave)
        line.addWidget(self.keep)
        column.addLayout(line)
        self._check()

    def _table(self) -> QGridLayout:
        """A row for each element: how many rows, how far off, what bounds it."""
        grid, fit = QGridLayout(), self.fit
        grid.setHorizontalSpacing(18)
        for n, words in enumerate(("element", "rows", "off by", "bound by", "set and driver")):
            head = QLabel(words)
            head.setProperty("quiet", True)
            grid.addWidget(head, 0, n)
        for k, name in enumerate(dict.fromkeys(row.element for row in fit.rows), 1):
            rows = [(b, r) for b, r in zip(fit.bound, fit.rows) if r.element == name]
            bound = ", ".join(sorted({b for b, r in rows if r.covered > 0})) or "nothing"
            off = fit.off_of(name)
            cells = (name, str(len(rows)), f"{100 * off:.1f} %", bound, f"{fit.still[name]:.2f} ms")
            for n, words in enumerate(cells):
                label = QLabel(words)
                if n == 2 and off > 0.15:
                    label.setStyleSheet(f"color: {theme.SAFFRON}")
                grid.addWidget(label, k, n)
        return grid

    def _first_name(self) -> str:
        plain = re.sub(r"[^a-z0-9]+", "-", self.file.stem.lower()).strip("-")
        plain = plain if re.match(r"[a-z]", plain) else f"device-{plain}".strip("-")
        return plain[:40].strip("-")

    def _check(self) -> None:
        name = self.name.text()
        words = ""
        if not re.fullmatch(NAME, name):
            words = "Small letters, digits and dashes, a letter first."
        elif name in shipped():
            words = f"{name} is a profile that ships with the application: choose another name."
        self.keep.setEnabled(not words)
        if not words and name in devices():
            words = f"Your profile {name} is replaced."
        self.said.setText(words)

    def _keep(self) -> None:
        tier, name = self.state.tier, self.name.text()
        try:
            write_device(self.fit.device.model_copy(update={"id": name, "name": name.capitalize()}))
        except TenkaError as error:
            self.state.refuse(error)
            return
        if tier is not None:
            self.state.edit(f"tiers.{tier.id}.device", name, f"Weigh {tier.name} on {name}")
            self.state.count_again()
            self.state.said.emit(f"{tier.name} is weighed on {name}, by {self.fit.device.calibrated}.")
        self.close()
