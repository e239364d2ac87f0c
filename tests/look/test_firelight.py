"""A light fitted to a fire: its power, place, hue and flicker are those of the gas; tables of lights."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import numpy as np
import pytest
from build import frame_of, small_effect
from command import command

from tenka.base.errors import BadInput
from tenka.effect.additions import without_layer
from tenka.effect.courses import Key, Keys, Wave, curve, value_at
from tenka.effect.lights import SceneLight
from tenka.effect.model import Effect, Light, Look
from tenka.effect.storage import load, save
from tenka.effect.things import as_text, duplicated, pasted, removed
from tenka.look.firelight import fitted, lights_csv, thinned
from tenka.look.lamps import lamp_at
from tenka.look.render import Renderer, Shot
from tenka.look.shot import shot_of
from tenka.look.volume import light_volume
from tenka.scene.cameras import view_of
from tenka.scene.meshes import box


def flames(t: float):
    """A ball of flame that swings along x and flickers."""
    n, h = 32, 3.0 / 32
    x = (np.indices((n, n, n)) + 0.5) * h
    at = np.array([1.5 + 0.5 * np.sin(2 * np.pi * t), 1.5, 1.2])[:, None, None, None]
    ball = np.exp(-((x - at) ** 2).sum(axis=0) / 0.09).astype(np.float32)
    frame = frame_of(0.2 * ball, h, origin=(-1.5, -1.5, 0.0), temperature=1300.0)
    frame.flame = (1.0 + 0.6 * np.sin(6 * np.pi * t)) * ball
    return frame


def burning() -> Effect:
    effect = small_effect()
    layer = effect.layers[0].model_copy(update={"look": Look(flame=4.0, flame_opacity=0.3)})
    return effect.model_copy(update={"layers": (layer,), "light": Light(strength=0.5)})


TIMES = np.linspace(0.0, 1.0, 25)


def test_the_fitted_light_gives_what_the_fire_gives_where_it_is_and_as_it_flickers():
    effect = burning()
    layer = effect.layers[0]
    light = fitted(effect, layer, ((t, flames(t)) for t in TIMES))
    lamps = [light_volume(flames(t), layer.look, effect.light).lamp for t in TIMES]
    rows = np.array([lamp_at(light, effect, float(t)).row for t in TIMES])
    power = np.array([lamp.strength for lamp in lamps])
    np.testing.assert_allclose(rows[:, 3:6].mean(axis=1), power.mean(axis=1), rtol=0.06)
    np.testing.assert_allclose(rows[:, 3:6].mean(axis=0), power.mean(axis=0), rtol=0.05)
    np.testing.assert_allclose(rows[:, :3], [lamp.place for lamp in lamps], atol=0.08)
    swing = rows[:, 0]
    assert np.ptp(swing) == pytest.approx(1.0, abs=0.1) and np.ptp(rows[:, 1]) < 0.05
    assert 1000 <= value_at(light.kelvin, 0.0) <= 3500 and light.stands_for == layer.id
    assert isinstance(light.strength, Keys) and len(light.strength.keys) < len(TIMES)


def test_a_cold_gas_is_refused_in_a_sentence():
    effect = small_effect()
    cold = frame_of(np.ones((8, 8, 8), np.float32), 0.1)
    with pytest.raises(BadInput, match="gives off no light"):
        fitted(effect, effect.layers[0], [(0.0, cold), (0.1, cold)])


@pytest.mark.parametrize("count", (2, 30, 300))
def test_thinned_keys_stay_as_near_as_they_must(count: int):
    times = np.linspace(0, 4, count)
    values = 3 + np.sin(times) + 0.2 * np.sin(9 * times)
    found = thinned(times, values, 0.05)
    np.testing.assert_allclose(curve(found, times), values, atol=0.0502)
    assert isinstance(found, Keys) and len(found.keys) <= min(count, 60)
    assert thinned(times, np.full(count, 2.0), 0.01) == 2.0


def test_a_light_that_stands_for_a_fire_takes_the_place_of_what_that_throws():
    """On the set the two are alike, and with both it is not twice as bright."""
    effect = burning().model_copy(update={"light": Light(strength=0.0, sky=0.0)})
    layer = effect.layers[0]
    light = fitted(effect, layer, ((t, flames(t)) for t in TIMES))
    both = effect.model_copy(update={"lights": (light,)})
    view = view_of(effect.camera.model_copy(update={"target": (0, 0, 0.5), "distance": 8}), 96, 64)
    floor = box((6, 6, 0.05), (0.5, 0.5, 0.5))
    t = float(TIMES[9])

    def drawn(of: Effect) -> tuple[np.ndarray, np.ndarray]:
        shot: Shot = shot_of(of, {layer.id: flames(t)}, None, t, floor)
        found = Renderer().draw_shot(shot, of.light, view)
        return found.linear.mean(axis=2), found.alpha

    (own, alpha), (stood, _) = drawn(effect), drawn(both)
    set_ = (alpha == 0) & (own > 0.02 * own.max())
    assert set_.sum() > 300
    assert stood[set_].mean() == pytest.approx(own[set_].mean(), rel=0.15)


def test_lights_are_copied_doubled_taken_away_and_let_go_of_their_gas(tmp_path: Path):
    effect = burning()
    light = SceneLight(id="l", name="Glow", stands_for=effect.layers[0].id)
    effect = effect.model_copy(update={"lights": (light,)})
    twice, path = duplicated(effect, "lights.l")
    assert path == "lights.l_2" and len(twice.lights) == 2
    other, _ = pasted(Effect(name="Other"), as_text(effect, "lights.l"), "")
    assert other.lights[0].name == "Glow" and other.lights[0].stands_for == ""
    assert not removed(effect, "lights.l").lights
    assert without_layer(effect, effect.layers[0].id).lights[0].stands_for == ""
    save(twice, tmp_path / "two.tenka")
    assert load(tmp_path / "two.tenka") == twice
    wrong = (
        (tmp_path / "two.tenka")
        .read_text()
        .replace(f'"stands_for": "{effect.layers[0].id}"', '"stands_for": "no"')
    )
    (tmp_path / "wrong.tenka").write_text(wrong)
    with pytest.raises(BadInput, match="stands for the gas"):
        load(tmp_path / "wrong.tenka")


def test_the_table_of_lights_holds_each_in_each_frame(tmp_path: Path):
    moving = Keys(keys=(Key(t=0, v=0, ease="linear"), Key(t=1, v=2, ease="linear")))
    one = SceneLight(
        id="a", name='Lamp "A", left', position=(1, 2, 3), strength=Wave(base=2, amount=1, period=1)
    )
    two = SceneLight(id="b", name="B", shift_z=moving)
    effect = small_effect().model_copy(update={"lights": (one, two)})
    rows = list(csv.DictReader(io.StringIO(lights_csv(effect))))
    assert len(rows) == 2 * effect.frames and rows[0]["light"] == 'Lamp "A", left'
    row = rows[effect.frames + 6]
    t = 6 / effect.rate
    assert float(row["time_s"]) == pytest.approx(t) and float(row["z_m"]) == pytest.approx(1.5 + 2 * t)
    bright = [float(r["green"]) for r in rows[: effect.frames]]
    assert max(bright) / min(bright) > 1.5
    save(effect, tmp_path / "own.tenka")
    out = command("lights", tmp_path / "own.tenka", "--out", tmp_path / "lights.csv", "--json")
    assert out.code == 0 and (tmp_path / "lights.csv").read_text() == lights_csv(effect)
    assert command("lights", tmp_path / "own.tenka").code == 2
    assert command("lights", tmp_path / "own.tenka", "--fit", "nobody").code == 2
