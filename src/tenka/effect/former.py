"""Settings as effects of before had them, and what stands for them now."""

from __future__ import annotations

import math
from typing import Any

CURL_SIZES = (0.03125, 8.0)
"""m, the ends of the curve of curls over size, which goes by octaves."""
PAIRS = (("fine", 2.0, 0.12), ("broad", 1.0, 0.6))
"""Curls had two strengths, each at one size: their names, and what they were where a file leaves them out."""


def curls_of_two_sizes(given: Any) -> Any:
    """One curve over size for the two strengths; of a course only its course is kept, and counts as 1."""
    old = {f"{name}_{what}" for name, _, _ in PAIRS for what in ("curl", "size")}
    if not isinstance(given, dict) or not old & given.keys():
        return given
    low, high = (math.log2(size) for size in CURL_SIZES)
    rates = [given.get(f"{name}_curl", rate) for name, rate, _ in PAIRS]
    stops = []
    for (name, _, size), rate in zip(PAIRS, rates):
        metres = given.get(f"{name}_size", size)
        if isinstance(metres, int | float) and metres > 0:
            at = min(1.0, max(0.0, (math.log2(metres) - low) / (high - low)))
            stops.append((round(at, 3), rate if isinstance(rate, int | float) else 1.0))
    stops.sort()
    most = max([rate for _, rate in stops] + [1e-6])
    curve = [{"at": at, "value": round(rate / most, 3)} for at, rate in stops] or [{"at": 0.0, "value": 1.0}]
    first = {"at": round(max(0.0, curve[0]["at"] - 0.1), 3), "value": 0.0}
    last = {"at": round(min(1.0, curve[-1]["at"] + 0.1), 3), "value": 0.0}
    # what is between the two sizes is driven as well now, so that less does
    course = next((rate for rate in rates if not isinstance(rate, int | float)), round(0.6 * most, 3))
    kept = {key: value for key, value in given.items() if key not in old}
    return {"curls": course, "curl_sizes": {"stops": [first, *curve, last]}, **kept}


def crowding_of_blend(given: Any) -> Any:
    """Where sources overlap they added up, or the densest won."""
    if not isinstance(given, dict) or "blend" not in given:
        return given
    kept = {key: value for key, value in given.items() if key != "blend"}
    return {"crowding": 1.0 if given["blend"] == "maximum" else 0.0, **kept}
