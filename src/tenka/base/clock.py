"""The one table of times: every solver takes the beginnings and ends of its steps from here.

A step's end and the next one's beginning must be the same number to the bit, because what happens at a moment
belongs to the step that ends at or after it and to no other. `t + dt` does not give that: it rounds.
"""

from __future__ import annotations

SAMPLES = 4
"""Points of a frame at which courses are sampled; they run straight between them."""


def step_time(index: int, sub: int, count: int, rate: float) -> float:
    """When sub-step `sub` of the `count` from frame `index` on begins, s; `sub == count` is the next frame.

    Parameters
    ----------
    rate : frames a second
    """
    whole, part = divmod(sub, count)
    return (index + whole + part / count) / rate
