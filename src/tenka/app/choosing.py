"""What is selected: one thing or several of a group, and particles or pieces of a layer."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from tenka.effect.together import fit_together


class Choosing(QObject):
    """The selection that all parts of the window share."""

    selected = pyqtSignal(str)
    points_chosen = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.selection = ""
        self.points: tuple[str, tuple[int, ...]] = ("", ())  # a layer, and ids of its particles or pieces
        self.also: list[str] = []  # what is selected besides, of the same group
        self._focus = ""  # the layer that was selected last
        self.delivery_id = ""  # that was chosen since

    @property
    def chosen(self) -> list[str]:
        """All that is selected; what the sheet shows is the last."""
        return [*self.also, self.selection]

    def select_more(self, paths: list[str]) -> None:
        """Select several things of one group; the sheet shows the last of them."""
        kept = fit_together(paths)
        if kept:
            self.also, self.selection = kept[:-1], ""
            self._select(kept[-1])

    def select(self, path: str) -> None:
        if path != self.selection or self.also:
            self.also = []
            self._select(path)

    def _select(self, path: str) -> None:
        if path != self.selection or self.also:
            self.selection = path
            if path != f"layers.{self.points[0]}":
                self.choose_points("", ())
            parts = path.split(".")
            if parts[0] == "layers" and len(parts) > 1:
                self._focus, self.delivery_id = parts[1], ""
            self.selected.emit(path)

    def choose_points(self, layer: str, ids: tuple[int, ...]) -> None:
        """Choose particles or pieces of a layer, in the table or on the stage; both show them."""
        if (layer, ids) != self.points:
            self.points = (layer, ids)
            self.points_chosen.emit()
