"""What a source gives: its envelope's integral at any frame rate and division, times its form's volume."""

from __future__ import annotations

import math

import numpy as np
import pytest
from build import closed, inputs_of

from tenka.base.clock import step_time
from tenka.effect.courses import Key, Keys
from tenka.effect.model import Effect, GasLayer, Source
from tenka.gas.grid import DENSITY
from tenka.gas.settings import emitted
from tenka.gas.solver import GasSolver
from tenka.gas.sources import source_mask

BURST = {"start": 0.213, "end": 0.313}
RISING = Keys(keys=(Key(t=0.2, v=0.0, ease="linear"), Key(t=0.3, v=1.0)))
PULSE = Keys(keys=(Key(t=0.0, v=0.0, ease="hold"), Key(t=0.25, v=1.0, ease="hold"), Key(t=0.35, v=0.0)))


@pytest.mark.parametrize("rate", [12, 24, 25, 30, 48, 60])
@pytest.mark.parametrize("count", [1, 2, 3, 5, 8])
@pytest.mark.parametrize(
    ("settings", "amount"),
    [
        (BURST, 0.1),
        ({**BURST, "delay": 0.3101}, 0.1),
        ({"emission": RISING, "end": 0.5}, 0.05 + 0.2),
        ({"emission": PULSE, "start": 0.0}, 0.1),
        ({"start": 0.5, "end": 0.5}, 0.0),
    ],
    ids=["span", "delayed span", "ramp cut off", "held keys", "no span"],
)
def test_steps_of_any_length_add_up_to_the_envelopes_integral(
    settings: dict, amount: float, rate: int, count: int
):
    source = Source(id="s", name="S", **settings)
    total = 0.0
    for frame in range(rate):
        for sub in range(count):
            t, dt = step_time(frame, sub, count, rate), 1 / (rate * count)
            share, level = emitted(source, t, dt, rate)
            assert 0.0 <= share <= 1.0 + 1e-9
            total += share * level * dt
    # where keys jump within a sample, of which there are four a frame, the moment is known to 1/32 of it
    assert total == pytest.approx(amount, abs=1e-9 if "emission" not in settings else 1 / (32 * 4 * rate))


@pytest.mark.parametrize("rate", [12.0, 24.0, 48.0])
def test_a_burst_in_still_air_gives_as_much_at_any_frame_rate(rate: float):
    source = Source(id="s", name="S", position=(0.8, 0.8, 0.8), size=(0.6, 0.6, 0.6), density=3.0, **BURST)
    source = source.model_copy(update={"temperature": 0.0, "push": (0.0, 0.0, 0.0), "breakup": 0.0})
    layer = GasLayer(id="g", name="G", sources=(source,))
    still = layer.motion.model_copy(update={"lift": 0.0, "weight": 0.0})
    domain = layer.domain.model_copy(
        update={"origin": (0.0, 0.0, 0.0), "size": (1.6, 1.6, 1.6), "voxel": 0.1, "run_up": 0.0}
    )
    fading = layer.fading.model_copy(update={"half_life": 3600.0, "clear_out": 3600.0})
    layer = layer.model_copy(update={"motion": still, "domain": domain, "fading": fading})
    solver = GasSolver(layer, (), (), 1, rate)
    state = solver.start()
    for _ in range(round(0.5 * rate)):
        state = solver.frame(state)
    born = float(state.scalars[..., DENSITY].sum()) * 0.1**3
    assert born == pytest.approx(3.0 * 0.1 * math.pi / 6 * 0.6**3, rel=0.02)


VOLUMES = {
    "sphere": lambda a, b, c: math.pi / 6 * a * b * c,
    "box": lambda a, b, c: a * b * c,
    "cylinder": lambda a, b, c: math.pi / 4 * a * b * c,
    "cone": lambda a, b, c: math.pi / 12 * a * b * c,
    "torus": lambda a, b, c: 2 * math.pi**2 * (a / 2 - c / 2) * (c / 2) ** 2,
    "capsule": lambda a, b, c: math.pi * (a / 2) ** 2 * (c - a) + math.pi / 6 * a**3,
}
PROPORTIONS = {"torus": (1.0, 1.0, 0.4), "capsule": (0.5, 0.5, 1.0)}


@pytest.mark.parametrize("voxels", [0.4, 0.8, 1.5, 2.5, 6.0, 12.0])
@pytest.mark.parametrize("shape", sorted(VOLUMES))
def test_a_form_of_any_size_gives_its_volume_wherever_it_stands(shape: str, voxels: float):
    grid = closed((20, 20, 20), 0.1)
    size = tuple(0.1 * voxels * share for share in PROPORTIONS.get(shape, (1.0, 1.0, 1.0)))
    wanted = VOLUMES[shape](*size)
    for place in ((1.0, 1.0, 1.0), (1.05, 1.05, 1.05), (0.983, 1.021, 1.034)):
        source = Source(id="s", name="S", shape=shape, size=size, position=place)
        mask = source_mask(inputs_of(source), (), grid, None)
        assert float(mask.share.sum()) * 0.1**3 == pytest.approx(
            wanted, rel=0.04 if min(size) > 0.05 else 0.08
        )
        centre = (mask.share[:, None] * (mask.cells + 0.5) * 0.1).sum(axis=0) / mask.share.sum()
        middle = np.array(place) - (0, 0, size[2] / 4 if shape == "cone" else 0)  # of mass
        # what lies within one voxel is that voxel's
        assert np.abs(centre - middle).max() < (0.05 if min(size) < 0.2 else 0.01)


@pytest.mark.parametrize("thick", [0.2, 0.7, 3.0])
def test_a_thin_plate_gives_its_volume(thick: float):
    grid = closed((20, 20, 20), 0.1)
    source = Source(id="s", name="S", shape="box", size=(1.1, 1.1, 0.1 * thick), position=(1.0, 1.0, 1.02))
    mask = source_mask(inputs_of(source), (), grid, None)
    assert float(mask.share.sum()) * 0.1**3 == pytest.approx(1.1 * 1.1 * 0.1 * thick, rel=0.05)


def test_keys_see_a_span_that_moves_between_two_samples():
    from tenka.run.keys import frame_keys

    def key(end: float) -> str:
        layer = GasLayer(id="g", name="G", sources=(Source(id="s", name="S", start=0.0, end=end),))
        effect = Effect(name="E", seconds=1.0, layers=(layer,))
        return frame_keys(effect, [layer], None)["g"][20]

    assert key(0.503) != key(0.504)
