"""How much is seen of a change of deliveries at a distance, in words at the Proof station."""

from __future__ import annotations

from contextlib import suppress

from PyQt6.QtCore import pyqtSignal

from tenka.app.wrapped import Wrapped
from tenka.base.errors import Cancelled
from tenka.base.jobs import Worker
from tenka.proof.engine import Package
from tenka.proof.jumps import distances, jumps


class Changes(Wrapped):
    """Each distance at which what is shown changes, with how far both pictures differ; nothing where there is
    none."""

    told = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("quiet", True)
        self.setToolTip(
            "Where other deliveries are shown from some distance on: how far both pictures differ there"
        )
        self.hide()
        self._of: Package | None = None
        self._worker = Worker("changes", lambda error: self.told.emit(error))
        self.told.connect(self._tell)

    def measure(self, package: Package) -> None:
        """Measure the changes of a package beside its play, from where its own camera looks."""
        self.hide()
        self._of = package
        if not distances(package):
            return

        def check() -> None:
            if self._of is not package:
                raise Cancelled

        def work() -> None:
            with suppress(Cancelled):
                self.told.emit((package, jumps(Package(package.folder), package.camera, check=check)))

        self._worker.ask(work)

    def forget(self) -> None:
        """Nothing is measured any more, nor told."""
        self._of = None
        self.hide()

    def _tell(self, result: object) -> None:
        if isinstance(result, tuple) and result[0] is self._of:
            self.setText("The change " + "; ".join(jump.words for jump in result[1]) + ".")
            self.show()

    def close_workers(self) -> None:
        self._of = None  # what is being measured stops
        self._worker.close()
