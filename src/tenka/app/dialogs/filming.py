"""Final pictures and movies from the window: which frames, how large, how quiet, with how long a shutter."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QFormLayout, QLabel, QWidget

from tenka.app.dialogs.writing import Writing
from tenka.app.sheet.fields import ChoiceField, NumberField
from tenka.app.state import State
from tenka.base.jobs import Progress
from tenka.base.words import counted, size_of
from tenka.base.words import span as seconds_in_words
from tenka.effect.catalogue import plain_number
from tenka.pack.film import LENS, Film, pictures
from tenka.pack.reels import reel

if TYPE_CHECKING:
    from tenka.app.stage.view import Stage

KINDS = (
    (".mp4", "MP4 movie"),
    (".webm", "WebM movie"),
    (".png", "PNG, a file a frame"),
    (".exr", "OpenEXR with layers, a file a frame"),
)
SIZES = (
    ("640x400", "640 × 400"),
    ("1280x800", "1280 × 800"),
    ("1920x1080", "1920 × 1080"),
    ("3840x2160", "3840 × 2160"),
)
PASSES = ((8, "quick"), (32, "even"), (128, "without any grain"))
MOMENTS = 8
MEASURED = 960 * 570  # px of the stage's own picture, whose time tells that of others


def ask_film(stage: Stage) -> None:
    """Ask for final pictures of what a stage shows."""
    if stage.state.ready:
        stage.filming = Filming(stage.state, stage.whole_ms, stage.through.id, stage.window())
        stage.filming.open()


class Filming(Writing):
    """Asks for what is drawn, tells how long it takes, and draws it in the background."""

    first: NumberField
    last: NumberField

    def __init__(self, state: State, stage_ms: float, through: str, parent: QWidget | None) -> None:
        self._stage_ms, self._through = stage_ms, through
        super().__init__(state, "Final pictures", parent)

    def _fields(self) -> QFormLayout:
        form = QFormLayout()
        form.setHorizontalSpacing(12)
        frames = float(self.state.effect.frames)
        self.kind = ChoiceField("Kind of file", list(KINDS))
        self.run = ChoiceField(
            "Which simulation is drawn", [("preview", "the preview"), ("final", "the final run")]
        )
        self.large = ChoiceField("Size of a picture", list(SIZES))
        self.large.setCurrentIndex(1)
        self.quiet = ChoiceField("How even gas is drawn", [(f"{n}", name) for n, name in PASSES])
        self.quiet.setCurrentIndex(1)
        for name in ("first", "last"):
            p = plain_number(f"{name} frame", "", f"The {name} frame that is drawn.", 1, frames, (1, frames))
            setattr(self, name, NumberField(p, 1.0 if name == "first" else frames))
        help = "Share of a frame's time in which light is gathered: what moves is smeared. 0 is an instant."
        shutter = plain_number("shutter", "", help, 0, 1, (0, 1), kind="number")
        self.shutter = NumberField(shutter, 0.0)
        self.shutter.setToolTip(help)
        views = [("", "the effect's view"), *((c.id, c.name) for c in self.state.effect.cameras)]
        self.seen = ChoiceField("Which camera looks on", views)
        self.seen.setCurrentIndex(max(0, self.seen.findData(self._through)))
        for label, field in (
            ("file", self.kind),
            ("camera", self.seen),
            ("simulation", self.run),
            ("size", self.large),
            ("first frame", self.first),
            ("last frame", self.last),
            ("gas", self.quiet),
            ("shutter", self.shutter),
        ):
            form.addRow(QLabel(label), field)
        for number in (self.first, self.last, self.shutter):
            number.changed.connect(lambda *_: self.refresh())
            number.told.connect(self._say)
        for choice in (self.kind, self.large, self.quiet, self.seen, self.run):
            choice.currentIndexChanged.connect(lambda _: self.refresh())
        return form

    @property
    def span(self) -> tuple[int, int]:
        """First and last index of what is drawn."""
        a, b = round(self.first.value) - 1, round(self.last.value) - 1
        return min(a, b), max(a, b)

    @property
    def film(self) -> Film:
        width, height = (int(n) for n in str(self.large.currentData()).split("x"))
        passes, through = int(self.quiet.currentData()), str(self.seen.currentData())
        final = self.run.currentData() == "final"
        return Film(width, height, passes, 0.0, self.shutter.value, MOMENTS, through=through, final=final)

    def refresh(self, _: str = "") -> None:
        first, last = self.span
        film, count = self.film, last - first + 1
        missing = self._missing(first, last, film.final)
        moments = MOMENTS if film.shutter > 0 else 1
        size = film.width * film.height / MEASURED
        soft = film.camera_at(self.state.effect, first / self.state.effect.rate).aperture > 0
        moments *= LENS if soft else 1
        seconds = count * moments * size * self._stage_ms / 1e3 * (0.5 + film.passes / 8)
        raw = count * film.width * film.height * (28 if self.kind.currentData() == ".exr" else 1.2)
        kind = str(self.kind.currentData())
        room = f", about {size_of(raw)}" if kind in (".png", ".exr") else ""
        first_of = f"; {counted(missing, 'frame')} to simulate before" if missing else ""
        self.told.setText(
            f"{counted(count, 'picture')} of {film.width} × {film.height}{room}, about "
            f"{seconds_in_words(max(seconds, 1.0))}{first_of}."
        )

    def _missing(self, first: int, last: int, final: bool) -> int:
        """Frames that have to be simulated before."""
        state = self.state
        if final:
            have = [plan.stored(state.store) for plan in state.session.plans_beside("final")]
        else:
            have = [own.stored for own in state.status.layers.values()]
        return max((sum(not there for there in row[first : last + 1]) for row in have), default=0)

    def _ask(self) -> None:
        kind = str(self.kind.currentData())
        start = (self.state.folder or Path.home()) / f"{self.state.effect.name}{kind}"
        name, _ = QFileDialog.getSaveFileName(
            self, "Final pictures", str(start), f"{kind[1:].upper()} (*{kind})"
        )
        if name:
            self.write(Path(name).with_suffix(kind))

    def write(self, file: Path) -> None:
        """Draw in the background; what was drawn, or a fault, is said."""
        effect, folder, store = self.state.effect, self.state.folder, self.state.store
        film, span = self.film, self.span

        def work(progress: Progress) -> list[Path]:
            alone = span[0] == span[1]
            with reel(file, effect.rate, span[0], alone) as writing:
                for found in pictures(effect, folder, store, film, span, progress, layers=writing.layers):
                    writing.add(found)
            return writing.files

        self.begin("draw finals", work)

    def told_of(self, found: object) -> str:
        assert isinstance(found, list)
        size = sum(f.stat().st_size for f in found)
        what = found[0].name if len(found) == 1 else f"{len(found)} files, {found[0].name} on"
        return f"Wrote {what}, {size_of(size)}."
