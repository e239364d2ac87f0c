"""Looks: ten to begin with, those that the user keeps with a picture, and laying one on a layer."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any, Literal

from platformdirs import user_data_path
from pydantic import BaseModel, ConfigDict, Field

from tenka.base.errors import BadInput
from tenka.base.files import reason, write_atomic
from tenka.base.tree import checked, read, versioned
from tenka.effect.document import replaced
from tenka.effect.gaslook import Look
from tenka.effect.model import Effect, Layer
from tenka.effect.placed import Ramp, ramp
from tenka.effect.pointlook import PointLook
from tenka.effect.waterlook import WaterLook

VERSION = 1
Rgb = tuple[float, float, float]
AnyLook = Look | PointLook | WaterLook


def _even(thin: Rgb, dense: Rgb) -> Ramp:
    return ramp((0.0, thin), (1.0, dense))


NO_FIRE: dict[str, Any] = {"flame": 0.0, "glow": 0.0}
STARTING: dict[str, Look] = {
    "Dry smoke": Look(
        colour=_even((0.66, 0.64, 0.62), (0.30, 0.29, 0.28)), extinction=8.0, forward=0.45, glow=0.3
    ),
    "Oily smoke": Look(
        colour=_even((0.075, 0.066, 0.06), (0.02, 0.018, 0.017)), extinction=24.0, forward=0.2, glow=0.6
    ),
    "Steam": Look(
        colour=_even((0.97, 0.97, 0.98), (0.95, 0.95, 0.96)),
        extinction=9.0,
        forward=0.65,
        ambient=1.1,
        **NO_FIRE,
    ),
    "Dust": Look(
        colour=_even((0.72, 0.60, 0.44), (0.50, 0.39, 0.27)), extinction=10.0, forward=0.3, **NO_FIRE
    ),
    "Wood fire": Look(
        colour=_even((0.42, 0.38, 0.35), (0.16, 0.14, 0.13)),
        extinction=6.0,
        glow=0.5,
        flame=9.0,
        flame_opacity=0.4,
    ),
    "Gas flame": Look(
        colour=_even((0.85, 0.87, 0.90), (0.8, 0.82, 0.85)),
        extinction=0.8,
        glow=0.0,
        flame=5.0,
        flame_opacity=0.12,
        flame_by="ramp",
        flame_ramp=ramp((0.0, (0.06, 0.12, 0.9)), (0.55, (0.16, 0.42, 1.0)), (1.0, (0.75, 0.88, 1.0))),
    ),
    "Fireball": Look(
        colour=_even((0.11, 0.095, 0.085), (0.03, 0.026, 0.024)),
        extinction=16.0,
        glow=0.8,
        flame=2.4,
        flame_opacity=1.1,
        flame_heat=1.25,
    ),
    "Copper-salt flame": Look(
        colour=_even((0.50, 0.52, 0.50), (0.2, 0.21, 0.2)),
        extinction=3.0,
        glow=0.0,
        flame=7.0,
        flame_opacity=0.3,
        flame_by="ramp",
        flame_ramp=ramp((0.0, (0.0, 0.28, 0.10)), (0.5, (0.05, 0.80, 0.28)), (1.0, (0.62, 1.0, 0.72))),
    ),
    "Ink": Look(
        colour=_even((0.03, 0.05, 0.26), (0.006, 0.009, 0.07)),
        extinction=26.0,
        forward=0.0,
        shadow=0.7,
        **NO_FIRE,
    ),
    "Wet clay": Look(
        colour=_even((0.24, 0.135, 0.08), (0.20, 0.11, 0.065)),
        extinction=90.0,
        forward=0.0,
        wet=1.0,
        **NO_FIRE,
    ),
}
"""Looks of a gas to begin with."""


WATERS: dict[str, WaterLook] = {
    "Clear pool": WaterLook(absorbs=(0.45, 0.10, 0.07), murk=0.05, ripples=0.008),
    "Quay water": WaterLook(),
    "Deep lake": WaterLook(
        absorbs=(1.6, 0.7, 0.55), murk=0.5, murk_colour=(0.05, 0.11, 0.12), ripples=0.014, rough=0.1
    ),
    "Silt flood": WaterLook(
        absorbs=(1.2, 1.7, 2.8), murk=14.0, murk_colour=(0.30, 0.21, 0.12), foam_colour=(0.74, 0.68, 0.58)
    ),
    "Wet slip": WaterLook(
        absorbs=(0.5, 0.7, 1.0),
        murk=90.0,
        murk_colour=(0.50, 0.42, 0.33),
        bends=1.45,
        rough=0.2,
        mirrors=0.75,
        ripples=0.0,
        foam=0.0,
    ),
    "Mud": WaterLook(
        absorbs=(1.0, 1.4, 2.0),
        murk=120.0,
        murk_colour=(0.16, 0.105, 0.065),
        bends=1.4,
        rough=0.34,
        mirrors=0.55,
        ripples=0.0,
        foam=0.0,
    ),
    "Copper glaze": WaterLook(
        absorbs=(14.0, 2.0, 3.4),
        murk=40.0,
        murk_colour=(0.05, 0.34, 0.26),
        bends=1.6,
        rough=0.05,
        ripples=0.0,
        foam=0.0,
    ),
}
"""Looks of a water to begin with."""
BEGINNINGS: dict[type, dict[str, AnyLook]] = {Look: {**STARTING}, WaterLook: {**WATERS}}
"""Looks to begin with, by what they are."""


def _kind(look: AnyLook) -> Literal["gas", "points", "water"]:
    """The word that stands in files."""
    return "gas" if isinstance(look, Look) else "water" if isinstance(look, WaterLook) else "points"


class _Kept(BaseModel):
    """What a look's file holds."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    tenka_look: int
    name: str = Field(min_length=1, max_length=60)
    kind: Literal["gas", "points", "water"]
    gas: Look | None = None
    points: PointLook | None = None
    water: WaterLook | None = None


def looks_folder() -> Path:
    return user_data_path("tenka") / "looks"


def keep(look: AnyLook, name: str, picture: bytes = b"", folder: Path | None = None) -> Path:
    """Keep a look under a name with its picture (PNG); one of the same name is replaced.

    Raises
    ------
    BadInput
        An empty name, or a folder that cannot be written.
    """
    name = " ".join(name.split())[:60]
    if not name:
        raise BadInput("has no name", "1 to 60 characters")
    kind = _kind(look)
    folder = folder or looks_folder()
    file = folder / f"{re.sub(r'[^a-z0-9]+', '_', name.lower()).strip('_') or 'look'}.json"
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput(
            f"cannot be made ({reason(error)})", "a folder that you may write to", folder
        ) from None
    tree = {"tenka_look": VERSION, "name": name, "kind": kind, kind: look.model_dump(mode="json")}
    if picture:
        write_atomic(file.with_suffix(".png"), picture)
    else:
        file.with_suffix(".png").unlink(missing_ok=True)  # that of an older one
    write_atomic(file, (json.dumps(tree, indent=1, ensure_ascii=False) + "\n").encode())
    return file


def load(file: Path) -> tuple[str, AnyLook]:
    """A look's name and settings; any fault is one sentence."""
    found = checked(_Kept, versioned(read(file, "a look"), "tenka_look", VERSION, "a look", file), file)
    look: AnyLook | None = getattr(found, found.kind)
    if look is None:
        raise BadInput(f"holds no look of the kind '{found.kind}' that it names", "a look", file)
    return found.name, look


def kept_looks(folder: Path | None = None) -> list[tuple[str, AnyLook, Path]]:
    """Names, settings and files of all looks that can be read, by name."""
    found = []
    for file in sorted((folder or looks_folder()).glob("*.json")):
        try:
            found.append((*load(file), file))
        except BadInput:
            continue
    return sorted(found, key=lambda item: item[0])


def fits(look: AnyLook, layer: Layer) -> bool:
    """Whether a look is of a layer's kind."""
    return isinstance(getattr(layer, "look", None), type(look))


def laid(effect: Effect, layer_id: str, look: AnyLook) -> Effect:
    """The effect with a look on a layer; what the look names and the effect does not have is let go.

    Raises
    ------
    BadInput
        A look of another kind of layer.
    """
    layer = effect.layer(layer_id)
    if not fits(look, layer):
        what = {"gas": "gas", "points": "particles", "water": "water"}[_kind(look)]
        raise BadInput(f"a look of {what} cannot be laid on {layer.name}", "a layer of that kind")
    if isinstance(look, PointLook):
        own = layer.look
        assert isinstance(own, PointLook)
        # how it is drawn is its look; of which files and gases, its own affair
        look = look.model_copy(
            update={"meets": own.meets, "form": own.form if own.form == "mesh" else look.form}
        )
    found: Effect = replaced(effect, f"layers.{layer_id}.look", look)
    return found
