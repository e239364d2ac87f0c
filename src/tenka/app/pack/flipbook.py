"""The contact sheet of a flipbook at the Pack station: its cells as they will stand in the atlas."""

from __future__ import annotations

import math
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.app.pack.base import RouteView, Shown, image_of
from tenka.app.pack.channels import CHANNELS, NEIGHBOURS, SEEN, among_neighbours, packed_cells, packed_names
from tenka.app.pack.life import LifeStrip
from tenka.app.pack.steps import Steps
from tenka.app.state import State
from tenka.base.errors import Cancelled, TenkaError
from tenka.base.jobs import Progress, Worker
from tenka.effect.courses import value_at
from tenka.effect.model import Delivery, Effect, Flipbook, Player
from tenka.look.sprites import Book
from tenka.pack.atlases import encode, levelled
from tenka.pack.books import books_of
from tenka.pack.cutting import cut_out, with_next
from tenka.pack.flipbook import draw_cell, frames_at, shares_of, survey_cells, surveyed_times
from tenka.pack.layout import Box, Layout, describe, framed, layout, second_of, taken
from tenka.pack.looked import keep_cut, kept_cut, look_name
from tenka.pack.variants import varied
from tenka.package.elements.flipbook import CutOut
from tenka.package.elements.flipbook import Flipbook as Element
from tenka.package.manifest import MANIFEST, read
from tenka.run.plans import Plan, plans_of

Read = Callable[..., tuple[dict[str, Any], dict[str, Any]]]
THUMB = 96
LEAST = 150  # px that the cells, or the strip of a life, are high at least
PAGES = (
    ("Frames", "The cells of the atlas, and how much changes from each to the next"),
    ("Life", "A sprite from birth to end: its size, opacity, colour and frame over its age"),
)


class Contact(QWidget):
    """Cells as they will stand in the atlas, over a chequered ground so that alpha can be judged."""

    def __init__(self) -> None:
        super().__init__()
        self.columns = self.rows = 1
        self.aspect = 1.0
        self.cells: dict[int, QImage] = {}
        self.count = 0
        self.cut: CutOut | None = None
        self.setMinimumSize(200, 160)

    def begin(self, columns: int, rows: int, count: int, aspect: float) -> None:
        self.columns, self.rows, self.count, self.aspect, self.cells = columns, rows, count, aspect, {}
        self.cut = None
        self.update()

    def show_cut(self, cut: CutOut) -> None:
        """Draw shapes round what is seen over the cells."""
        self.cut = cut
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
        if self.cut is not None:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(theme.colour(theme.SAFFRON), 1.0))
            for n in range(self.count):
                shape = self.cut.shapes[min(n, len(self.cut.shapes) - 1)]
                row, column = divmod(n, self.columns)
                left, foot = area.left() + column * w, area.top() + (row + 1) * h
                painter.drawPolygon(QPolygonF([QPointF(left + x * w, foot - y * h) for x, y in shape]))


class ContactView(RouteView):
    """Cells whose frames are stored are drawn, the others are numbered."""

    cell_ready = pyqtSignal(int, int, object, object)
    cut_ready = pyqtSignal(int, object)

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self._round = 0
        self._sheet_key: object = None
        self._preview = Worker("contact sheet", lambda error: state.refuse(error))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        head = QHBoxLayout()
        head.setContentsMargins(10, 2, 10, 0)
        self.tabs = QButtonGroup(self)
        self.pages = QStackedWidget()
        self.pages.setMinimumHeight(LEAST)  # else the larger page would take the room of the tempo below
        for n, (name, tip) in enumerate(PAGES):
            button = QPushButton(name)
            button.setProperty("station", True)
            button.setCheckable(True)
            button.setChecked(n == 0)
            button.setToolTip(tip)
            self.tabs.addButton(button, n)
            head.addWidget(button)
        self.tabs.idClicked.connect(self.pages.setCurrentIndex)
        self.saved = QLabel()
        self.saved.setProperty("quiet", True)
        self.channel = QComboBox()
        self.channel.setAccessibleName("What is shown of each cell")
        self.channel.setToolTip(
            "One channel of the cells, each over its neighbours (before: saffron, after: green), or a "
            "further atlas as it was packed last"
        )
        self.channel.activated.connect(lambda _: self._look_again())
        head.addStretch(1)
        head.addWidget(self.saved)
        head.addSpacing(8)
        head.addWidget(self.channel)
        column.addLayout(head)
        column.addWidget(self.pages, 1)
        frames = QWidget()
        below = QVBoxLayout(frames)
        below.setContentsMargins(0, 0, 0, 0)
        self.contact = Contact()
        below.addWidget(self.contact, 1)
        self.steps = Steps()
        below.addWidget(self.steps)
        self.pages.addWidget(frames)
        self.life = LifeStrip(state)
        self.pages.addWidget(self.life)
        self.cut_ready.connect(self._take_cut)
        self._cells: dict[int, np.ndarray] = {}
        self._looped, self._each = False, 1
        self._shown: Shown | None = None
        self.sprites: dict[int, QImage] = {}
        self._offered: object = None
        self._packed: Element | None = None
        self.cell_ready.connect(self._take_cell)

    def _look_again(self) -> None:
        """Show another channel."""
        self._sheet_key = None
        if self._shown is not None:
            self.show_delivery(self._shown)

    def _offer_channels(self, id: str) -> None:
        """Offer what can be seen of a delivery's cells, and of further atlases where a package has them."""
        package = self.state.package
        there = package is not None and (package / MANIFEST).is_file()
        mark = (package, id, (package / MANIFEST).stat().st_mtime_ns if package is not None and there else 0)
        if mark == self._offered:
            return
        self._offered, self._packed = mark, None
        with suppress(TenkaError, OSError):
            held = read(package).elements if package is not None and there else ()
            self._packed = next((e for e in held if e.id == id and isinstance(e, Element)), None)
        names = [SEEN, NEIGHBOURS, *CHANNELS, *(packed_names(self._packed) if self._packed else ())]
        now = self.channel.currentText()
        self.channel.clear()
        self.channel.addItems(names)
        self.channel.setCurrentIndex(max(self.channel.findText(now), 0))

    def clear(self) -> None:
        self._shown = None
        self.contact.begin(1, 1, 0, 1.0)
        self.steps.hide()
        self._sheet_key = None

    def show_delivery(self, shown: Shown) -> None:
        effect, delivery, plans, box = self.state.played, shown.delivery, shown.plans, shown.box
        book, store, plan = delivery.by(Flipbook), self.state.store, layout(effect, delivery, box)
        self._shown = shown
        self._offer_channels(delivery.id)
        self.life.show_book(delivery.id, book, self.sprites, len(plan.times))
        looked_at = surveyed_times(effect, delivery) if book.looks_first else np.array(plan.times)
        have = tuple(
            all(store.has(run.name(f)) for run in plans.values() for f in self._needed(t))
            for t in looked_at.tolist()
        )
        whole = taken(effect, framed(effect, delivery))
        key = (
            tuple((x.id, x.look, x.edits, plans[x.id].keys.get(0)) for x in whole),
            effect.light,
            effect.lights,
            book.model_copy(update={"player": Player()}),  # how it is played changes no cell
            have,
            box[0].tobytes(),
            self.state.package if book.variants > 1 else None,  # its variants are known with it
            self.channel.currentText(),
        )
        if key == self._sheet_key:
            return
        self._sheet_key = key
        waits = book.cut_out != "none" and book.variants > 1
        self.saved.setText("cut-outs of variants are drawn when they have been packed" if waits else "")
        self._cells, self._looped, self.sprites = {}, book.loop, {}
        self.steps.hide()
        if book.looks_first and not all(have):  # how it is laid out is known when all of it is simulated
            self._round += 1
            count = len(plan.times) * book.variants
            self.contact.begin(book.columns, book.rows, count, plan.cell[0] / plan.cell[1])
        else:
            there = have if not book.looks_first else (True,) * len(plan.times)
            self._draw_cells(plan, plans, delivery, box, [n for n, on in enumerate(there) if on])

    def _needed(self, t: float) -> set[int]:
        """The frames between which a moment lies."""
        place = min(max(t * self.state.effect.rate, 0.0), self.state.effect.frames - 1.0)
        return {int(place + 1e-6), math.ceil(place - 1e-6)}

    def _draw_cells(
        self, plan: Layout, plans: dict[str, Plan], delivery: Delivery, box: Box, have: list[int]
    ) -> None:
        self._round += 1
        mine, effect, store, folder = self._round, self.state.played, self.state.store, self.state.folder
        cell, book = plan.cell, delivery.by(Flipbook)
        self._each = len(plan.times)
        self.contact.begin(book.columns, book.rows, self._each * book.variants, cell[0] / cell[1])
        scale = min(1.0, THUMB / max(plan.content))
        size = (max(4, round(plan.content[0] * scale)), max(4, round(plan.content[1] * scale)))
        glow = second_of(effect, delivery) != "temperature"
        exposure = value_at(effect.light.exposure, 0.0)
        whole = framed(effect, delivery)
        channel, packed, package = self.channel.currentText(), self._packed, self.state.package

        def still_asked() -> None:
            if mine != self._round:
                raise Cancelled

        def reading(of: Effect, held: dict[str, Plan]) -> Read:
            """Reads frames of a variant."""
            kept: dict[str, dict[object, Any]] = {}
            return partial(frames_at, of, whole, held, store, progress=Progress(), kept=kept)

        def known(held: dict[str, Plan], times: list[float]) -> bool:
            return all(
                store.has(run.name(f)) for run in held.values() for t in times for f in self._needed(t)
            )

        def drawn(at: Layout, n: int, read: Read, books: dict[str, Book]) -> np.ndarray:
            raw = np.zeros((size[1], size[0], 8), np.float32)
            for share, t in shares_of(at, n):
                frames, past = read(t=t)
                cell = draw_cell(effect, delivery, frames, t, at, size, folder, past, books)
                raw += np.float32(share) * cell
            return levelled(raw, book.alpha_floor, book.alpha_contrast)

        def work() -> None:
            books, _ = books_of(effect, folder)
            times = surveyed_times(effect, delivery)
            readers = [(have, reading(effect, plans))]
            with suppress(Cancelled):
                for number in range(1, book.variants):  # those are drawn that were simulated for a package
                    of = varied(effect, number)
                    held = {id: run for id, run in plans_of(of, folder).items() if id in plans}
                    there = list(range(len(plan.times))) if known(held, times.tolist()) else []
                    readers.append((there, reading(of, held)))
                at = plan
                if book.looks_first:
                    looks = [
                        survey_cells(effect, whole, plan, times, read, folder, books, still_asked)
                        for there, read in readers
                        if there
                    ]
                    at = layout(effect, delivery, box, replace(looks[0], others=tuple(looks[1:])))
                seen = []
                further = packed_names(packed) if packed is not None else {}
                sheets = []
                if packed is not None and package is not None and channel in further:
                    sheets = packed_cells(package, packed, further[channel])
                for variant, (there, read) in enumerate(readers):
                    for n in there:
                        still_asked()
                        raw, index = drawn(at, n, read, books), variant * len(at.times) + n
                        rgba = encode(raw, "premultiplied", exposure, glow)
                        seen.append(np.asarray(rgba.any(axis=2)))
                        look = rgba
                        if channel in CHANNELS:
                            look = CHANNELS[channel](raw, 2.0**exposure)
                        elif sheets:
                            look = sheets[min(index, len(sheets) - 1)]
                        self.cell_ready.emit(mine, index, rgba, look)
                element = describe(effect, delivery, box, at)
                if book.cut_out != "none" and len(seen) == element.frames:
                    cut = cut_out(with_next(seen, element), book.corners, book.cut_out == "one for all")
                    name = look_name(effect, delivery, plans)
                    if kept_cut(store, name) is None:  # of a package it is exact
                        keep_cut(store, name, cut)
                    self.cut_ready.emit(mine, cut)

        self._preview.ask(work)

    def _put_among_neighbours(self, index: int) -> None:
        """Show a cell over those beside it in its sequence, as far as they are there."""
        first = index - index % self._each
        own = {n: self._cells[n] for n in range(first, first + self._each) if n in self._cells}
        for n in (index - 1, index, index + 1):
            if n in own:
                cell = among_neighbours(own.get(n - 1), own[n], own.get(n + 1))
                self.contact.put(n, image_of(cell))

    def _take_cell(self, of: int, index: int, rgba: np.ndarray, look: np.ndarray) -> None:
        if of == self._round:
            self._cells[index] = rgba.copy()
            self.sprites[index] = image_of(rgba)
            if self.channel.currentText() == NEIGHBOURS:
                self._put_among_neighbours(index)
            else:
                self.contact.put(index, image_of(look))
            self.life.sprites.images = self.sprites
            self.life.sprites.update()
            first = [self._cells[n] for n in sorted(self._cells) if n < self._each]
            if len(first) == self._each and index < self._each:
                self.steps.show_steps(first, self._looped)

    def _take_cut(self, of: int, cut: CutOut) -> None:
        if of == self._round:
            self.contact.show_cut(cut)
            self.state.count_again()
            share = 100 * float(cut.shares.mean())
            self.saved.setText(f"cut out, a sprite shades {share:.0f} % of its frame on average")

    def close_workers(self) -> None:
        self._round += 1
        self._preview.close()
