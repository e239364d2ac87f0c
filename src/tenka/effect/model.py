"""The whole document: layers, scene, light, tiers and trials. All settings models are found here by name."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Literal

from pydantic import Field, ValidationError, model_validator

from tenka.base.errors import BadInput
from tenka.base.tree import explain
from tenka.effect.cameras import SceneCamera
from tenka.effect.catalogue import VIEWING, WHAT, WHERE, Settings
from tenka.effect.debris import Bodies, DebrisLayer, Pieces
from tenka.effect.flipbook import Flipbook, Player
from tenka.effect.forces import INSIDE, Brake, Force, Gravity, Pull, Swirl, Turbulence, Wind
from tenka.effect.former import CURL_SIZES
from tenka.effect.gas import Collider, DomainBox, Fading, Fire, GasLayer, Motion, Quality
from tenka.effect.gaslook import Look
from tenka.effect.layers import FIELD, HANDED, POINTS, LayerBase
from tenka.effect.light import Camera, Light
from tenka.effect.lights import SceneLight
from tenka.effect.particles import (
    FOR_EVER_HELD,
    Bed,
    Ends,
    ParticleLayer,
    PointCollider,
    PointLayer,
    PointMotion,
)
from tenka.effect.placed import (
    AMBIENT_KELVIN,
    FROM_LAYER,
    ON_PROP,
    REGIONS,
    Feed,
    Heard,
    Id,
    Placed,
    Ramp,
    Stop,
    Vec3,
    envelope,
    heard,
    mean_envelope,
    ramp,
    ramp_at,
)
from tenka.effect.pointlook import PointLook
from tenka.effect.pointsource import PointSource
from tenka.effect.props import Prop
from tenka.effect.sources import Source

SCHEMA_VERSION: Literal[1] = 1
Layer = Annotated[GasLayer | ParticleLayer | DebrisLayer, Field(discriminator="kind")]


class Cue(Settings):
    """A moment with a name. What hangs on it is timed from it."""

    id: Id
    name: str = WHAT.param("Cue", "What the moment is called.", affects="none")
    at: float = WHAT.number(0.0, "s", -60, 600, "When it is.", soft=(0, 8), step=0.02)


class Tier(Settings):
    """A device, this effect's budget on it, and the viewing for which cost is counted."""

    id: Id
    name: Annotated[str, Field(min_length=1, max_length=30)] = VIEWING.param(
        "Tier", "What the tier is called.", affects="none"
    )
    device: str = VIEWING.param("hearth", "Device profile that the game ships on.", kind="device")
    ms: float = VIEWING.number(
        2.0,
        "ms",
        0.001,
        1000,
        "What this effect may take of the device's frame.",
        soft=(0.1, 8),
        label="time budget",
    )
    mb: float = VIEWING.number(
        32.0,
        "MB",
        0.001,
        1e5,
        "What this effect may take of the device's memory.",
        soft=(1, 128),
        label="memory budget",
    )
    distance: float = VIEWING.number(14.0, "m", 0.1, 1e4, "How far the player stands from it.", soft=(2, 60))
    width: int = VIEWING.number(
        1920, "px", 64, 8192, "Width of the game's picture.", soft=(640, 3840), step=20
    )
    height: int = VIEWING.number(
        1080, "px", 64, 8192, "Height of the game's picture.", soft=(360, 2160), step=10
    )
    copies: int = VIEWING.number(
        1, "", 1, 500, "How many of this effect are on screen.", soft=(1, 12), step=1, label="on screen"
    )
    fov: float = VIEWING.number(
        50.0,
        "°",
        5,
        140,
        "Vertical angle of view of the game's camera.",
        soft=(25, 90),
        step=1,
        label="field of view",
    )
    levers: dict[str, float] = Field(default_factory=dict)


class Lever(Settings):
    """A control that the game gets: the path of a player setting, and the range it may move in."""

    id: Id
    name: str = Field(min_length=1, max_length=40)
    path: str
    low: float
    high: float

    @model_validator(mode="after")
    def _low_below_high(self) -> Lever:
        if self.low >= self.high:
            raise ValueError("a lever's low must be below its high")
        return self


class Trial(Settings):
    """A kept simulation: everything that shaped it, so that its frames are found again, compared, and gone
    back to."""

    id: Id
    name: str = WHAT.param("Trial", "What the trial is called.", affects="none")
    seconds: float
    rate: float
    seed: int
    props: tuple[Prop, ...]
    forces: tuple[Force, ...]
    layers: tuple[Layer, ...]
    cues: tuple[Cue, ...] = ()
    lights: tuple[SceneLight, ...] = ()
    light: Light

    @classmethod
    def of(cls, effect: Effect, id: str, name: str) -> Trial:
        return cls(id=id, name=name, **{part: getattr(effect, part) for part in TRIED})

    def onto(self, effect: Effect) -> Effect:
        """The effect as it was when the trial was kept; its camera, tiers, levers and trials stay."""
        return effect.model_copy(update={part: getattr(self, part) for part in TRIED})


TRIED = ("seconds", "rate", "seed", "props", "forces", "layers", "cues", "lights", "light")


class Effect(Settings):
    """The whole document."""

    schema_version: Literal[1] = SCHEMA_VERSION
    name: str = Field("untitled", min_length=1, max_length=80)
    seconds: float = WHERE.number(
        4.0, "s", 0.05, 600, "How long the effect lasts.", soft=(0.5, 12), step=0.1, label="length"
    )
    rate: float = WHERE.number(
        24.0,
        "1/s",
        1,
        240,
        "Frames in a second: simulated, shown and packed.",
        soft=(8, 60),
        step=1,
        label="frame rate",
    )
    seed: int = WHERE.number(
        1,
        "",
        0,
        2**31 - 1,
        "Another seed is another gust, another eddy, another puff.",
        soft=(0, 100),
        step=1,
    )
    props: tuple[Prop, ...] = ()
    forces: tuple[Force, ...] = ()
    layers: tuple[Layer, ...] = ()
    lights: tuple[SceneLight, ...] = ()
    cameras: tuple[SceneCamera, ...] = ()
    cues: tuple[Cue, ...] = ()
    light: Light = Field(default_factory=Light)
    camera: Camera = Field(default_factory=Camera)
    tiers: tuple[Tier, ...] = ()
    levers: tuple[Lever, ...] = ()
    trials: tuple[Trial, ...] = ()

    @model_validator(mode="after")
    def _whole(self) -> Effect:
        for group in (
            self.props,
            self.forces,
            self.layers,
            self.lights,
            self.cameras,
            self.cues,
            self.tiers,
            self.levers,
            self.trials,
            *(l.sources for l in self.layers),
            *(l.colliders for l in self.layers),
        ):
            ids = [item.id for item in group]
            if len(set(ids)) != len(ids):
                raise ValueError(f"two things share the id {next(i for i in ids if ids.count(i) > 1)}")
        known = {p.id: p for p in self.props}
        for layer in self.layers:
            needs = [("source", s) for s in layer.sources if s.shape in ON_PROP] + [
                ("collider", c) for c in layer.colliders
            ]
            for word, item in needs:
                if item.prop not in known:
                    raise ValueError(
                        f"{word} {item.id} names the prop '{item.prop}', which is not in the effect"
                    )
            self._linked(layer)
        gases = {layer.id for layer in self.layers if layer.HANDS == FIELD}
        for light in self.lights:
            if light.stands_for and light.stands_for not in gases:
                raise ValueError(
                    f"light {light.id} stands for the gas '{light.stands_for}', which is not in the effect"
                )
        for placed in (
            *self.props,
            *self.forces,
            *self.lights,
            *self.cameras,
            *(s for layer in self.layers for s in layer.sources),
        ):
            seen, at = {placed.id} if isinstance(placed, Prop) else set(), placed.parent
            while at:
                if at not in known:
                    raise ValueError(f"{placed.id} is carried by the prop '{at}', which is not in the effect")
                if at in seen:
                    raise ValueError(f"{placed.id} is carried by itself, through the prop '{at}'")
                seen.add(at)
                at = known[at].parent
        return self

    def _linked(self, layer: Layer) -> None:
        """Refuse names of layers and cues that are not there, or that hand over something else."""
        handed = {other.id: other.HANDS for other in self.layers}
        cues = {c.id for c in self.cues}
        for link in layer.links():
            if link.of not in handed:
                raise ValueError(f"{link.who} names the layer '{link.of}', which is not in the effect")
            if handed[link.of] != link.hands:
                raise ValueError(
                    f"{link.who} names the layer '{link.of}', which hands over {HANDED[handed[link.of]]} and "
                    f"not {HANDED[link.hands]}"
                )
            if link.of == layer.id:
                raise ValueError(f"{link.who} names its own layer")
        for source in layer.sources:
            if source.cue and source.cue not in cues:
                raise ValueError(
                    f"source {source.id} hangs on the cue '{source.cue}', which is not in the effect"
                )

    @property
    def frames(self) -> int:
        """Number of shown frames."""
        return max(1, round(self.seconds * self.rate))

    def layer(self, id: str | None = None) -> Layer:
        for layer in self.layers:
            if id is None or layer.id == id:
                return layer
        raise KeyError(id or "the effect has no layer")

    def gas(self, id: str | None = None) -> GasLayer:
        """A gas layer, or the first one."""
        for layer in self.gases:
            if id is None or layer.id == id:
                return layer
        raise KeyError(id or "the effect has no gas layer")

    @property
    def gases(self) -> tuple[GasLayer, ...]:
        return tuple(layer for layer in self.layers if isinstance(layer, GasLayer))

    def prop(self, id: str) -> Prop | None:
        """A prop by its id."""
        return next((p for p in self.props if p.id == id), None)

    def with_layer(self, layer: Layer) -> Effect:
        """The effect with another state of one of its layers, checked as a whole."""
        return self.with_layers(layer if item.id == layer.id else item for item in self.layers)

    def with_layers(self, layers: Iterable[Layer]) -> Effect:
        """The effect with other layers, checked as a whole.

        Raises
        ------
        BadInput
            When what is named is not there.
        """
        try:
            return Effect.model_validate({**dict(self), "layers": tuple(layers)})
        except ValidationError as error:
            raise BadInput(explain(error)) from None

    def tier(self, id: str | None = None) -> Tier:
        for tier in self.tiers:
            if id is None or id.lower() in (tier.id, tier.name.lower()):
                return tier
        raise KeyError(id or "the effect has no tier")


def timed(effect: Effect) -> Effect:
    """The effect with each cue's time put into the delays of what hangs on it: what runs and keys are made
    from."""
    if not effect.cues:
        return effect
    at = {c.id: c.at for c in effect.cues}

    def moved(layer: Layer) -> Layer:
        sources = tuple(
            s.model_copy(update={"delay": s.delay + at[s.cue], "cue": ""}) if s.cue else s
            for s in layer.sources
        )
        return layer.model_copy(update={"sources": sources})

    return effect.model_copy(update={"layers": tuple(moved(layer) for layer in effect.layers)})


__all__ = [
    "AMBIENT_KELVIN",
    "CURL_SIZES",
    "FIELD",
    "FOR_EVER_HELD",
    "FROM_LAYER",
    "INSIDE",
    "ON_PROP",
    "POINTS",
    "REGIONS",
    "SCHEMA_VERSION",
    "TRIED",
    "Bed",
    "Bodies",
    "Brake",
    "Camera",
    "Collider",
    "Cue",
    "DebrisLayer",
    "DomainBox",
    "Effect",
    "Ends",
    "Fading",
    "Feed",
    "Fire",
    "Flipbook",
    "Force",
    "GasLayer",
    "Gravity",
    "Heard",
    "Id",
    "Layer",
    "LayerBase",
    "Lever",
    "Light",
    "Look",
    "Motion",
    "ParticleLayer",
    "Pieces",
    "Placed",
    "Player",
    "PointCollider",
    "PointLayer",
    "PointLook",
    "PointMotion",
    "PointSource",
    "Prop",
    "Pull",
    "Quality",
    "Ramp",
    "SceneLight",
    "Source",
    "Stop",
    "Swirl",
    "Tier",
    "Trial",
    "Turbulence",
    "Vec3",
    "Wind",
    "envelope",
    "heard",
    "mean_envelope",
    "ramp",
    "ramp_at",
    "timed",
]
