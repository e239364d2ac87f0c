"""Forms that are drawn lie on the forms that give."""

from __future__ import annotations

import numpy as np
import pytest

from tenka.app.stage.outlines import outline
from tenka.scene.distance import form_distance


@pytest.mark.parametrize("shape", ("sphere", "box", "cylinder", "cone", "torus", "capsule"))
@pytest.mark.parametrize("size", ((1.0, 1.0, 1.0), (1.0, 1.0, 3.0), (2.0, 2.0, 0.4)))
def test_every_line_lies_on_the_form_that_gives(shape: str, size: tuple[float, float, float]) -> None:
    if (shape == "torus" and size[2] >= size[0]) or (shape == "capsule" and size[2] < size[0]):
        return  # such a form is larger than its size says, as it gives
    lines = outline(shape, np.array(size))
    assert len(lines) >= 3
    for line in lines:
        assert np.abs(form_distance(shape, np.array(size), line)).max() < 0.02 * max(size), (shape, size)
    ends = np.concatenate(lines)
    np.testing.assert_allclose(ends.max(axis=0), np.array(size) / 2, rtol=0.01)
    np.testing.assert_allclose(ends.min(axis=0), -np.array(size) / 2, rtol=0.01)
