"""Looks: kept, read again, laid; flames by a ramp; dense gas as a wet surface."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
from build import flat_view, frame_of, small_effect

from tenka.base.errors import BadInput
from tenka.effect import looks
from tenka.effect.courses import Key, Keys
from tenka.effect.document import replaced
from tenka.effect.looks import STARTING, fits, keep, kept_looks, laid, load
from tenka.effect.model import Light, Look, ParticleLayer, PointLook, ramp
from tenka.look.colour import FLAME_ENDS, HOTTEST, LUT, flame_colours, flame_table
from tenka.look.march import march
from tenka.look.shot import shot_of
from tenka.look.volume import light_volume
from tenka.scene.cameras import sun_direction
from tenka.scene.meshes import joined

LUMINANCE = np.array([0.2126, 0.7152, 0.0722])


def test_there_are_ten_looks_to_begin_with_that_all_differ():
    assert len(STARTING) == 10 and len(set(STARTING.values())) == 10


@pytest.mark.parametrize("name", list(STARTING))
def test_a_starting_look_is_kept_read_again_and_laid_as_it_was(name: str, tmp_path: Path):
    file = keep(STARTING[name], name, b"picture", tmp_path)
    assert file.with_suffix(".png").read_bytes() == b"picture"
    found, look = load(file)
    assert (found, look) == (name, STARTING[name])
    effect = laid(small_effect(), "puff", look)
    assert effect.layer("puff").look == STARTING[name]
    assert effect.with_layer(small_effect().layer("puff")) == small_effect()  # and nothing else changed


def test_a_look_of_particles_is_kept_too_and_does_not_fit_a_gas(tmp_path: Path):
    dots = ParticleLayer(id="dots", name="Dots", look=PointLook(form="streak", meets=""))
    effect = small_effect()
    effect = effect.with_layers((*effect.layers, dots))
    keep(dots.look, "Streaks", folder=tmp_path)
    keep(Look(), "Plain", folder=tmp_path)
    (plain, _, _), (streaks, look, _) = kept_looks(tmp_path)
    assert (plain, streaks) == ("Plain", "Streaks")
    assert fits(look, dots) and not fits(look, effect.layers[0])
    with pytest.raises(BadInput, match="cannot be laid"):
        laid(effect, "puff", look)
    other = laid(effect, "dots", PointLook(form="disc", meets="nobody"))
    assert other.layer("dots").look.meets == "" and other.layer("dots").look.form == "disc"


@pytest.mark.parametrize(
    "text", ("", "[]", "{}", '{"tenka_look": 99}', '{"tenka_look": 1, "name": "x", "kind": "gas"}', "\x00")
)
def test_a_file_that_is_no_look_is_one_sentence_and_left_out_of_the_list(text: str, tmp_path: Path):
    keep(Look(), "Good", folder=tmp_path)
    bad = tmp_path / "bad.json"
    bad.write_text(text)
    with pytest.raises(BadInput) as said:
        load(bad)
    assert len(str(said.value).splitlines()) == 1
    assert [name for name, _, _ in kept_looks(tmp_path)] == ["Good"]


def test_a_look_without_a_name_is_refused_and_a_second_takes_the_place_of_the_first(tmp_path: Path):
    with pytest.raises(BadInput, match="no name"):
        keep(Look(), "   ", folder=tmp_path)
    keep(Look(), "Mine", b"old", tmp_path)
    keep(Look(glow=3.0), "Mine", folder=tmp_path)
    ((_, look, file),) = kept_looks(tmp_path)
    assert look == Look(glow=3.0) and not file.with_suffix(".png").exists()
    assert json.loads(file.read_text())["tenka_look"] == looks.VERSION


def test_flames_by_a_ramp_have_its_hue_and_are_as_bright_as_their_heat():
    green = ramp((0.0, (0.0, 0.4, 0.1)), (1.0, (0.6, 1.0, 0.7)))
    own, plain = flame_colours(green), flame_table()
    assert flame_colours(None) is plain and own.shape == (LUT, 3)
    kelvin = np.linspace(288.0, HOTTEST, LUT)
    hot = kelvin > FLAME_ENDS + 100
    np.testing.assert_allclose((own @ LUMINANCE)[hot], (plain @ LUMINANCE)[hot], rtol=1e-4)
    assert (own[hot, 1] > own[hot, 0]).all() and (own[hot, 1] > own[hot, 2]).all()
    assert own[kelvin < FLAME_ENDS - 20].max() == 0.0


def block(n: int = 32) -> np.ndarray:
    """A ball with a firm skin."""
    far = np.sqrt(((np.indices((n, n, n)) - (n - 1) / 2) ** 2).sum(axis=0))
    return np.clip((0.35 * n - far) / 2.0, 0.0, 1.0).astype(np.float32)


def seen(look: Look, light: Light, px: int = 48) -> tuple[np.ndarray, np.ndarray]:
    frame = frame_of(block(), 2.0 / 32, origin=(-1, -1, -1))
    view = flat_view((0, -3, 0), (0, 1, 0), (1, 0, 0), (0, 0, 1), 0.9, px)
    found = march(light_volume(frame, look, light), view)
    return found[..., :3].sum(axis=2), found[..., 3]


GREY = ramp((0.0, (0.2, 0.2, 0.2)), (1.0, (0.2, 0.2, 0.2)))
CLAY = Look(colour=GREY, extinction=120.0, forward=0.0, glow=0.0, flame=0.0)


def test_a_wet_surface_is_shaded_by_its_form_as_lambert_has_it():
    """Without the sky, the light of a ball goes with the cosine to the sun, but for the highlight."""
    light = Light(heading=-140.0, height=20.0, sky=0.0, strength=2.0)
    wet, alpha = seen(CLAY.model_copy(update={"wet": 1.0, "ambient": 0.0}), light)
    towards = sun_direction(-140.0, 20.0)
    at = (np.arange(48) + 0.5) / 24 * 0.9 - 0.9
    x, z = np.meshgrid(at, -at)
    radius = 0.66
    inside = np.hypot(x, z) < 0.8 * radius
    y = -np.sqrt(np.maximum(radius**2 - x**2 - z**2, 0.0))
    cosine = (x * towards[0] + y * towards[1] + z * towards[2]) / radius
    assert alpha[inside].min() > 0.98
    there = inside & (cosine > 0.15) & (cosine < 0.75)  # beside the highlight
    slope, start = np.polyfit(cosine[there], wet[there], 1)
    assert slope > 0 and abs(start) < 0.25 * slope
    assert np.corrcoef(cosine[there], wet[there])[0, 1] > 0.94  # voxels round it off
    dry, _ = seen(CLAY.model_copy(update={"ambient": 0.0}), light)
    assert np.corrcoef(cosine[there], dry[there])[0, 1] < np.corrcoef(cosine[there], wet[there])[0, 1]


def test_the_highlight_is_where_the_mirror_of_the_sun_is():
    light = Light(heading=-140.0, height=20.0, sky=0.0, strength=2.0)
    look = CLAY.model_copy(
        update={"wet": 1.0, "ambient": 0.0, "colour": ramp((0, (0.0, 0, 0)), (1, (0.0, 0, 0)))}
    )
    wet, _ = seen(look, light, 96)
    half = sun_direction(-140.0, 20.0) + np.array([0.0, -1.0, 0.0])
    half /= np.linalg.norm(half)
    j, i = np.unravel_index(int(np.argmax(wet)), wet.shape)
    place = np.array([((i + 0.5) / 48 - 1) * 0.9, -((j + 0.5) / 48 - 1) * 0.9])
    np.testing.assert_allclose(place, 0.68 * half[[0, 2]], atol=0.07)
    assert wet.max() > 8 * np.median(wet[wet > 0])


def test_a_look_follows_courses():
    effect = small_effect()
    fades = Keys(keys=(Key(t=0.0, v=10.0, ease="linear"), Key(t=0.5, v=0.0, ease="linear")))
    effect = replaced(effect, "layers.puff.look.extinction", fades)
    frame = frame_of(block(16), 0.1)
    for t, value in ((0.0, 10.0), (0.25, 5.0), (1.0, 0.0)):
        shot = shot_of(effect, {"puff": frame}, None, t, joined([]))
        assert math.isclose(shot.gases[0][1].extinction, value)
