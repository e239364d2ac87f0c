"""Fitting a light to what a gas gives off: in the background, as one step that can be undone."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from tenka.app.state import State
from tenka.base.errors import BadInput, Cancelled, TenkaError
from tenka.base.jobs import Progress, Worker
from tenka.effect.lights import SceneLight
from tenka.effect.model import FIELD
from tenka.look.firelight import fitted
from tenka.run.driver import stored_frames

FEWEST = 2  # frames
CHOSEN = ("reach", "reaches", "only", "part_of", "shadows")  # by hand, and not by fitting


class FireLight(QObject):
    """Fits one light at a time; asked again, it begins anew."""

    found = pyqtSignal(object, object)  # the document that it was fitted to; a light or a fault

    def __init__(self, state: State, parent: QObject) -> None:
        super().__init__(parent)
        self.state = state
        self.progress: Progress | None = None
        self._worker = Worker("fit a light", lambda error: self.found.emit(None, error))
        self.found.connect(self._take)

    def fit(self) -> None:
        """Fit a light to the gas that is worked on, over all of its frames that are stored."""
        layer, state = self.state.layer, self.state
        if layer is None or layer.HANDS != FIELD:
            state.said.emit("Select a gas that burns or glows first: a light is fitted to what it gives off.")
            return
        plan, store = state.session.plan(layer.id), state.store
        have = [] if plan is None else [n for n, there in enumerate(plan.stored(store)) if there]
        if plan is None or len(have) < FEWEST:
            state.said.emit(f"{layer.name} has no simulated frames yet: a light is fitted to those.")
            return
        if self.progress is not None:
            self.progress.cancel()
        progress = self.progress = Progress()
        effect = state.effect
        state.said.emit(f"Fitting a light to {len(have)} frames of {layer.name}…")

        def work() -> None:
            try:
                frames = ((n / effect.rate, f) for n, f in stored_frames(plan, store, progress, have))
                self.found.emit(effect, fitted(effect, layer, frames))
            except (TenkaError, Cancelled) as error:
                self.found.emit(effect, error)

        self._worker.ask(work)

    def _take(self, of: object, found: object) -> None:
        self.progress = None
        if isinstance(found, Cancelled):
            return
        if not isinstance(found, SceneLight):
            self.state.refuse(found if isinstance(found, BadInput) else BadInput(str(found)))
            return
        effect = self.state.effect
        if found.stands_for not in {layer.id for layer in effect.layers}:
            return  # it was taken away meanwhile
        others = tuple(light for light in effect.lights if light.stands_for != found.stands_for)
        former = next((light for light in effect.lights if light.stands_for == found.stands_for), None)
        if former is not None:  # fitted anew it is the same one, as tiers and the hand have it
            found = found.model_copy(update={n: getattr(former, n) for n in ("id", "name", *CHOSEN)})
        self.state.edit("lights", (*others, found), "Fit a light")
        self.state.select(f"lights.{found.id}")
        self.state.said.emit(f"{found.name} follows its fire; undo takes it away again.")

    def close(self) -> None:
        """Stop what is under way."""
        if self.progress is not None:
            self.progress.cancel()
        self._worker.close(0.0)
