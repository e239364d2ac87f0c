"""A single value as text: copied from one setting and pasted on another, here or in another effect."""

from __future__ import annotations

import json
from typing import Any

from pydantic import TypeAdapter, ValidationError

from tenka.base.errors import BadInput
from tenka.base.tree import explain
from tenka.effect.courses import Course, Value, value_at
from tenka.effect.document import get, param_at, replaced
from tenka.effect.model import Effect

VERSION = 1
MOST_TEXT = 400_000  # characters
_VALUE: TypeAdapter[Any] = TypeAdapter(Value)


def _plain(value: Any) -> Any:
    return value.model_dump(mode="json") if hasattr(value, "model_dump") else value


def value_as_text(effect: Effect, path: str) -> str:
    """The value of a setting as text."""
    p = param_at(effect, path)
    tree = {
        "tenka_value": VERSION,
        "kind": p.kind,
        "unit": p.unit,
        "label": p.label,
        "value": _plain(get(effect, path)),
    }
    return json.dumps(tree, indent=1, ensure_ascii=False)


def _read(text: str) -> dict[str, Any]:
    what, wanted = "what was copied is no value", "a value that was copied from a setting, or a number"
    if len(text) > MOST_TEXT:
        raise BadInput(what, wanted)
    try:
        tree = json.loads(text)
    except (ValueError, RecursionError):
        raise BadInput(what, wanted) from None
    if isinstance(tree, int | float) and not isinstance(tree, bool):
        return {"kind": "number", "value": float(tree)}
    if not isinstance(tree, dict) or tree.get("tenka_value") != VERSION or "value" not in tree:
        raise BadInput(what, wanted)
    return tree


NUMBERS = ("number", "whole")


def value_pasted(effect: Effect, path: str, text: str) -> Effect:
    """The effect with what was copied as the value of a setting of the same kind. A course pasted where none
    can be gives its value at the start.

    Raises
    ------
    BadInput
        A text that is no value, or one of another kind.
    """
    tree, p = _read(text), param_at(effect, path)
    kind, value = str(tree.get("kind")), tree["value"]
    if kind != p.kind and not (kind in NUMBERS and p.kind in NUMBERS):
        raise BadInput(f"the value of {tree.get('label', 'that setting')} does not fit {p.label}")
    if p.kind in NUMBERS:
        try:
            course = _VALUE.validate_python(value)
        except ValidationError as error:
            raise BadInput(f"what was copied is no value: {explain(error)}") from None
        if isinstance(course, Course) and p.course:
            return _put(effect, path, course)
        number = p.clamp(value_at(course, 0.0))
        return _put(effect, path, round(number) if p.kind == "whole" else number)
    return _put(effect, path, value)


def _put(effect: Effect, path: str, value: Any) -> Effect:
    found: Effect = replaced(effect, path, value)
    return found
