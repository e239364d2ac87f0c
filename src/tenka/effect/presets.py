"""Presets: a layer's settings kept by a name, to begin from in any effect."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from platformdirs import user_data_path
from pydantic import BaseModel, ConfigDict, Field, model_validator

from tenka.base.errors import BadInput
from tenka.base.files import reason, write_atomic
from tenka.base.tree import checked, read, versioned
from tenka.effect.additions import with_new_layer
from tenka.effect.former import bookless
from tenka.effect.model import ON_PROP, Effect, Layer, Route

VERSION = 1


def presets_folder() -> Path:
    return user_data_path("tenka") / "presets"


def file_of(name: str, folder: Path | None = None) -> Path:
    """Where a preset of a name is kept."""
    stem = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_") or "preset"
    return (folder or presets_folder()) / f"{stem[:60]}.json"


def keep(layer: Layer, name: str, folder: Path | None = None, route: Route | None = None) -> Path:
    """Keep a layer under a name, and by which route it is delivered; one of the same name is replaced.

    Raises
    ------
    BadInput
        A folder that cannot be written.
    """
    file = file_of(name, folder)
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput(
            f"cannot be made ({reason(error)})", "a folder that you may write to", file.parent
        ) from None
    tree = {"tenka_preset": VERSION, "name": name[:60] or "Preset", "layer": layer.model_dump(mode="json")}
    if route is not None:
        tree["route"] = route.model_dump(mode="json")
    write_atomic(file, (json.dumps(tree, indent=1, ensure_ascii=False) + "\n").encode())
    return file


class _Preset(BaseModel):
    """What a preset's file holds."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    tenka_preset: int
    name: str = Field(min_length=1, max_length=60)
    layer: Layer
    route: Route | None = None

    @model_validator(mode="before")
    @classmethod
    def _former(cls, given: Any) -> Any:
        layer, book = bookless(given.get("layer") if isinstance(given, dict) else None)
        return {**given, "layer": layer, "route": given.get("route", book)} if book is not None else given


def load(file: Path) -> tuple[str, Layer, Route | None]:
    """A preset's name, its layer, and how that is delivered; any fault is one sentence."""
    tree = versioned(read(file, "a preset"), "tenka_preset", VERSION, "a preset", file)
    found = checked(_Preset, tree, file)
    return found.name, found.layer, found.route


def all_presets(folder: Path | None = None) -> list[tuple[str, Path]]:
    """Names and files of all presets that can be read, by name."""
    found = []
    for file in sorted((folder or presets_folder()).glob("*.json")):
        try:
            found.append((load(file)[0], file))
        except BadInput:
            continue
    return sorted(found)


def fitting(layer: Layer, effect: Effect) -> Layer:
    """A layer without what it names that the effect does not have: props, layers, cues."""
    props, cues = ({x.id for x in group} for group in (effect.props, effect.cues))
    others = {x.id: x for x in effect.layers}
    for link in layer.links():
        if link.of not in others or not others[link.of].hands_over(link.hands):
            layer = layer.without_link(link.of)

    def known(source: Any) -> Any:
        changes: dict[str, str] = {}
        if source.parent and source.parent not in props:
            changes["parent"] = ""
        if source.cue and source.cue not in cues:
            changes["cue"] = ""
        if source.shape in ON_PROP and source.prop not in props:
            changes["shape"] = "sphere"
        return source.model_copy(update=changes)

    layer = layer.model_copy(
        update={
            "sources": tuple(known(s) for s in layer.sources),
            "colliders": tuple(c for c in layer.colliders if c.prop in props or not c.by_prop),
        }
    )
    return layer.alone(props)


def with_preset(effect: Effect, file: Path) -> tuple[Effect, str]:
    """The effect with a preset as a further layer, and its path; raises as `load` does."""
    name, layer, route = load(file)
    layer = fitting(layer.model_copy(update={"name": name[:60]}), effect)
    return with_new_layer(effect, layer, route)
