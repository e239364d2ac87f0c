"""A burst is born in the frame in which it comes, whatever the frame rate, the sub-steps and the cue."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tenka.effect.model import Cue, DebrisLayer, Effect, ParticleLayer, PointSource, timed
from tenka.particles.solver import PointSolver


def born_at(effect: Effect, rate: float, frames: int, count: int) -> np.ndarray:
    """Moments of all births of the first layer, by the number of their source."""
    layer = timed(effect).layers[0]
    solver = PointSolver(layer, (), (), 1, rate, frames)
    state = solver.start()
    found = [state.points]
    for _ in range(frames):
        state = solver.frame(state, count)
        found.append(state.points)
    last = found[-1]
    assert len(np.unique(last.id)) == len(last)
    return np.sort(last.born)


@pytest.mark.parametrize(
    "kind, rate, count",
    [
        *((ParticleLayer, rate, 1 + n % 3) for n, rate in enumerate((12.0, 24.0, 25.0, 30.0, 48.0, 60.0))),
        (ParticleLayer, 24.0, 3),
        (DebrisLayer, 24.0, 1),
        (DebrisLayer, 30.0, 2),
        (DebrisLayer, 25.0, 3),
    ],
)
def test_a_burst_on_any_frame_is_born_once_and_then(kind: type, rate: float, count: int):
    frames = 64
    at = np.arange(frames) / rate
    sources = tuple(
        PointSource(id=f"s{n}", name="S", rate=0.0, burst=1, burst_at=float(t), stays=True, speed=0.0)
        for n, t in enumerate(at)
    )
    layer = kind(id="dust", name="Dust", sources=sources, run_up=0.0)
    np.testing.assert_array_equal(born_at(Effect(layers=(layer,)), rate, frames, count), at)


@pytest.mark.parametrize("rate", [24.0, 25.0, 30.0])
def test_a_burst_that_hangs_on_a_cue_is_born_wherever_the_cue_is_dragged(rate: float):
    for frame in range(48):
        cue = Cue(id="bang", at=frame / rate)
        source = PointSource(id="s", name="S", rate=0.0, burst=5, cue="bang", stays=True, speed=0.0)
        layer = ParticleLayer(id="dust", name="Dust", sources=(source,))
        assert len(born_at(Effect(layers=(layer,), cues=(cue,)), rate, 50, 1)) == 5


def test_repeated_bursts_each_come_once():
    source = PointSource(
        id="s", name="S", rate=0.0, burst=2, burst_at=1 / 24, burst_every=1 / 24, stays=True, speed=0.0
    )
    layer = ParticleLayer(id="dust", name="Dust", sources=(source,))
    born = born_at(Effect(layers=(layer,)), 24.0, 40, 1)
    assert len(born) == 78 and (np.unique(np.round(born * 24), return_counts=True)[1] == 2).all()


def test_a_played_file_in_a_layer_of_pieces_has_whole_columns(tmp_path: Path):
    (tmp_path / "a.csv").write_text("x,y,z\n0,0,1\n1,0,1\n")
    played = PointSource(id="f", name="F", shape="file", file="a.csv", plays=True, rate=0.0)
    thrown = PointSource(id="s", name="S", rate=0.0, burst=3)
    layer = DebrisLayer(id="bits", name="Bits", sources=(played, thrown))
    solver = PointSolver(layer, (), (), 1, 24.0, 10, tmp_path)
    state = solver.frame(solver.start())
    assert len(state.points) == 5 and state.points.rigid
