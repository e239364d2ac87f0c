"""What all parts of the window share: the document, its session, the selection, the time, the ledger."""

from __future__ import annotations

from itertools import count
from pathlib import Path
from typing import Any

from PyQt6.QtCore import pyqtSignal

from tenka.app.choosing import Choosing
from tenka.app.costing import Costing
from tenka.app.dropping import Dropper
from tenka.app.timers import once
from tenka.base.errors import BadInput, TenkaError
from tenka.base.jobs import Worker
from tenka.budget.cost import Ledger
from tenka.budget.told import over_at_worst, over_budget, sizing
from tenka.cache.store import FrameStore
from tenka.demo import FOLDER
from tenka.effect import storage
from tenka.effect.delivered import has_own
from tenka.effect.document import Document, delivered_on, get, is_there, label_of
from tenka.effect.model import Delivery, Effect, GasLayer, Layer, Tier
from tenka.effect.naming import in_names
from tenka.effect.starters import empty
from tenka.effect.together import edited_on
from tenka.pack.amiss import amiss
from tenka.run.findings import Finding
from tenka.run.fitting import ridden
from tenka.run.kinds import KINDS
from tenka.run.session import Session
from tenka.run.status import Status

AUTOSAVE_MS = 800
WHOLE = "effect"  # the selection that is the effect itself: its length, rate and seed
NEWS_MS = 90


class State(Choosing):
    """One open effect and everything that mirrors it."""

    changed = pyqtSignal(str)
    opened = pyqtSignal()  # another effect
    moved = pyqtSignal(int)
    news = pyqtSignal()
    costed = pyqtSignal()
    said = pyqtSignal(str)
    refused = pyqtSignal(str)
    noticed = pyqtSignal(str, str)  # what, and what it is about
    settled = pyqtSignal(str)
    course_asked = pyqtSignal(str)
    trace_asked = pyqtSignal(str)  # a path or curve is to be drawn on the stage
    tier_chosen = pyqtSignal()
    _raw_news = pyqtSignal()
    _raw_kept = pyqtSignal(str)

    def __init__(self, store: FrameStore | None = None, journal_folder: Path | None = None) -> None:
        super().__init__()
        self.store = store or FrameStore()
        self.ready = True  # whether the kernels are compiled that drawing and stepping need
        self.journal_folder = journal_folder
        self.document = Document()
        self.session = Session(self.store)
        self._ending: list[Session] = []  # of effects that were open before
        self.journal: storage.Journal | None = None
        self.frame = 0
        self.tier_id = ""
        self._played: tuple[Effect, Tier | None, Effect] | None = None
        self.status = Status()
        self.package: Path | None = None
        self._unnamed: Path | None = None  # where that of an effect without a file goes
        self._claimed = False  # whether one is written there
        self.costing = Costing(self)
        self._keeper = Worker("journal", lambda error: self._raw_kept.emit(str(error)))
        self.dropper = Dropper(lambda: self.effect, self.apply, self.said.emit)
        self._keep_problem = ""
        self._on_disk = ""
        self._autosave = once(self, AUTOSAVE_MS, self._keep)
        self._news = once(self, NEWS_MS, self._take_news)
        self._raw_news.connect(lambda: None if self._news.isActive() else self._news.start())
        self._raw_kept.connect(self._take_kept)

    # --- the document -------------------------------------------------------------------------

    @property
    def effect(self) -> Effect:
        return self.document.effect

    @property
    def layer(self) -> Layer | None:
        """The layer that is worked on: the selected one, or that of the selected source, or the last that
        was; else the first."""
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
    def delivery(self) -> Delivery | None:
        """The delivery that is worked on: the one that was chosen since a layer was, else the first of that
        layer."""
        found = next((d for d in self.effect.deliveries if d.id == self.delivery_id), None)
        own = self.effect.deliveries_of(self.layer.id) if self.layer is not None else []
        return found or (own[0] if own else None)

    @property
    def played(self) -> Effect:
        """The effect with the present tier's deliveries, before levers."""
        now, tier = self.effect, self.tier
        if self._played is None or self._played[0] is not now or self._played[1] is not tier:
            self._played = (now, tier, delivered_on(now, tier.id if tier is not None else ""))
        return self._played[2]

    def value(self, path: str) -> Any:
        """The value of a setting, on the present tier where that has its own."""
        own = has_own(self.effect, self.tier, path) and is_there(self.played, path)
        return get(self.played if own else self.effect, path)

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
        """Open an effect; on a fault nothing changes and the sentence is raised. Edits after a crash come
        back."""
        effect = storage.load(file) if file is not None else empty()
        on_disk = storage.content(file)
        journal, recovered = self._journal_of(file, effect)
        self._adopt(Document(effect, file), journal)
        self._on_disk = on_disk
        if recovered is not None:
            self.document.apply(recovered.effect, "Recover unsaved edits")
            self.noticed.emit("Edits that were not saved came back after a crash.", "recovered")

    def _journal_of(
        self, file: Path | None, effect: Effect | None
    ) -> tuple[storage.Journal | None, storage.Recovered | None]:
        """A journal for a file, and what an earlier one of it held; none where there can be none, which is
        said."""
        try:
            journal = storage.Journal(file, self.journal_folder)
        except TenkaError as error:
            self._take_kept(str(error))
            return None, None
        recovered = journal.recover(effect) if effect is not None else None
        if journal.set_aside is not None:
            self.noticed.emit(f"An autosave that cannot be read was set aside as {journal.set_aside}.", "")
        return journal, recovered

    def _adopt(self, document: Document, journal: storage.Journal | None) -> None:
        for about in ("recovered", "overwritten", "save"):
            self.settled.emit(about)  # what was said of the effect before
        self.session.close(wait=False)  # it may be within a step, for which the window does not wait
        self._ending = [*self._ending, self.session][-8:]
        if self.journal is not None:
            self.journal.close()
        self.document, self.journal = document, journal
        self.session = Session(
            self.store, self.document.file.resolve() if self.document.file else None, self._raw_news.emit
        )
        self.document.listen(self._on_change)
        self.frame = 0
        self.package, self._unnamed, self._claimed = None, None, False
        if not any(t.id == self.tier_id for t in self.effect.tiers):
            mid = self.effect.tiers[len(self.effect.tiers) // 2].id if self.effect.tiers else ""
            self.tier_id = mid
        self.select(f"layers.{self.layer.id}" if self.layer else "light")
        self.session.take(self.effect, wait=False)
        self.status = Status()
        self.costing.forget()  # nothing is told of the last effect
        self.opened.emit()
        self.changed.emit("")
        self.moved.emit(0)
        self.count_again()

    def _refuse_to_overwrite(self, file: Path) -> None:
        """Notice, once, that what stands in the open file is not what was read or saved there."""
        now = storage.content(file)
        if not now or now == self._on_disk:
            return
        self._on_disk = now
        raise BadInput(
            "was changed by another program since it was opened; save once more to overwrite that, or save "
            "elsewhere",
            file=file,
        )

    def save(self, file: Path) -> None:
        """Write the effect; a file that others changed meanwhile is not overwritten at the first try.

        Raises
        ------
        BadInput
            In one sentence; nothing has changed then.
        """
        same = self.document.file is not None and file.resolve() == self.document.file.resolve()
        if same:
            self._refuse_to_overwrite(file)
        effect = storage.elsewhere(self.effect, self.document.file, self.folder, file)
        storage.save(effect, file)
        self._on_disk = storage.content(file)
        if effect is not self.effect:
            self.document.file = file  # files are found from the new folder before anything asks for them
            self.session.file = file.resolve()
            self.document.apply(effect, "Save elsewhere")
        if self.journal is not None:
            self.journal.drop()
        self.document.mark_saved(file)
        if not same:
            if self.journal is not None:
                self.journal.close()
            self.journal, _ = self._journal_of(file, None)
            self.session.file = file.resolve()
        self.said.emit(f"Saved {file.name}")

    def edit(self, path: str, value: object, label: str = "", merge: object = None) -> None:
        """One edit; what is refused is said in the hint line and changes nothing."""
        try:
            others = self.also if path.startswith(f"{self.selection}.") else ()
            changed = edited_on(self.effect, self.tier, path, value, self.selection, others)
            self.document.apply(ridden(self.effect, changed), label or label_of(path), path, merge)
        except TenkaError as error:
            self.refuse(error)

    def refuse(self, error: object) -> None:
        """Say why something was not done, with names rather than ids."""
        self.refused.emit(in_names(self.effect, str(error)))

    def apply(self, effect: Effect, label: str) -> None:
        self.document.apply(effect, label)

    def _on_change(self, path: str) -> None:
        self.session.take(self.effect)
        self._autosave.start()
        self.also = [p for p in self.also if is_there(self.effect, p)]
        try:
            if self.selection != WHOLE:
                get(self.effect, self.selection)
        except BadInput:
            self.select(f"layers.{self.layer.id}" if self.layer else "light")
        self.frame = min(self.frame, self.effect.frames - 1)
        self.changed.emit(path)
        self.count_again()

    def _keep(self) -> None:
        journal, effect = self.journal, self.effect
        if journal is None:
            return
        unsaved = self.document.unsaved

        def work() -> None:
            if unsaved:
                journal.keep(effect)
            else:
                journal.drop()
            self._raw_kept.emit("")

        self._keeper.ask(work)

    def keep_now(self) -> None:
        """Write the journal at once, from the interface thread: something has failed."""
        if self.journal is not None and self.document.unsaved:
            self.journal.keep(self.effect)

    def _take_kept(self, problem: str) -> None:
        """What the last autosave said: a fault is told once, and again when it is another."""
        if problem and problem != self._keep_problem:
            self.noticed.emit(f"Autosave does not work: {problem}", "autosave")
        elif self._keep_problem and not problem:
            self.settled.emit("autosave")
        self._keep_problem = problem

    # --- selection, time, news ----------------------------------------------------------------

    def go(self, frame: int) -> None:
        frame = min(max(frame, 0), self.effect.frames - 1)
        if frame != self.frame:
            self.frame = frame
            self.moved.emit(frame)

    @property
    def package_folder(self) -> Path:
        """Where a package goes unless another place is chosen: beside the effect, or in the home folder for a
        demo."""
        file, home = self.document.file, Path.home() / "tenka_packages"
        if file is None:
            return self._place_of_its_own(home)
        name = f"{file.stem}_package"
        return home / name if self.folder == FOLDER.resolve() else (self.folder or home) / name

    def _place_of_its_own(self, home: Path) -> Path:
        """A folder for the package of an effect that has no file: none that another effect's is in."""
        if self._unnamed is None or not (self._claimed or self.package or not self._is_taken(self._unnamed)):
            names = (home / f"untitled_{n}_package" for n in count(1))
            self._unnamed = next(place for place in names if not self._is_taken(place))
        return self._unnamed

    def claim_package_folder(self) -> None:
        """Keep to where a package goes: one is being written there."""
        self._claimed = True

    @staticmethod
    def _is_taken(place: Path) -> bool:
        """Whether a package is there, or, as they are written for all tiers, beside it by its name."""
        return place.exists() or any(place.parent.glob(f"{place.name}_*"))

    @property
    def time(self) -> float:
        return self.frame / self.effect.rate

    def _take_news(self) -> None:
        before, self.status = self.status, self.session.status
        self.news.emit()
        known, was = ({id: len(of.figures) for id, of in s.layers.items()} for s in (self.status, before))
        ended = before.running and not self.status.running
        if ended or not self.ledgers or (known != was and not self.status.running):
            self.count_again()  # kinds whose size only a simulation tells are known now

    # --- cost ---------------------------------------------------------------------------------

    def choose_tier(self, id: str) -> None:
        self.tier_id = id
        self.tier_chosen.emit()
        self.costed.emit()

    def count_again(self) -> None:
        """Work out the ledgers anew, in the background."""
        self.costing.count()

    @property
    def ledgers(self) -> dict[str, Ledger]:
        return self.costing.ledgers

    @property
    def ledger(self) -> Ledger | None:
        return self.ledgers.get(self.tier.id) if self.tier else None

    # --- findings -----------------------------------------------------------------------------

    def findings(self) -> list[Finding]:
        """What is likely wrong now, worst first."""
        found = []
        if self.status.problem:
            found.append(Finding(self.status.problem))
        if self.costing.problem:
            found.append(Finding(self.costing.problem))
        for layer in self.effect.layers:
            if layer.hidden:
                continue
            if layer.kind in KINDS and layer.id in self.status.layers:
                figures = self.status.layers[layer.id].figures
                found += KINDS[layer.kind].findings(self.effect, layer, figures)
        found += amiss(self.effect)
        if self.costing.effect is self.effect:  # a mend is of the present effect
            found += self.costing.placed
        book = self.ledger
        for missing in book.uncounted if book is not None and not self.status.running else ():
            found.append(Finding(str(missing).rstrip(".")))
        for note in book.notes if book is not None else ():
            found.append(Finding(note.rstrip(".")))
        found += [over_budget(of) for of in self.ledgers.values() if of.over]
        found += filter(None, (over_at_worst(of, self.costing.of(of)) for of in self.ledgers.values()))
        found += sizing(book, self.effect)
        return found

    def close(self) -> None:
        self._autosave.stop()
        for session in (*self._ending, self.session):
            session.close()
        self.dropper.close()
        self.costing.close()
        self._keeper.close()
        if self.journal is not None:
            self.journal.close()
