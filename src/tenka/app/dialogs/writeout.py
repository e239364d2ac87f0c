"""Writing out a layer of particles or pieces: which frames, in what file, units and axes, without which
outliers; what will be written and its size, before it is."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tenka.app.sheet.fields import ChoiceField, NumberField
from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.base.errors import Cancelled, TenkaError
from tenka.base.jobs import Progress, Worker
from tenka.base.words import counted, singular, size_of, span
from tenka.effect.catalogue import plain_number
from tenka.effect.model import POINTS
from tenka.pack.outgoing import Axes, Written
from tenka.pack.points import SEQUENCES, export, predicted

KINDS = (
    (".usdc", "USD"),
    (".usda", "USD, readable"),
    (".ply", "PLY, a file a frame"),
    (".csv", "CSV, a file a frame"),
    (".npz", "NPZ, a file a frame"),
)
BODIES = ((".glb", "GLB with tracks"),)
OUTLIER_M = 60.0


class WriteOut(QDialog):
    """Asks for what is written, tells it, writes it in the background with a bar, and stops at once."""

    progressed = pyqtSignal(object)
    written = pyqtSignal(object)
    first: NumberField
    last: NumberField

    def __init__(self, state: State, layer: str, parent: QWidget | None) -> None:
        super().__init__(parent)
        self.state, self.id = state, layer
        self.progress: Progress | None = None
        self._worker: Worker | None = None
        self.setWindowTitle("Write out")
        self.setObjectName("ground")
        self.setMinimumWidth(420)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(8)
        column.addLayout(self._fields())
        self.told = Wrapped()
        column.addWidget(self.told)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.hide()
        column.addWidget(self.bar)
        self.said = Wrapped()
        self.said.setProperty("quiet", True)
        column.addWidget(self.said)
        line = QHBoxLayout()
        line.addStretch(1)
        self.close_button = QPushButton("Close")
        self.close_button.clicked.connect(self.close)
        self.button = QPushButton("Write…")
        self.button.setProperty("main", True)
        self.button.clicked.connect(self._ask)
        line.addWidget(self.close_button)
        line.addWidget(self.button)
        column.addLayout(line)
        self.progressed.connect(self._show_progress)
        self.written.connect(self._done)
        state.changed.connect(self.refresh)
        state.news.connect(self.refresh)
        self.refresh()

    def _fields(self) -> QFormLayout:
        form = QFormLayout()
        form.setHorizontalSpacing(12)
        frames = float(self.state.effect.frames)
        layer = self.layer()
        self._bodies = layer is not None and layer.look.form == "mesh"
        self.kind = ChoiceField("Kind of file", list((*BODIES, *KINDS) if self._bodies else KINDS))
        for name in ("first", "last"):
            help = f"The {name} frame that is written."
            p = plain_number(f"{name} frame", "", help, 1, frames, (1, frames))
            setattr(self, name, NumberField(p, 1.0 if name == "first" else frames))
        self.unit = ChoiceField("Unit of lengths", [("m", "metres"), ("cm", "centimetres")])
        self.up = ChoiceField("Axis that points up", [("z", "z"), ("y", "y")])
        help = "What is ever further from the origin is left out; 0 keeps all."
        far = plain_number("outliers beyond", "m", help, 0, None, (0, 500), kind="number")
        self.outliers = NumberField(far, OUTLIER_M)
        self.outliers.setToolTip(far.help)
        self.seen = QCheckBox()
        self.seen.setAccessibleName("Only what the camera sees")
        self.seen.setToolTip("What is never in the picture of the effect's camera is left out")
        for label, field in (
            ("file", self.kind),
            ("first frame", self.first),
            ("last frame", self.last),
            ("unit", self.unit),
            ("up", self.up),
            ("outliers beyond", self.outliers),
            ("only what is seen", self.seen),
        ):
            form.addRow(QLabel(label), field)
        for number in (self.first, self.last, self.outliers):
            number.changed.connect(lambda *_: self.refresh())
            number.told.connect(self._say)
        for choice in (self.kind, self.unit, self.up):
            choice.currentIndexChanged.connect(lambda _: self.refresh())
        return form

    def layer(self) -> Any:
        found: Any = next((x for x in self.state.effect.layers if x.id == self.id), None)
        return found if found is not None and found.HANDS == POINTS else None

    @property
    def span(self) -> tuple[int, int]:
        """First and last index of what is written."""
        a, b = round(self.first.value) - 1, round(self.last.value) - 1
        return min(a, b), max(a, b)

    def refresh(self, _: str = "") -> None:
        """Tell what would be written now."""
        layer = self.layer()
        if layer is None:
            self.close()
            return
        kind = str(self.kind.currentData())
        for field in (self.unit, self.up):
            field.setEnabled(kind in SEQUENCES)
            field.setToolTip("" if kind in SEQUENCES else "Files of this kind say their unit and axes")
        first, last = self.span
        own = self.state.status.layers.get(self.id)
        figures = own.figures if own is not None else {}
        alive = [int(figures[f].get("alive", 0)) for f in range(first, last + 1) if f in figures]
        count = last - first + 1
        names, size = predicted(kind, alive, first)
        what = (
            f"{self.id}{names[0]}"
            if kind not in SEQUENCES
            else f"{counted(count, 'file')}, {self.id}{names[0]} on"
        )
        meshes = " and the meshes of the pieces" if self._bodies and kind not in SEQUENCES else ""
        if len(alive) < count:
            self.told.setText(
                f"{counted(count, 'frame')} of {layer.name}, of which {len(alive)} are "
                "simulated: the size is told when all are."
            )
            return
        self.told.setText(
            f"{what}: {counted(count, 'frame')}, at most {counted(max(alive), singular(layer.UNITS))}, "
            f"about {size_of(size)}{meshes} before outliers are left out."
        )

    def _ask(self) -> None:
        if self.progress is not None:
            self.progress.cancel()
            return
        kind = str(self.kind.currentData())
        start = (self.state.folder or Path.home()) / f"{self.id}{kind}"
        name, _ = QFileDialog.getSaveFileName(self, "Write out", str(start), f"{kind[1:].upper()} (*{kind})")
        if name:
            self.write(Path(name).with_suffix(kind))

    def write(self, file: Path) -> None:
        """Write the layer in the background; what it wrote, or a fault, is said."""
        progress = self.progress = Progress(
            listen=lambda p: self.progressed.emit((p.what, p.done, p.total, p.seconds_left))
        )
        effect, folder, store, id = self.state.effect, self.state.folder, self.state.store, self.id
        span, far, seen = self.span, self.outliers.value, self.seen.isChecked()
        axes = Axes(str(self.unit.currentData()), str(self.up.currentData()))
        self.button.setText("Stop")
        self.bar.setValue(0)
        self.bar.show()

        def work() -> None:
            try:
                self.written.emit(export(effect, folder, store, file, progress, id, span, far, seen, axes))
            except (TenkaError, Cancelled) as error:
                self.written.emit(error)

        self._worker = Worker("write points", lambda error: self.written.emit(error))
        self._worker.ask(work)

    def _show_progress(self, told: tuple[str, int, int, float | None]) -> None:
        what, done, total, left = told
        self.bar.setMaximum(max(1, total))
        self.bar.setValue(done)
        self._say(f"{what}: {done} of {total}" + (f", {span(left)} left" if left is not None else ""))

    def _say(self, text: str) -> None:
        self.said.setText(text)

    def _done(self, found: object) -> None:
        self.progress = None
        if self._worker is not None:
            self._worker.close(0.0)
            self._worker = None
        self.button.setText("Write…")
        self.bar.hide()
        if isinstance(found, Written):
            gone = f"; {counted(found.culled, 'outlier')} left out" if found.culled else ""
            what = found.files[0].name if len(found.files) == 1 else f"{len(found.files)} files"
            size = sum(f.stat().st_size for f in found.files)
            self._say(
                f"Wrote {what}: {counted(found.frames, 'frame')}, {found.points:,} at most, "
                f"{size_of(size)}{gone}."
            )
        else:
            self._say("Stopped; only whole files were left." if isinstance(found, Cancelled) else str(found))

    def reject(self) -> None:
        """Escape and the close button end what is under way."""
        if self.progress is not None:
            self.progress.cancel()
        super().reject()

    def closeEvent(self, a0: object) -> None:
        if self.progress is not None:
            self.progress.cancel()
