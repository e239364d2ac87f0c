"""Heaps: copies of several props that are dropped once, lie without being in each other, and are kept."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial import ConvexHull

from tenka.base.errors import BadInput, Cancelled
from tenka.base.jobs import Progress
from tenka.effect import storage
from tenka.effect.courses import Key, Keys
from tenka.effect.model import Effect, Prop
from tenka.particles.heap import dropped, heaped
from tenka.scene.props import prop_mesh, stands_of_copies

HEAPED = {"heap": "rubble", "spread": (1.0, 1.0, 0.0), "position": (0.0, 0.0, 0.0)}
BRICK = Prop(id="brick", name="Brick", size=(0.4, 0.2, 0.12), copies=14, turn=30.0, **HEAPED)
ROUND = {"shape": "cylinder", "size": (0.3, 0.3, 0.4), "copies_size": 0.0}
DRUM = Prop(id="drum", name="Drum", copies=5, **HEAPED, **ROUND)
BENCH = Prop(id="bench", name="Bench", size=(6, 6, 0.5), position=(0, 0, 0.0))


@pytest.fixture(scope="module")
def heap() -> Effect:
    return dropped(Effect(props=(BENCH, BRICK, DRUM)), "brick")


def corners(effect: Effect, id: str) -> list[np.ndarray]:
    """The corners of each copy in the scene, m."""
    prop = next(p for p in effect.props if p.id == id)
    whole = prop_mesh(prop, effect.props, None).points
    return list(whole.reshape(prop.copies, -1, 3).astype(float))


def test_all_lie_on_what_stands_there_and_on_each_other(heap: Effect):
    bodies = [*corners(heap, "brick"), *corners(heap, "drum")]
    assert len(bodies) == 19
    low = np.array([b[:, 2].min() for b in bodies])
    assert low.min() > 0.5 - 0.02  # on the bench; a round drum meets it by 16 corners
    assert (low < 0.53).sum() >= 6 and (low > 0.56).any()  # some on others
    assert max(b[:, 2].max() for b in bodies) < 1.6
    centres = np.array([b.mean(axis=0) for b in bodies])
    assert np.abs(centres[:, :2]).max() < 2.9  # none fell off


def test_none_lies_in_another(heap: Effect):
    """Of each pair, some direction across a face of either parts them but for a centimetre and a half."""
    bodies = [*corners(heap, "brick"), *corners(heap, "drum")]
    faces = [np.unique(np.round(ConvexHull(b).equations[:, :3], 4), axis=0) for b in bodies]
    worst = 0.0
    for i in range(len(bodies)):
        for j in range(i + 1, len(bodies)):
            ways = np.concatenate([faces[i], faces[j]])
            a, b = bodies[i] @ ways.T, bodies[j] @ ways.T
            inside = np.minimum(a.max(axis=0) - b.min(axis=0), b.max(axis=0) - a.min(axis=0))
            worst = max(worst, float(inside.min()))
    assert worst < 0.045  # a round drum meets by 16 corners, and edges across each other sink in a little


def test_copies_keep_their_form_and_size(heap: Effect):
    brick = next(p for p in heap.props if p.id == "brick")
    sizes = [s for _, s in stands_of_copies(BRICK)]
    for (pose, size), was, body in zip(stands_of_copies(brick), sizes, corners(heap, "brick")):
        assert size == pytest.approx(was, abs=1e-4)
        assert pose.turn @ pose.turn.T == pytest.approx(np.eye(3), abs=1e-9)
        assert ConvexHull(body).volume == pytest.approx(0.4 * 0.2 * 0.12 * size**3, rel=1e-3)


def test_the_same_drop_gives_the_same_heap_and_another_number_another(heap: Effect):
    again = dropped(Effect(props=(BENCH, BRICK, DRUM)), "drum")
    assert again == heap
    other = BRICK.model_copy(update={"copies_seed": 2})
    assert dropped(Effect(props=(BENCH, other, DRUM)), "brick").props[1].lies != heap.props[1].lies


def test_it_is_kept_in_the_file_and_goes_with_its_prop(heap: Effect, tmp_path):
    storage.save(heap, tmp_path / "heap.tenka")
    read = storage.load(tmp_path / "heap.tenka")
    assert read.props[1].lies == heap.props[1].lies
    moved = heap.props[1].model_copy(update={"position": (1.0, 2.0, 3.0)})
    shift = prop_mesh(moved, heap.props, None).points - prop_mesh(heap.props[1], heap.props, None).points
    assert shift == pytest.approx(np.broadcast_to((1.0, 2.0, 3.0), shift.shape), abs=1e-5)
    more, plain = (p.model_copy(update={"copies": 16}) for p in (heap.props[1], BRICK))
    assert stands_of_copies(more)[3][0].origin == pytest.approx(np.array(heap.props[1].lies[3][:3]))
    assert np.all(stands_of_copies(more)[15][0].origin == stands_of_copies(plain)[15][0].origin)
    fewer = heap.props[1].model_copy(update={"copies": 5})
    assert len(stands_of_copies(fewer)) == 5


def test_a_mover_is_taken_as_it_stands_at_the_start():
    lifts = Keys(keys=(Key(t=0.0, v=0.0, ease="linear"), Key(t=0.5, v=5.0)))
    bench = BENCH.model_copy(update={"shift_z": lifts})
    few = BRICK.model_copy(update={"copies": 3, "heap": ""})
    found = dropped(Effect(props=(bench, few)), "brick")
    assert all(0.45 < b[:, 2].min() < 0.9 for b in corners(found, "brick"))


def test_bad_heaps_are_told_and_a_drop_can_be_stopped():
    with pytest.raises(BadInput, match="Bench has no copies"):
        dropped(Effect(props=(BENCH,)), "bench")
    with pytest.raises(BadInput, match="not in the effect"):
        heaped(Effect(), "bench")
    many = BRICK.model_copy(update={"copies": 1500})
    other = DRUM.model_copy(update={"copies": 600})
    with pytest.raises(BadInput, match="2,100 copies"):
        heaped(Effect(props=(many, other)), "brick")
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        dropped(Effect(props=(BRICK,)), "brick", None, progress)
    with pytest.raises(ValueError, match="a copy lies by"):
        Prop(id="p", name="P", copies=2, lies=((0, 0, 0, 0, 0, 0, 0, 1),))
