"""Routes by distance: which is shown where, what that costs, how much is seen of the change; and what an
effect does out of sight."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from command import command
from PIL import Image
from routes import many_ways

from bench.browser import NAME, picture
from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect.document import replaced
from tenka.effect.model import Effect
from tenka.effect.storage import save
from tenka.look.flip import flip_error as flip
from tenka.pack.amiss import amiss, twice_shown
from tenka.pack.packing import pack
from tenka.package import manifest as form
from tenka.package.manifest import Behaviour
from tenka.proof.engine import Package
from tenka.proof.jumps import distances, jumps
from tenka.proof.performing import Performance, in_sight
from tenka.run.driver import figures_of
from tenka.run.plans import plans_of
from tenka.scene.cameras import View, view_of

CHANGE = 12.0


def two_ways() -> Effect:
    """A fire as a volume nearby, and as a flipbook further away."""
    effect = many_ways()
    kept = tuple(d for d in effect.deliveries if d.id in ("fog", "book"))
    effect = effect.model_copy(update={"deliveries": kept, "out_of_sight": "sleep"})
    effect = replaced(effect, "deliveries.fog.route.seen_to", CHANGE)
    return replaced(effect, "deliveries.book.route.seen_from", CHANGE)


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    where = tmp_path_factory.mktemp("distances")
    pack(two_ways(), None, FrameStore(where / "f"), where / "p")
    return where


def drawn_alone(package: Package, id: str, view: View, time: float) -> np.ndarray:
    """The picture with one element alone, as if it were shown everywhere."""
    parts = package.elements, package.played
    chosen = [n for n, e in enumerate(package.elements) if e.id == id]
    package.elements = tuple(e.model_copy(update={"seen_from": 0.0, "seen_to": 1e4}) for e in parts[0])
    every = package.players()
    package.elements = tuple(package.elements[n] for n in chosen)
    package.played = tuple(parts[1][n] for n in chosen)
    try:
        return package.draw(time, view, tuple(every[n] for n in chosen)).rgb
    finally:
        package.elements, package.played = parts


@pytest.mark.parametrize(("away", "id"), [(CHANGE - 1.0, "fog"), (CHANGE + 1.0, "book")])
def test_one_is_shown_nearby_and_the_other_further_away(folder: Path, away: float, id: str):
    package = Package(folder / "p")
    x, y, z = (float(v) for v in 0.5 * sum(package.bounds))
    camera = package.camera.model_copy(update={"target": (x, y, z), "distance": away})
    view = view_of(camera, 240, 150)
    np.testing.assert_array_equal(package.draw(0.4, view).rgb, drawn_alone(package, id, view, 0.4))
    # of two copies, one nearby and one behind it, each is shown its own way
    apart = np.array([[0.0, 0, 0], 3.0 * np.array([*view.forward[:2], 0.0])])
    both = package.draw(0.4, view, carriers=apart).counts
    samples, quads = both.samples > 0, both.quads > 0
    assert (samples, quads) == ((True, True) if id == "fog" else (False, True))


def test_the_ledger_counts_what_is_shown_at_a_tiers_distance_and_holds_all(folder: Path):
    effect, store = two_ways(), FrameStore(folder / "f")
    gas = effect.gases[0].id
    figures = {gas: figures_of(plans_of(effect, None)[gas], store)}
    for distance, shown in ((5.0, "Fog"), (40.0, "Book")):
        tiers = tuple(t.model_copy(update={"distance": distance}) for t in effect.tiers)
        found = ledger(effect.model_copy(update={"tiers": tiers}), tiers[0].id, figures)
        assert {line.layer for line in found.lines if line.ms > 0} == {shown}
        other = next(line for line in found.lines if line.layer != shown)
        assert other.mb > 0 and f"not at {distance:g} m" in other.terms[0].why


def test_what_is_shown_nowhere_is_amiss_and_what_is_shown_in_turn_is_not_twice_shown():
    effect = two_ways()
    assert not any("fire" in text.lower() for text in twice_shown(effect))
    both = replaced(effect, "deliveries.book.route.seen_from", CHANGE - 1.0)
    assert any("Fog and by Book" in text for text in twice_shown(both))
    assert not amiss(effect)
    nowhere = replaced(effect, "deliveries.fog.route.seen_from", CHANGE)
    (found,) = amiss(nowhere)
    assert "shown at no distance" in found.text and found.mended is not None
    assert not amiss(found.mended)


def test_the_change_is_measured_and_nothing_is_where_nothing_changes(folder: Path):
    package = Package(folder / "p")
    assert distances(package) == [CHANGE]
    (jump,) = jumps(package, package.camera)
    assert jump.nearer == ("Fog",) and jump.further == ("Book",)
    assert 0.0 < jump.flip <= jump.worst < 0.6
    # one that is shown on both sides does not change
    fog = package.elements[0].model_copy(update={"seen_to": 1e4})
    book = package.elements[1].model_copy(update={"seen_from": CHANGE, "seen_to": CHANGE + 1e-9})
    package.elements = (fog, book)
    assert [j.flip for j in jumps(package, package.camera)] == [0.0, 0.0]


def test_the_terminal_tells_the_change(folder: Path, tmp_path: Path):
    run = command(
        "proof", folder / "p", "--frame", "5", "--picture", tmp_path / "a.png", "--changes", "--json"
    )
    assert run.code == 0, run.err
    assert run.rows[1]["distance"] == CHANGE and run.rows[1]["flip"] > 0


def test_other_tiers_take_over_what_differs_in_distance_alone(folder: Path, tmp_path: Path):
    near = two_ways()
    far = replaced(near, "deliveries.book.route.seen_from", 30.0)
    store = FrameStore(folder / "f")
    pack(near, None, store, tmp_path / "near")
    drawn: list[int] = []
    earlier = [(tmp_path / "near", near)]
    made = pack(far, None, store, tmp_path / "far", drawn=lambda *a: drawn.append(1), earlier=earlier)
    assert not drawn and next(e for e in made.elements if e.id == "book").seen_from == 30.0


def test_a_document_keeps_it_and_refuses_what_is_out_of_range(tmp_path: Path):
    effect = two_ways()
    save(effect, tmp_path / "a.tenka")
    told = json.loads((tmp_path / "a.tenka").read_text())
    assert told["out_of_sight"] == "sleep"
    with pytest.raises(Exception, match="0 to 10"):
        replaced(effect, "deliveries.fog.route.seen_to", -1.0)


@pytest.mark.skipif(NAME is None, reason="there is no browser here")
def test_the_page_shows_each_at_its_distance(folder: Path, tmp_path: Path):
    package, size = Package(folder / "p"), (240, 150)
    x, y, z = (float(v) for v in 0.5 * sum(package.bounds))
    for away, id, other in ((CHANGE - 0.5, "fog", "book"), (CHANGE + 0.5, "book", "fog")):
        out = tmp_path / "page.png"
        picture(folder / "p" / form.PAGE, f"t=0.4&w={size[0]}&h={size[1]}&away={away}", size, out)
        with Image.open(out) as image:
            page = np.asarray(image.convert("RGB"))
        camera = package.camera.model_copy(update={"target": (x, y, z), "distance": away})
        view = view_of(camera, *size)
        own, others = (flip(drawn_alone(package, n, view, 0.4), page) for n in (id, other))
        assert own < others, (own, others)


@pytest.mark.parametrize("way", ["run on", "sleep", "restart"])
def test_time_out_of_sight_is_as_the_effect_says(folder: Path, way: str):
    package = Package(folder / "p")
    assert package.manifest.behaviour.out_of_sight == "sleep"
    playing = Performance(package.elements, Behaviour(out_of_sight=way))  # type: ignore[arg-type]
    found = [playing.looked_at(seen) for seen in (True, False, False, True, True)]
    assert (
        found
        == {
            "run on": ["on"] * 5,
            "sleep": ["on", "asleep", "asleep", "on", "on"],
            "restart": ["on", "on", "on", "anew", "on"],
        }[way]
    )


def test_a_box_is_in_sight_when_any_of_it_may_be_seen():
    view = View(
        np.zeros(3), np.array([0, 1.0, 0]), np.array([1.0, 0, 0]), np.array([0, 0, 1.0]), 0.5, 200, 100
    )
    half = np.full(3, 0.5)
    for middle, seen in (
        ((0, 5, 0), True),
        ((0, -5, 0), False),
        ((5.4, 5, 0), True),  # the picture is 5 m wide there on each side
        ((6.2, 5, 0), False),
        ((0, 5, 2.9), True),
        ((0, 5, 3.4), False),
        ((0, 0, 0), True),  # round the eye
    ):
        at = np.array(middle, float)
        assert in_sight(at - half, at + half, view) is seen, middle
    assert not in_sight(np.array([-1, 2, -1.0]), np.array([1, 3, 1.0]), view.back)
