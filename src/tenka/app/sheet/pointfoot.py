"""Above a particle layer's rows: how many there are and what they take; its table, writing it out, letting it
smoke or split."""

from __future__ import annotations

from typing import Any

from tenka.app.dialogs.pointtable import PointTable
from tenka.app.sheet.foot import Foot
from tenka.app.state import State
from tenka.base.errors import BadInput, TooLarge
from tenka.base.words import counted, singular, size_of
from tenka.effect.additions import with_children
from tenka.effect.model import Layer
from tenka.particles.state import BYTES
from tenka.run.kinds import kind_of


class PointFoot(Foot):
    def __init__(self, state: State, layer: Layer) -> None:
        self.table: PointTable | None = None
        rows = (
            (
                ("Table…", "Values of every particle at this frame: sort, filter, export", self.open_table),
                (
                    "Write out…",
                    "Points or pieces to PLY, CSV, NPZ, USD or GLB: frames, units, axes and outliers",
                    self.open_writing,
                ),
            ),
            (
                ("Let it smoke", "Feeds the first gas along the path of each", self._smoke),
                ("Let it split", "A further layer, born where these bounce", self._split),
            ),
        )
        super().__init__(state, layer, rows)

    def text(self, layer: Any) -> str:
        figures = self.figures()
        if not figures:
            return f"Not simulated yet: {self._foretold(layer)}."
        most = max(m.get("alive", 0) for m in figures)
        born = sum(m.get("born", 0) for m in figures)
        ignored: list[str] = next((m["ignored"] for m in figures if m.get("ignored")), [])
        drawn = f", {most * layer.look.copies:,} drawn" if layer.look.copies > 1 else ""
        text = (
            f"At most {counted(most, singular(layer.UNITS))} alive at once{drawn}, {born:,} born; about "
            f"{size_of(most * BYTES)} a frame"
        )
        return text + (f". Columns that are not read: {', '.join(ignored)}" if ignored else "")

    def _foretold(self, layer: Any) -> str:
        """What is known before a run: how many there can be, and the memory for them."""
        try:
            return kind_of(layer).told(self.state.effect, layer, self.state.folder)[1]
        except (BadInput, TooLarge) as error:
            return str(error).rstrip(".")

    def open_table(self) -> None:
        self.table = PointTable(self.state, self.id, self.window())
        self.table.show()

    def _smoke(self) -> None:
        self.feed_gas("Let a layer smoke")

    def _split(self) -> None:
        effect, path = with_children(self.state.effect, self.id)
        self.state.apply(effect, "Let a layer split")
        self.state.select(path)
