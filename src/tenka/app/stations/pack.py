"""The Pack station: the atlas as a contact sheet, what will be written, and the writing of it."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QProgressBar, QPushButton, QVBoxLayout, QWidget

from tenka.app import theme
from tenka.app.state import State
from tenka.app.stations.deliverychoice import DeliveryChoice
from tenka.app.timers import once
from tenka.app.wrapped import Elided, Wrapped
from tenka.base.errors import Cancelled, TenkaError
from tenka.base.jobs import Progress, Worker
from tenka.base.words import counted, span
from tenka.budget.cost import colour_format, motion_format, second_format, texture_bytes
from tenka.effect.courses import value_at
from tenka.effect.document import delivered_on
from tenka.effect.model import Delivery
from tenka.pack.atlases import encode
from tenka.pack.books import books_of
from tenka.pack.flipbook import draw_cell, frames_at, pack
from tenka.pack.layout import Layout, bounds_of, describe, layout, packable, second_of, taken
from tenka.package.manifest import ABOUT, PAGE, Flipbook
from tenka.run.plans import Plan

THUMB = 96


class Contact(QWidget):
    """Cells as they will stand in the atlas, over a chequered ground so that alpha can be judged."""

    def __init__(self) -> None:
        super().__init__()
        self.columns = self.rows = 1
        self.aspect = 1.0
        self.cells: dict[int, QImage] = {}
        self.count = 0
        self.setMinimumSize(200, 160)

    def begin(self, columns: int, rows: int, count: int, aspect: float) -> None:
        self.columns, self.rows, self.count, self.aspect, self.cells = columns, rows, count, aspect, {}
        self.update()

    def put(self, index: int, image: QImage) -> None:
        self.cells[index] = image
        self.update()

    def sheet(self) -> QRectF:
        room = QRectF(self.rect()).adjusted(16, 16, -16, -16)
        ratio = self.columns * self.aspect / self.rows
        wide = min(room.width(), room.height() * ratio)
        return QRectF(room.center().x() - wide / 2, room.center().y() - wide / ratio / 2, wide, wide / ratio)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour(theme.GROUND))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        area = self.sheet()
        w, h = area.width() / self.columns, area.height() / self.rows
        for n in range(self.columns * self.rows):
            row, column = divmod(n, self.columns)
            box = QRectF(area.left() + column * w, area.top() + row * h, w, h)
            painter.fillRect(box, theme.colour("#36393B" if (row + column) % 2 else "#303335"))
            if n in self.cells:
                painter.drawImage(box, self.cells[n])
            elif n < self.count:
                painter.setPen(theme.colour(theme.QUIET))
                painter.setFont(theme.font(theme.SMALL))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(n + 1))
        painter.setPen(QPen(theme.colour(theme.RULE)))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(area)


class PackStation(QWidget):
    """Contact sheet, list of outputs, and the button that writes the package."""

    cell_ready = pyqtSignal(int, int, object)
    progressed = pyqtSignal(object)
    ended = pyqtSignal(object)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.progress: Progress | None = None
        self._round = 0
        self._sheet_key: object = None
        self._preview = Worker("contact sheet", lambda error: state.refuse(error))
        self._packer = Worker("packing", lambda error: self.ended.emit(error))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.contact = Contact()
        column.addWidget(self.contact, 1)
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
        self._later = once(self, 250, self.refresh)
        state.changed.connect(lambda _: self._later.start())
        state.news.connect(self._later.start)
        state.costed.connect(self._later.start)
        state.selected.connect(lambda _: self._later.start())
        state.tier_chosen.connect(self._later.start)
        self.cell_ready.connect(self._take_cell)
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
        layer, effect = self.state.layer, self.state.played
        held = packable(effect)
        self.button.setEnabled(self.progress is None and bool(held))
        self.every.setEnabled(self.button.isEnabled() and bool(effect.tiers))
        chosen = self.state.delivery
        delivery = next((d for d in held if chosen is not None and d.id == chosen.id), None)
        if layer is None or delivery is None:
            self.contact.begin(1, 1, 0, 1.0)
            self._sheet_key = None
            self.outputs.setText(
                (
                    f"{layer.name} is not in the package: it is hidden, passed over, without a delivery, or "
                    "left out on this tier."
                )
                if layer is not None
                else "There is nothing to pack yet: take a starting point from the tray in Shape."
            )
            return
        figures = {id: of.figures for id, of in self.state.status.layers.items()}
        try:
            box = bounds_of(effect, delivery, figures)
            if box is None:
                self.outputs.setText(f"{delivery.name} is simulated first: its size is not known before.")
                return
            plan, element = layout(effect, delivery, box), describe(effect, delivery, box)
        except TenkaError as error:
            self.outputs.setText(str(error))
            self.button.setEnabled(False)
            return
        self._tell(element, plan, [d.name for d in held if d.id != delivery.id])
        layers = taken(effect, delivery)
        plans = {
            x.id: self.state.session.plan(x.id) or Plan.of(effect, x.id, self.state.folder) for x in layers
        }
        have = tuple(
            all(self.state.store.has(run.name(f)) for run in plans.values() for f in self._needed(t))
            for t in plan.times
        )
        key = (
            tuple((x.id, x.look, plans[x.id].keys.get(0)) for x in layers),
            effect.light,
            effect.lights,
            delivery,
            have,
            box[0].tobytes(),
        )
        if key != self._sheet_key:
            self._sheet_key = key
            self._draw_cells(plan, plans, delivery, [n for n, there in enumerate(have) if there])

    def _needed(self, t: float) -> set[int]:
        """The frames between which a moment lies."""
        place = min(max(t * self.state.effect.rate, 0.0), self.state.effect.frames - 1.0)
        return {int(place + 1e-6), math.ceil(place - 1e-6)}

    def _tell(self, element: Flipbook, plan: Layout, others: list[str]) -> None:
        """The files of an element and what they take, and where they go."""
        tier = self.state.ledger
        w, h = element.width, element.height
        row = (
            f"{element.colour.file}   {w} × {h} px, {counted(element.frames, 'frame')} of "
            f"{plan.content[0]} × {plan.content[1]} px, {element.colour.alpha} alpha"
        )
        if tier is not None:
            form = colour_format(tier.device)
            row += f", {texture_bytes(w, h, form) / 1e6:.2f} MB as {form.upper()}"
        rows = [row]
        if element.second is not None:
            row = f"{element.second.file}   {w} × {h} px, {element.second.holds}"
            if tier is not None:
                form = second_format(tier.device, element.second.holds)
                row += f", {texture_bytes(w, h, form) / 1e6:.2f} MB as {form.upper()}"
            rows.append(row)
        more = f"; and the elements of {', '.join(others)}" if others else ""
        if element.motion is not None:
            row = f"{element.motion.file}   {w} × {h} px, motion"
            if tier is not None:
                form = motion_format(tier.device)
                row += f", {texture_bytes(w, h, form) / 1e6:.2f} MB as {form.upper()}"
            rows.append(row)
        rows.append(f"the set, manifest.json, {PAGE}, {ABOUT}{more}")
        self.outputs.setText("\n".join(rows))
        target, home = self.target(), Path.home()
        shown = "~" / target.relative_to(home) if target.is_relative_to(home) else target
        self.where.setText(f"into {shown}")

    def _draw_cells(self, plan: Layout, plans: dict[str, Plan], delivery: Delivery, have: list[int]) -> None:
        self._round += 1
        mine, effect, store, folder = self._round, self.state.played, self.state.store, self.state.folder
        cell, book = plan.cell, delivery.route
        self.contact.begin(book.columns, book.rows, len(plan.times), cell[0] / cell[1])
        scale = min(1.0, THUMB / max(plan.content))
        size = (max(4, round(plan.content[0] * scale)), max(4, round(plan.content[1] * scale)))
        glow = second_of(effect, delivery) != "temperature"
        exposure = value_at(effect.light.exposure, 0.0)

        def work() -> None:
            books, _ = books_of(effect, folder)
            for n in have:
                if mine != self._round:
                    return
                t = plan.times[n]
                frames, past = frames_at(effect, delivery, plans, store, t, Progress())
                raw = draw_cell(effect, delivery, frames, t, plan, size, folder, past, books)
                self.cell_ready.emit(mine, n, encode(raw, "premultiplied", exposure, glow))

        self._preview.ask(work)

    def _take_cell(self, of: int, index: int, rgba: np.ndarray) -> None:
        if of == self._round:
            h, w, _ = rgba.shape
            # pure light has no alpha: pictures of the window's library must have as much as any colour
            rgba[..., 3] = rgba.max(axis=2)
            image = QImage(
                np.ascontiguousarray(rgba).tobytes(), w, h, 4 * w, QImage.Format.Format_RGBA8888_Premultiplied
            ).copy()
            self.contact.put(index, image)

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
        effect = self.state.effect if every else self.state.played
        wanted = [(out, effect)]
        if every:
            wanted = [(out.with_name(f"{out.name}_{t.id}"), delivered_on(effect, t.id)) for t in effect.tiers]
        self.stop.show()
        if self.button.hasFocus():  # else the keyboard would go to whatever comes next
            self.stop.setFocus()
        self.button.setEnabled(False)
        self.every.setEnabled(False)
        self.bar.show()
        self.told.setText("Starting")

        def work() -> None:
            try:
                for n, (place, had) in enumerate(wanted):
                    pack(had, folder, store, place, progress, earlier=wanted[:n])
            except Cancelled as stopped:
                self.ended.emit(stopped)
                return
            self.ended.emit([place for place, _ in wanted])

        self._packer.ask(work)

    def forget(self) -> None:
        """Another effect is open: what was told of the last one goes, and where it was put."""
        self.cancel()
        self._target = None
        self.told.setText("")

    def cancel(self) -> None:
        if self.progress is not None:
            self.progress.cancel()

    def _show_progress(self, told: tuple[str, int, int, float | None]) -> None:
        what, done, total, left = told
        self.bar.setMaximum(max(1, total))
        self.bar.setValue(done)
        self.told.setText(f"{what}: {done} of {total}" + (f", {span(left)} left" if left is not None else ""))

    def _end(self, result: object) -> None:
        self.progress = None
        self.button.setEnabled(True)
        self.every.setEnabled(bool(self.state.effect.tiers))
        if self.stop.hasFocus():
            self.button.setFocus()
        self.stop.hide()
        self.bar.hide()
        if isinstance(result, Cancelled):
            self.told.setText("Stopped; an earlier package is as it was.")
        elif isinstance(result, Exception):
            self.told.setText(str(result))
        else:
            assert isinstance(result, list)
            ids = [t.id for t in self.state.effect.tiers]
            now = ids.index(self.state.tier.id) if len(result) > 1 and self.state.tier is not None else 0
            self.state.package = result[now]
            sizes = [sum(f.stat().st_size for f in place.iterdir()) / 1e6 for place in result]
            told = ", ".join(f"{place.name}: {size:.1f} MB" for place, size in zip(result, sizes))
            self.told.setText(f"Packed to {told} on disk. Station 5 plays {result[now].name}.")

    def close_workers(self) -> None:
        self.cancel()
        self._round += 1
        self._preview.close()
        self._packer.close()
