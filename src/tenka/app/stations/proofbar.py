"""What plays, triggers, multiplies and opens a package, under the picture of the Proof station."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.app.sheet.fields import NumberField, shown
from tenka.app.sheet.groups import LineSlider
from tenka.app.stations.proofchanges import Changes
from tenka.effect.catalogue import plain_number
from tenka.proof.engine import Package
from tenka.proof.riding import RIDES

STEPS = 200
COPIES = plain_number("copies", "", "How many of the effect stand side by side.", 1, 64, (1, 12))


def switch(text: str, tip: str) -> QPushButton:
    """A button that stays down."""
    button = QPushButton(text)
    button.setCheckable(True)
    button.setToolTip(tip)
    return button


def _icon(name: str, tip: str) -> QToolButton:
    button = QToolButton()
    button.setIcon(theme.icon(name))
    button.setToolTip(tip)
    button.setAccessibleName(tip)
    return button


class Levers(QWidget):
    """A slider for each lever of a package; they change nothing but this play."""

    moved = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.values: dict[str, float] = {}
        self.sliders: dict[str, QSlider] = {}
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        self.slots_ = QHBoxLayout()
        self.slots_.setSpacing(10)
        line.addLayout(self.slots_)
        line.addStretch(1)

    def build(self, package: Package | None) -> None:
        """Show a package's levers, where they stand; none without one."""
        while self.slots_.count():
            item = self.slots_.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        self.values, self.sliders = {}, {}
        for lever in package.manifest.levers if package is not None else ():
            assert package is not None
            of, _, setting = lever.path.partition(".player.")
            player = next(e.turned for e in package.elements if e.id == of)
            now = float(getattr(player, setting))
            name, value = QLabel(lever.name), QLabel(shown(now, 0.01))
            name.setProperty("quiet", True)
            value.setFixedWidth(36)
            slider = LineSlider()
            slider.setRange(0, STEPS)
            slider.setFixedWidth(90)
            slider.setValue(round((now - lever.low) / (lever.high - lever.low) * STEPS))
            slider.setAccessibleName(lever.name)
            slider.setToolTip(f"A lever of the game: {lever.name}, {lever.low:g} to {lever.high:g}")

            def move(at: int, lever=lever, value=value) -> None:
                self.values[lever.id] = lever.low + (lever.high - lever.low) * at / STEPS
                value.setText(shown(self.values[lever.id], 0.01))
                self.moved.emit()

            slider.valueChanged.connect(move)
            self.sliders[lever.id] = slider
            for part in (name, slider, value):
                self.slots_.addWidget(part)


class ProofBar(QWidget):
    """Three lines: what plays it, what is tried of it, its levers."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(12, 8, 12, 8)
        rows.setSpacing(6)
        self.play = _icon("pause", "Play or pause (Space)")
        self.begin = _icon("skip-back", "From the start")
        self.heat = switch("Overdraw", "Show overdraw as heat (H)")
        self.bounds = switch("Bounds", "The boxes that nothing leaves: what a game takes for out of sight")
        self.copies = NumberField(COPIES, 1)
        self.copies.setFixedWidth(60)
        self.copies.setToolTip("How many of the effect stand side by side")
        label = QLabel("copies")
        label.setProperty("quiet", True)
        self.rows = QComboBox()
        self.rows.setAccessibleName("How copies stand")
        self.rows.setToolTip("Copies stand side by side, or one behind the other, ever further away")
        self.rows.addItems(["side by side", "into the distance"])
        self.tried = QLabel("tried, not packed yet")
        self.tried.setStyleSheet(f"color: {theme.SAFFRON};")
        self.tried.setToolTip("The sheet's settings differ from the package's; packing again writes them.")
        self.tried.hide()
        self.clock = QLabel()
        self.page = QPushButton("In a browser")
        self.page.setToolTip("Open the package's own page, which plays it on this device's graphics")
        self.opener = QPushButton("Package…")
        self.opener.setToolTip("Open another package")
        first = QHBoxLayout()
        first.setSpacing(10)
        for part in (self.play, self.begin, self.heat, self.bounds):
            first.addWidget(part)
        first.addStretch(1)
        for right in (self.tried, self.clock, self.page, self.opener):
            first.addWidget(right)
        rows.addLayout(first)
        self.again = QPushButton("Trigger")
        self.again.setToolTip(
            "Trigger it while it plays: as the effect says, it starts anew, one more plays, or nothing"
        )
        self.ends = switch("Stop", "Stop it as the effect says: what lives plays on, or all is gone at once")
        self.turn = switch(
            "Turn light", "Drag in the picture to turn the sun; what was packed with its light is named"
        )
        self.walks = switch("Walk", "A figure walks through it, so that hard edges of sprites show")
        self.away = switch("Look away", "Look the other way: what it does out of sight is as the effect says")
        self.ride = QComboBox()
        self.ride.setAccessibleName("What carries it")
        self.ride.setToolTip(
            "How what carries the effect moves; sprites stay where they were born, or keep a share"
        )
        self.ride.addItems([f"it {name}" for name in RIDES])
        second = QHBoxLayout()
        second.setSpacing(10)
        for tried in (self.again, self.ends, self.turn, self.walks, self.away):
            second.addWidget(tried)
        second.addWidget(self.ride)
        second.addStretch(1)
        rows.addLayout(second)
        self.levers = Levers()
        third = QHBoxLayout()
        third.setSpacing(10)
        for many in (label, self.copies, self.rows):
            third.addWidget(many)
        third.addWidget(self.levers, 1)
        rows.addLayout(third)
        self.changes = Changes()
        rows.addWidget(self.changes)

    def forget(self) -> None:
        """As when nothing was played yet."""
        for tried in (self.heat, self.bounds, self.turn, self.walks, self.away, self.ends):
            tried.blockSignals(True)
            tried.setChecked(False)
            tried.blockSignals(False)
        self.copies.show_value(1)
        self.rows.setCurrentIndex(0)
        self.ride.setCurrentIndex(0)
        self.show_playing(True)
        self.clock.setText("")
        self.tried.hide()
        self.levers.build(None)
        self.changes.forget()

    def show_playing(self, on: bool) -> None:
        self.play.setIcon(theme.icon("pause" if on else "play"))

    def show_stopped(self, on: bool) -> None:
        """Show whether it is stopped, which changes nothing."""
        self.ends.blockSignals(True)
        self.ends.setChecked(on)
        self.ends.blockSignals(False)
