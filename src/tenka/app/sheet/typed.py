"""What is typed into a number: sums, powers, units, shares, and changes of what is there."""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable

MOST_TYPED = 80  # characters
MOST_POWER = 64.0

_OPERATORS: dict[type, Callable[..., float]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.USub: operator.neg,
    ast.UAdd: operator.pos,
}

DIMENSIONS: dict[str, dict[str, float]] = {
    "a length": {"m": 1.0, "cm": 0.01, "mm": 0.001, "km": 1000.0, "in": 0.0254, "ft": 0.3048},
    "a time": {"s": 1.0, "ms": 0.001, "min": 60.0},
    "a speed": {"m/s": 1.0, "cm/s": 0.01, "km/h": 1 / 3.6},
    "an acceleration": {"m/s²": 1.0, "m/s2": 1.0, "cm/s²": 0.01, "cm/s2": 0.01},
    "an angle": {"°": 1.0, "deg": 1.0, "rad": 180 / math.pi},
    "a rate": {"1/s": 1.0, "/s": 1.0, "1/min": 1 / 60, "/min": 1 / 60},
    "a temperature": {"K": 1.0, "k": 1.0},
    "a memory": {"MB": 1.0, "KB": 1 / 1024, "GB": 1024.0},
    "a number of pixels": {"px": 1.0},
}
"""Units that are understood, by what they measure, and each against the first."""


def _dimension(unit: str) -> tuple[str, float] | None:
    for what, units in DIMENSIONS.items():
        if unit in units:
            return what, units[unit]
    return None


def _factor(unit: str, own: str) -> float:
    """How much of a field's own unit a typed unit is."""
    if unit == own:
        return 1.0
    if unit == "%":
        if own in ("", "%"):
            return 0.01 if own == "" else 1.0
        raise ValueError(f"a share is no value in {own}")
    found, wanted = _dimension(unit), _dimension(own)
    if found is None:
        raise ValueError(f"'{unit}' is no unit that is known here")
    if wanted is None or found[0] != wanted[0]:
        words = f"and this is in {own}" if own else "and this has no unit"
        raise ValueError(f"{unit} is {found[0]}, {words}")
    return found[1] / wanted[1]


def _power(base: float, exponent: float) -> float:
    if abs(exponent) > MOST_POWER:
        raise ValueError("that power is too large")
    result = base**exponent
    if isinstance(result, complex):
        raise ValueError("that power is no number")
    return result


def _value(node: ast.AST) -> float:
    if isinstance(node, ast.Expression):
        return _value(node.body)
    if isinstance(node, ast.Constant) and type(node.value) in (int, float):
        return float(node.value)  # type: ignore[arg-type]
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Pow):
        return _power(_value(node.left), _value(node.right))
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
        return _OPERATORS[type(node.op)](_value(node.left), _value(node.right))
    if isinstance(node, ast.UnaryOp) and type(node.op) in _OPERATORS:
        return _OPERATORS[type(node.op)](_value(node.operand))
    raise ValueError("a number or a sum such as 2*3 is expected")


_MEASURED = re.compile(
    r"((?>(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)|\))\s*((?:1/|/)?[A-Za-z°%]+(?:/[A-Za-z]+[²2]?)?)"
)
"""A number, or what is in brackets, with its unit."""


def typed(text: str, now: float = 0.0, unit: str = "") -> float:
    """The value that a text means: a sum with units, or what an operator at its beginning makes of what is
    there (`*2`, `/2`, `+0.1`, `^2`).

    Raises
    ------
    ValueError
        With the reason in words.
    """
    text = text.strip().replace(",", ".").replace("×", "*").replace("−", "-")
    if not text:
        raise ValueError("a number is expected")
    if len(text) > MOST_TYPED:
        raise ValueError("that is too long for a number")
    relative = text[0] in "*/+^" and len(text) > 1
    first = text[0] if relative else ""
    rest = text[1:] if relative else text
    share = first == "+" and rest.rstrip().endswith("%")  # of what is there
    if share:
        rest = f"({rest.rstrip()[:-1]})/100*({now!r})"

    def one(match: re.Match[str]) -> str:
        return f"{match.group(1)}*({_factor(match.group(2), unit)!r})"

    plain = _MEASURED.sub(one, rest).replace("^", "**")
    whole = f"({now!r}){'**' if first == '^' else first}({plain})" if relative else plain
    try:
        result = _value(ast.parse(whole, mode="eval"))
    except (SyntaxError, RecursionError, MemoryError):
        raise ValueError("a number or a sum such as 2*3 is expected") from None
    except ZeroDivisionError:
        raise ValueError("nothing can be divided by 0") from None
    except OverflowError:
        raise ValueError("that is too large") from None
    if not math.isfinite(result):
        raise ValueError("that is too large")
    return result
