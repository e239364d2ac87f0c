"""Particles as a law, in words, and for a package's page."""

from __future__ import annotations

import base64
from pathlib import Path
from textwrap import fill
from typing import Any

import numpy as np

from tenka.base.randomness import unit_array
from tenka.pack.routes.base import Output
from tenka.package.elements.particles import Particles
from tenka.package.law import Field, Law
from tenka.package.laws import Grid, births_of, columns_of, fields_of


def lawful_outputs(law: Law) -> list[Output]:
    """The files of a law."""
    size = f"{law.columns} × {law.rows} px"
    found = [
        Output(law.born.file, f"{size}: place and time of {law.births:,} births, 32 bits"),
        Output(law.launch.file, "velocity and life, 32 bits"),
        Output(law.own.file, "width, light, share of what drives it, how long it is there, 32 bits"),
        Output(law.over.file, "light, opacity and width over life, 32 bits"),
        Output(law.push.file, f"what drives them, {_size(law.push)}, 16 bits"),
    ]
    if law.stops is not None:
        found.append(Output(law.stops.file, f"how far it is to what stops them, {_size(law.stops)}, 16 bits"))
    if law.shade is not None:
        found.append(Output(law.shade.file, f"how light it is at a place, {_size(law.shade)}, 16 bits"))
    return found


def _size(field: Field) -> str:
    x, y, z = field.shape
    return f"{x} × {y} × {z} cells at {len(field.times)} moment{'s' * (len(field.times) > 1)}"


def lawful_words(element: Particles) -> str:
    """What an engine needs to know of particles that a law moves, with formulas."""
    law = element.law
    assert law is not None
    t = law.typical
    ground = "nothing stops them at height 0"
    if law.ground is not None:
        g = law.ground
        ground = f"at height 0 they {g.response}" + (
            f" (bounce {g.bounce:g}, friction {g.friction:g})" if g.response == "bounce" else ""
        )
    light = "light (times l), "
    if law.light_span > 0:
        light += f"which goes over {law.light_span:.4g} s of its age instead, "
    push, stops, low, high = law.push, law.stops, t.low, t.high
    told = [
        f"{law.births:,} births in rows of {law.columns}; texel n of each table is a particle. "
        f"{law.born.file}: place in m; alpha: time of birth in s. {law.launch.file}: velocity in m/s; alpha: "
        f"life in s. {law.own.file}: red: width w in m, green: light l, blue: share o of what drives it, "
        "alpha: seconds that it is there.",
        f"{push.file}: {_size(push)} of {push.cell:g} m from {push.low} on; cell (x, y, z) of moment m is "
        f"the texel in column {push.shape[0]} z + x of row {push.shape[1]} m + y. b: red, green, blue, "
        "m/s^2; k: alpha, 1/s.",
        f"Motion: dv/dt = g + o (b - k v), g = (0, 0, {-law.gravity:g}); within a step of {law.step:.6g} "
        "s with b and k of its middle: v -> e v + (1 - e)/(o k) a, e = exp(-o k dt), a = g + o b.",
        f"A particle is a ball of {2 * law.thick:g} w across; {ground}.",
    ]
    if stops is not None:
        told.append(
            f"{stops.file}: red: distance in m to what stops them, {_size(stops)} of {stops.cell:g} m from "
            f"{stops.low} on, beyond it as at its edge; green: bounce, blue: friction, alpha: 0 bounces, 1 "
            "sticks, 2 ends."
        )
    if law.shade is not None:
        light = f"light (times l, and by red, green, blue of {law.shade.file} where it is), "
        if law.light_span > 0:
            light += f"which goes over {law.light_span:.4g} s of its age instead, "
        told.append(
            f"{law.shade.file}: red, green, blue: by what factor light is another at a place, "
            f"{_size(law.shade)} of {law.shade.cell:g} m from {law.shade.low} on, in the shadow of the "
            "others or near a lamp."
        )
    told.append(
        f"{law.over.file}: over the share of its life: {light}opacity in alpha; second row: width "
        f"over w. Draw with a = opacity x cover: picture = light a + picture (1 - {element.opaque:g} a)."
    )
    if element.form == "soft":
        told.append(f"Cover falls smoothly over the outer {element.softness:g} of the radius.")
    if law.streak or law.stretch:
        told.append(f"It is drawn back along its way by {law.streak:g} s + {law.stretch:g} s/m x width.")
    told.append(
        f"For an emitter that draws by chance: speed {t.speed[0]:.3g} m/s (deviation {t.speed[1]:.2g}), on "
        f"average {t.within:.0f} degrees from ({t.towards[0]:.2f}, {t.towards[1]:.2f}, {t.towards[2]:.2f}); "
        f"life {t.life[0]:.3g} s ({t.life[1]:.2g}); width {t.width[0]:.3g} m ({t.width[1]:.2g}); born from "
        f"({low[0]:.2f}, {low[1]:.2f}, {low[2]:.2f}) to ({high[0]:.2f}, {high[1]:.2f}, {high[2]:.2f}) m; "
        "births a second: typical.rate in manifest.json."
    )
    told.append(f"{law.agrees.words}.")
    return "".join(fill(line, 98, initial_indent="  ", subsequent_indent="    ") + "\n" for line in told)


def _text(values: np.ndarray, kind: type) -> str:
    return base64.b64encode(np.ascontiguousarray(values, kind).tobytes()).decode()


def _paged(grid: Grid, field: Field) -> dict[str, Any]:
    return {
        "shape": list(field.shape),
        "low": list(field.low),
        "cell": field.cell,
        "times": list(field.times),
        "values": _text(grid.values, np.float16),
    }


def lawful_page(folder: Path, element: Particles) -> dict[str, Any]:
    """Births, each with its chance by its column, and the fields."""
    law = element.law
    assert law is not None
    b = births_of(folder, law)
    columns = columns_of(law, b, element.times)
    of = np.zeros(len(b), np.int64)
    of[list(columns.of)] = list(columns.of.values())
    chance = unit_array(917, of, 0)
    rows = np.column_stack([b.place, b.speed, b.born, b.life, b.until, b.width, b.light, b.own, chance])
    return {
        "times": list(element.times),
        "births": _text(rows, np.float32),
        "over": _text(b.over, np.float32),
        "fields": {
            name: _paged(grid, getattr(law, name))
            for name, grid in vars(fields_of(folder, law)).items()
            if grid is not None
        },
    }
