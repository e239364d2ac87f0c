"""The manifest of a package. Its JSON schema is published in docs/package-schema.json and made from these models."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from tenka.base.errors import BadInput
from tenka.effect.document import explain
from tenka.effect.model import Lever, Player
from tenka.effect.storage import read_file

FORMAT_VERSION: Literal[1] = 1
MANIFEST = "manifest.json"
Vec3 = tuple[float, float, float]


class Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Axes(Part):
    """How numbers and geometry are laid out; sets are GLB, which has axes of its own."""

    length: Literal["metre"] = "metre"
    time: Literal["second"] = "second"
    up: Literal["z"] = "z"
    handedness: Literal["right"] = "right"


class ColourAtlas(Part):
    """Colour and alpha of all frames, 8-bit RGBA PNG.

    Colour is linear light encoded as sRGB; with `premultiplied` alpha it was weighted in linear light first.
    """

    file: str
    alpha: Literal["premultiplied", "straight"]
    encoding: Literal["srgb"] = "srgb"


class SecondAtlas(Part):
    """Light given off (RGB, sRGB-encoded, times `scale`), or temperature above the air (grey, times `scale` K)."""

    file: str
    holds: Literal["emission", "temperature"]
    scale: float = Field(gt=0)
    black_body: tuple[Vec3, ...] = ()  # linear sRGB at even steps from 0 to `scale` K above the air


class Flipbook(Part):
    """Frames in rows from the top left, each in a cell with `padding` empty pixels round it."""

    kind: Literal["flipbook"] = "flipbook"
    id: str
    name: str
    colour: ColourAtlas
    second: SecondAtlas | None
    width: int = Field(gt=0, le=16384)
    height: int = Field(gt=0, le=16384)
    columns: int = Field(gt=0, le=64)
    rows: int = Field(gt=0, le=64)
    padding: int = Field(ge=0)
    frames: int = Field(gt=0)
    times: tuple[float, ...]
    size: tuple[float, float]  # of a frame without its padding, m
    pivot: tuple[float, float]  # in the frame, from its lower left corner, 0 to 1
    attach: Vec3  # where the pivot stands in the set, m
    heading: float  # side it was drawn from, degrees
    clock: Literal["life"] = "life"
    loop: bool = False
    player: Player

    @model_validator(mode="after")
    def _fits(self) -> Flipbook:
        if self.frames > self.columns * self.rows or self.frames != len(self.times):
            raise ValueError(f"{self.frames} frames do not fit {self.columns} x {self.rows} cells and {len(self.times)} times")
        if 2 * self.padding >= min(self.cell):
            raise ValueError("the padding leaves nothing of a cell")
        return self

    @property
    def cell(self) -> tuple[int, int]:
        """Width and height of a cell in px, with its padding."""
        return self.width // self.columns, self.height // self.rows


class TierEntry(Part):
    id: str
    name: str
    device: str
    levers: dict[str, float]


class Set(Part):
    """Props and camera, as GLB, so that the package can be judged in its place."""

    file: str
    sun_heading: float
    sun_height: float
    sun_strength: float
    sun_kelvin: float
    sky: float
    exposure: float
    credits: tuple[str, ...] = ()  # who made the props' meshes, and under which terms


class Behaviour(Part):
    """How the effect answers to the game."""

    start: Literal["grow"] = "grow"  # sprites are born one after another from an age of 0
    stop: Literal["let live"] = "let live"  # no more births; what lives plays to its end
    trigger_again: Literal["restart"] = "restart"
    motion: Literal["world", "carrier"] = "world"


class Manifest(Part):
    format_version: Literal[1] = FORMAT_VERSION
    effect: str
    axes: Axes = Axes()
    frame_rate: float = Field(gt=0)
    bounds_low: Vec3
    bounds_high: Vec3
    behaviour: Behaviour = Behaviour()
    levers: tuple[Lever, ...]
    tiers: tuple[TierEntry, ...]
    set: Set
    elements: tuple[Flipbook, ...] = Field(min_length=1)

    def dumps(self) -> bytes:
        return (json.dumps(self.model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n").encode()


def schema() -> dict[str, Any]:
    """The published JSON schema (draft 2020-12)."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Tenka package manifest", **Manifest.model_json_schema()}


def read(folder: Path) -> Manifest:
    """Read and check a package's manifest.

    Raises
    ------
    BadInput
        No package, broken, of a later version, or naming files outside or missing.
    """
    folder = Path(folder)
    file = folder / MANIFEST
    if not file.exists():
        raise BadInput("is not a package", f"a folder with {MANIFEST}", folder)
    try:
        tree = json.loads(read_file(file, "a manifest"))
        version = tree.get("format_version") if isinstance(tree, dict) else None
        if isinstance(version, int) and version > FORMAT_VERSION:
            raise BadInput(f"made by a later Tenka (format version {version})", f"at most {FORMAT_VERSION}", file)
        manifest = Manifest.model_validate(tree)
    except (json.JSONDecodeError, UnicodeDecodeError):
        raise BadInput("broken off or not JSON", "a manifest", file) from None
    except ValidationError as error:
        place = ".".join(str(p) for p in error.errors()[0]["loc"])
        raise BadInput(explain(error), file=file, place=place) from None
    names = [manifest.set.file]
    for element in manifest.elements:
        names += [element.colour.file, *([element.second.file] if element.second else [])]
    for name in names:
        path = folder / name
        if Path(name).is_absolute() or ".." in Path(name).parts or not path.is_file():
            raise BadInput(f"names '{name}', which is not in the package", file=file)
    return manifest
