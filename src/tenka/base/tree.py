"""Reading JSON that may be anything: broken, hostile, of a later version. Any fault is one sentence."""

from __future__ import annotations

import json
import math
import re
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from tenka.base.errors import BadInput
from tenka.base.files import read_file

MOST_BYTES = 32 * 1024 * 1024
MOST_DIGITS = 18
MOST_DEPTH = 48
Model = TypeVar("Model", bound=BaseModel)


class _Refused(ValueError):
    """What a hook of the parser will not take."""


def _whole(text: str) -> int:
    if len(text.lstrip("-")) > MOST_DIGITS:
        raise _Refused(f"a number of {len(text):,} digits")
    return int(text)


def _real(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise _Refused(f"the number {text[:20]}, which is too large")
    return value


def _constant(text: str) -> float:
    raise _Refused(f"{text}, which is no number")


def _look_through(tree: Any) -> None:
    """Refuse what is nested too deep, and text that cannot be written again."""
    left = [(tree, 0)]
    while left:
        node, depth = left.pop()
        if depth > MOST_DEPTH:
            raise _Refused(f"something inside something else more than {MOST_DEPTH} times")
        if isinstance(node, dict):
            left += [(v, depth + 1) for v in node.values()]
            left += [(k, depth + 1) for k in node]
        elif isinstance(node, list):
            left += [(v, depth + 1) for v in node]
        elif isinstance(node, str) and ("\0" in node or (not node.isascii() and not _sound(node))):
            raise _Refused("text that is not Unicode")


def _sound(text: str) -> bool:
    return not any(0xD800 <= ord(c) < 0xE000 for c in text)


def parse(data: bytes, expected: str, file: object = None) -> Any:
    """A JSON text as Python data.

    Raises
    ------
    BadInput
        Not UTF-8, not JSON, with numbers that no setting can have, or nested too deep.
    """
    try:
        tree = json.loads(data, parse_int=_whole, parse_float=_real, parse_constant=_constant)
        _look_through(tree)
        return tree
    except UnicodeDecodeError:
        raise BadInput("not a text file", expected, file) from None
    except json.JSONDecodeError as error:
        what = f"broken off or not JSON ({error.msg.lower()})"
        raise BadInput(what, expected, file, f"line {error.lineno}") from None
    except _Refused as error:
        raise BadInput(f"holds {error}", expected, file) from None
    except RecursionError:
        raise BadInput("holds something inside something else too many times", expected, file) from None


def checked(model: type[Model], tree: Any, file: object = None) -> Model:
    """Data as a model; the first fault is a sentence that names its place."""
    try:
        return model.model_validate(tree)
    except ValidationError as error:
        place = ".".join(str(p) for p in error.errors()[0]["loc"])[:200]
        raise BadInput(explain(error), file=file, place=place) from None
    except RecursionError:
        raise BadInput("holds something inside something else too many times", file=file) from None


def versioned(tree: Any, key: str, newest: int, what: str, file: object = None) -> dict[str, Any]:
    """The data of a format of ours, when it is one and of a version that is known."""
    if not isinstance(tree, dict) or key not in tree:
        raise BadInput(f"not {what}", f"a file with a {key}", file)
    version = tree[key]
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise BadInput(f"{key.replace('_', ' ')} {str(version)[:20]!r} is unknown", f"1 to {newest}", file)
    if version > newest:
        raise BadInput(
            f"made by a later Tenka ({key.replace('_', ' ')} {version})", f"at most {newest}", file
        )
    return tree


def read(file: Path, expected: str) -> Any:
    """A JSON file as Python data; raises as `parse` does."""
    return parse(read_file(file, expected, MOST_BYTES), expected, file)


def explain(error: ValidationError) -> str:
    """The first fault of a validation error as a phrase."""
    first = error.errors()[0]
    message = re.sub(r"^(Value error|Assertion failed), ", "", first["msg"])
    return message[0].lower() + message[1:300]
