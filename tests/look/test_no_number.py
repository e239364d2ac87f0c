"""A picture is drawn whatever is in its numbers: what is no number is black or not there.

With NUMBA_BOUNDSCHECK=1, as CI runs these once more, an index outside of an array is an error here.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from build import flat_view, frame_of, small_effect

import tenka
from tenka.effect.model import Look
from tenka.look.colour import SRGB_TABLE, develop, in_srgb
from tenka.look.render import Renderer
from tenka.look.sprites import draw_quads, quad_table
from tenka.look.triangles import depth_of
from tenka.scene.cameras import view_of
from tenka.scene.meshes import Mesh, primitive

ODD = (np.nan, np.inf, -np.inf, 3e38, -3e38)
ZEROS = {"ZERO", "none", "zero", "0.0", "np.float32(0.0)"}


@pytest.mark.parametrize("value", ODD)
def test_a_pixel_that_is_no_number_is_developed_and_its_neighbours_are_as_ever(value: float):
    light = np.full((4, 6, 3), 0.2, np.float32)
    usual = develop(light, 0.0)
    light[2, 3] = value
    found = develop(light, 0.0)
    assert (np.delete(found.reshape(-1, 3), 15, axis=0) == np.delete(usual.reshape(-1, 3), 15, axis=0)).all()
    if np.isnan(value):
        assert found[2, 3].max() <= 1  # grain alone
    assert 0.0 <= in_srgb(np.float32(value), SRGB_TABLE) <= 1.0


@pytest.mark.parametrize("value", ODD)
@pytest.mark.parametrize("field", ("density", "temperature", "dye"))
def test_a_frame_of_gas_with_what_is_no_number_is_drawn(field: str, value: float):
    frame = frame_of(np.full((12, 12, 12), 0.5), 0.15, 900.0, (-0.9, -0.9, 0.0))
    if field == "dye":
        frame.dye = np.full((12, 12, 12, 4), 0.5, np.float32)
    held = getattr(frame, field)
    held[4:6, 5, 6] = value
    effect = small_effect()
    camera = effect.camera.model_copy(update={"distance": 5.0})
    drawn = Renderer().draw(
        frame, Look(carried=1.0), effect.light, view_of(camera, 60, 40), primitive("box", (0.4, 0.3, 0.2)), 1
    )
    assert drawn.rgb.shape == (40, 60, 3)


@pytest.mark.parametrize("value", ODD)
@pytest.mark.parametrize("part", ("at", "half", "turn", "place", "texels"))
def test_a_sprite_with_what_is_no_number_leaves_the_picture_as_it_is_or_hides_it(part: str, value: float):
    parts = {
        "at": np.array([[8.0, 8.0, 5.0]]),
        "half": np.array([[5.0, 5.0]]),
        "turn": np.array([[1.0, 0.0]]),
        "place": np.array([1.5]),
        "texels": np.array([1.0]),
    }
    parts[part][...] = value
    quads = quad_table(frames=4, opacity=np.ones(1), per_px=np.ones(1), **parts)  # type: ignore[arg-type]
    levels = (np.full((16, 16, 4), 0.5, np.float32),)
    cuts = np.tile(np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]] + [[-1, 1]] * 4, np.float32), (4, 1, 1))
    image = np.zeros((16, 16, 3), np.float32)
    draw_quads(quads, levels, (2, 8, 8, 0), np.full((16, 16), 9.0, np.float32), 0.0, True, image, cuts=cuts)


def test_triangles_far_beyond_a_picture_end_and_draw_nothing_outside_of_it():
    rng = np.random.default_rng(3)
    view = flat_view((0, -5, 0), (0, 1, 0), (1, 0, 0), (0, 0, 1), 1.0, 24)
    for size in (1e3, 1e9, 1e18, 1e30):
        points = ((rng.random((300, 3)) - 0.5) * size).astype(np.float32)
        mesh = Mesh(points, np.arange(300, dtype=np.int32).reshape(-1, 3), np.ones((100, 3), np.float32))
        assert depth_of(mesh, view).shape == (24, 24)


def loose_clamps(file: Path) -> Iterator[str]:
    """Places of kernels where `min(max(x, 0), top)` gives NaN for NaN: with the bound first it gives 0."""
    source = file.read_text()
    if "tenka.base.jit import kernel" not in source:
        return
    for node in ast.walk(ast.parse(source)):
        match node:
            case ast.Call(
                func=ast.Name("min"), args=[ast.Call(func=ast.Name("max"), args=[value, ast.AST() as low]), _]
            ):
                if ast.unparse(low) in ZEROS and ast.unparse(value) not in ZEROS:
                    yield f"{file.name}:{node.lineno}"


def test_kernels_keep_indices_in_bounds_with_the_bound_first():
    found = [hit for f in Path(tenka.__path__[0]).rglob("*.py") for hit in loose_clamps(f)]
    assert found == []
