"""How a flipbook's frames are framed: matched with another's, by a pivot of one's own; and what of them is
looked at."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import BOOK, element_of, small_effect
from PIL import Image
from routes import many_ways

from tenka.app.pack.channels import CHANNELS, among_neighbours, packed_cells, packed_names
from tenka.cache.store import FrameStore
from tenka.effect.document import replaced
from tenka.effect.model import Delivery, Effect
from tenka.pack.atlases import bled
from tenka.pack.layout import framed, leader, matched, packable
from tenka.pack.packing import pack
from tenka.package.elements.flipbook import Flipbook
from tenka.proof.elements.flipbook import sprites
from tenka.proof.engine import Package, package_view


def two_books(**more: object) -> Effect:
    """A fire and its sparks, each a flipbook; that of the sparks has the frames of the fire's."""
    effect = many_ways()
    book = next(d for d in effect.deliveries if d.id == "book")
    sparks = effect.delivery("specks").of
    route = BOOK.model_copy(update={"matches": "book", "columns": 5, "last": 0.2, "heading": 10.0, **more})
    both = (book, Delivery(id="glints", name="Glints", of=sparks, route=route))
    return effect.model_copy(update={"deliveries": both})


def test_matched_flipbooks_have_side_size_and_times_in_common(tmp_path: Path):
    store = FrameStore(tmp_path / "f")
    effect = replaced(two_books(), "deliveries.book.route.crop", True)
    made = pack(effect, None, store, tmp_path / "p").elements
    first, second = made
    assert isinstance(first, Flipbook) and isinstance(second, Flipbook)
    for name in (
        "size",
        "pivot",
        "attach",
        "times",
        "columns",
        "rows",
        "width",
        "height",
        "heading",
        "padding",
    ):
        assert getattr(first, name) == getattr(second, name), name
    # each holds its own alone: both are larger than the fire's frame would be, and together as one of both
    alone = effect.model_copy(update={"deliveries": effect.deliveries[:1]})
    (small,) = pack(alone, None, store, tmp_path / "alone").elements
    one = effect.deliveries[0].model_copy(update={"of": (*effect.deliveries[0].of, *effect.deliveries[1].of)})
    whole = effect.model_copy(update={"deliveries": (one,)})
    (large,) = pack(whole, None, store, tmp_path / "whole").elements
    assert isinstance(small, Flipbook) and isinstance(large, Flipbook)
    assert first.size == large.size and first.attach == large.attach and first.size[1] > small.size[1]

    def read(folder: str, name: str) -> np.ndarray:
        with Image.open(tmp_path / folder / name) as image:
            return np.asarray(image).astype(int)

    assert second.second is not None and second.second.holds == "emission"
    fire, both = (read(f, e.colour.file)[..., 3] for f, e in (("p", first), ("whole", large)))
    sparks = read("p", second.second.file).max(axis=2) > 0
    assert fire.any() and sparks.any() and np.abs(fire - both)[~sparks].max() <= 5
    again = pack(effect, None, store, tmp_path / "q", only="glints").elements
    assert again == (second,)


def test_who_leads_is_found_through_others_and_no_circle_is_followed():
    effect = two_books()
    glints = effect.delivery("glints")
    assert leader(effect, glints).id == "book" and matched(effect, glints).by(type(BOOK)).columns == 2
    assert set(framed(effect, effect.delivery("book")).of) == {*effect.delivery("book").of, *glints.of}
    round_ = replaced(effect, "deliveries.book.route.matches", "glints")
    assert {leader(round_, d).id for d in round_.deliveries} == {"book", "glints"}
    gone = replaced(effect, "deliveries.glints.route.matches", "nobody")
    assert next(d for d in packable(gone) if d.id == "glints").by(type(BOOK)).columns == 5
    assert framed(gone, gone.delivery("book")).of == gone.delivery("book").of


@pytest.mark.parametrize("pivot", ["where it is born", "middle", "by hand"])
def test_wherever_the_pivot_is_a_still_sprite_shows_the_same(pivot: str, tmp_path: Path):
    """Drawn by one sprite that stands and does not turn, a frame lies where it was drawn from."""
    effect = small_effect(props=())
    for path, value in (("pivot", pivot), ("pivot_right", 0.1), ("pivot_up", 0.8)):
        effect = replaced(effect, f"deliveries.puff.route.{path}", value)
    element = element_of(effect)
    player = element.player.on_one_sprite(4.0)
    shown = sprites(element, player, 1.0)
    corner = shown.place[0] - shown.size[0][1] * element.pivot[1] * np.array([0, 0, 1.0])
    usual = element_of(small_effect(props=()))
    foot = np.array(usual.attach) - usual.size[1] * usual.pivot[1] * np.array([0, 0, 1.0])
    assert corner[2] == pytest.approx(foot[2], abs=1e-4)  # the lower edge of the frame
    left = [e.attach[0] - e.size[0] * e.pivot[0] for e in (element, usual)]  # drawn looking along +y
    assert left[0] == pytest.approx(left[1], abs=1e-4)
    if pivot != "where it is born":
        assert element.pivot == ((0.5, 0.5) if pivot == "middle" else (0.1, 0.8))
        out = tmp_path / "p"
        pack(effect, None, FrameStore(tmp_path / "f"), out)
        package = Package(out)
        assert package.elements[0].attach == pytest.approx(element.attach, abs=1e-6)
        assert package.draw(1.0, package_view(package, 80, 50)).counts.quads


def test_unseen_texels_have_the_colour_of_their_edge_in_their_own_cell():
    element = element_of(small_effect())
    wide, tall = element.cell
    colour = np.zeros((element.height, element.width, 4), np.uint8)
    colour[10:14, 10:14] = (200, 100, 50, 255)  # in the first cell
    colour[tall + 5, 5] = (10, 20, 30, 40)  # in the one below it
    bled(colour, element)
    assert (colour[:tall, :wide, :3] == (200, 100, 50)).all()
    assert (colour[tall : 2 * tall, :wide, :3] == (10, 20, 30)).all()
    assert (colour[:tall, wide:] == 0).all() and colour[..., 3].sum() == 16 * 255 + 40


def test_straight_colours_do_not_darken_towards_the_edge(tmp_path: Path):
    effect = replaced(small_effect(props=()), "deliveries.puff.route.alpha_form", "straight")
    (element,) = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p").elements
    assert isinstance(element, Flipbook)
    with Image.open(tmp_path / "p" / element.colour.file) as image:
        raw = np.asarray(image).astype(int)
    cell = raw[: element.cell[1], : element.cell[0]]
    unseen = cell[..., 3] == 0
    assert unseen.any() and cell[unseen][:, :3].min() > 20


def test_channels_show_what_they_are_called():
    raw = np.zeros((2, 2, 8), np.float32)
    raw[0, 0] = (0.1, 0.05, 0.0, 0.5, 2.0, 1.0, 0.0, 500.0)  # half covered, shining, 1000 K above the air
    assert CHANNELS["cover"](raw, 1.0)[0, 0].tolist() == [128, 128, 128, 255]
    colour = CHANNELS["colour"](raw, 1.0)[0, 0]
    assert colour[0] == round(255 * (1.055 * 0.2 ** (1 / 2.4) - 0.055)) and colour[2] == 0
    light = CHANNELS["light"](raw, 0.5)[0, 0]
    assert light[0] == 255 and light[1] == round(255 * (1.055 * 0.5 ** (1 / 2.4) - 0.055))
    assert CHANNELS["heat"](raw, 1.0)[0, 0, 0] == 128
    for channel in CHANNELS.values():
        assert channel(raw, 1.0)[1, 1].tolist() == [0, 0, 0, 255]


def test_neighbours_are_tinted_and_the_cell_lies_over_them():
    one = [np.zeros((3, 3, 4), np.uint8) for _ in range(3)]
    for n, cell in enumerate(one):
        cell[n, n] = 255
    found = among_neighbours(*one)
    assert found[1, 1, 0] == found[1, 1, 1] == 153  # itself, white
    assert found[0, 0, 0] > found[0, 0, 2] > 0 and found[2, 2, 1] > found[2, 2, 0] > 0
    assert (among_neighbours(None, one[1], None)[0] == 0).all()


def test_further_atlases_are_offered_and_read_as_they_were_packed(tmp_path: Path):
    effect = replaced(small_effect(props=()), "deliveries.puff.route.motion", True)
    (element,) = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p").elements
    assert isinstance(element, Flipbook)
    assert set(packed_names(element)) >= {"motion", "temperature"}
    cells = packed_cells(tmp_path / "p", element, packed_names(element)["motion"])
    assert len(cells) == element.frames and cells[0].shape == (element.cell[1], element.cell[0], 4)
    with Image.open(tmp_path / "p" / "puff_motion.png") as image:
        raw = np.asarray(image)
    np.testing.assert_array_equal(cells[1][..., :2], raw[: element.cell[1], element.cell[0] :, :2])
