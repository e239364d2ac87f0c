"""Every rate acts per second: the same after a time, in any number of steps and at any frame rate."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from build import closed, inputs_of, opened, small_effect, step_with, swirl_input, with_layer

from tenka.effect.courses import Keys
from tenka.effect.model import Effect, Fading, Fire, Motion, Source, Swirl, Turbulence, Wind
from tenka.gas import felt
from tenka.gas.felt import LocalInput, TurbulenceInput, WindInput
from tenka.gas.grid import BURNT, DENSITY, FUEL, TEMPERATURE, GasState
from tenka.gas.settings import FireInput, StepInputs
from tenka.gas.solver import GasSolver

STEPS = (1, 2, 8)
SECONDS = 0.5


def even(speed: tuple[float, float, float] = (0.0, 0.0, 0.0), **scalars: float) -> Callable[[], GasState]:
    """The same gas everywhere: what changes is then the rate's doing alone."""

    def make() -> GasState:
        state = GasState.still(BOX)
        for name, channel in (
            ("density", DENSITY),
            ("temperature", TEMPERATURE),
            ("fuel", FUEL),
            ("burnt", BURNT),
        ):
            state.scalars[..., channel] = scalars.get(name, 0.0)
        for face, v in zip((state.u, state.v, state.w), speed):
            face[:] = v
        return state

    return make


BOX = opened((8, 8, 8))
BURN = FireInput(ignition=100.0, rate=2.0, heat=0.0, soot=0.25, expansion=0.0, hottest=1e5, radiation=0.0)
GLOW = FireInput(ignition=1e5, rate=0.0, heat=0.0, soot=0.0, expansion=0.0, hottest=1e5, radiation=900.0)


def mean(channel: int) -> Callable[[GasState], float]:
    return lambda state: float(state.scalars[..., channel].mean())


SLOW = 1e-4  # m/s: what comes in at an open wall is slowed by so little that it is not felt
EXACT = {
    "fade": (even(density=1.0), {"fade": 1.7}, mean(DENSITY), math.exp(-1.7 * SECONDS)),
    "linear fade": (even(density=1.0), {"fade_linear": 0.9}, mean(DENSITY), 1 - 0.9 * SECONDS),
    "cooling": (even(temperature=300.0), {"cooling": 2.1}, mean(TEMPERATURE), 300 * math.exp(-2.1 * SECONDS)),
    "flames": (even(burnt=1.0), {"flame_fade": 3.0}, mean(BURNT), math.exp(-3.0 * SECONDS)),
    "burning": (even(fuel=1.0, temperature=150.0), {"fire": BURN}, mean(FUEL), math.exp(-3.0 * SECONDS)),
    "soot": (
        even(fuel=1.0, temperature=150.0),
        {"fire": BURN},
        mean(DENSITY),
        0.25 * (1 - math.exp(-3.0 * SECONDS)),
    ),
    "drag": (
        even((SLOW, 0.0, 0.0)),
        {"drag": 0.8},
        lambda s: float(s.u.mean()),
        SLOW * math.exp(-0.8 * SECONDS),
    ),
    "wind": (
        even(),
        {"winds": (WindInput(2.0, 0.0, 1.5, 0.0, 1.0, 0.0, 1),)},
        lambda s: float(s.u[1:-1].mean()),
        2 * (1 - math.exp(-1.5 * SECONDS)),
    ),
    "wind in a place": (
        even(),
        {"locals": (LocalInput(felt.BLOW, (1.5,), target=(0.0, 2.0, 0.0)),)},
        lambda s: float(s.v[:, 1:-1].mean()),
        2 * (1 - math.exp(-1.5 * SECONDS)),
    ),
    "drag in a place": (
        even((0.0, SLOW, 0.0)),
        {"locals": (LocalInput(felt.BRAKE, (0.8,)),)},
        lambda s: float(s.v[:, 1:-1].mean()),
        SLOW * math.exp(-0.8 * SECONDS),
    ),
    "radiation": (
        even(temperature=900.0),
        {"fire": GLOW},
        mean(TEMPERATURE),
        (900.0**-3 + 3 * 900.0 * SECONDS / 1e12) ** (-1 / 3),
    ),
}


@pytest.mark.parametrize("name", list(EXACT))
@pytest.mark.parametrize("steps", STEPS)
def test_a_rate_is_exact_in_any_number_of_steps(name: str, steps: int):
    make, inputs, measure, expected = EXACT[name]
    found = measure(step_with(BOX, make(), SECONDS / steps, steps, **inputs))
    assert found == pytest.approx(expected, rel=2e-4)


def puff(seed: int = 3) -> GasState:
    """A warm, turning puff in a shut box."""
    state = GasState.still(SHUT)
    x, y, z = np.meshgrid(*((np.arange(n) + 0.5) / n - 0.5 for n in SHUT.shape), indexing="ij")
    ball = np.exp(-(x * x + y * y + (z + 0.15) ** 2) / 0.02)
    state.scalars[..., DENSITY], state.scalars[..., TEMPERATURE] = ball, 200 * ball
    xf, _, zf = np.meshgrid(
        (np.arange(SHUT.shape[0] + 1)) / SHUT.shape[0] - 0.5, y[0, :, 0], z[0, 0, :], indexing="ij"
    )
    state.u[:] = -1.5 * zf * np.exp(-(xf**2 + zf**2) / 0.05)
    _, _, zw = np.meshgrid(
        x[:, 0, 0], y[0, :, 0], np.arange(SHUT.shape[2] + 1) / SHUT.shape[2] - 0.5, indexing="ij"
    )
    xw = np.broadcast_to(x[:, :, :1], zw.shape)
    state.w[:] = 1.5 * xw * np.exp(-(xw**2 + zw**2) / 0.05)
    return state


SHUT = closed((24, 24, 24), 0.05)
SWIRL = swirl_input(core=0.25, height=1.2, spin=0.8, lift=0.4, pull=0.2, falloff=1.5, grip=4.0)
BORN = Source(
    id="s",
    name="S",
    position=(0.6, 0.6, 0.4),
    size=(0.4, 0.4, 0.4),
    density=3.0,
    temperature=200.0,
    push=(0, 0, 1.0),
    breakup=0.0,
    grip=6.0,
)
CLOSE = {
    "lift": {"lift": 0.6},
    "weight": {"weight": 1.5},
    "curls of one size": {"curls": ((0.125, 6.0),)},
    "curls of many sizes": {"curls": ((0.125, 3.0), (0.25, 3.0), (0.5, 3.0))},
    "turbulence": {"turbulences": (TurbulenceInput(0.6, 0.4, 0.5, 0.7, 2.0, 5),)},
    "swirl": {"locals": (SWIRL,)},
    "pull": {"locals": (LocalInput(felt.PULL, (0.3, 2.0, 2.0)),)},
    "gravity": {"locals": (LocalInput(felt.GRAVITY, (0.004, 0.6), target=(1.0, 0.0, 0.0)),)},
    "viscosity": {"viscosity": 0.02},
    "spreading": {"spread": 0.02},
    "source": {"sources": (inputs_of(BORN),)},
}


def gone(a: GasState, b: GasState) -> float:
    """How far two states are apart in velocity and smoke, as a share of how far the first has come from the
    start."""
    start = puff()
    apart = sum(
        float(((p - q) ** 2).sum())
        for p, q in ((a.u, b.u), (a.v, b.v), (a.w, b.w), (a.scalars[..., 0], b.scalars[..., 0]))
    )
    way = sum(
        float(((p - q) ** 2).sum())
        for p, q in (
            (a.u, start.u),
            (a.v, start.v),
            (a.w, start.w),
            (a.scalars[..., 0], start.scalars[..., 0]),
        )
    )
    return math.sqrt(apart / way)


@pytest.mark.parametrize("name", list(CLOSE))
def test_what_moves_with_the_gas_comes_close_as_steps_get_shorter(name: str):
    """Advection is split from the rest, so these agree to first order: halving the step halves what is left,
    and little is left."""
    runs = [step_with(SHUT, puff(), 0.2 / n, n, **CLOSE[name]) for n in (4, 8, 16)]
    coarse, fine = gone(runs[2], runs[0]), gone(runs[2], runs[1])
    assert fine < 0.06 and fine < 0.62 * coarse, (coarse, fine)


def everything(rate: float) -> Effect:
    effect = small_effect(seconds=1.0, rate=rate, props=())
    layer = effect.layers[0]
    source = layer.sources[0].model_copy(
        update={"breakup": 0.0, "fuel": 3.0, "temperature": 400.0, "expansion": 0.3, "outward": 0.2}
    )
    return with_layer(
        effect,
        sources=(source,),
        fire=Fire(burns=True, expansion=0.1),
        fading=Fading(half_life=1.7, clear_out=20.0, heat_half_life=0.9, spread=0.002),
        motion=Motion(viscosity=0.002),
        quality=layer.quality.model_copy(update={"courant": 0.5, "most_substeps": 32}),
    ).model_copy(
        update={
            "forces": (
                Wind(id="w", name="W", gusts=0.3),
                Turbulence(id="t", name="T", strength=0.3),
                Swirl(id="s", name="S"),
            )
        }
    )


def test_a_whole_effect_is_the_same_at_another_frame_rate():
    found = []
    for rate in (12.0, 24.0, 48.0):
        effect = everything(rate)
        solver = GasSolver(effect.layers[0], effect.forces, effect.props, effect.seed, rate)
        state = solver.start()
        for _ in range(round((1.0 - state.time) * rate)):
            state = solver.frame(state)
        assert state.time == pytest.approx(1.0)
        s = state.scalars.sum(axis=(0, 1, 2), dtype=float)
        middle = float(
            (state.scalars[..., DENSITY].sum(axis=(0, 1)) * np.arange(state.scalars.shape[2])).sum()
            / s[DENSITY]
        )
        found.append([s[DENSITY], s[TEMPERATURE], s[FUEL], s[BURNT], middle])
    a, b, c = np.array(found)
    assert np.abs(b / c - 1).max() < 0.05 and np.abs(a / c - 1).max() < 0.12, found


def test_inputs_have_no_memory_of_the_rate():
    """Rates reach the solver as they were set, whatever the frame rate."""
    from tenka.gas.settings import resolve

    a, b = (
        resolve(everything(r).layers[0], everything(r).forces, (), 1, r, 0.5, 1 / r) for r in (12.0, 48.0)
    )
    assert (
        isinstance(a, StepInputs)
        and a.fade == b.fade
        and a.cooling == b.cooling
        and a.fire == b.fire
        and not isinstance(a.lift, Keys)
    )
