"""Inputs that once failed in the fuzzer which draws what it read, each as small as it can be."""

from __future__ import annotations

import numpy as np
import pytest
from build import frame_of, small_effect
from pydantic import ValidationError
from routes import many_ways

from tenka.base.errors import BadInput
from tenka.budget.cost import ledger
from tenka.effect.document import replaced
from tenka.effect.model import Look
from tenka.look.render import Renderer
from tenka.look.swarm import life_of
from tenka.package.elements.bodies import Bodies
from tenka.particles.state import Points
from tenka.scene.cameras import view_of
from tenka.scene.meshes import primitive


def test_pieces_whose_first_triangles_fall_are_refused():
    fields = {
        "id": "b",
        "name": "B",
        "layers": ("B",),
        "times": (0.0,),
        "mesh": {"file": "b.glb"},
        "places": {"file": "p.exr"},
        "turns": {"file": "t.exr"},
        "pieces": 2,
        "triangles": 8,
        "form": "textures",
        "precision": "float",
        "low": (0, 0, 0),
        "high": (1, 1, 1),
    }
    assert Bodies.model_validate({**fields, "starts": (0, 4, 8)}).pieces == 2
    for starts in ((0, 5, 4), (0, 4, 9)):
        with pytest.raises(ValidationError, match="must rise"):
            Bodies.model_validate({**fields, "starts": starts})


def test_particles_of_a_source_that_is_not_there_any_more_are_drawn():
    n = 3
    fields = {name: np.zeros((n, *array.shape[1:]), array.dtype) for name, array in Points().arrays().items()}
    fields |= {"life": np.full(n, np.inf, np.float32), "source": np.array([-16384, 0, 500], np.int16)}
    assert np.isfinite(life_of(Points(**fields), 1.0, np.array([2.0], np.float32))).all()


@pytest.mark.parametrize("value", (np.nan, np.inf, 3e38))
def test_a_fire_whose_light_is_nowhere_is_drawn(value: float):
    frame = frame_of(np.full((10, 10, 10), 0.4), 0.15, 1500.0, (-0.7, -0.7, 0.0))
    frame.flame = np.full((10, 10, 10), 0.5, np.float32)
    frame.flame[4, 4, 4] = value
    effect = small_effect()
    view = view_of(effect.camera, 60, 40)
    drawn = Renderer().draw(frame, Look(), effect.light, view, primitive("box", (0.4, 0.3, 0.2)), 1)
    assert drawn.rgb.shape == (40, 60, 3)


def test_what_a_manifest_cannot_hold_is_a_sentence_where_it_is_counted():
    effect = many_ways()
    gas = effect.gases[0]
    effect = replaced(effect, f"layers.{gas.id}.domain.size", (1000.0, 1000.0, 1000.0))
    effect = replaced(effect, f"layers.{gas.id}.domain.voxel", 0.01)
    with pytest.raises(BadInput, match="cannot be delivered so"):
        ledger(effect, effect.tiers[0].id)
