"""The light that a fire throws, as a light of the effect: its place, colour and flicker fitted to what the
gas gives off; and lights as rows of a table."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.cache.store import Frame
from tenka.effect.courses import Key, Keys, Value, still
from tenka.effect.document import free_id
from tenka.effect.lights import SceneLight
from tenka.effect.model import Effect, heard
from tenka.look.colour import black_body_colour
from tenka.look.lamps import lamp_at
from tenka.look.volume import light_volume

CLOSE = 0.02  # of a course's range: keys that the line between others meets so nearly are left out
HUES = np.arange(1000.0, 6600.0, 50.0)


def kept_keys(times: np.ndarray, values: np.ndarray, close: np.ndarray) -> list[int]:
    """Which of several values over time are needed as keys, so that straight lines between them stay within
    `close` (Douglas & Peucker 1973).

    Parameters
    ----------
    values : (n, k); close : (k,)
    """
    kept, waiting = {0, len(values) - 1}, [(0, len(values) - 1)]
    while waiting:
        a, b = waiting.pop()
        if b - a < 2:
            continue
        share = ((times[a : b + 1] - times[a]) / (times[b] - times[a]))[:, None]
        off = (np.abs(values[a : b + 1] - (values[a] + share * (values[b] - values[a]))) / close).max(axis=1)
        worst = int(np.argmax(off))
        if off[worst] > 1.0:
            kept.add(a + worst)
            waiting += [(a, a + worst), (a + worst, b)]
    return sorted(kept)


def thinned(times: np.ndarray, values: np.ndarray, close: float) -> Value:
    """A course through values with as few keys as keep it within `close` of them; a number where they hardly
    differ."""
    if np.ptp(values) <= close:
        return round(float(values.mean()), 4)
    kept = kept_keys(times, values[:, None], np.array([close]))
    keys = (Key(t=round(float(times[n]), 4), v=round(float(values[n]), 4), ease="linear") for n in kept)
    return Keys(keys=tuple(keys))


def fitted(effect: Effect, layer: Any, frames: Iterable[tuple[float, Frame]]) -> SceneLight:
    """A light that stands for a gas's own.

    Parameters
    ----------
    layer : the gas
    frames : times, s, and frames of it, in order

    Raises
    ------
    BadInput
        A gas that gives off no light in these frames.
    """
    times, lamps = [], []
    for t, frame in frames:
        times.append(t)
        lamps.append(light_volume(frame, still(layer.look, t), still(effect.light, t)).lamp)
    there = [lamp for lamp in lamps if lamp is not None and lamp.strength.max() > 0]
    if not there:
        raise BadInput(
            f"{layer.name} gives off no light in the frames that are simulated", "a gas that burns or glows"
        )
    bright = np.array([0.0 if lamp is None else float(lamp.strength.mean()) for lamp in lamps])
    weight = np.array([float(lamp.strength.mean()) for lamp in there])
    colour = np.average([lamp.strength for lamp in there], axis=0, weights=weight)
    bodies = np.array([black_body_colour(k) for k in HUES])
    hues = bodies / bodies.sum(axis=1, keepdims=True) - colour / colour.sum()
    best = int(np.argmin((hues**2).sum(axis=1)))
    tint = colour / np.maximum(bodies[best], 1e-6)
    tint = np.clip(tint / tint.max(), 0.0, 1.0)
    unit = float((bodies[best] * tint).mean())
    places = np.array([lamp.place for lamp in there])
    middle = np.average(places, axis=0, weights=weight)
    # where it gives no light its place is that of the last one
    at = np.array([np.nan if lamp is None or lamp.strength.max() <= 0 else n for n, lamp in enumerate(lamps)])
    known = np.flatnonzero(~np.isnan(at))
    nearest = known[np.clip(np.searchsorted(known, np.arange(len(lamps)), side="right") - 1, 0, None)]
    way = np.array([lamps[n].place for n in nearest]) - middle  # type: ignore[union-attr]
    moments = np.array(times)
    radius = float(np.average([lamp.radius for lamp in there], weights=weight))
    close = max(0.02, 0.1 * radius)
    shifts = {f"shift_{axis}": thinned(moments, way[:, n], close) for n, axis in enumerate("xyz")}
    return SceneLight.model_validate(
        {
            "id": free_id(effect.lights, "firelight"),
            "name": f"Light of {layer.name}"[:60],
            "position": tuple(round(float(v), 3) for v in middle),
            "wide": round(float(np.clip(2.0 * radius, 0.01, 50.0)), 3),
            "strength": thinned(moments, bright / unit, CLOSE * float(bright.max()) / unit),
            "kelvin": float(HUES[best]),
            "tint": tuple(round(float(v), 3) for v in tint),
            "stands_for": layer.id,
            "part_of": "effect",
            **shifts,
        }
    )


HEAD = "light,frame,time_s,x_m,y_m,z_m,red,green,blue,width_m"


def lights_csv(effect: Effect) -> str:
    """All lights of an effect in each of its frames: place, linear light at 1 m, width."""
    rows = [HEAD]
    for light in heard(effect.lights):
        name = '"' + light.name.replace('"', '""') + '"'
        for index in range(effect.frames):
            t = index / effect.rate
            row = lamp_at(light, effect, t).row
            values = ",".join(f"{v:.6g}" for v in (t, *row[:6], light.wide))
            rows.append(f"{name},{index},{values}")
    return "\n".join(rows) + "\n"
