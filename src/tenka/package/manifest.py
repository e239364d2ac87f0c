"""The manifest of a package. Its JSON schema is published in docs/package-schema.json and made from these
models."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from tenka.base.errors import BadInput
from tenka.base.tree import checked, versioned
from tenka.base.tree import read as tree_of
from tenka.effect.catalogue import params
from tenka.effect.model import Lever, Player

FORMAT_VERSION: Literal[2] = 2
MANIFEST = "manifest.json"
Metres = Annotated[float, Field(ge=-1e6, le=1e6)]
Share = Annotated[float, Field(ge=0, le=1)]
Size = Annotated[float, Field(gt=0, le=1e6)]
Vec3 = tuple[Metres, Metres, Metres]
Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")]
Text = Annotated[str, Field(max_length=500)]


def _inside(name: str) -> str:
    if not 0 < len(name) <= 200 or name in (".", "..") or any(c in "/\\" or ord(c) < 32 for c in name):
        raise ValueError(f"names '{name[:60]}', which is not in the package")
    return name


Name = Annotated[str, AfterValidator(_inside)]
"""Name of a file that lies in the package's folder itself."""
PAGE, ABOUT = "play.html", "READ-ME.txt"
NOTES = (ABOUT, PAGE)
"""Files of a package that its manifest does not name: words for who takes it in, and a page that plays it."""


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

    file: Name
    alpha: Literal["premultiplied", "straight"]
    encoding: Literal["srgb"] = "srgb"


class SecondAtlas(Part):
    """Light given off (RGB, sRGB-encoded, times `scale`), or temperature above the air (grey, times `scale`
    K)."""

    file: Name
    holds: Literal["emission", "temperature"]
    scale: float = Field(gt=0, le=1e6)
    # linear sRGB at even steps from 0 to `scale` K above the air
    black_body: tuple[Vec3, ...] = Field((), max_length=4096)


class MotionAtlas(Part):
    """How what is seen moves from each frame to the next, 8-bit PNG: (red / 127 - 1) `scale[0]` is the way to
    the right, as a share of a frame's width without padding; green likewise the way down, of its height.

    Between two frames, a share f after the first, the first is read at uv - f m and the second at
    uv + (1 - f) m, each with the m of its own frame at uv; then they are mixed by f.
    """

    file: Name
    scale: tuple[Size, Size]


class Flipbook(Part):
    """Frames in rows from the top left, each in a cell with `padding` empty pixels round it."""

    route: Literal["flipbook"] = "flipbook"
    id: Id
    name: Text
    layers: tuple[Text, ...] = Field(min_length=1, max_length=64)  # of the effect that are drawn in it
    colour: ColourAtlas
    second: SecondAtlas | None
    motion: MotionAtlas | None = None
    width: int = Field(gt=0, le=16384)
    height: int = Field(gt=0, le=16384)
    columns: int = Field(gt=0, le=64)
    rows: int = Field(gt=0, le=64)
    padding: int = Field(ge=0, le=1024)
    frames: int = Field(gt=0, le=4096)
    times: tuple[Annotated[float, Field(ge=0, le=1e5)], ...]  # s, of each frame, rising
    size: tuple[Size, Size]  # of a frame without its padding, m
    pivot: tuple[Metres, Metres]  # in the frame, from its lower left corner, 0 to 1
    attach: Vec3  # where the pivot stands in the set, m
    heading: float = Field(ge=-720, le=720)  # side it was drawn from, degrees
    clock: Literal["life"] = "life"
    loop: bool = False
    player: Player

    @model_validator(mode="after")
    def _fits(self) -> Flipbook:
        if self.frames > self.columns * self.rows or self.frames != len(self.times):
            raise ValueError(
                f"{self.frames} frames do not fit {self.columns} x {self.rows} cells and "
                f"{len(self.times)} times"
            )
        if any(b < a for a, b in zip(self.times, self.times[1:])):
            raise ValueError("the frames' times must rise")
        if 2 * self.padding >= min(self.cell):
            raise ValueError("the padding leaves nothing of a cell")
        return self

    @property
    def files(self) -> list[str]:
        """Names of its atlases."""
        more = [atlas.file for atlas in (self.second, self.motion) if atlas is not None]
        return [self.colour.file, *more]

    @property
    def cell(self) -> tuple[int, int]:
        """Width and height of a cell in px, with its padding."""
        return self.width // self.columns, self.height // self.rows


class TierEntry(Part):
    id: Id
    name: Text
    device: Text
    levers: dict[str, float]


class SetLight(Part):
    """A light that stands in the set, frame by frame. Each row holds its place (m), the linear light that it
    gives at 1 m (red, green, blue), the square of its radius (m^2), the way that a panel faces (or three
    zeros), its pattern (0: none, 1: bars, 2: leaves, 3: water), how many of its sizes a radian holds, how
    dark it is, and how many sizes it has moved."""

    name: Text
    rate: float = Field(gt=0, le=240)  # rows a second
    shadows: bool = True
    rows: tuple[Annotated[tuple[float, ...], Field(min_length=14, max_length=14)], ...] = Field(
        min_length=1, max_length=40_000
    )


class Leaving(Part):
    """A part of the set that is no more there from a time on, s: what has burst. As GLB."""

    file: Name
    at: float = Field(ge=0, le=1e5)


class Set(Part):
    """Props and camera, as GLB, so that the package can be judged in its place."""

    file: Name
    sun_heading: float = Field(ge=-720, le=720)
    sun_height: float = Field(ge=3, le=90)
    sun_strength: float = Field(ge=0, le=100)
    sun_kelvin: float = Field(ge=1000, le=20000)
    sky: float = Field(ge=0, le=20)
    exposure: float = Field(ge=-8, le=8)
    # what lies behind the set, and how the light of the sky is tinted
    backdrop: Literal["grey", "sky", "dark"] = "grey"
    sky_tint: tuple[Share, Share, Share] = (1.0, 1.0, 1.0)
    # lights that stand in the set besides
    lights: tuple[SetLight, ...] = Field((), max_length=64)
    # what is there besides until it breaks
    leaving: tuple[Leaving, ...] = Field((), max_length=64)
    # who made the props' meshes, and under which terms
    credits: tuple[Text, ...] = Field((), max_length=1000)


class Behaviour(Part):
    """How the effect answers to the game."""

    start: Literal["grow"] = "grow"  # sprites are born one after another from an age of 0
    stop: Literal["let live"] = "let live"  # no more births; what lives plays to its end
    trigger_again: Literal["restart"] = "restart"
    motion: Literal["world", "carrier"] = "world"


class Manifest(Part):
    format_version: Literal[2] = FORMAT_VERSION
    effect: Text
    axes: Axes = Axes()
    frame_rate: float = Field(gt=0, le=1000)
    bounds_low: Vec3
    bounds_high: Vec3
    behaviour: Behaviour = Behaviour()
    levers: tuple[Lever, ...] = Field(max_length=1000)
    tiers: tuple[TierEntry, ...] = Field(max_length=100)
    set: Set
    elements: tuple[Flipbook, ...] = Field(min_length=1, max_length=100)

    @model_validator(mode="after")
    def _levers_lead_somewhere(self) -> Manifest:
        ids = [e.id for e in self.elements]
        if len(set(ids)) != len(ids):
            raise ValueError("two elements share an id")
        for lever in self.levers:
            element, _, name = lever.path.partition(".player.")
            setting = params(Player).get(name)
            if element not in ids or setting is None or setting.kind not in ("number", "whole"):
                raise ValueError(
                    f"the lever {lever.id} leads to '{lever.path[:60]}', which is no setting here"
                )
        return self

    @property
    def files(self) -> list[str]:
        """Names of all files besides the manifest."""
        names = [self.set.file, *(part.file for part in self.set.leaving)]
        for element in self.elements:
            names += element.files
        return names

    def dumps(self) -> bytes:
        return (json.dumps(self.model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n").encode()


def schema() -> dict[str, Any]:
    """The published JSON schema (draft 2020-12)."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Tenka package manifest",
        **Manifest.model_json_schema(),
    }


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
    tree = versioned(
        tree_of(file, "a manifest"), "format_version", FORMAT_VERSION, "a package's manifest", file
    )
    manifest = checked(Manifest, _present(tree), file)
    inside = folder.resolve()
    for name in manifest.files:
        path = (folder / name).resolve()
        if path.parent != inside or not path.is_file():
            raise BadInput(f"names '{name}', which is not in the package", file=file)
    return manifest


def _present(tree: dict[str, Any]) -> dict[str, Any]:
    """A manifest of the first version as the present one has it: each element was of one layer."""
    elements = tree.get("elements")
    if tree.get("format_version") != 1 or not isinstance(elements, list):
        return tree
    found = []
    for element in elements:
        if isinstance(element, dict):
            kept = {key: value for key, value in element.items() if key != "kind"}
            element = {"route": element.get("kind", "flipbook"), "layers": [element.get("name", "")], **kept}
        found.append(element)
    return {**tree, "format_version": 2, "elements": found}


def is_ours(folder: Path) -> bool:
    """Whether a folder holds a package, of any version, and nothing else: then another may take its place."""
    try:
        tree = tree_of(Path(folder) / MANIFEST, "a manifest")
        held = {p.relative_to(folder).as_posix() for p in Path(folder).rglob("*")}
    except (BadInput, OSError):
        return False
    if not isinstance(tree, dict) or "format_version" not in tree or "elements" not in tree:
        return False
    return held <= {MANIFEST, *NOTES, *_named(tree)}


def _named(tree: Any) -> Iterator[str]:
    """Every file that a manifest names, wherever it stands in it."""
    left = [tree]
    while left:
        node = left.pop()
        if isinstance(node, dict):
            if isinstance(node.get("file"), str):
                yield node["file"]
            left += node.values()
        elif isinstance(node, list):
            left += node
