"""What parts of a manifest are made of."""

from __future__ import annotations

from typing import Annotated, Any, Self

import numpy as np
from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from tenka.effect.catalogue import Settings
from tenka.effect.routes.base import EVERYWHERE

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


class Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Texture(Part):
    """An OpenEXR picture of numbers."""

    file: Name


def vec3(values: Any) -> tuple[float, float, float]:
    """Three numbers as a manifest holds them, to a millionth."""
    x, y, z = (round(float(v), 6) for v in values)
    return x, y, z


class Element(Part):
    """What all elements have: what they are called, by which route they come, and of which layers.

    Attributes
    ----------
    times : s, of the moments that are held, rising
    seen_from, seen_to : m, distances of the eye from the middle of the package's bounds, where each copy
        stands, between which it is shown
    """

    route: str
    id: Id
    name: Text
    layers: tuple[Text, ...] = Field(min_length=1, max_length=64)  # of the effect that are in it
    times: tuple[Annotated[float, Field(ge=0, le=1e5)], ...] = Field(min_length=1, max_length=40_000)
    seen_from: float = Field(0.0, ge=0, le=EVERYWHERE)
    seen_to: float = Field(EVERYWHERE, ge=0, le=EVERYWHERE)

    @property
    def files(self) -> list[str]:
        """Names of its files."""
        raise NotImplementedError

    @property
    def textures(self) -> list[tuple[int, int]]:
        """Width and height of the textures that a game holds of it, px."""
        return []

    def shown_at(self, away: np.ndarray) -> np.ndarray:
        """Whether it is shown to eyes at some distances, m."""
        return np.asarray((away >= self.seen_from) & (away < self.seen_to))

    @property
    def turned(self) -> Settings | None:
        """What the game may turn of it; None where there is nothing."""
        return getattr(self, "player", None)

    @property
    def remark(self) -> str:
        """What was measured of it when it was written, as a sentence without its stop; nothing where all is
        as it was simulated."""
        return ""

    @property
    def span(self) -> float:
        """How long it is until it has shown all of itself, s."""
        return self.times[-1]

    def end(self, start: float, stopped: float) -> float:
        """When nothing of it is there any more, s, of what was started and stopped then; what is written
        moment by moment plays to its end."""
        return start + self.times[-1]

    @property
    def held_in(self) -> tuple[Vec3, Vec3] | None:
        """Low and high corner of the box that it does not leave as it was packed, m, where it has one."""
        low, high = getattr(self, "low", None), getattr(self, "high", None)
        return (low, high) if low is not None and high is not None else None

    def box(self, player: Any) -> tuple[Vec3, Vec3] | None:
        """The same as it is played so, where that moves it; None where nothing does."""
        return None

    def cuts_hard(self, player: Any) -> bool:
        """Whether it ends in a hard edge where something stands in it."""
        return False

    def bounded(self) -> Self:
        """The same with the box that it can reach, as it is played now, where a game is told of that."""
        return self

    @property
    def wide(self) -> float:
        """How wide it is, m, as far as copies of it stand apart."""
        raise NotImplementedError


def rising(times: tuple[float, ...]) -> None:
    """Refuse moments that do not rise."""
    if any(b < a for a, b in zip(times, times[1:])):
        raise ValueError("the frames' times must rise")
