"""Opening, saving and leaving effects in a window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMainWindow, QMessageBox

from tenka.app.recent import recent_files, remember
from tenka.app.state import State
from tenka.base.errors import TenkaError


class Filing(QMainWindow):
    """A window that holds an effect: what leaves it asks first, and a fault is said."""

    state: State

    def __init__(self) -> None:
        super().__init__()
        self.ask_before_closing: Callable[[], str] = self._ask

    def show_notice(self, text: str, about: str = "") -> None:
        """A sentence that stays until it is closed."""
        raise NotImplementedError

    def open(self, file: Path | None) -> bool:
        """Open an effect; a fault is said, and what was open stays."""
        try:
            self.state.open(file)
        except TenkaError as error:
            self.show_notice(str(error), "open")
            return False
        self.state.settled.emit("open")
        if file is not None:
            remember(file)
        return True

    def new(self) -> None:
        """An effect with nothing in it but the light, from which one begins."""
        if self._may_leave():
            self.open(None)

    def leave_for(self, file: Path) -> None:
        """Open another effect, when nothing is lost by it."""
        if self._may_leave():
            self.open(file)

    def recent(self) -> list[Path]:
        """Effects that were open lately and are still there, the newest first."""
        return recent_files()

    def ask_open(self) -> None:
        if not self._may_leave():
            return
        name, _ = QFileDialog.getOpenFileName(
            self, "Open an effect", str(self.state.folder or ""), "Effects (*.tenka)"
        )
        if name:
            self.open(Path(name))

    def save(self) -> bool:
        if self.state.document.file is None:
            return self.save_as()
        return self.save_to(self.state.document.file)

    def save_as(self) -> bool:
        name, _ = QFileDialog.getSaveFileName(
            self, "Save the effect", str(self.state.folder or ""), "Effects (*.tenka)"
        )
        return bool(name) and self.save_to(Path(name).with_suffix(".tenka"))

    def save_to(self, file: Path) -> bool:
        try:
            self.state.save(file)
        except TenkaError as error:
            self.show_notice(str(error), "overwritten" if "another program" in str(error) else "save")
            return False
        for about in ("save", "overwritten", "recovered"):
            self.state.settled.emit(about)
        remember(file)
        return True

    def _ask(self) -> str:
        box = QMessageBox(self)
        box.setWindowTitle("Tenka")
        box.setText(f"Save the changes to {self.state.effect.name}?")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Don't save", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return "save" if box.clickedButton() is save else "drop" if box.clickedButton() is drop else "stay"

    def _may_leave(self) -> bool:
        if not self.state.document.unsaved:
            return True
        answer = self.ask_before_closing()
        if answer == "save":
            return self.save()
        if answer == "drop" and self.state.journal is not None:
            self.state._autosave.stop()
            self.state.journal.drop()
        return answer == "drop"
