"""Players that were written from READ-ME alone, with foreign readers, against Proof."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenEXR
import pytest
import trimesh
from routes import many_ways, packed_alone

from tenka.cache.store import FrameStore
from tenka.look.colour import develop
from tenka.package.elements.bodies import Bodies
from tenka.package.stands import light_of
from tenka.proof.elements.base import Now
from tenka.proof.engine import Package, package_view


@pytest.fixture(scope="module")
def chips(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("chips")
    packed_alone(many_ways(), FrameStore(folder / "frames"), folder / "package", "chips")
    return folder / "package"


def texture(file: Path) -> np.ndarray:
    """A texture's red, green, blue and alpha, (rows, columns, 4)."""
    with OpenEXR.File(str(file), separate_channels=True) as held:
        return np.stack([np.asarray(held.channels()[c].pixels, float) for c in "RGBA"], axis=2)


def vertices(folder: Path, e: Bodies, time: float) -> np.ndarray:
    """Where the corners of all triangles stand, (n, 3) m, as READ-ME says; of pieces that are there."""
    mesh = trimesh.load(folder / e.mesh.file, force="mesh", process=False)
    a, b, c = np.asarray(mesh.vertices, float).T
    v = np.stack([a, -c, b], axis=1)
    assert e.places is not None and e.turns is not None
    places, turns = texture(folder / e.places.file), texture(folder / e.turns.file)
    row = min(max(int(np.searchsorted(e.times, time, side="right")) - 1, 0), len(e.times) - 2)
    f = (time - e.times[row]) / (e.times[row + 1] - e.times[row])
    p, q = places[row : row + 2], turns[row : row + 2]
    both = (p[0, :, 3] > 0) & (p[1, :, 3] > 0)
    place = np.where(both[:, None], (1 - f) * p[0] + f * p[1], p[0] if f < 0.5 else p[1])
    turn = (1 - f) * q[0] + f * q[1]
    turn /= np.linalg.norm(turn, axis=1, keepdims=True)
    piece, v = np.repeat(np.arange(e.pieces), np.diff(e.starts) * 3), v[np.asarray(mesh.faces).ravel()]
    q, w = turn[piece][:, :3], turn[piece][:, 3:]
    found = place[piece][:, :3] + place[piece][:, 3:] * (v + 2 * np.cross(q, np.cross(q, v) + w * v))
    return found[place[piece][:, 3] > 1e-6]


def test_pieces_stand_where_proof_has_them_by_the_formula_of_the_text(chips: Path):
    package = Package(chips)
    e = package.elements[0]
    assert isinstance(e, Bodies)
    text = (chips / "READ-ME.txt").read_text()
    assert "v = (a, -c, b)" in text and "vertex = place + size * (v + 2 q x (q x v + w v))" in text
    played = package.played[0]
    for share in (0.21, 0.5, 0.83):
        time = e.times[0] + share * (e.times[-1] - e.times[0])
        mine = vertices(chips, e, time)
        light = light_of(package.manifest.set)
        theirs = played.standing(Now(time, package_view(package, 64, 48), np.zeros((1, 3)), light, 1.0))
        assert theirs is not None and len(theirs.faces) > 100
        np.testing.assert_allclose(mine, theirs.points[theirs.faces].reshape(-1, 3), atol=1e-3)


def test_the_film_is_as_the_text_says(chips: Path):
    rng = np.random.default_rng(4)
    c = rng.random((40, 50, 3)).astype(np.float32) ** 3 * 6
    m = 0.09
    x = (1 - m) * c + m * c.mean(axis=2, keepdims=True)
    y = np.where(x <= 0.5, x, 1 - 1 / (4 * np.maximum(x, 0.5)))
    d = np.clip((y - m * y.mean(axis=2, keepdims=True)) / (1 - m), 0, 1)
    srgb = np.where(d <= 0.0031308, 12.92 * d, 1.055 * d ** (1 / 2.4) - 0.055)
    assert np.abs(srgb * 255 - develop(c, 0.0)).max() <= 1.6  # half of that is its grain
    assert "the shoulder" in (chips / "READ-ME.txt").read_text()
