"""Players of flipbooks by chance, for tests of what holds of any."""

from __future__ import annotations

import numpy as np
from hypothesis import strategies as st

from tenka.effect.model import Player
from tenka.look.sprites import QUAD_FIELDS

PLAYERS = st.builds(
    Player,
    count=st.integers(1, 40),
    life=st.floats(0.1, 9.0),
    life_spread=st.floats(0.0, 0.8),
    scale=st.floats(0.05, 3.0),
    tall=st.floats(0.2, 4.0),
    brightness=st.floats(0.0, 3.0),
    stands=st.sampled_from(("to the eye", "upright")),
    nearer=st.floats(0.0, 2.0),
    size_spread=st.floats(0.0, 0.8),
    rotation=st.floats(0.0, 180.0),
    scatter=st.floats(0.0, 2.0),
    along=st.tuples(*[st.floats(-3.0, 3.0)] * 3),
    drift=st.tuples(*[st.floats(-2, 2)] * 3),
)


def quad(*values: float) -> np.ndarray:
    """A table of one quad that faces the picture, by its first columns."""
    table = np.zeros((1, QUAD_FIELDS), np.float32)
    table[0, : len(values)] = values
    return table
