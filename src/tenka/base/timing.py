"""How long the parts of a step take."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def timed(parts: dict[str, float], name: str) -> Iterator[None]:
    """Add the seconds that pass within to a part of a step."""
    start = time.perf_counter()
    yield
    parts[name] = parts.get(name, 0.0) + time.perf_counter() - start
