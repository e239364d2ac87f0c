"""The cubic through two ends that are passed at given slopes (Hermite's), for numbers and arrays alike."""

from __future__ import annotations

from typing import Any


def through(a: Any, b: Any, leave: Any, arrive: Any, s: Any) -> Any:
    """The value at share `s` of the way.

    Parameters
    ----------
    a, b : values at the ends; `s` is broadcast against them
    leave, arrive : slopes there, per the whole way
    s : 0 at the first end, 1 at the second
    """
    r = 1 - s
    return r * r * (a * (1 + 2 * s) + leave * s) + s * s * (b * (3 - 2 * s) - arrive * r)


def slope(a: Any, b: Any, leave: Any, arrive: Any, s: Any) -> Any:
    """The derivative of `through` in `s`."""
    r = 1 - s
    return (b - a) * 6 * s * r + leave * r * (1 - 3 * s) + arrive * s * (3 * s - 2)
