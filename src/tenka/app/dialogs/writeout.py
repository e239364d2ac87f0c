"""Writing out a layer of particles or pieces: which frames, in what file, units and axes, without which
outliers; what will be written and its size, before it is."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QFileDialog, QFormLayout, QLabel, QWidget

from tenka.app.dialogs.writing import Writing
from tenka.app.sheet.fields import ChoiceField, NumberField
from tenka.app.state import State
from tenka.base.words import counted, singular, size_of
from tenka.effect.catalogue import plain_number
from tenka.effect.model import POINTS
from tenka.effect.routes.meshes import Meshes
from tenka.pack.nets import net_bytes
from tenka.pack.outgoing import Axes, Written
from tenka.pack.points import SEQUENCES, export, predicted

KINDS = (
    (".usdc", "USD"),
    (".usda", "USD, readable"),
    (".ply", "PLY, a file a frame"),
    (".csv", "CSV, a file a frame"),
    (".npz", "NPZ, a file a frame"),
)
NETS = ((".glb", "GLB, a mesh a frame"),)
BODIES = ((".glb", "GLB with tracks"),)
OUTLIER_M = 60.0


class WriteOut(Writing):
    """Asks for what is written, tells it, writes it in the background with a bar, and stops at once."""

    first: NumberField
    last: NumberField

    def __init__(self, state: State, layer: str, parent: QWidget | None) -> None:
        self.id = layer
        super().__init__(state, "Write out", parent)

    def _fields(self) -> QFormLayout:
        form = QFormLayout()
        form.setHorizontalSpacing(12)
        frames = float(self.state.effect.frames)
        layer = self.layer()
        self._nets = layer is not None and layer.kind in Meshes.TAKES
        self._bodies = layer is not None and not self._nets and layer.look.form == "mesh"
        kinds = NETS if self._nets else (*BODIES, *KINDS) if self._bodies else KINDS
        self.kind = ChoiceField("Kind of file", list(kinds))
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
        rows: list[tuple[str, QWidget]] = [
            ("file", self.kind),
            ("first frame", self.first),
            ("last frame", self.last),
        ]
        if not self._nets:  # a surface is written whole, in metres as GLB has them
            rows += [
                ("unit", self.unit),
                ("up", self.up),
                ("outliers beyond", self.outliers),
                ("only what is seen", self.seen),
            ]
        for label, field in rows:
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
        if self._nets:
            self.told.setText(self._told_of_nets(layer.name, figures, range(first, last + 1)))
            return
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

    def _told_of_nets(self, name: str, figures: Mapping[int, Any], frames: range) -> str:
        """What the meshes of a liquid's frames take."""
        known = [figures[f] for f in frames if f in figures]
        if len(known) < len(frames):
            count = counted(len(frames), "frame")
            return f"{count} of {name}, of which {len(known)} are simulated: the size is told when all are."
        most = max((int(m.get("skin", 0)) for m in known), default=0)
        size = sum(net_bytes(int(m.get("skin", 0))) for m in known)
        meshes, vertices = counted(len(frames), "mesh", "meshes"), counted(most, "vertex", "vertices")
        return f"{self.id}.glb: {meshes}, at most {vertices}, about {size_of(size)}."

    def _ask(self) -> None:
        kind = str(self.kind.currentData())
        start = (self.state.folder or Path.home()) / f"{self.id}{kind}"
        name, _ = QFileDialog.getSaveFileName(self, "Write out", str(start), f"{kind[1:].upper()} (*{kind})")
        if name:
            self.write(Path(name).with_suffix(kind))

    def write(self, file: Path) -> None:
        """Write the layer in the background; what it wrote, or a fault, is said."""
        effect, folder, store, id = self.state.effect, self.state.folder, self.state.store, self.id
        span, far, seen = self.span, self.outliers.value, self.seen.isChecked()
        axes = Axes(str(self.unit.currentData()), str(self.up.currentData()))
        self.begin(
            "write points",
            lambda progress: export(effect, folder, store, file, progress, id, span, far, seen, axes),
        )

    def told_of(self, found: object) -> str:
        assert isinstance(found, Written)
        gone = f"; {counted(found.culled, 'outlier')} left out" if found.culled else ""
        what = found.files[0].name if len(found.files) == 1 else f"{len(found.files)} files"
        size = sum(f.stat().st_size for f in found.files)
        frames = counted(found.frames, "frame")
        if self._nets:
            return f"Wrote {what}: {frames}, {found.points:,} vertices at most, {size_of(size)}."
        return f"Wrote {what}: {frames}, {found.points:,} at most, {size_of(size)}{gone}."
