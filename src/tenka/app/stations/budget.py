"""The Budget station: each tier's frame as a stacked bar, and the terms behind every figure."""

from __future__ import annotations

from functools import cached_property, partial
from typing import TypeVar

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QPushButton,
    QStackedWidget,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from tenka.app import theme
from tenka.app.board.page import BoardPage
from tenka.app.board.routespage import RoutesPage
from tenka.app.board.scenepage import ScenePage
from tenka.app.scroll import upright_area
from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.budget.cost import Ledger
from tenka.budget.sizing import size_advice
from tenka.budget.told import LEFT_OUT
from tenka.effect.document import with_tier, without_tier

Page = TypeVar("Page", bound=QWidget)
CARD = 176
TERM = 18


class Cards(QWidget):
    """One card a tier; a click makes it the tier of the ledger."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self._tips: list[tuple[QRectF, str]] = []  # where words are shortened, and the whole of them
        self.setAccessibleName("Tiers")
        for signal in (state.costed, state.tier_chosen, state.costing.changed):
            signal.connect(self._resize)
        state.changed.connect(lambda _: self._resize())

    def _height(self, book: Ledger) -> int:
        rows = sum(len(line.terms) + (len(book.lines) > 1) for line in book.lines)
        rows += len(book.uncounted) + len(book.notes) + len(book.problems)
        return CARD + TERM * max(1, rows + len(size_advice(book, self.state.effect))) - 30

    def books(self) -> list[Ledger]:
        return [self.state.ledgers[t.id] for t in self.state.effect.tiers if t.id in self.state.ledgers]

    def _resize(self) -> None:
        self.setMinimumHeight(sum(self._height(b) for b in self.books()) + 24)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(640, self.minimumHeight())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        top = 12.0
        for book in self.books():
            if top <= event.position().y() < top + self._height(book):
                self.state.choose_tier(book.tier.id)
                return
            top += self._height(book)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour(theme.GROUND))
        books, self._tips = self.books(), []
        if not books:
            painter.setPen(theme.colour(theme.QUIET))
            words = self.state.costing.problem or (
                "The effect has no tier yet: a starting point of the tray brings three."
                if not self.state.effect.tiers
                else "Counting…"
            )
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)
        top = 12.0
        for book in books:
            self._card(painter, QRectF(20, top, self.width() - 40, self._height(book)), book)
            top += self._height(book)

    def _card(self, painter: QPainter, box: QRectF, book: Ledger) -> None:
        tier, device = book.tier, book.device
        chosen = self.state.tier is not None and tier.id == self.state.tier.id
        if chosen:
            painter.fillRect(
                QRectF(box.left() - 8, box.top() + 6, 2, box.height() - 24), theme.colour(theme.VERDIGRIS)
            )
        painter.setFont(theme.font(theme.LARGE))
        painter.setPen(theme.colour(theme.TEXT))
        painter.drawText(QRectF(box.left(), box.top(), 300, 26), Qt.AlignmentFlag.AlignVCenter, tier.name)
        used = painter.fontMetrics().horizontalAdvance(tier.name) + 12
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.colour(theme.QUIET))
        about = (
            f"{device.name}: {tier.copies} on screen, {tier.distance:g} m away, {tier.width} × "
            f"{tier.height} px; the device's frame is {device.frame_ms:g} ms; figures {book.calibration}"
        )
        over = self.state.costing.of(book)
        if over is not None and over.worst[0] > 0:
            about = f"{over.told()}; {about}"
        self._write(painter, QRectF(box.left() + used, box.top() + 2, box.width() - used, 26), about)
        self._bar(
            painter,
            QRectF(box.left(), box.top() + 34, box.width(), 16),
            book.ms,
            tier.ms,
            "ms",
            3,
            _time_parts(book),
        )
        self._bar(
            painter,
            QRectF(box.left(), box.top() + 80, box.width(), 16),
            book.mb,
            tier.mb,
            "MB",
            2,
            _memory_parts(book),
        )
        self._words(painter, QRectF(box.left(), box.top() + 126, box.width(), 0), book)

    def _write(
        self, painter: QPainter, box: QRectF, words: str, at: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignVCenter
    ) -> None:
        """A line of words; where it has no room it ends in dots, and a tip says it whole."""
        fits = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(box.width()))
        if fits != words:
            self._tips.append((box, words))
        painter.drawText(box, at, fits)

    def event(self, a0: QEvent | None) -> bool:
        if isinstance(a0, QHelpEvent) and a0.type() == QEvent.Type.ToolTip:
            found = (words for box, words in self._tips if box.contains(QPointF(a0.pos())))
            QToolTip.showText(a0.globalPos(), next(found, ""), self)
            return True
        return super().event(a0)

    def _words(self, painter: QPainter, box: QRectF, book: Ledger) -> None:
        """What is wrong, then each layer's terms with their reasons, from the top of `box` on."""
        y, middle = box.top(), Qt.AlignmentFlag.AlignVCenter

        def say(left: float, width: float, words: str, colour: str, at: Qt.AlignmentFlag = middle) -> None:
            painter.setPen(theme.colour(colour))
            self._write(painter, QRectF(box.left() + left, y, width, TERM), words, at)

        for words in (*map(str, book.uncounted), *book.problems, *book.notes):
            say(0, box.width(), f"▲ {words}", theme.SAFFRON)
            y += TERM
        for line in book.lines:
            if len(book.lines) > 1:
                words = f"{line.layer}, {line.route}: {line.ms:.3f} ms, {line.mb:.2f} MB"
                say(0, box.width(), words, theme.TEXT)
                y += TERM
            for term in line.terms:
                limit = term.name == line.bound
                ink = theme.TEXT if limit else theme.QUIET
                say(0, 110, term.name + ("  ← bound" if limit else ""), ink)
                say(110, 92, f"{term.value:.3f} {term.unit}", ink, middle | Qt.AlignmentFlag.AlignRight)
                say(222, box.width() - 222, term.why, theme.QUIET)
                y += TERM
        for words in size_advice(book, self.state.effect):
            say(0, box.width(), words, theme.QUIET)
            y += TERM

    def _bar(
        self,
        painter: QPainter,
        box: QRectF,
        value: float,
        limit: float,
        unit: str,
        digits: int,
        parts: list[tuple[str, float]],
    ) -> None:
        """A stacked bar whose parts sum to `value`; its full width is 1.25 of the larger of value and
        limit."""
        full = 1.25 * max(value, limit)
        painter.fillRect(box, theme.colour(theme.WELL))
        x = box.left()
        hue = theme.budget_colour(value / limit)
        painter.setFont(theme.font(theme.SMALL))
        for k, (name, part) in enumerate(parts):
            wide = box.width() * part / full
            painter.fillRect(
                QRectF(x, box.top(), max(0.0, wide - 1), box.height()),
                theme.colour(hue, 1.0 - 0.28 * (k % 3)),
            )
            named = wide > painter.fontMetrics().horizontalAdvance(name) + 10
            if value > limit:  # hatched, but for its name
                used = painter.fontMetrics().horizontalAdvance(name) + 10.0 if named else 0.0
                painter.fillRect(
                    QRectF(x + used, box.top(), max(0.0, wide - 1 - used), box.height()),
                    Qt.BrushStyle.BDiagPattern,
                )
            if named:
                painter.setPen(theme.colour(theme.TEXT if k % 3 == 2 else theme.GROUND))
                painter.drawText(
                    QRectF(x + 5, box.top(), wide, box.height()), Qt.AlignmentFlag.AlignVCenter, name
                )
            x += wide
        at = box.left() + box.width() * limit / full
        painter.setPen(QPen(theme.colour(theme.TEXT), 1.5))
        painter.drawLine(int(at), int(box.top() - 3), int(at), int(box.bottom() + 3))
        painter.setPen(theme.colour(theme.BRICK if value > limit else theme.TEXT))
        words = f"{'▲ over: ' if value > limit else ''}{value:.{digits}f} {unit}"
        painter.drawText(QRectF(box.left(), box.bottom() + 3, 240, 16), Qt.AlignmentFlag.AlignVCenter, words)
        painter.setPen(theme.colour(theme.QUIET))
        painter.drawText(
            QRectF(at - 200, box.bottom() + 3, 196, 16),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            f"budget {limit:g} {unit}",
        )


def _time_parts(book: Ledger) -> list[tuple[str, float]]:
    found = []
    for line in book.lines:
        if line.ms:
            found += [(f"{line.layer}: {line.bound}", line.ms - line.calls_ms), ("calls", line.calls_ms)]
    return found


def _memory_parts(book: Ledger) -> list[tuple[str, float]]:
    return [(f"{line.layer}: {name}", value) for line in book.lines for name, value in line.held]


class BudgetStation(QWidget):
    """The tiers as cards with what adds and removes them, and the board of the present one."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        head = QWidget()
        head.setObjectName("bench")
        head.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        tabs = QHBoxLayout(head)
        tabs.setContentsMargins(12, 0, 12, 0)
        tabs.setSpacing(4)
        self.frame_tab = self._tab("Frame", "What each tier's frame and memory are made of")
        self.board_tab = self._tab("Board", "Variants: what each loses against what it takes")
        self.routes_tab = self._tab("Routes", "The same by one route and by another, from several distances")
        self.scene_tab = self._tab("Scene", "Several effects on one time axis")
        self.tabs = (self.frame_tab, self.board_tab, self.routes_tab, self.scene_tab)
        for n, tab in enumerate(self.tabs):
            tab.clicked.connect(partial(self.show_part, n))
            tabs.addWidget(tab)
        tabs.addStretch(1)
        column.addWidget(head)
        self.parts = QStackedWidget()
        frame = QWidget()
        under = QVBoxLayout(frame)
        under.setContentsMargins(0, 0, 0, 0)
        under.setSpacing(0)
        area = upright_area(False)
        self.cards = Cards(state)
        held = QWidget()
        beside = QVBoxLayout(held)
        beside.setContentsMargins(0, 0, 0, 12)
        beside.addWidget(self.cards, 1)
        left_out = Wrapped(LEFT_OUT)
        left_out.setProperty("quiet", True)
        left_out.setContentsMargins(20, 0, 20, 0)
        beside.addWidget(left_out)
        area.setWidget(held)
        under.addWidget(area, 1)
        under.addWidget(self._foot())
        self.parts.addWidget(frame)
        self._frame = frame
        column.addWidget(self.parts, 1)
        state.tier_chosen.connect(self._name)
        state.changed.connect(lambda _: self._name())
        self._name()
        self.show_part(0)

    @cached_property
    def board(self) -> BoardPage:
        return self._made(BoardPage(self.state))

    @cached_property
    def routes(self) -> RoutesPage:
        return self._made(RoutesPage(self.state))

    @cached_property
    def scene(self) -> ScenePage:
        return self._made(ScenePage(self.state))

    def _made(self, part: Page) -> Page:
        """A part, made when it is first asked for."""
        self.parts.addWidget(part)
        return part

    @staticmethod
    def _tab(name: str, tip: str) -> QPushButton:
        button = QPushButton(name)
        button.setProperty("station", True)
        button.setCheckable(True)
        button.setToolTip(tip)
        return button

    def show_part(self, n: int, _: bool = False) -> None:
        """Show the frame (0), the board (1), the routes (2) or the scene (3)."""
        part = (lambda: self._frame, lambda: self.board, lambda: self.routes, lambda: self.scene)[n]()
        self.parts.setCurrentWidget(part)
        for k, tab in enumerate(self.tabs):
            tab.setChecked(n == k)

    def find_savings(self) -> None:
        """Look for what saves on the present tier, and show the board."""
        self.show_part(1)
        if not self.board.work.running:
            self.board.savings.click()

    def compare_routes(self) -> None:
        """Hold routes against each other, and show them."""
        self.show_part(2)
        if not self.routes.work.running:
            self.routes.start.click()

    def close_work(self) -> None:
        """End what is under way."""
        for name in {"board", "routes", "scene"} & set(vars(self)):
            getattr(self, name).work.close()

    def takes_back(self, again: bool) -> bool:
        """Undo (or do again) in the scene, where the keyboard is there; False where it is not."""
        focus = QApplication.focusWidget()
        if "scene" not in vars(self) or focus is None or not self.scene.isAncestorOf(focus):
            return False
        work = self.scene.work
        (work.redo if again else work.undo)()
        return True

    def _foot(self) -> QWidget:
        foot = QWidget()
        foot.setObjectName("bench")
        foot.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        line = QHBoxLayout(foot)
        line.setContentsMargins(16, 8, 16, 8)
        self.add = QPushButton("Add a tier")
        self.add.setToolTip(
            "A further device with a budget and a viewing of its own, to begin with like the chosen one"
        )
        self.add.clicked.connect(self._add)
        self.remove = QPushButton()
        self.remove.clicked.connect(self._remove)
        line.addStretch(1)
        line.addWidget(self.remove)
        line.addWidget(self.add)
        return foot

    def _name(self) -> None:
        tier = self.state.tier
        self.remove.setText(f"Remove {tier.name}" if tier is not None else "Remove")
        self.remove.setEnabled(tier is not None)

    def _add(self) -> None:
        tier = self.state.tier
        effect, id = with_tier(self.state.effect, tier.id if tier is not None else None)
        self.state.apply(effect, "Add a tier")
        self.state.choose_tier(id)

    def _remove(self) -> None:
        tier = self.state.tier
        if tier is None:
            return
        self.state.apply(without_tier(self.state.effect, tier.id), f"Remove the tier {tier.name}")
        left = self.state.effect.tiers
        self.state.choose_tier(left[0].id if left else "")
