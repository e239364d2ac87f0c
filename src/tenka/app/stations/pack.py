"""The Pack station: the atlas as a contact sheet, what will be written, and the writing of it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tenka.app.pack import VIEWS
from tenka.app.pack.base import Shown
from tenka.app.state import State
from tenka.app.stations.deliverychoice import DeliveryChoice
from tenka.app.timers import once
from tenka.app.wrapped import Elided, Wrapped
from tenka.base.errors import Cancelled, TenkaError
from tenka.base.jobs import Progress, Worker
from tenka.base.words import span
from tenka.effect.document import delivered_on
from tenka.effect.model import Delivery, Effect
from tenka.pack.amiss import unfit
from tenka.pack.layout import bounds_of, framed, packable, taken
from tenka.pack.lightmaps import asked_in_vain
from tenka.pack.packing import pack
from tenka.pack.routes import ROUTES
from tenka.pack.routes.base import refusing
from tenka.pack.standing import stands_still
from tenka.package.manifest import NOTES
from tenka.package.parts import Element
from tenka.run.plans import Plan


class PackStation(QWidget):
    """Contact sheet, list of outputs, and the button that writes the package."""

    progressed = pyqtSignal(object)
    ended = pyqtSignal(object)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.progress: Progress | None = None
        self._packer = Worker("packing", lambda error: self.ended.emit(error))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.views = {kind: view(state) for kind, view in VIEWS.items()}
        self.shown = QStackedWidget()
        for view in self.views.values():
            self.shown.addWidget(view)
        column.addWidget(self.shown, 1)
        foot = QWidget()
        foot.setObjectName("bench")
        foot.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        grid = QVBoxLayout(foot)
        grid.setContentsMargins(16, 8, 16, 10)
        grid.setSpacing(6)
        self.choice = DeliveryChoice(state)
        grid.addWidget(self.choice)
        self.outputs = Wrapped()
        self.outputs.setTextFormat(Qt.TextFormat.PlainText)
        grid.addWidget(self.outputs)
        line = QHBoxLayout()
        self.where = Elided()
        self.where.setProperty("quiet", True)
        choose = QPushButton("Folder…")
        choose.clicked.connect(self._choose)
        self.button = QPushButton("Pack")
        self.button.setProperty("main", True)
        self.button.setToolTip("Write the package (Ctrl+P)")
        self.button.clicked.connect(self.start)
        self.every = QPushButton("All tiers")
        self.every.setToolTip("Write a package for each tier, beside each other, with its own values")
        self.every.clicked.connect(lambda: self.start(every=True))
        self.stop = QPushButton("Stop")
        self.stop.clicked.connect(self.cancel)
        self.stop.hide()
        line.addWidget(self.where, 1)
        line.addWidget(choose)
        line.addWidget(self.stop)
        line.addWidget(self.every)
        line.addWidget(self.button)
        grid.addLayout(line)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.hide()
        self.told = Wrapped()
        self.told.setProperty("quiet", True)
        grid.addWidget(self.bar)
        grid.addWidget(self.told)
        column.addWidget(foot)
        self._target: Path | None = None
        self._remarks = ""
        self._later = once(self, 250, self.refresh)
        state.changed.connect(lambda _: self._later.start())
        state.news.connect(self._later.start)
        state.costed.connect(self._later.start)
        state.selected.connect(lambda _: self._later.start())
        state.tier_chosen.connect(self._later.start)
        self.progressed.connect(self._show_progress)
        self.ended.connect(self._end)

    def target(self) -> Path:
        """Folder of the package: what was chosen, or one beside the effect."""
        return self._target or self.state.package_folder

    def set_target(self, folder: Path) -> None:
        self._target = folder
        self.refresh()

    def _choose(self) -> None:
        name = QFileDialog.getExistingDirectory(
            self, "Folder in which the package is put", str(self.target().parent)
        )
        if name:
            self.set_target(Path(name) / self.target().name)

    def showEvent(self, event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Show what would be written now of the delivery that is worked on; cells whose frames are stored are
        drawn, the others are numbered."""
        if not self.isVisible():
            return
        self.choice.refresh()
        self._show_where()
        layer, effect = self.state.layer, self.state.played
        held = packable(effect)
        self.button.setEnabled(self.progress is None and bool(held))
        self.every.setEnabled(self.button.isEnabled() and bool(effect.tiers))
        chosen = self.state.delivery
        delivery = next((d for d in held if chosen is not None and d.id == chosen.id), None)
        if layer is None or delivery is None:
            for view in self.views.values():
                view.clear()
            unable = unfit(effect, chosen.id) if chosen is not None else []
            tier = self.state.tier
            self.outputs.setText(
                f"{unable[0].text}."
                if unable
                else f"{chosen.name} is left out on {tier.name}."
                if tier is not None and chosen is not None and chosen.id in tier.without
                else (
                    f"{layer.name} is not in the package: it is hidden, passed over, without a delivery, or "
                    "left out on this tier."
                )
                if layer is not None
                else "There is nothing to pack yet: take a starting point from the tray in Shape."
            )
            return
        figures = {id: of.figures for id, of in self.state.status.layers.items()}
        route = delivery.route
        self.shown.setCurrentWidget(self.views[route.kind])
        try:
            box = bounds_of(effect, delivery, figures)
            if box is None:
                self.views[route.kind].clear()
                told = f"{delivery.name} is simulated first: its size is not known before."
                self.outputs.setText(told)
                return
            with refusing(delivery):
                element = ROUTES[route.kind].describe(effect, delivery, box, figures, self.state.folder)
        except TenkaError as error:
            self.outputs.setText(str(error))
            self.button.setEnabled(False)
            return
        self._tell(delivery, element, [d.name for d in held if d.id != delivery.id])
        plans = {
            x.id: self.state.session.plan(x.id) or Plan.of(effect, x.id, self.state.folder)
            for x in taken(effect, framed(effect, delivery))
        }
        self.views[route.kind].show_delivery(Shown(delivery, box, element, plans))

    def _tell(self, delivery: Delivery, element: Element, others: list[str]) -> None:
        """The files of an element and what they take, and where they go."""
        rows = []
        for output in ROUTES[delivery.route.kind].outputs(self.state.played, delivery, element):
            row = f"{output.file}   {output.what}"
            if output.bytes is not None:
                row += f", {'' if output.exact else 'about '}{output.bytes / 1e6:.2f} MB on disk"
            rows.append(row)
        vain = asked_in_vain(self.state.played, delivery)
        if vain:
            rows.append(f"{vain}.")
        tier = self.state.ledger
        if tier is not None:
            line = next((x for x in tier.lines if x.layer == delivery.name), None)
            if line is not None:
                held = [t for t in line.terms if t.unit == "MB"]
                told = "; ".join(f"{t.name} {t.value:.2f} MB ({t.why})" for t in held)
                rows.append(
                    f"on {tier.device.name}: {told}" if held else f"on {tier.device.name}: no texture"
                )
        more = f"; and the elements of {', '.join(others)}" if others else ""
        bent = stands_still(self.state.played, self.state.folder)
        if bent:
            rows.append(
                f"in the set, {', '.join(bent)} as at the start: a clip bends it, and it has too many points"
            )
        rows.append(f"the set, manifest.json, {', '.join(NOTES)}{more}")
        self.outputs.setText("\n".join(rows))

    def _show_where(self) -> None:
        target, home = self.target(), Path.home()
        shown = "~" / target.relative_to(home) if target.is_relative_to(home) else target
        self.where.setText(f"into {shown}")

    # --- writing ------------------------------------------------------------------------------

    def start(self, every: bool = False) -> None:
        """Write the package in the background, as the present tier has it; or one for each tier, beside each
        other."""
        if self.progress is not None or not packable(self.state.played):
            return
        progress = self.progress = Progress(
            listen=lambda p: self.progressed.emit((p.what, p.done, p.total, p.seconds_left))
        )
        folder, store, out = self.state.folder, self.state.store, self.target()
        self.state.claim_package_folder()
        effect = self.state.effect if every else self.state.played
        tier = self.state.tier
        wanted = [(out, effect, tier.id if tier is not None else "")]
        if every:
            name = out.name
            wanted = [
                (out.with_name(f"{name}_{t.id}"), delivered_on(effect, t.id), t.id) for t in effect.tiers
            ]
        self.stop.show()
        if self.button.hasFocus():  # else the keyboard would go to whatever comes next
            self.stop.setFocus()
        self.button.setEnabled(False)
        self.every.setEnabled(False)
        self.bar.show()
        self.told.setText("Starting")

        of = self.state.document

        def work() -> None:
            try:
                earlier: list[tuple[Path, Effect]] = []
                for place, had, of_tier in wanted:
                    made = pack(had, folder, store, place, progress, earlier=earlier, packed_for=of_tier)
                    earlier.append((place, had))
                told = [f" {e.name}: {e.remark}." for e in made.elements if e.remark]
                self._remarks = "".join(told)
            except Cancelled as stopped:
                self.ended.emit((of, stopped))
                return
            except TenkaError as error:
                self.ended.emit((of, error))
                return
            self.ended.emit((of, [place for place, _, _ in wanted]))

        self._packer.ask(work)

    def forget(self) -> None:
        """Another effect is open: what was told of the last one goes, and where it was put."""
        self.cancel()
        self._target = None
        self.told.setText("")
        self._later.start()

    def cancel(self) -> None:
        if self.progress is not None:
            self.progress.cancel()

    def _show_progress(self, told: tuple[str, int, int, float | None]) -> None:
        what, done, total, left = told
        self.bar.setMaximum(max(1, total))
        self.bar.setValue(done)
        self.told.setText(f"{what}: {done} of {total}" + (f", {span(left)} left" if left is not None else ""))

    def _end(self, told: object) -> None:
        of, result = told if isinstance(told, tuple) else (self.state.document, told)
        self.progress = None
        self.button.setEnabled(True)
        self.every.setEnabled(bool(self.state.effect.tiers))
        if self.stop.hasFocus():
            self.button.setFocus()
        self.stop.hide()
        self.bar.hide()
        if of is not self.state.document:
            return  # it was of an effect that was open before
        if isinstance(result, Cancelled):
            self.told.setText("Stopped; an earlier package is as it was.")
        elif isinstance(result, Exception):
            self.told.setText(str(result))
        else:
            assert isinstance(result, list)
            ids = [t.id for t in self.state.effect.tiers]
            now = ids.index(self.state.tier.id) if len(result) > 1 and self.state.tier is not None else 0
            self.state.package = result[now]
            self._later.start()  # what was packed can be looked at
            sizes = [sum(f.stat().st_size for f in place.iterdir()) / 1e6 for place in result]
            told = ", ".join(f"{place.name}: {size:.1f} MB" for place, size in zip(result, sizes))
            self.told.setText(f"Packed to {told} on disk. Station 5 plays {result[now].name}.{self._remarks}")

    def close_workers(self) -> None:
        self.cancel()
        for view in self.views.values():
            view.close_workers()
        self._packer.close()
