"""What a renderer keeps between pictures, and what it must not."""

from __future__ import annotations

import numpy as np
import pytest
from build import frame_of, small_effect

from tenka.cache.store import Frame
from tenka.effect.model import Effect, Look
from tenka.look import render
from tenka.look.flip import flip_error as flip
from tenka.look.render import Renderer, Shot
from tenka.scene.cameras import view_of
from tenka.scene.meshes import primitive


@pytest.fixture
def counted(monkeypatch: pytest.MonkeyPatch) -> dict[str, int]:
    """How often each costly part is computed."""
    calls = {"light_volume": 0, "depth_of": 0, "see": 0, "shade": 0}
    for name in calls:
        whole = getattr(render, name)

        def count(*args: object, name: str = name, whole: object = whole, **named: object) -> object:
            calls[name] += 1
            return whole(*args, **named)  # type: ignore[operator]

        monkeypatch.setattr(render, name, count)
    return calls


def cloud() -> Frame:
    blob = np.exp(-((np.indices((16, 16, 16)) - 7.5) ** 2).sum(axis=0) / 20).astype(np.float32)
    return frame_of(blob, 0.12, origin=(-1, -1, 0))


def draw(
    renderer: Renderer, frame: Frame, effect: Effect, look: Look, distance: float = 6.0, coarse: int = 2
) -> np.ndarray:
    camera = effect.camera.model_copy(update={"distance": distance})
    return renderer.draw(frame, look, effect.light, view_of(camera, 96, 64), MESH, coarse).rgb.astype(int)


MESH = primitive("box", (0.4, 0.3, 0.2))


def test_the_same_picture_again_computes_nothing_but_the_march(counted: dict[str, int]):
    renderer, frame, effect = Renderer(), cloud(), small_effect()
    first = draw(renderer, frame, effect, Look())
    before = dict(counted)
    np.testing.assert_array_equal(draw(renderer, frame, effect, Look()), first)
    assert counted == before


def test_a_camera_move_keeps_the_light(counted: dict[str, int]):
    renderer, frame, effect = Renderer(), cloud(), small_effect()
    near, far = draw(renderer, frame, effect, Look(), 5.0), draw(renderer, frame, effect, Look(), 9.0)
    assert counted["light_volume"] == 1 and counted["depth_of"] == 1 and counted["see"] == 2
    assert np.abs(near - far).mean() > 1


def test_another_frame_is_lit_anew_and_keeps_the_backdrop(counted: dict[str, int]):
    renderer, effect = Renderer(), small_effect()
    draw(renderer, cloud(), effect, Look())
    draw(renderer, cloud(), effect, Look())
    assert counted["light_volume"] == 2 and counted["shade"] == 1


@pytest.mark.parametrize(
    "change",
    (
        {"heading": 120.0},
        {"height": 70.0},
        {"strength": 0.5},
        {"kelvin": 2500.0},
        {"sky": 2.0},
        {"exposure": 1.0},
    ),
)
def test_every_setting_of_the_light_changes_the_picture(change: dict[str, float]):
    renderer, frame, effect = Renderer(), cloud(), small_effect()
    plain = draw(renderer, frame, effect, Look())
    other = effect.model_copy(update={"light": effect.light.model_copy(update=change)})
    assert np.abs(draw(renderer, frame, other, Look()) - plain).max() > 4


@pytest.mark.parametrize(
    "change",
    (
        {"extinction": 30.0},
        {"shadow": 0.0},
        {"forward": 0.9},
        {"ambient": 4.0},
        {"full_density": 0.2},
        {"extinction": 1.0},
    ),
)
def test_every_setting_of_the_look_changes_the_picture(change: dict[str, float]):
    renderer, frame, effect = Renderer(), cloud(), small_effect()
    plain = draw(renderer, frame, effect, Look())
    assert np.abs(draw(renderer, frame, effect, Look(**change)) - plain).max() > 4  # type: ignore[arg-type]


def test_glow_shows_only_where_gas_is_hot():
    renderer, effect = Renderer(), small_effect()
    cold = cloud()
    hot = Frame(
        cold.density,
        np.full(cold.density.shape, 1600.0, np.float32),
        cold.velocity,
        cold.origin,
        cold.voxel,
        0.0,
    )
    plain, warm = draw(renderer, cold, effect, Look(glow=3.0)), draw(renderer, hot, effect, Look(glow=3.0))
    assert (warm - plain)[..., 0].max() > 20 and (warm - plain)[..., 0].max() > (warm - plain)[..., 2].max()


def test_particles_are_lit_anew_when_the_look_of_a_gas_changes():
    """It dims the sun for them and lights them, by its look."""
    from tenka.effect.model import PointLook
    from tenka.look.swarm import Swarm
    from tenka.particles.state import FREE, Points

    f32 = np.float32
    one = Points(
        np.zeros(1, np.int64),
        np.zeros(1),
        np.ones(1, f32),
        np.array([[0.0, 0.0, 0.9]], f32),
        np.zeros((1, 3), f32),
        np.full(1, 0.3, f32),
        np.zeros(1, f32),
        np.zeros(1, np.int16),
        np.zeros(1, np.uint8),
        np.full(1, FREE, np.int8),
        np.ones((1, 3), f32),
    )
    swarm = Swarm(one, 0.0, PointLook(lit=1.0, vary=0.0), np.array([1.0], f32))
    frame, effect, renderer = cloud(), small_effect(), Renderer()
    view = view_of(effect.camera.model_copy(update={"distance": 6.0}), 96, 64)

    def drawn(with_: Renderer, look: Look) -> np.ndarray:
        return with_.draw_shot(render.Shot([(frame, look)], MESH, [swarm]), effect.light, view).linear

    drawn(renderer, Look(extinction=0.5))
    thick = Look(extinction=60.0)
    np.testing.assert_array_equal(drawn(renderer, thick), drawn(Renderer(), thick))


@pytest.mark.parametrize("coarse", (2, 3, 4))
def test_a_first_picture_is_near_its_refined_one(coarse: int):
    """At most 0.06 of FLIP (Andersson et al. 2020), whose 0 is the same and 1 the utmost difference."""
    renderer, frame, effect = Renderer(), cloud(), small_effect()
    view = view_of(effect.camera.model_copy(update={"distance": 6.0}), 240, 150)
    first = renderer.draw(frame, Look(), effect.light, view, MESH, coarse).rgb
    refined = Renderer().draw_shot(Shot([(frame, Look())], MESH), effect.light, view, 1, 32).rgb
    assert 0.0 < flip(refined, first) < 0.06
