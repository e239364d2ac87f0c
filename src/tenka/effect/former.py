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


BORN_SIZES = (1 / 32, 1.0)
"""Ends of the histogram of sizes at birth, against the largest; it goes by octaves."""
ROWS = {
    "direction": (0.0, 0.0, 1.0),
    "cone": 20.0,
    "outward": 0.0,
    "off_axis": 0.0,
    "along": 0.0,
    "speed_spread": 0.3,
    "scatter": (0.0, 0.0, 0.0),
    "far_share": 0.03,
    "far_reach": 0.5,
    "least_width": 0.25,
    "skew": 3.0,
}
"""What throwing was set by, a row for each, and what each was where a file leaves it out."""
BINS = 16
LEANS = {"outward": "surface", "off_axis": "axis", "along": "slope"}


def _histogram(least: float, skew: float) -> dict[str, Any]:
    """Stops of the histogram of sizes that are `least + (1 - least) u^skew` for even u."""
    if least >= 0.99:
        return {"stops": [{"at": 0.998, "value": 0.0}, {"at": 1.0, "value": 1.0}]}
    low, high = (math.log2(size) for size in BORN_SIZES)
    first = max(math.log2(max(least, 1e-6)), low)
    edges = [first + (high - first) * n / BINS for n in range(BINS + 1)]
    below = [(max(2.0**e - least, 0.0) / (1.0 - least)) ** (1.0 / skew) for e in edges]
    share = [b - a for a, b in zip(below, below[1:])]
    stops = [
        {"at": round((e - low) / (high - low), 4), "value": round(v / max(share), 4)}
        for e, v in zip(edges, share)
    ]
    none = [{"at": 0.0, "value": 0.0}] if first > low else []
    return {"stops": [*none, *stops], "ease": "held"}


def thrown_by_rows(given: Any) -> Any:
    """An arrow with a rose, a tail of speeds and a histogram of sizes, for a row of numbers each."""
    if not isinstance(given, dict) or not ROWS.keys() & given.keys():
        return given
    old = {**ROWS, **{key: given[key] for key in ROWS.keys() & given.keys()}}
    numbers = [v for v in old.values() if not isinstance(v, int | float | list | tuple)]
    if numbers:
        return given
    kept = {key: value for key, value in given.items() if key not in ROWS}
    most = max(LEANS, key=lambda name: old[name])
    spread, reach, share = old["speed_spread"], old["far_reach"], old["far_share"]
    mean = 1.0 + 0.5 * share * reach
    square = (1.0 + spread**2 / 3.0) * (1.0 + share * (reach + reach**2 / 3.0))
    speed = given.get("speed", 2.0)
    pace = speed if isinstance(speed, int | float) else 2.0
    aside = math.degrees(math.atan2(max(old["scatter"]), max(pace, 1e-6)))
    made = {
        "arrow": old["direction"],
        "leans_to": LEANS[most],
        "lean": min(1.0, old["outward"] + old["off_axis"] + old["along"]),
        "spread": min(180.0, round(old["cone"] + aside, 1)),
        "tail": round(math.sqrt(math.log(max(square / mean**2, 1.0))), 3),
        "sizes": _histogram(float(old["least_width"]), float(old["skew"])),
    }
    if isinstance(speed, int | float) and mean > 1.0:
        made["speed"] = round(speed * mean, 4)
    return {**kept, **made}


def turning_by_turns(given: Any) -> Any:
    """A share of the energy of flight for turns a second that the smallest had; about, by the first source,
    for pieces half as heavy at their rim as a ring."""
    bodies = given.get("bodies") if isinstance(given, dict) else None
    if not isinstance(bodies, dict) or not {"tumble", "tumble_slower"} & bodies.keys():
        return given
    sources = given.get("sources") or [{}]
    source = sources[0] if isinstance(sources[0], dict) else {}
    numbers = [bodies.get("tumble", 3.0), source.get("width", 0.1), source.get("speed", 2.0)]
    turns, width, speed = (v if isinstance(v, int | float) else 1.0 for v in numbers)
    rim = 2.0 * math.pi * 0.65 * turns * 0.3 * width * 0.3
    turning = min(10.0, round((rim / max(speed, 0.1)) ** 2, 4))
    kept = {key: value for key, value in bodies.items() if key not in ("tumble", "tumble_slower")}
    return {**given, "bodies": {**kept, "turning": turning}}


def bookless(layer: Any) -> tuple[Any, Any]:
    """A layer without its flipbook, and that."""
    if not isinstance(layer, dict) or "flipbook" not in layer:
        return layer, None
    book = layer["flipbook"]
    if isinstance(book, dict):
        book = {"kind": "flipbook", **book}
    return {key: value for key, value in layer.items() if key != "flipbook"}, book


def layers_without_books(given: Any) -> Any:
    """Layers held a flipbook each; what keeps layers alone lets that go."""
    if not isinstance(given, dict) or not isinstance(given.get("layers"), list | tuple):
        return given
    return {**given, "layers": [bookless(layer)[0] for layer in given["layers"]]}


def deliveries_of_layers(given: Any) -> Any:
    """A delivery for each layer, of the flipbook that it held or as its kind begins with; levers lead
    there."""
    if not isinstance(given, dict) or "deliveries" in given:
        return given
    layers = given.get("layers") or ()
    if not isinstance(layers, list | tuple):
        return given
    found = []
    for layer in layers:
        if isinstance(layer, dict):
            id, name, kind = layer.get("id"), layer.get("name"), layer.get("kind")
            plain = {} if kind in (None, "gas") else BOOK_OF_POINTS
            book = bookless(layer)[1] if "flipbook" in layer else plain
        else:
            id, name, book = getattr(layer, "id", None), getattr(layer, "name", None), layer.first_route()
        route = {**book, "kind": "flipbook"} if isinstance(book, dict) else book
        found.append({"id": id, "name": name, "of": [id], "route": route})
    kept = {**layers_without_books(given), "schema_version": 2, "deliveries": found}
    levers = given.get("levers")
    if isinstance(levers, list | tuple):
        kept["levers"] = [_led(lever) for lever in levers]
    return kept


def _led(lever: Any) -> Any:
    """A lever that led into a layer's flipbook, led into its delivery."""
    parts = lever["path"].split(".") if isinstance(lever, dict) and isinstance(lever.get("path"), str) else []
    if len(parts) > 3 and parts[0] == "layers" and parts[2] == "flipbook":
        return {**lever, "path": ".".join(["deliveries", parts[1], "route", *parts[3:]])}
    return lever


BOOK_OF_POINTS: dict[str, Any] = {
    "last": 600.0,
    "columns": 6,
    "rows": 6,
    "width": 1536,
    "height": 1536,
    "player": {
        "count": 1,
        "life_spread": 0.0,
        "size_spread": 0.0,
        "rotation": 0.0,
        "scatter": 0.0,
        "alpha": {"stops": [{"at": 0.0, "value": 1.0}, {"at": 1.0, "value": 1.0}]},
    },
}
"""What particles were delivered with where a file left it out."""
