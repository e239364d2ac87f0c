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


FOR_GOOD = 3600.0
"""s; what takes as long does not go away."""
RATES = {
    "smoke": ("half_life", math.log(2.0)),
    "smoke_linear": ("clear_out", 1.0),
    "cooling": ("heat_half_life", math.log(2.0)),
}
"""Fading was given as rates: what took the place of each, and the product of the two."""


def _time_of(rate: Any, product: float) -> Any:
    """The time for a rate; of a course key by key, of other courses for what they go round."""
    if isinstance(rate, int | float):
        return round(product / rate, 4) if rate * FOR_GOOD > product else FOR_GOOD
    if isinstance(rate, dict) and isinstance(rate.get("keys"), list):
        keys = [{**key, "v": _time_of(key.get("v"), product), "slope": None} for key in rate["keys"]]
        return {**rate, "keys": keys}
    return _time_of(rate.get("base", 0.0), product) if isinstance(rate, dict) else FOR_GOOD


def half_lives_of_rates(given: Any) -> Any:
    """Half-lives for rates."""
    if not isinstance(given, dict) or not RATES.keys() & given.keys():
        return given
    kept = {key: value for key, value in given.items() if key not in RATES}
    times = {new: _time_of(given[old], product) for old, (new, product) in RATES.items() if old in given}
    return {**times, **kept}


CORES = 4.0
"""Cores that the curves of a swirl reach over which had a core and a power with which it weakened."""


def swirl_of_core(given: Any) -> Any:
    """A swirl's curves for a core that turned as one and a power of distance outside it."""
    if not isinstance(given, dict) or not {"core", "falloff"} & given.keys():
        return given
    core, power = given.get("core", 0.6), given.get("falloff", 1.5)
    if not isinstance(core, int | float) or not isinstance(power, int | float):
        return given
    rim = 1.0 / CORES
    tail = [{"at": at, "value": round((rim / at) ** power, 4)} for at in (rim, 0.33, 0.45, 0.65, 1.0)]
    whirls, rises = ({"stops": [{"at": 0.0, "value": first}, *tail]} for first in (0.0, 1.0))
    kept = {key: value for key, value in given.items() if key not in ("core", "falloff")}
    return {"reach": CORES * core, "turning": whirls, "lifting": rises, "pulling": whirls, **kept}
