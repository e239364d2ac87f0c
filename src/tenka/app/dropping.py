"""Heaps that are dropped in the background: one at a time, stopped at once, kept as one edit."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from tenka.base.errors import Cancelled
from tenka.base.jobs import Progress, Worker
from tenka.effect.model import Effect
from tenka.particles.heap import dropped, heaped


class Dropper(QObject):
    """`told` says how far it is; '' when nothing falls."""

    told = pyqtSignal(str)
    _found = pyqtSignal(object)

    def __init__(
        self, effect: Callable[[], Effect], apply: Callable[[Effect, str], None], said: Callable[[str], None]
    ) -> None:
        super().__init__()
        self._effect, self._apply, self._said = effect, apply, said
        self._worker: Worker | None = None
        self.progress: Progress | None = None
        self._found.connect(self._take)

    @property
    def busy(self) -> bool:
        return self.progress is not None

    def drop(self, id: str, folder: Path | None) -> None:
        """Let the copies of a prop fall, with all in its heap; raises as `heaped` does."""
        effect = self._effect()
        heaped(effect, id)
        progress = self.progress = Progress(
            listen=lambda p: self.told.emit(f"Dropping: {p.done / 24:.1f} s fallen")
        )
        self._worker = self._worker or Worker("heap", self._found.emit)
        self.told.emit("Dropping…")

        def work() -> None:
            try:
                found = dropped(effect, id, folder, progress)
            except Cancelled:
                self._found.emit(None)
                return
            self._found.emit(
                {p.id: p.lies for p, before in zip(found.props, effect.props) if p is not before}
            )

        self._worker.ask(work)

    def stop(self) -> None:
        if self.progress is not None:
            self.progress.cancel()

    def _take(self, found: object) -> None:
        """Keep what fell: how copies lie, and nothing else that was edited meanwhile."""
        self.progress = None
        if isinstance(found, dict):
            effect = self._effect()
            props = tuple(
                p.model_copy(update={"lies": found[p.id]}) if p.id in found else p for p in effect.props
            )
            self._apply(effect.model_copy(update={"props": props}), "Drop the copies")
        elif isinstance(found, Exception):
            self._said(str(found))
        self.told.emit("")

    def close(self) -> None:
        self.stop()
        if self._worker is not None:
            self._worker.close()
