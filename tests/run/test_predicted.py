"""What is told of a run's time before it starts, from what was measured of its preview."""

from __future__ import annotations

import pytest
from build import small_layer

from tenka.gas.grid import Grid
from tenka.run.kinds import finer_gas, predicted_seconds


def told(fastest: float) -> dict[int, dict[str, object]]:
    return {f: {"parts": {"all": 10.0}, "fastest": fastest, "substeps": 1} for f in range(12)}


def test_a_finer_run_takes_as_much_longer_as_it_has_voxels_while_its_steps_stay() -> None:
    layer, rate = small_layer(), 24.0
    finer = finer_gas(layer)
    more = Grid.of(finer.domain).voxels / Grid.of(layer.domain).voxels
    slow = told(0.1)
    own = predicted_seconds(layer, 12, rate, slow, layer)
    assert own == pytest.approx(1.2 * (12 + round(layer.run_up_seconds * rate)) * 0.01)
    assert predicted_seconds(finer, 12, rate, slow, layer) == pytest.approx(more * own)


def test_gas_that_crosses_more_of_the_finer_voxels_takes_more_steps() -> None:
    layer, rate = small_layer(), 24.0
    finer = finer_gas(layer)
    more = Grid.of(finer.domain).voxels / Grid.of(layer.domain).voxels
    quick = told(0.99 * 2.0 * rate * layer.quality.courant * layer.domain.voxel)  # just within one step
    own = predicted_seconds(layer, 12, rate, quick, layer)
    assert predicted_seconds(finer, 12, rate, quick, layer) == pytest.approx(2.0 * more * own)
