"""The manifest of a package. Its JSON schema is published in docs/package-schema.json and made from these
models."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from tenka.base.errors import BadInput
from tenka.base.ranges import Real
from tenka.base.tree import checked, versioned
from tenka.base.tree import read as tree_of
from tenka.effect.catalogue import params
from tenka.effect.model import Lever
from tenka.package.elements import AnyElement
from tenka.package.parts import Id, Name, Part, Share, Text, Texture, Vec3

FORMAT_VERSION: Literal[2] = 2
MANIFEST = "manifest.json"
LIGHT_ROW = 14  # numbers of a light in a frame
PAGE, ABOUT, PLAYER = "play.html", "READ-ME.txt", "play.py"
NOTES = (ABOUT, PAGE, PLAYER)
"""Files of a package that its manifest does not name: words for who takes it in, a page that plays it, and a
player in plain Python."""


class Axes(Part):
    """How numbers and geometry are laid out; sets are GLB, which has axes of its own."""

    length: Literal["metre"] = "metre"
    time: Literal["second"] = "second"
    up: Literal["z"] = "z"
    handedness: Literal["right"] = "right"


class TierEntry(Part):
    id: Id
    name: Text
    device: Text
    levers: dict[str, Real]


class SetLight(Part):
    """A light that stands in the set, frame by frame. Each row holds its place (m), the linear light that it
    gives at 1 m (red, green, blue), the square of its radius (m^2), the way that a panel faces (or three
    zeros), its pattern (0: none, 1: bars, 2: leaves, 3: water), how many of its sizes a radian holds, how
    dark it is, and how many sizes it has moved. With a `reach` its light at a distance r is less by
    (1 - (r / reach)^4)^2, and nothing beyond."""

    name: Text
    rate: float = Field(gt=0, le=240)  # rows a second
    shadows: bool = True
    reach: float = Field(0.0, ge=0, le=1e4)  # m, where it has faded out; 0: without an end
    rows: tuple[Annotated[tuple[Real, ...], Field(min_length=LIGHT_ROW, max_length=LIGHT_ROW)], ...] = Field(
        min_length=1, max_length=40_000
    )


class Leaving(Part):
    """A part of the set that is no more there from a time on, s: what has burst. As GLB."""

    file: Name
    at: float = Field(ge=0, le=1e5)


POSE_ROW = 7


class Moving(Part):
    """A part of the set that moves, as GLB in its own axes: its place (m) and its turn as a quaternion w x y
    z, frame by frame since the effect's start; the last holds. `until`: s from which on it is no more
    there. `bent`: where a clip bends it, an OpenEXR picture with a row for each of these frames and a column
    for each vertex of the GLB in its order: where that is in the part's own axes, m."""

    file: Name
    rate: float = Field(gt=0, le=240)  # rows a second
    rows: tuple[Annotated[tuple[Real, ...], Field(min_length=POSE_ROW, max_length=POSE_ROW)], ...] = Field(
        min_length=1, max_length=40_000
    )
    until: float | None = Field(None, ge=0, le=1e5)
    bent: Texture | None = None


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
    # what is not part of the file above, for it moves
    moving: tuple[Moving, ...] = Field((), max_length=256)
    # names of what a clip bends that has too many points to be told, and stands as at its start
    still: tuple[Text, ...] = Field((), max_length=256)
    # who made the props' meshes, and under which terms
    credits: tuple[Text, ...] = Field((), max_length=1000)


class Behaviour(Part):
    """How the effect answers to the game.

    Attributes
    ----------
    start : sprites are born one after another from an age of 0
    stop : `let live`: no more births, what lives plays to its end; `cut`: nothing is there any more
    trigger_again : while it is alive: `restart`, or `add`: one more plays beside it, or `refuse`
    out_of_sight : while the package's bounds are out of the picture: `run on`; `sleep`: its time stands
        still; `restart`: it starts anew when it is seen again
    """

    start: Literal["grow"] = "grow"
    stop: Literal["let live", "cut"] = "let live"
    trigger_again: Literal["restart", "add", "refuse"] = "restart"
    out_of_sight: Literal["run on", "sleep", "restart"] = "run on"
    motion: Literal["world", "carrier"] = "world"


class Mark(Part):
    """A moment with a name, for sounds and whatever else the game ties to it."""

    name: Text
    at: float = Field(ge=0, le=1e5)  # s since the effect was triggered


class Manifest(Part):
    format_version: Literal[2] = FORMAT_VERSION
    effect: Text
    axes: Axes = Axes()
    frame_rate: float = Field(gt=0, le=1000)
    bounds_low: Vec3
    bounds_high: Vec3
    behaviour: Behaviour = Behaviour()
    marks: tuple[Mark, ...] = Field((), max_length=1000)  # in order of time
    levers: tuple[Lever, ...] = Field(max_length=1000)
    tiers: tuple[TierEntry, ...] = Field(max_length=100)
    # id of the tier that it was packed for; empty where it is as the effect itself has it
    packed_for: str = Field("", max_length=40)
    set: Set
    elements: tuple[AnyElement, ...] = Field(min_length=1, max_length=100)

    @model_validator(mode="after")
    def _levers_lead_somewhere(self) -> Manifest:
        turned = {e.id: e.turned for e in self.elements}
        if len(turned) != len(self.elements):
            raise ValueError("two elements share an id")
        for lever in self.levers:
            element, _, name = lever.path.partition(".player.")
            player = turned.get(element)
            setting = params(type(player)).get(name) if player is not None else None
            if setting is None or setting.kind not in ("number", "whole"):
                raise ValueError(
                    f"the lever {lever.id} leads to '{lever.path[:60]}', which is no setting here"
                )
        return self

    @property
    def files(self) -> list[str]:
        """Names of all files besides the manifest."""
        parts: list[Leaving | Moving] = [*self.set.leaving, *self.set.moving]
        names = [self.set.file, *(part.file for part in parts)]
        names += [part.bent.file for part in self.set.moving if part.bent is not None]
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
