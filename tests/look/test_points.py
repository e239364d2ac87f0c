"""Particles in pictures: cover, colour, order, shade, trails, copies."""

from __future__ import annotations

import numpy as np
import pytest
from build import frame_of

from tenka.effect.model import (
    AMBIENT_KELVIN,
    DebrisLayer,
    Effect,
    Light,
    Look,
    ParticleLayer,
    PointLook,
    Prop,
    ramp,
)
from tenka.look.colour import black_body_colour
from tenka.look.lamps import widened
from tenka.look.points import paint, splats_of
from tenka.look.render import Renderer, Shot
from tenka.look.shot import shot_of
from tenka.look.sprites import Book
from tenka.look.swarm import Swarm, colours_of, range_of, ready, thinned, turned, values_by
from tenka.particles.state import FREE, Points
from tenka.run.frames import PointFrame
from tenka.scene.cameras import View
from tenka.scene.meshes import joined, primitive

NOTHING = joined([])
SHINING = PointLook(
    form="disc",
    lit=0.0,
    self_shadow=0.0,
    vary=0.0,
    colour=ramp((0.0, (1.0, 0.0, 0.0)), (1.0, (0.0, 0.0, 1.0))),
    opacity_over=ramp((0, 1), (1, 1)),
)
LIVES = np.array([1.0], np.float32)


def points(
    *places: tuple[float, float, float],
    width: float = 0.5,
    age: float = 0.0,
    velocity: tuple[float, float, float] = (0, 0, 0),
    **changes: np.ndarray,
) -> Points:
    n, f32 = len(places), np.float32
    p = Points(
        np.arange(n, dtype=np.int64),
        np.full(n, -age),
        np.full(n, 1.0, f32),
        np.array(places, f32),
        np.tile(np.array(velocity, f32), (n, 1)),
        np.full(n, width, f32),
        np.zeros(n, f32),
        np.zeros(n, np.int16),
        np.zeros(n, np.uint8),
        np.full(n, FREE, np.int8),
        np.zeros((n, 3), f32),
    )
    for name, value in changes.items():
        setattr(p, name, value)
    return p


def along_y(width: int = 64, height: int = 64) -> View:
    """From -y, orthographic, two metres each way."""
    return View(
        np.array([0.0, -5.0, 0.0]),
        np.array([0.0, 1.0, 0.0]),
        np.array([1.0, 0.0, 0.0]),
        np.array([0.0, 0.0, 1.0]),
        1.0,
        width,
        height,
        True,
    )


def painted(
    p: Points,
    look: PointLook,
    view: View | None = None,
    back: float = 0.0,
    light: Light | None = None,
    **more: object,
) -> np.ndarray:
    view = view or along_y()
    image, alpha = (
        np.full((view.height, view.width, 3), back, np.float32),
        np.zeros((view.height, view.width), np.float32),
    )
    paint(
        splats_of(ready(Swarm(p, 0.0, look, LIVES, **more), light or Light()), view),
        np.full(image.shape[:2], 1e9, np.float32),
        image,
        alpha,
    )  # type: ignore[arg-type]
    return image


def test_a_disc_covers_its_area_in_its_colour():
    image = painted(points((0, 0, 0)), SHINING)
    assert image[..., 0].sum() == pytest.approx(np.pi * 8**2, rel=0.02) and image[..., 1:].max() == 0
    assert image[32, 32, 0] == 1.0


def test_a_particle_smaller_than_a_pixel_gives_what_its_area_gives():
    small = painted(points((0.01, 0, 0.01), width=0.01), SHINING)
    assert small.sum() == pytest.approx(np.pi * 0.16**2, rel=0.25)


def test_from_added_light_to_a_body_that_hides():
    p = points((0, 0, 0))
    for opaque, wanted in ((0.0, 1.5), (0.5, 1.25), (1.0, 1.0)):
        image = painted(p, SHINING.model_copy(update={"opaque": opaque}), back=0.5)
        assert image[32, 32, 0] == pytest.approx(wanted)


def test_nearer_ones_hide_those_behind_whatever_their_order():
    behind, before = (0, 1, 0), (0, -1, 0)
    for order in ((behind, before), (before, behind)):
        p = points(*order)
        p.born = np.where(p.place[:, 1] < 0, -1.0, 0.0)  # the nearer one is old: blue
        assert painted(p, SHINING)[32, 32].tolist() == pytest.approx([0.0, 0.0, 1.0], abs=0.02)


def test_props_hide_particles_behind_them_and_gas_dims_them():
    light, look = Light(), SHINING.model_copy(update={"brightness": 4.0})
    view = along_y(48, 48)
    wall = primitive("box", (0.2, 0.2, 0.2)).moved(
        primitive("box", (0.2, 0.2, 0.2)).points * np.array([4, 0.1, 4]) - np.array([0, 0, 2])
    )

    def red(p: Points, gases: list, mesh=NOTHING) -> float:
        return float(
            Renderer()
            .draw_shot(Shot(gases, mesh, [Swarm(p, 0.0, look, LIVES)]), light, view)
            .linear[24, 24, 0]
        )

    assert red(points((0, 1, 0)), [], wall) < 0.5 < 3.0 < red(points((0, -1, 0)), [], wall)
    smoke = [(frame_of(np.full((10, 10, 10), 1.0), 0.2, origin=(-1, -1, -1)), Look(extinction=2.0))]
    before, within, behind = (red(points((0, y, 0)), smoke) for y in (-2.0, 0.0, 2.0))
    assert before > 3.5 > within > 2 * behind


def test_heat_is_the_colour_of_a_black_body():
    p = points((0, 0, 0), heat=np.array([2000.0 - AMBIENT_KELVIN], np.float32))
    found = colours_of(SHINING.model_copy(update={"colour_by": "heat"}), p, 0.0, np.zeros(1), None)[0]
    assert found / found[0] == pytest.approx(
        black_body_colour(2000.0) / black_body_colour(2000.0)[0], abs=0.02
    )


def test_a_range_is_stated_or_fitted_and_may_repeat():
    look = SHINING.model_copy(update={"colour_by": "height", "colour_low": 0.0, "colour_high": 10.0})
    p = points((0, 0, 2), (0, 0, 4), (0, 0, 6))
    values = values_by(look, p, 0.0, np.zeros(3), None)
    assert range_of(look, values) == (0.0, 10.0) and range_of(
        look.model_copy(update={"fit": True}), values
    ) == (2.0, 6.0)
    fitted = colours_of(look.model_copy(update={"fit": True}), p, 0.0, np.zeros(3), None)
    assert fitted[0].tolist() == [1, 0, 0] and fitted[2].tolist() == [0, 0, 1]
    again = colours_of(look.model_copy(update={"repeats": 5.0}), p, 0.0, np.zeros(3), None)
    assert np.allclose(again[0], again[1], atol=0.02)


def test_what_they_meet_in_a_gas_colours_them():
    dense = np.zeros((10, 10, 10))
    dense[5:] = 2.0
    gas = frame_of(dense, 0.2, temperature=300.0, origin=(-1, -1, -1))
    p = points((-0.5, 0, 0), (0.5, 0, 0))
    look = SHINING.model_copy(update={"colour_by": "gas density", "colour_high": 2.0})
    assert colours_of(look, p, 0.0, np.zeros(2), gas).tolist() == [[1, 0, 0], [0, 0, 1]]
    assert values_by(
        look.model_copy(update={"colour_by": "gas heat"}), p, 0.0, np.zeros(2), gas
    ) == pytest.approx(300 + AMBIENT_KELVIN)


def test_carried_colour_and_look_colour_are_kept_apart():
    p = points((0, 0, 0), colour=np.array([[0.0, 1.0, 0.0]], np.float32))
    for share, wanted in ((0.0, (1, 0, 0)), (1.0, (0, 1, 0)), (0.25, (0.75, 0.25, 0))):
        assert colours_of(SHINING.model_copy(update={"carried": share}), p, 0.0, np.zeros(1), None)[
            0
        ] == pytest.approx(wanted)


@pytest.mark.parametrize("ease, middle", [("straight", 0.5), ("eased", 0.5), ("held", 0.0), ("through", 0.5)])
def test_ramps_run_straight_eased_held_or_smooth(ease: str, middle: float):
    from tenka.look.colour import ramp_table

    r = ramp((0.0, 0.0), (1.0, 1.0), ease=ease)  # type: ignore[arg-type]
    table = ramp_table(r, 101)
    assert table[50] == pytest.approx(middle, abs=0.02) and table[0] == 0 and table[100] == 1
    assert table[10] == pytest.approx(
        {"straight": 0.1, "eased": 0.028, "held": 0.0, "through": 0.1}[ease], abs=0.02
    )


def test_they_shade_each_other_on_the_side_away_from_the_sun():
    rng = np.random.default_rng(3)
    p = points(*(rng.normal(size=(4000, 3)) * 0.25).tolist(), width=0.05)
    look = PointLook(form="disc", vary=0.0, self_shadow=1.0, colour=ramp((0.0, (1, 1, 1)), (1.0, (1, 1, 1))))
    light = Light(heading=0.0, height=5.0, sky=0.0)
    colour = ready(Swarm(p, 0.0, look, LIVES), light).colour[:, 0]
    lit, dark = colour[p.place[:, 0] > 0.3].mean(), colour[p.place[:, 0] < -0.3].mean()
    assert lit > 2 * dark
    alone = ready(Swarm(p, 0.0, look.model_copy(update={"self_shadow": 0.0}), LIVES), light).colour[:, 0]
    assert np.ptp(alone) < 1e-5


def test_streaks_are_as_long_as_the_way_of_their_time():
    look = SHINING.model_copy(update={"form": "streak", "streak": 0.1, "softness": 0.0})
    image = painted(points((0.5, 0, 0), width=0.1, velocity=(10, 0, 0)), look)[..., 0]
    lit = np.flatnonzero(image.max(axis=0) > 0.2)
    assert lit[-1] - lit[0] == pytest.approx(32 + 3, abs=3) and image[32, lit[-3]] > 2 * image[32, lit[3]]


@pytest.mark.parametrize("form", ["ribbon", "tube"])
def test_trails_follow_where_they_were_and_taper(form: str):
    look = SHINING.model_copy(
        update={
            "form": form,
            "trail": 0.5,
            "trail_width": ramp((0, 1), (1, 0.2)),
            "trail_opacity": ramp((0, 1), (1, 0.1)),
        }
    )
    past = tuple(
        (-k / 24, points((0.6 - 2.4 * k / 24, 0, 0.3 * np.sin(k / 2)), velocity=(2.4, 0, 0)))
        for k in range(1, 16)
    )
    p = points((0.6, 0, 0), width=0.2, age=2.0, velocity=(2.4, 0, 0))
    p.life[:] = 10.0
    image = painted(p, look, past=past)
    lit = image.max(axis=2).max(axis=0)
    assert lit[60 - 10] > 0.75 and lit[18] < 0.5
    heights = (image.max(axis=2) > 0.05).sum(axis=0)
    assert heights[48] > heights[20] > 0
    assert np.flatnonzero(heights)[0] == pytest.approx(32 + (0.6 - 1.2) * 32, abs=4)  # half a second back


def test_copies_are_drawn_without_another_simulation_and_sit_round_their_own():
    p = points((0, 0, 0))
    look = SHINING.model_copy(update={"copies": 30, "copies_spread": 0.4, "copies_size": 0.2})
    made = ready(Swarm(p, 0.0, look, LIVES), Light())
    assert len(made) == 30 and np.linalg.norm(made.place, axis=1).max() <= 0.4 and made.width.max() == 0.5
    assert np.array_equal(made.place, ready(Swarm(p, 0.0, look, LIVES), Light()).place)


def test_life_fades_them_by_default_so_that_none_pops():
    for age, wanted in ((0.0, 1.0), (0.99, 0.03)):
        alpha = ready(Swarm(points((0, 0, 0), age=age), 0.0, PointLook(), LIVES), Light()).alpha
        assert float(alpha.max()) == pytest.approx(wanted, abs=0.03)


def test_fewer_stand_for_all_in_the_first_picture():
    rng = np.random.default_rng(1)
    p = points(*rng.random((4000, 3)).tolist(), width=0.02)
    fewer = thinned(p, 8)
    assert len(fewer) == pytest.approx(500, abs=80)
    assert (fewer.width**2).sum() == pytest.approx((p.width**2).sum(), rel=0.2)


def test_turning_is_slower_for_larger_ones_and_dies_away():
    p = points(*[(0, 0, 0)] * 400)
    p.width[200:] = 2.0
    look = PointLook(form="flipbook", turned=0.0, spin=2.0, spin_slower=1.0, spin_fade=1.0)
    one, late = (np.abs(turned(look, p, t)) for t in (0.1, 60.0))
    assert one[:200].mean() > 3 * one[200:].mean()
    assert late.max() <= 2 * np.pi * 2.0 * 1.001  # the whole of a turning that dies away
    assert np.abs(turned(look, p, 0.0)).max() == 0


def test_a_flipbook_is_played_over_life():
    level = np.zeros((8, 16, 4), np.float32)
    level[:, :8] = (1, 0, 0, 1)
    level[:, 8:] = (0, 1, 0, 1)
    book = Book((level,), 2, (8, 8), 0, 2, (1.0, 1.0))
    look = PointLook(form="flipbook", turned=0.0, opacity_over=ramp((0, 1), (1, 1)), lit=0.0)

    def middle(age: float) -> list[float]:
        swarm = Swarm(points((0, 0, 0), width=0.8, age=age), 0.0, look, LIVES, book=book)
        return Renderer().draw_shot(Shot([], NOTHING, [swarm]), Light(), along_y()).linear[32, 32].tolist()

    assert middle(0.0)[0] > 0.9 > 0.1 > middle(0.0)[1] and middle(1.0)[1] > 0.9
    assert middle(0.5)[:2] == pytest.approx([0.5, 0.5], abs=0.05)


def test_pieces_stand_among_the_props_and_a_swapped_prop_is_gone_from_the_burst_on():
    from tenka.effect.model import Pieces, PointSource

    thrown = PointSource(id="s", name="S", rate=0.0, burst=1, burst_at=0.5)
    bits = DebrisLayer(id="bits", name="Bits", sources=(thrown,), pieces=Pieces(make="lumps", swap="pot"))
    effect = Effect(layers=(bits,), props=(Prop(id="pot", name="Pot", shape="sphere"),))
    p = points(
        (0, 0, 1),
        width=0.6,
        turn=np.array([[1, 0, 0, 0]], np.float32),
        spin=np.zeros((1, 3), np.float32),
        still=np.zeros(1, np.float32),
    )
    before, after = (
        shot_of(effect, {"bits": PointFrame(q, t)}, None, t).mesh for q, t in ((Points(), 0.4), (p, 0.6))
    )
    pot = primitive("sphere", (0.5, 0.5, 0.5))
    assert len(before.faces) == len(pot.faces)
    assert len(after.faces) > 0 and np.ptp(after.points, axis=0).max() == pytest.approx(0.6, abs=0.02)
    gone = effect.model_copy(update={"layers": (bits.model_copy(update={"deleted": (0,)}),)})
    assert len(shot_of(gone, {"bits": PointFrame(p, 0.6)}, None, 0.6).mesh.faces) == 0


def test_velocity_ticks_are_lines_from_each_particle():
    look = SHINING.model_copy(update={"ticks": True, "opacity": 0.0})
    swarm = Swarm(points((-0.5, 0, 0), velocity=(8, 0, 0)), 0.0, look, LIVES)
    assert ready(swarm, Light()).ticks.shape == (1, 2, 3)
    plain = (
        Renderer()
        .draw_shot(
            Shot([], NOTHING, [Swarm(swarm.points, 0.0, look.model_copy(update={"ticks": False}), LIVES)]),
            Light(),
            along_y(),
        )
        .linear
    )
    drawn = Renderer().draw_shot(Shot([], NOTHING, [swarm]), Light(), along_y()).linear
    changed = np.flatnonzero(np.abs(drawn - plain).max(axis=2).max(axis=0) > 0.05)
    assert changed[0] == pytest.approx(16, abs=2) and changed[-1] == pytest.approx(16 + 0.8 * 32, abs=2)


def test_a_hidden_layer_is_not_drawn():
    layer = ParticleLayer(id="dust", name="Dust", hidden=True)
    assert not shot_of(
        Effect(layers=(layer,)), {"dust": PointFrame(points((0, 0, 0)), 0.0)}, None, 0.0
    ).swarms


def test_what_shines_lights_the_set_and_what_hides_does_not():
    box = primitive("box", (0.4, 0.4, 0.4))
    view, light = along_y(), Light(strength=0.0, sky=0.02)

    def brightness(distance: float, opaque: float) -> float:
        look = SHINING.model_copy(
            update={"opaque": opaque, "brightness": 30.0, "colour": ramp((0.0, (1, 1, 1)), (1.0, (1, 1, 1)))}
        )
        swarm = Swarm(points((0.0, -0.5 - distance, 0.5), width=0.02), 0.0, look, LIVES)
        return float(Renderer().draw_shot(Shot([], box, [swarm]), light, view).linear[24, 40].mean())

    dark = brightness(1.0, 1.0)
    near, far = brightness(1.0, 0.0) - dark, brightness(2.0, 0.0) - dark
    assert near > 3 * far > 0


def test_particles_stand_in_the_light_of_lamps():
    """At four times the distance a sixteenth falls on them."""
    p = points((0.5, 0, 1), (2.0, 0, 1))
    look = PointLook(lit=1.0, self_shadow=0.0, vary=0.0)
    dark = Light(strength=0.0, sky=0.0)
    lamp = widened(np.array([0, 0, 1, 3.0, 3.0, 3.0, 1e-6]))[None]
    unlit, lit = (ready(Swarm(p, 0.0, look, LIVES), dark, lamps=rows).colour for rows in (lamp[:0], lamp))
    assert unlit.max() == 0.0 and (lit[0] / lit[1]).mean() == pytest.approx(16.0, rel=1e-3)


def test_drawn_particles_show_no_seam_where_the_bands_that_are_drawn_apart_meet():
    # discs at every height, in fractions of a pixel: each must be the first one, moved down
    height, width = 160, 24
    wanted = None
    for k in range(0, 128):
        y = 14.5 + k
        row = np.array([[12.0, y, 12.0, y, 4.3, 5.0, 1.0, 1.0, 1.0, 1.0, 0.6, 1.0]], np.float32)
        image, alpha = np.zeros((height, width, 3), np.float32), np.zeros((height, width), np.float32)
        paint(row, np.full((height, width), 9.0, np.float32), image, alpha)
        found = image[k + 4 : k + 25, :, 0]
        wanted = found if wanted is None else wanted
        np.testing.assert_allclose(found, wanted, atol=1e-6)
        assert image[..., 0].sum() == pytest.approx(float(wanted.sum()), rel=1e-5)
