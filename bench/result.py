"""One line of the table."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass
class Result:
    name: str
    size: str
    ms: float
    yardstick: str = ""
    yardstick_ms: float = 0.0
    ratio: float = 0.0
    target: str = ""
    met: bool | None = None
    peak_mb: float = 0.0
