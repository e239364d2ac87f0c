"""A hand that does whole jobs: it begins, adds, shapes, packs and proves."""

from __future__ import annotations

from pathlib import Path
from unittest.mock import patch

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QAbstractScrollArea, QFileDialog, QScrollArea, QToolButton, QWidget

from bench.jobs.barehand import CTRL, NONE
from bench.jobs.sheethand import SheetHand
from tenka.app import theme
from tenka.app.board.work import Point
from tenka.app.dropped import take_file
from tenka.app.sheet.lookfoot import LookFoot
from tenka.app.tempo.axis import AXIS, OUTLINE
from tenka.effect.document import get
from tenka.effect.routes import ROUTES

FOLDED = {"props": "Props", "forces": "Forces", "lights": "Lights", "cameras": "Cameras"}


class Hand(SheetHand):
    """Works the whole window."""

    # --- begin, keep, drop --------------------------------------------------------------------

    def _name(self, path: str) -> str:
        """What a thing is called."""
        return str(get(self.effect, path).name)

    def new(self, begin: str = "") -> None:
        """An empty effect, or one from a card of the start page."""
        with self.says("Ctrl+N" + (f", and the card *{begin}*" if begin else ""), begins=True):
            self.keys(Qt.Key.Key_N, CTRL)
            if begin:
                self.window.start.refresh()
                self.click(self.window.start.cards[begin])
            self.spin(0.05)

    def save(self) -> None:
        """Ctrl+S, and the first time a name typed into the system's dialog."""
        with self.says("Ctrl+S, and a name", begins=True):
            self.count += self.state.document.file is None
            with patch.object(QFileDialog, "getSaveFileName", lambda *_, **__: (str(self.file), "")):
                self.keys(Qt.Key.Key_S, CTRL)
            assert self.file.is_file() and not self.state.document.unsaved

    def coarse(self, voxels: int = 24, seconds: float = 0.5) -> None:
        """Not counted, and in small alone: coarser and shorter, so that a test is quick."""
        if not self.small:
            return
        self.state.edit("seconds", seconds)
        self.state.edit("rate", 12.0)
        for layer in self.effect.layers:
            box = getattr(layer, layer.BOX, None) if layer.BOX else None
            if box is not None and hasattr(box, "voxel"):
                path = f"layers.{layer.id}.{layer.BOX}"
                self.state.edit(f"{path}.voxel", max(box.size) / voxels)
                if hasattr(box, "run_up"):
                    self.state.edit(f"{path}.run_up", min(box.run_up, 0.3))

    def drop(self, file: Path) -> None:
        with self.says(f"Drop `{file.name}` on the window", begins=True):
            self.count += 1
            take_file(self.window, file)
            self.spin(0.05)

    def open_file(self, button: QWidget, file: Path) -> None:
        """A button that asks for a file, and the file chosen in the system's dialog."""
        with self.says(f"its button for a file, and `{file.name}`"):
            self.count += 1
            with patch.object(QFileDialog, "getOpenFileName", lambda *_, **__: (str(file), "")):
                self.click(button)

    # --- the tray and the tempo ---------------------------------------------------------------

    def remove(self, path: str) -> None:
        """Select a thing and press Delete."""
        with self.says(f"Delete *{self._name(path)}*", begins=True):
            self.select(path)
            self.keys(Qt.Key.Key_Delete)

    def tray(self, name: str, entry: str = "") -> str:
        """A button of the tray, or an entry of its menu; what is selected then."""
        with self.says(f"*{name}*" + (f", *{entry}*" if entry else "") + " on the tray", begins=True):
            button = self.window.tray.buttons[name]
            if entry:
                self.pick(button, entry)
            else:
                self.click(button)
            return str(self.state.selection)

    def select(self, path: str, held: Qt.KeyboardModifier = NONE) -> None:
        """Click the row of a thing; its group is unfolded first."""
        with self.says(f"Select *{self._name(path)}*", begins=True):
            rows, group = self.window.tempo.rows, path.split(".")[0]
            if group in FOLDED and group not in rows.unfolded:
                self._row_click(next(n for n, x in enumerate(rows.lines()) if x.fold == group))
            at = next((n for n, x in enumerate(rows.lines()) if x.path == path), None)
            assert at is not None, f"{path} has no row among {[x.path for x in rows.lines()]}"
            self._row_click(at, held)
            assert path in self.state.chosen

    def _row_click(self, row: int, held: Qt.KeyboardModifier = NONE) -> None:
        rows = self.window.tempo.rows
        y = round(AXIS + theme.ROW * (row + 0.5))
        self.show(rows)
        parent: QWidget | None = rows
        while parent is not None and not isinstance(parent, QAbstractScrollArea):
            parent = parent.parentWidget()
        if isinstance(parent, QScrollArea):
            parent.ensureVisible(40, y, 0, theme.ROW)
        self.click(rows, QPoint(60, y), held)

    def row_menu(self, path: str, text: str) -> None:
        """A right click on a thing's row, and an entry of its menu."""
        with self.says(f"A right click on *{self._name(path)}* in the tempo, *{text}*", begins=True):
            menu = self.window.in_hand.menu(self.window, path)
            action = next((a for a in menu.actions() if a.text().startswith(text)), None)
            assert action is not None and action.isEnabled(), [a.text() for a in menu.actions()]
            self.count += 2
            action.trigger()
            self.spin()

    def at(self, frame: int) -> None:
        """A press in the tempo's axis."""
        with self.says(f"Put the head to {frame / self.effect.rate:.2g} s", begins=True):
            rows = self.window.tempo.rows
            x = rows.x_of((frame + 0.5) / self.effect.rate)
            self.click(rows, QPoint(round(max(OUTLINE + 1, x)), AXIS // 2))
            assert self.state.frame == frame, (self.state.frame, frame)

    # --- stations -----------------------------------------------------------------------------

    def station(self, name: str) -> None:
        """A click on a station."""
        with self.says(f"Go to *{name.capitalize()}*", begins=True):
            names = ["shape", "look", "pack", "budget", "proof"]
            button = self.window.group.button(names.index(name))
            assert button is not None
            self.click(button)
            self.spin(0.3 if name == "pack" else 0.02)

    def tier(self, name: str) -> None:
        with self.says(f"Choose the tier *{name}*", begins=True):
            self.choose_from(self.window.ledger.tiers, name)

    def look(self, name: str) -> None:
        """Lay a look on the layer that is worked on, from the strip at Look."""
        with self.says(f"At *Look* lay on the look *{name}*", begins=True):
            if self.window.station != "look":
                self.station("look")
            self.spin(0.05)
            foot = next(f for f in self.window.sheet.findChildren(LookFoot) if f.isVisible())
            self.click(foot.buttons[name])

    def see(self, target: tuple[float, float, float], distance: float, heading: float, pitch: float) -> None:
        """Turn the view, shift it and come nearer, and let the effect open with it. The view is set at once
        here, and counted as the three drags that it takes a hand."""
        with self.says("turn the view until it is seen well, and let the effect open with it"):
            stage = self.window.stage
            camera = self.effect.camera.model_copy(
                update={"target": target, "distance": distance, "heading": heading, "pitch": pitch}
            )
            self.count += 3
            stage.look_from(camera)
            self.spin()
            button = next(b for b in stage.findChildren(QToolButton) if b.objectName() == "bare")
            self.pick(button, "Open the effect with this view")
            assert self.effect.camera == camera

    def simulated(self, seconds: float = 1500.0) -> None:
        """Wait until all frames are there."""
        if self.dry:
            return
        state = self.state
        self.spin(0.15)
        self.until(
            lambda: (
                state.status.problem
                or (
                    not state.status.running
                    and len(state.status.stored) == state.effect.frames
                    and all(state.status.stored)
                    and state.session.frame(state.effect.frames - 1) is not None  # of what it is now
                )
            ),
            "the simulation",
            seconds,
        )
        assert not state.status.problem, state.status.problem

    def whole(self) -> None:
        """Click the effect's name: its own settings."""
        with self.says("Click the effect's name", begins=True):
            self.click(self.window.name)

    def delivery(self, name: str) -> None:
        """Choose a delivery at Pack."""
        with self.says(f"Choose the delivery *{name}*", begins=True):
            self.choose_from(self.window.pack.choice.list, name)
            self.until(lambda: self.state.delivery is not None and self.state.delivery.name == name, name, 20)

    def route(self, kind: str) -> None:
        """Let the chosen delivery go by another route."""
        with self.says(f"let it go *as {ROUTES[kind].TITLE.lower()}*"):
            box = self.window.pack.choice.route
            self.until(lambda: box.findData(kind) >= 0, f"the route {kind}", 20)
            self.choose_from(box, kind)
            assert self.state.delivery.route.kind == kind

    def further(self, kind: str = "") -> str:
        """A further delivery of the layer that is worked on, by a route."""
        with self.says(
            "A further delivery" + (f", *as {ROUTES[kind].TITLE.lower()}*" if kind else ""), begins=True
        ):
            choice, before = self.window.pack.choice, {d.id for d in self.effect.deliveries}
            self.click(choice.more)
            self.until(
                lambda: (
                    self.state.delivery is not None
                    and self.state.delivery.id not in before
                    and choice.list.currentData() == self.state.delivery.id
                ),
                "the further delivery",
                20,
            )
            if kind:
                self.route(kind)
            return str(self.state.delivery.id)

    def draws(self, layer: str) -> None:
        """Let the chosen delivery draw one more layer, or one less."""
        with self.says(f"let it draw *{layer}* too"):
            self.spin(0.3)
            self.pick(self.window.pack.choice.layers, layer)

    def not_on(self, tier: str) -> None:
        """Leave the chosen delivery out on a tier."""
        with self.says(f"leave it out on {tier}"):
            self.tier(tier)
            choice, delivery = self.window.pack.choice, self.state.delivery
            self.until(
                lambda: choice.there.text() == f"on {tier}" and choice.list.currentData() == delivery.id,
                f"the choice of {tier}",
                60,
            )
            self.spin(0.3)
            self.click(choice.there, QPoint(10, choice.there.height() // 2))
            assert delivery.id in self.state.tier.without, (delivery.id, self.state.tier.without)

    def seen_from(self, distance: float, copies: int = 1, together: int = 1) -> None:
        """How far the player stands from it on every tier, m, how many of it there are, and how many of them
        are drawn in one call."""
        for tier in [t.name for t in self.effect.tiers]:
            self.tier(tier)
            self.station("budget")
            self.type("distance", distance)
            if copies > 1:
                self.type("copies", copies)
            if together > 1:
                self.type("copies_a_call", together)
        self.station("pack")

    def own(self, name: str, text: str | float) -> None:
        """Give the present tier its own value of a setting."""
        with self.says(f"**{self.row(name).p.label}** of this tier's own: {text}"):
            self.menu(name, "Its own value")
            self.type(name, text)

    def pack(self, every: bool = False) -> list[Path]:
        """Write the package, or one for each tier; the folders."""
        with self.says("Press *All tiers*" if every else "Press *Pack*", begins=True):
            if self.window.station != "pack":
                self.station("pack")
            if self.dry:
                return []
            pack = self.window.pack
            self.click(pack.every if every else pack.button)
            self.until(lambda: pack.progress is None, "packing", 1500)
            told = pack.told.text()
            assert told.startswith("Packed to"), told
            out = pack.target()
            self.packages = (
                [out.with_name(f"{out.name}_{t.id}") for t in self.effect.tiers] if every else [out]
            )
            return self.packages

    def save_within(self, tier: str) -> None:
        """Budget, Board, Find savings, and the best into the tier, until the tier is within its budget."""
        with self.says(f"Choose *{tier}*; at *Budget*, *Board*, *Find savings*, and take them", begins=True):
            if self.dry:
                return
            self.tier(tier)
            self.station("budget")
            budget = self.window.budget
            self.click(budget.board_tab)
            board = budget.board
            self.click(board.savings)
            self.until(
                lambda: board.work.foretold and board.takes.isEnabled() and not board.one.over, "savings", 600
            )
            self.click(board.takes)
            self.until(lambda: self.state.ledger is not None and not self.state.ledger.over, "the ledger", 60)

    def savings(self, tier: str) -> list[Point]:
        """What the board finds that a tier can save, each with what is lost; when all is foretold, it is
        stopped."""
        with self.says(f"Choose *{tier}*; at *Budget*, *Board*, *Find savings*", begins=True):
            if self.dry:
                return []
            self.tier(tier)
            self.station("budget")
            self.click(self.window.budget.board_tab)
            work = self.window.budget.board.work
            self.click(self.window.budget.board.savings)
            self.until(lambda: work.foretold, "savings", 900)
            found = list(work.points)
            if work.running:
                self.click(self.window.budget.board.savings)
                self.until(lambda: not work.running, "the board to stop", 120)
            return found

    def deliver(self) -> None:
        """Save, write a package for each tier, and look at it in Proof."""
        with self.says("Ctrl+S, and a name; *All tiers*; go to *Proof*", begins=True):
            self.save()
            self.pack(every=True)
            self.proof()

    def proof(self) -> None:
        """Go to Proof and wait until it plays the package."""
        with self.says("Go to *Proof*", begins=True):
            self.station("proof")
            if self.dry:
                return
            proof, wanted = self.window.proof, self.state.package
            self.until(
                lambda: (
                    proof.package is not None
                    and proof.package.folder == wanted
                    and proof.screen_.image is not None
                ),
                "Proof",
                180,
            )
            self.spin(0.2)
