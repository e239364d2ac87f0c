"""What all parts of the window share: the document, its session, the selection, the time, the ledger."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from tenka.app.strays import Finding, strays
from tenka.app.timers import once
from tenka.base.errors import BadInput, TenkaError
from tenka.base.jobs import Worker
from tenka.budget.cost import Ledger, ledger
from tenka.cache.store import FrameStore
from tenka.demo import FOLDER
from tenka.effect import storage
from tenka.effect.document import Document, get
from tenka.effect.model import Effect, GasLayer, Layer, Tier
from tenka.run.session import LayerStatus, Session, Status

AUTOSAVE_MS = 800
WHOLE = "effect"  # the selection that is the effect itself: its length, rate and seed
NEWS_MS = 90


class State(QObject):
    """One open effect and everything that mirrors it."""

    changed = pyqtSignal(str)
    selected = pyqtSignal(str)
    moved = pyqtSignal(int)
    news = pyqtSignal()
    costed = pyqtSignal()
    said = pyqtSignal(str)
    noticed = pyqtSignal(str)
    course_asked = pyqtSignal(str)
    tier_chosen = pyqtSignal()
    _raw_news = pyqtSignal()
    _raw_costs = pyqtSignal(object)

    def __init__(self, store: FrameStore | None = None, journal_folder: Path | None = None) -> None:
        super().__init__()
        self.store = store or FrameStore()
        self.journal_folder = journal_folder
        self.document = Document()
        self.session = Session(self.store)
        self.journal: storage.Journal | None = None
        self.selection = ""
        self._focus = ""
        self.frame = 0
        self.tier_id = ""
        self.status = Status()
        self.ledgers: dict[str, Ledger] = {}
        self.ledger_problem = ""
        self.package: Path | None = None
        self._coster = Worker("ledger", lambda error: self._raw_costs.emit(error))
        self._keeper = Worker("journal", lambda error: None)
        self._autosave = once(self, AUTOSAVE_MS, self._keep)
        self._news = once(self, NEWS_MS, self._take_news)
        self._raw_news.connect(lambda: None if self._news.isActive() else self._news.start())
        self._raw_costs.connect(self._take_costs)

    # --- the document -------------------------------------------------------------------------

    @property
    def effect(self) -> Effect:
        return self.document.effect

    @property
    def layer(self) -> Layer | None:
        """The layer that is worked on: the selected one, or that of the selected source, or the last that was; else the first."""
        chosen = self.selection.split(".")
        wanted = chosen[1] if len(chosen) > 1 and chosen[0] == "layers" else self._focus
        found = next((layer for layer in self.effect.layers if layer.id == wanted), None)
        return found or (self.effect.layers[0] if self.effect.layers else None)

    @property
    def gas(self) -> GasLayer | None:
        """The gas that is worked on: that layer when it is one, else the first."""
        layer = self.layer
        return layer if isinstance(layer, GasLayer) else next(iter(self.effect.gases), None)

    @property
    def tier(self) -> Tier | None:
        for tier in self.effect.tiers:
            if tier.id == self.tier_id:
                return tier
        return self.effect.tiers[0] if self.effect.tiers else None

    @property
    def folder(self) -> Path | None:
        return self.document.file.resolve().parent if self.document.file else None

    def open(self, file: Path | None) -> None:
        """Open an effect; on a fault nothing changes and the sentence is raised. Edits after a crash come back."""
        effect = storage.load(file) if file is not None else Effect(layers=())
        journal = storage.Journal(file, self.journal_folder)
        recovered = journal.recover(effect)
        self._adopt(Document(effect, file), journal)
        if recovered is not None:
            self.document.apply(recovered.effect, "Recover unsaved edits")
            self.noticed.emit("Edits that were not saved came back after a crash. Undo returns to the saved file.")

    def _adopt(self, document: Document, journal: storage.Journal) -> None:
        self.session.close()
        self.document, self.journal = document, journal
        self.session = Session(self.store, self.document.file.resolve() if self.document.file else None, self._raw_news.emit)
        self.document.listen(self._on_change)
        self.frame = 0
        self.package = None
        if not any(t.id == self.tier_id for t in self.effect.tiers):
            mid = self.effect.tiers[len(self.effect.tiers) // 2].id if self.effect.tiers else ""
            self.tier_id = mid
        self.select(f"layers.{self.layer.id}" if self.layer else "light")
        self.session.take(self.effect, wait=False)
        self.changed.emit("")
        self.moved.emit(0)
        self._ask_costs()

    def save(self, file: Path) -> None:
        effect = storage.moved(self.effect, self.folder, file.resolve().parent) if self.folder is not None else self.effect
        storage.save(effect, file)
        if effect is not self.effect:
            self.document.file = file  # meshes are found from the new folder before anything asks for them
            self.session.file = file.resolve()
            self.document.apply(effect, "Save elsewhere")
        moved = self.document.file is None or file.resolve() != self.document.file.resolve()
        if self.journal is not None:
            self.journal.drop()
        self.document.mark_saved(file)
        if moved:
            self.journal = storage.Journal(file, self.journal_folder)
            self.session.file = file.resolve()
        self.said.emit(f"Saved {file.name}")

    def edit(self, path: str, value: object, label: str = "", merge: object = None) -> None:
        """One edit; what is refused is said in the hint line and changes nothing."""
        try:
            self.document.edit(path, value, label, merge)
        except TenkaError as error:
            self.said.emit(str(error))

    def apply(self, effect: Effect, label: str) -> None:
        self.document.apply(effect, label)

    def _on_change(self, path: str) -> None:
        self.session.take(self.effect)
        self._autosave.start()
        try:
            if self.selection != WHOLE:
                get(self.effect, self.selection)
        except BadInput:
            self.select(f"layers.{self.layer.id}" if self.layer else "light")
        self.frame = min(self.frame, self.effect.frames - 1)
        self.changed.emit(path)
        self._ask_costs()

    def _keep(self) -> None:
        journal, effect = self.journal, self.effect
        if journal is None:
            return
        if self.document.unsaved:
            self._keeper.ask(lambda: journal.keep(effect))
        else:
            self._keeper.ask(journal.drop)

    # --- selection, time, news ----------------------------------------------------------------

    def select(self, path: str) -> None:
        if path != self.selection:
            self.selection = path
            parts = path.split(".")
            if parts[0] == "layers" and len(parts) > 1:
                self._focus = parts[1]
            self.selected.emit(path)

    def go(self, frame: int) -> None:
        frame = min(max(frame, 0), self.effect.frames - 1)
        if frame != self.frame:
            self.frame = frame
            self.moved.emit(frame)

    @property
    def package_folder(self) -> Path:
        """Where a package goes unless another place is chosen: beside the effect, or in the home folder for a demo."""
        file = self.document.file
        name = f"{file.stem}_package" if file is not None else "effect_package"
        if self.folder is None or self.folder == FOLDER.resolve():
            return Path.home() / "tenka_packages" / name
        return self.folder / name

    @property
    def time(self) -> float:
        return self.frame / self.effect.rate

    def _take_news(self) -> None:
        self.status = self.session.status
        self.news.emit()

    # --- cost ---------------------------------------------------------------------------------

    def choose_tier(self, id: str) -> None:
        self.tier_id = id
        self.tier_chosen.emit()
        self.costed.emit()

    def _ask_costs(self) -> None:
        effect = self.effect

        def work() -> None:
            found: dict[str, Ledger] = {}
            for tier in effect.tiers:
                found[tier.id] = ledger(effect, tier.id)
            self._raw_costs.emit(found)

        self._coster.ask(work)

    def _take_costs(self, found: object) -> None:
        if isinstance(found, Exception):
            self.ledger_problem = str(found)
            self.ledgers = {}
        else:
            self.ledger_problem = ""
            self.ledgers = found  # type: ignore[assignment]
        self.costed.emit()

    @property
    def ledger(self) -> Ledger | None:
        return self.ledgers.get(self.tier.id) if self.tier else None

    # --- findings -----------------------------------------------------------------------------

    def findings(self) -> list[Finding]:
        """What is likely wrong now, worst first."""
        found = []
        if self.status.problem:
            found.append(Finding(self.status.problem))
        if self.ledger_problem:
            found.append(Finding(self.ledger_problem))
        for layer in self.effect.layers:
            if layer.hidden:
                continue
            if isinstance(layer, GasLayer):
                found += cut_offs(self.effect, layer, self.status.of(layer.id))
            else:
                found += strays(self.effect, layer, self.status.of(layer.id))
        book = self.ledger
        if book is not None and book.over:
            what = [f"{book.ms:.2f} of {book.tier.ms:g} ms"] if book.ms > book.tier.ms else []
            what += [f"{book.mb:.1f} of {book.tier.mb:g} MB"] if book.mb > book.tier.mb else []
            found.append(Finding(f"Over {book.tier.name}'s budget: {', '.join([*what, *book.problems])}"))
        return found

    def close(self) -> None:
        self._autosave.stop()
        self.session.close()
        self._coster.close()
        self._keeper.close()


WALLS = ("low x", "high x", "low y", "high y", "floor", "ceiling")
SEEN = 0.06  # share of the densest smoke that shows when it is cut


def cut_offs(effect: Effect, layer: GasLayer, status: LayerStatus) -> list[Finding]:
    """Walls at which visible smoke leaves the domain, with the frames, and a box that is larger there."""
    found = []
    for wall, name in enumerate(WALLS):
        axis, high = divmod(wall, 2)
        if not (layer.domain.open_high if high else layer.domain.open_low)[axis]:
            continue
        frames = sorted(f for f, most in status.walls.items() if most and most[wall] > SEEN * max(status.densest, 1e-6))
        if not frames:
            continue
        size, origin = list(layer.domain.size), list(layer.domain.origin)
        grow = max(layer.domain.voxel * 4, size[axis] * 0.15)
        size[axis] += grow
        if not high:
            origin[axis] -= grow
        domain = layer.domain.model_copy(update={"size": tuple(round(s, 4) for s in size), "origin": tuple(round(o, 4) for o in origin)})
        grown = layer.model_copy(update={"domain": domain})
        mended = effect.model_copy(update={"layers": tuple(grown if item.id == layer.id else item for item in effect.layers)})
        span = f"frame {frames[0] + 1}" if len(frames) == 1 else f"{len(frames)} frames from {frames[0] + 1} to {frames[-1] + 1}"
        found.append(Finding(f"{layer.name} is cut off at the {name} wall in {span}", f"Grow the box by {grow:.2g} m there", mended))
    return found
