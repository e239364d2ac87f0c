"""Scenes: several effects on one time axis, each with its moment and its place."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from tenka.base.files import read_file, write_atomic
from tenka.base.tree import MOST_BYTES, checked, parse, versioned

SCENE_VERSION = 1
SUFFIX = ".scene.json"
MOST = 64

Far = Annotated[float, Field(ge=-1e4, le=1e4, allow_inf_nan=False)]


class Member(BaseModel):
    """An effect of a scene.

    Attributes
    ----------
    effect : its file, from the scene's folder
    at : s since the scene's start, at which it is triggered
    place : m, by which it stands elsewhere than where it was made
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(min_length=1, max_length=80)
    effect: str = Field(min_length=1, max_length=1000)
    at: float = Field(0.0, ge=0, le=600, allow_inf_nan=False)
    place: tuple[Far, Far, Far] = (0.0, 0.0, 0.0)


class Scene(BaseModel):
    """Effects on one time axis; the set of the first is that of all."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    scene_version: Literal[1] = 1
    name: str = Field("scene", min_length=1, max_length=80)
    members: tuple[Member, ...] = Field((), max_length=MOST)

    @property
    def files(self) -> tuple[str, ...]:
        """Of which effects its members are, in their order."""
        return tuple(m.effect for m in self.members)

    def put(self, n: int, member: Member) -> Scene:
        """The scene with another one in a place; one more at the end of them."""
        members = list(self.members)
        members[n : n + 1] = [member]
        return self.model_copy(update={"members": tuple(members)})

    def without(self, n: int) -> Scene:
        """The scene without one of them."""
        return self.model_copy(update={"members": self.members[:n] + self.members[n + 1 :]})


def load_scene(file: Path) -> Scene:
    """Read a scene; any fault is one sentence.

    Raises
    ------
    BadInput
    """
    tree = parse(read_file(file, "a scene", MOST_BYTES), "a scene", file)
    return checked(Scene, versioned(tree, "scene_version", SCENE_VERSION, "a scene", file), file)


def save_scene(scene: Scene, file: Path) -> None:
    """Write a scene, whole.

    Raises
    ------
    BadInput
    """
    text = json.dumps(scene.model_dump(mode="json"), indent=1, ensure_ascii=False)
    write_atomic(file, text.encode() + b"\n")
