"""Presets: a layer's settings kept by a name, to begin from in any effect."""

from __future__ import annotations

import json
import re
from pathlib import Path

from platformdirs import user_data_path
from pydantic import TypeAdapter, ValidationError

from tenka.base.errors import BadInput
from tenka.base.files import write_atomic
from tenka.effect.additions import with_new_layer
from tenka.effect.document import explain
from tenka.effect.model import FROM_LAYER, ON_PROP, DebrisLayer, Effect, Layer, PointLayer
from tenka.effect.storage import read_file

VERSION = 1
MOST_BYTES = 1_000_000
_LAYER: TypeAdapter[Layer] = TypeAdapter(Layer)


def presets_folder() -> Path:
    return user_data_path("tenka") / "presets"


def file_of(name: str, folder: Path | None = None) -> Path:
    """Where a preset of a name is kept."""
    stem = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_") or "preset"
    return (folder or presets_folder()) / f"{stem[:60]}.json"


def keep(layer: Layer, name: str, folder: Path | None = None) -> Path:
    """Keep a layer under a name; one of the same name is replaced.

    Raises
    ------
    BadInput
        A folder that cannot be written.
    """
    file = file_of(name, folder)
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput(f"cannot be made ({(error.strerror or 'error').lower()})", "a folder that you may write to", file.parent) from None
    tree = {"tenka_preset": VERSION, "name": name, "layer": layer.model_dump(mode="json")}
    write_atomic(file, (json.dumps(tree, indent=1, ensure_ascii=False) + "\n").encode())
    return file


def load(file: Path) -> tuple[str, Layer]:
    """A preset's name and layer; any fault is one sentence."""
    try:
        tree = json.loads(read_file(file, "a preset", MOST_BYTES))
        if not isinstance(tree, dict) or tree.get("tenka_preset") != VERSION:
            raise BadInput("not a preset of this version", f"version {VERSION}", file)
        return str(tree["name"]), _LAYER.validate_python(tree["layer"])
    except (ValueError, KeyError) as error:
        if isinstance(error, ValidationError):
            raise BadInput(explain(error), file=file) from None
        if isinstance(error, BadInput):
            raise
        raise BadInput("broken off or not a preset", "a file that Tenka kept", file) from None


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
    props, layers, cues = ({x.id for x in group} for group in (effect.props, effect.layers, effect.cues))
    gases = [g.id for g in effect.gases]

    def known(source):  # type: ignore[no-untyped-def]
        changes: dict[str, str] = {}
        if source.parent and source.parent not in props:
            changes["parent"] = ""
        if source.cue and source.cue not in cues:
            changes["cue"] = ""
        if (source.shape in ON_PROP and source.prop not in props) or (source.shape in FROM_LAYER and source.of not in layers):
            changes["shape"] = "sphere"
        return source.model_copy(update=changes)

    changes: dict[str, object] = {
        "sources": tuple(known(s) for s in layer.sources),
        "colliders": tuple(c for c in layer.colliders if c.prop in props),
    }
    if isinstance(layer, PointLayer):
        first = gases[0] if gases else ""
        follows = layer.motion.follows if layer.motion.follows in gases else first if layer.motion.follows else ""
        changes["motion"] = layer.motion.model_copy(update={"follows": follows})
        changes["look"] = layer.look.model_copy(update={"meets": layer.look.meets if layer.look.meets in gases else ""})
        if isinstance(layer, DebrisLayer):
            pieces = layer.pieces
            make = pieces.make if pieces.make != "prop" or pieces.prop in props else "sherds"
            changes["pieces"] = pieces.model_copy(update={"make": make, "swap": pieces.swap if pieces.swap in props else ""})
            changes |= {"deleted": (), "held": ()}
    return layer.model_copy(update=changes)


def with_preset(effect: Effect, file: Path) -> tuple[Effect, str]:
    """The effect with a preset as a further layer, and its path; raises as `load` does."""
    name, layer = load(file)
    layer = fitting(layer.model_copy(update={"name": name[:60]}), effect)
    return with_new_layer(effect, layer)
