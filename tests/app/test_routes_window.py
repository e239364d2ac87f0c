"""Routes in the window: chosen, shown, packed, played, weighed, undone."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from drive import LEFT, settle, until
from PIL import Image
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot
from routes import many_ways

from tenka.app.pack.base import CurveView
from tenka.app.pack.flipbook import ContactView
from tenka.app.window import Window
from tenka.effect import storage
from tenka.effect.document import replaced
from tenka.effect.model import ROUTES, Tier
from tenka.effect.placed import ramp
from tenka.package.elements.flipbook import Flipbook
from tenka.package.manifest import read


@pytest.fixture
def opened(window: Window, qtbot: QtBot, tmp_path: Path) -> Window:
    effect = many_ways().model_copy(
        update={"tiers": (Tier(id="low", name="Low", distance=6.0), Tier(id="mid", name="Mid", distance=6.0))}
    )
    storage.save(effect, tmp_path / "many.tenka")
    assert window.open(tmp_path / "many.tenka")
    until(qtbot, lambda: window.state.ready and all(window.state.status.stored), 180_000)
    window.go_to("pack")
    settle(qtbot, window)
    return window


def choose(window: Window, qtbot: QtBot, id: str) -> None:
    window.pack.choice.choose(id)
    until(qtbot, lambda: window.state.delivery is not None and window.state.delivery.id == id)
    name = window.state.delivery.name  # type: ignore[union-attr]
    until(qtbot, lambda: window.pack.choice.list.currentText() == name)


def pack_into(window: Window, qtbot: QtBot, folder: Path) -> None:
    """Write the package from the window."""
    window.pack.set_target(folder)
    until(qtbot, lambda: window.pack.button.isEnabled())
    window.pack.start()
    until(qtbot, lambda: window.pack.progress is None and window.state.package is not None, 180_000)


FIRST = {"fog": "fog_0001.vdb", "slabs": "slabs_0001.png", "leaves": "leaves_slice_01.png"}


def test_every_route_is_shown_with_its_files_its_curve_and_its_cost(opened: Window, qtbot: QtBot):
    window = opened
    until(qtbot, lambda: window.state.ledger is not None and not window.state.ledger.uncounted)
    for delivery in window.state.effect.deliveries:
        id, kind = delivery.id, delivery.route.kind
        choose(window, qtbot, id)
        view = window.pack.views[kind]
        until(qtbot, lambda view=view: window.pack.shown.currentWidget() is view)
        first = FIRST.get(id, id)
        until(qtbot, lambda first=first: first in window.pack.outputs.text())
        until(qtbot, lambda: "on Hearth" in window.pack.outputs.text())
        assert window.sheet.row(f"deliveries.{id}.route.first") is not None
        if not isinstance(view, CurveView):
            continue
        until(qtbot, lambda view=view: len(view.pictures) == len(view.moments) > 3, 30_000)
        assert view.curve is not None and len(view.curve.values) > 3, id
        image = view.grab().toImage()
        places = [(x, y) for x in range(0, image.width(), 7) for y in range(0, image.height(), 7)]
        assert len({image.pixel(x, y) for x, y in places}) > 12, id


def test_a_route_is_chosen_by_keys_and_undone(opened: Window, qtbot: QtBot):
    window = opened
    choose(window, qtbot, "fog")
    box = window.pack.choice.route
    kinds = [box.itemData(n) for n in range(box.count())]
    assert kinds == ["flipbook", "volume", "slices", "grid", "light", "shimmer"]
    assert all(box.itemData(n, Qt.ItemDataRole.ToolTipRole) for n in range(box.count()))
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_Down)
    until(qtbot, lambda: window.state.effect.delivery("fog").route.kind == "slices")
    until(qtbot, lambda: window.sheet.row("deliveries.fog.route.count") is not None)
    window.state.document.undo()
    until(qtbot, lambda: window.state.effect.delivery("fog").route.kind == "volume")
    until(qtbot, lambda: window.sheet.row("deliveries.fog.route.form") is not None)
    until(qtbot, lambda: box.currentData() == "volume")


def test_a_layer_that_does_not_fit_is_refused_in_words(opened: Window, qtbot: QtBot):
    window = opened
    said: list[str] = []
    window.state.said.connect(said.append)
    choose(window, qtbot, "fog")
    sparks = window.state.effect.delivery("specks").of[0]
    window.pack.choice.take(sparks, True)
    assert len(window.state.effect.delivery("fog").of) == 1
    assert said and "takes one layer" in said[-1]
    choose(window, qtbot, "glow")
    debris = next(x.id for x in window.state.effect.layers if x.kind == "debris")
    window.pack.choice.take(debris, True)
    assert len(window.state.effect.delivery("glow").of) == 1 and "choose another route" in said[-1]
    window.state.edit(f"layers.{sparks}.look.form", "ribbon", "Form")
    choose(window, qtbot, "specks")
    until(qtbot, lambda: "takes what is drawn as" in window.pack.outputs.text())


def test_all_routes_are_packed_played_and_lit_anew(opened: Window, qtbot: QtBot, tmp_path: Path):
    window = opened
    window.pack.set_target(tmp_path / "package")
    until(qtbot, lambda: window.pack.button.isEnabled())
    QTest.mouseClick(window.pack.button, LEFT)
    until(qtbot, lambda: window.pack.progress is None and window.state.package is not None, 180_000)
    assert {e.route for e in read(tmp_path / "package").elements} == set(ROUTES)
    window.go_to("proof")
    until(qtbot, lambda: window.proof.package is not None and window.proof.screen_.image is not None, 30_000)
    window.proof.show_time(0.4)
    until(  # what is shown is of that moment when nothing is drawn any more
        qtbot,
        lambda: (
            window.proof.bar.clock.text() == "0.40 s"
            and window.proof._measuring is not None
            and window.proof._measuring[1].done
            and not window.proof._busy
        ),
        180_000,  # as long as others draw beside it
    )
    counts = window.proof.screen_.counts
    assert counts is not None and counts.particles and counts.triangles and counts.samples
    before = window.proof.screen_.image
    QTest.mouseClick(window.proof.bar.turn, LEFT)
    screen = window.proof.screen_
    middle = QPoint(screen.width() // 2, screen.height() // 2)
    QTest.mousePress(screen, LEFT, Qt.KeyboardModifier.NoModifier, middle)
    QTest.mouseMove(screen, middle + QPoint(120, 30))
    QTest.mouseRelease(screen, LEFT, Qt.KeyboardModifier.NoModifier, middle + QPoint(120, 30))
    until(
        qtbot, lambda: window.proof.screen_.image is not None and window.proof.screen_.image != before, 30_000
    )
    camera = window.proof.screen_.camera
    assert camera == window.proof.package.camera  # type: ignore[union-attr]
    QTest.mouseClick(window.proof.bar.turn, LEFT)
    until(qtbot, lambda: window.proof.screen_.image == before, 30_000)


def test_a_setting_of_a_route_is_tried_in_proof_and_has_its_own_value_on_a_tier(
    opened: Window, qtbot: QtBot, tmp_path: Path
):
    window = opened
    choose(window, qtbot, "specks")
    pack_into(window, qtbot, tmp_path / "package")
    window.go_to("proof")
    until(qtbot, lambda: window.proof.package is not None and window.proof.screen_.image is not None, 30_000)
    assert not window.proof.players_tried()
    window.state.edit("deliveries.specks.route.player.share", 0.0, "Share")
    until(
        qtbot, lambda: set(window.proof.players_tried()) == {"specks"} and window.proof.bar.tried.isVisible()
    )
    window.proof.show_time(0.3)
    until(qtbot, lambda: window.proof.bar.clock.text() == "0.30 s", 90_000)
    assert replaced(window.state.effect, "name", "x").delivery("specks").route.player.share == 0.0  # type: ignore[union-attr]


def test_proof_triggers_again_stops_bounds_walks_and_finds_the_worst_moment(
    opened: Window, qtbot: QtBot, tmp_path: Path
):
    window = opened
    proof, bar = window.proof, window.proof.bar
    window.state.edit("again", "add", "Triggered again")
    window.state.edit("stop", "cut", "When stopped")
    choose(window, qtbot, "book")
    pack_into(window, qtbot, tmp_path / "package")
    window.go_to("proof")
    until(qtbot, lambda: proof.package is not None and proof.screen_.image is not None, 30_000)
    proof.show_time(0.4)
    until(qtbot, lambda: bar.clock.text() == "0.40 s")
    QTest.mouseClick(bar.again, LEFT)
    assert proof.performance is not None and [run.start for run in proof.performance.runs] == [0.0, 0.4]
    proof.show_time(0.8)
    until(qtbot, lambda: bar.clock.text() == "0.80 s" and not proof._busy)
    both = proof.screen_.counts
    QTest.mouseClick(bar.begin, LEFT)
    proof.show_time(0.8)
    until(qtbot, lambda: bar.clock.text() == "0.80 s" and proof.screen_.counts != both)
    assert both is not None and both.quads > proof.screen_.counts.quads > 0  # type: ignore[union-attr]

    until(qtbot, lambda: proof.load.worst is not None, 60_000)
    worst = proof.load.worst
    assert f"at {worst:.2f} s" in proof.load.words and "on average" in proof.load.words
    QTest.mouseDClick(proof.load, LEFT, pos=QPoint(40, 40))
    until(qtbot, lambda: bar.clock.text() == f"{worst:.2f} s")

    QTest.mouseClick(bar.bounds, LEFT)
    wanted = [e.name for e in proof.package.elements if e.held_in is not None]  # type: ignore[union-attr]
    until(qtbot, lambda: [name for name, _, _ in proof.screen_.boxes] == wanted)
    assert 3 < len(wanted) < len(proof.package.elements)  # type: ignore[union-attr]
    bodies = proof.screen_.counts.triangles  # type: ignore[union-attr]
    QTest.mouseClick(bar.walks, LEFT)
    until(qtbot, lambda: proof.screen_.counts.triangles > bodies)  # type: ignore[union-attr]
    QTest.mouseClick(bar.ends, LEFT)
    until(qtbot, lambda: proof.screen_.counts.quads == 0)  # type: ignore[union-attr]
    QTest.mouseClick(bar.ends, LEFT)
    until(qtbot, lambda: proof.screen_.counts.quads > 0)  # type: ignore[union-attr]


def test_the_contact_sheet_shows_what_is_packed_cropped_and_looped(
    opened: Window, qtbot: QtBot, tmp_path: Path
):
    window = opened
    choose(window, qtbot, "book")
    view = window.pack.views["flipbook"]
    assert isinstance(view, ContactView)

    def alpha(n: int) -> np.ndarray:
        image = view.contact.cells[n]
        return np.array(
            [[image.pixelColor(x, y).alpha() for x in range(image.width())] for y in range(image.height())]
        )

    until(qtbot, lambda: len(view.contact.cells) == 4, 30_000)
    assert view.steps.isVisible() and view.steps.seam is None and "of the median" in view.steps.words
    whole = alpha(3)
    window.state.edit("deliveries.book.route.crop", True, "Crop")
    until(qtbot, lambda: len(view.contact.cells) == 4 and not np.array_equal(alpha(3), whole), 30_000)
    window.state.edit("deliveries.book.route.loop", True, "Loop")
    until(qtbot, lambda: len(view.contact.cells) == 4 and view.steps.seam is not None, 30_000)
    assert "the seam is" in view.steps.words
    before = dict(view.contact.cells)
    window.state.edit("deliveries.book.route.player.count", 5, "Count")
    qtbot.wait(600)
    assert view.contact.cells == before  # how it is played draws nothing anew
    pack_into(window, qtbot, tmp_path / "package")
    book = next(e for e in read(tmp_path / "package").elements if e.id == "book")
    assert isinstance(book, Flipbook) and book.loop
    with Image.open(tmp_path / "package" / book.colour.file) as atlas:
        packed = np.asarray(atlas.convert("RGBA"))[..., 3].astype(int)
    side, edge = book.cell[0], book.padding
    for n in range(4):
        top, left = n // 2 * side + edge, n % 2 * side + edge
        cell = packed[top : top + side - 2 * edge, left : left + side - 2 * edge]
        assert np.corrcoef(cell.ravel(), alpha(n).ravel())[0, 1] > 0.9  # the sheet has its glow added
        assert np.corrcoef(cell.ravel(), np.roll(alpha(n), 2, 1).ravel())[0, 1] < 0.9


def test_a_life_is_one_strip_and_cut_outs_are_drawn_and_counted(opened: Window, qtbot: QtBot):
    window = opened
    choose(window, qtbot, "book")
    view = window.pack.views["flipbook"]
    assert isinstance(view, ContactView)
    until(qtbot, lambda: len(view.contact.cells) == 4 and window.state.ledger is not None, 30_000)

    def covered() -> float:
        book = window.state.ledger
        return 0.0 if book is None else next(x.covered for x in book.lines if x.layer == "Book")

    whole = covered()
    window.state.edit("deliveries.book.route.cut_out", "each frame", "Cut out")
    until(qtbot, lambda: view.contact.cut is not None and view.saved.text(), 30_000)
    assert view.contact.cut is not None and len(view.contact.cut.shapes) == 4
    until(qtbot, lambda: 0 < covered() < 0.95 * whole, 30_000)
    assert window.state.ledger is not None
    assert not any("whole frames" in note for note in window.state.ledger.notes)
    window.state.edit("deliveries.book.route.cut_out", "none", "Whole")
    until(qtbot, lambda: view.contact.cut is None and covered() == whole, 30_000)

    QTest.mouseClick(view.tabs.button(1), LEFT)
    until(qtbot, lambda: view.life.isVisible() and view.life.id == "book")
    lane, player = view.life.lanes["alpha"], window.state.effect.delivery("book").route.player  # type: ignore[union-attr]
    end = lane._point(player.alpha.stops[-1]).toPoint()
    QTest.mousePress(lane, LEFT, pos=end)
    QTest.mouseMove(lane, end - QPoint(0, 30))
    QTest.mouseRelease(lane, LEFT, pos=end - QPoint(0, 30))
    changed = window.state.effect.delivery("book").route.player.alpha  # type: ignore[union-attr]
    assert changed.stops[-1].value > 0.2
    before = view.life.sprites.grab().toImage()
    window.state.edit("deliveries.book.route.player.tint_over", ramp((0.0, (1.0, 0.0, 0.0))), "Colour")
    until(qtbot, lambda: view.life.sprites.grab().toImage() != before)
    window.undo()
    window.undo()
    assert window.state.effect.delivery("book").route.player.alpha == player.alpha  # type: ignore[union-attr]
    assert "frame 1 of 4" in view.life.sprites.words(0.0) and "opacity" in view.life.sprites.words(0.5)
    window.state.edit("deliveries.book.route.player.frames_over", ramp((0.0, 1.0), (1.0, 0.0)), "Sequence")
    until(qtbot, lambda: view.life.sprites.frame_at(0.0) == 3 and view.life.sprites.frame_at(1.0) == 0)


def test_a_layer_that_fits_its_route_no_more_is_a_finding_that_mends(opened: Window, qtbot: QtBot):
    window = opened
    sparks = window.state.effect.delivery("specks").of[0]
    window.state.edit(f"layers.{sparks}.look.form", "ribbon", "Form")
    for id in ("specks", "drift"):  # both are of the same sparks
        found = next(f for f in window.state.findings() if "cannot go as particles" in f.text)
        assert found.mended is not None and found.mend == "Deliver it as trails"
        window.state.apply(found.mended, found.mend)
        assert window.state.effect.delivery(id).route.kind == "trails"
    assert not any("cannot go" in f.text for f in window.state.findings())
