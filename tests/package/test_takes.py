"""Takes of pieces: the same by other chances, of which the game plays the next each time."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from routes import many_ways

from bench.browser import NAME, picture
from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect.document import replaced
from tenka.effect.model import Effect
from tenka.pack.packing import pack
from tenka.pack.variants import varied
from tenka.package.elements.bodies import Bodies
from tenka.package.rows import nodes_of, stands_of
from tenka.proof.elements.base import Run
from tenka.proof.engine import Package, package_view
from tenka.run.driver import figures_of, simulate
from tenka.run.plans import plans_of

ROUTE = "deliveries.chips.route"


@pytest.fixture(scope="module")
def store(tmp_path_factory: pytest.TempPathFactory) -> FrameStore:
    return FrameStore(tmp_path_factory.mktemp("frames"))


def packed(effect: Effect, store: FrameStore, folder: Path) -> Bodies:
    (element,) = pack(effect, None, store, folder, only="chips").elements
    assert isinstance(element, Bodies)
    return element


@pytest.mark.parametrize("form", ("textures", "nodes"))
def test_each_take_is_what_its_own_seed_gives(store: FrameStore, tmp_path: Path, form: str):
    effect = replaced(many_ways(), f"{ROUTE}.form", form)
    whole = packed(replaced(effect, f"{ROUTE}.takes", 3), store, tmp_path / "all")
    assert whole.takes == 3 and len(set(whole.files)) == len(whole.files) == (9 if form == "textures" else 3)

    def places(folder: Path, element: Bodies) -> np.ndarray:
        if form == "textures":
            return stands_of(folder, element)[0]
        return nodes_of(folder / element.mesh.file, tuple(t - element.times[0] for t in element.times))[2]

    found = []
    for number in range(3):
        alone = packed(varied(effect, number), store, tmp_path / f"alone_{number}")
        own, same = places(tmp_path / f"alone_{number}", alone), whole.take(number)
        assert same.pieces == alone.pieces and same.triangles == alone.triangles and not same.further
        np.testing.assert_array_equal(places(tmp_path / "all", same), own)
        found.append(own)
    assert whole.take(4) == whole.take(1)
    assert found[0].shape != found[1].shape or np.abs(found[0] - found[1]).max() > 0.01
    text = (tmp_path / "all" / "READ-ME.txt").read_text()
    assert "3 takes" in text and all(name in text for name in whole.files)


def test_proof_and_the_page_play_the_next_take(store: FrameStore, tmp_path: Path):
    effect = replaced(many_ways(), "camera.distance", 0.25 * many_ways().camera.distance)
    element = packed(replaced(effect, f"{ROUTE}.takes", 2), store, tmp_path / "two")
    package, t = Package(tmp_path / "two"), element.times[-1]
    view = package_view(package, 320, 200)
    first, second, third = (package.draw(t, view, runs=(Run(number=n),)).rgb.astype(int) for n in range(3))
    assert np.abs(first - second).max() > 20 and np.array_equal(first, third)
    if NAME is None:
        return
    shots = []
    for words in (f"t={t}", f"t={t}&first=1"):
        picture(tmp_path / "two" / "play.html", f"{words}&w=320&h=200", (320, 200), tmp_path / "page.png")
        with Image.open(tmp_path / "page.png") as image:
            shots.append(np.asarray(image.convert("RGB"))[:200, :320].astype(int))
    wanted, made = second - first, shots[1] - shots[0]
    seen = np.abs(wanted).max(axis=2) > 30
    assert np.corrcoef(made[seen].ravel(), wanted[seen].ravel())[0, 1] > 0.8


def test_takes_are_held_in_memory(store: FrameStore):
    effect = many_ways()
    run = plans_of(effect, None)[effect.delivery("chips").of[0]]
    from tenka.base.jobs import Progress

    simulate(run, store, Progress())
    figures = {run.layer.id: figures_of(run, store)}
    one, three = (
        next(x for x in ledger(e, "mid", figures).lines if x.layer == effect.delivery("chips").name)
        for e in (effect, replaced(effect, f"{ROUTE}.takes", 3))
    )
    assert three.mb == pytest.approx(3 * one.mb) and three.ms == one.ms
