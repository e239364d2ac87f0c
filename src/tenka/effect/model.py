"""The whole document: layers, scene, light, tiers and trials. All settings models are found here by name."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from tenka.effect.catalogue import Settings, param
from tenka.effect.forces import INSIDE, Brake, Force, Gravity, Pull, Swirl, Turbulence, Wind
from tenka.effect.gas import Collider, DomainBox, Fading, Fire, Flipbook, GasLayer, Look, Motion, Player, Quality, Source
from tenka.effect.particles import (
    Bed,
    Bodies,
    DebrisLayer,
    Ends,
    ParticleLayer,
    Pieces,
    PointCollider,
    PointLayer,
    PointLook,
    PointMotion,
    PointSource,
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
    Prop,
    Ramp,
    Stop,
    Vec3,
    emission_at,
    envelope,
    heard,
    ramp,
    ramp_at,
)

SCHEMA_VERSION: Literal[1] = 1
Layer = Annotated[GasLayer | ParticleLayer | DebrisLayer, Field(discriminator="kind")]


class Cue(Settings):
    """A moment with a name. What hangs on it is timed from it."""

    id: Id
    name: str = param("Cue", "What the moment is called.", section="What", affects="none")
    at: float = param(0.0, "When it is.", section="What", unit="s", low=-60, high=600, soft=(0, 8), step=0.02)


class Light(Settings):
    heading: float = param(35.0, "Where the sun stands, from +x towards +y.", section="Light", unit="°", affects="look", low=-720, high=720, soft=(-180, 180),
                           step=1)  # fmt: skip
    height: float = param(
        38.0, "How high the sun stands.", section="Light", unit="°", affects="look", low=3, high=90, soft=(5, 85), step=0.5
    )
    strength: float = param(3.0, "Brightness of the sun.", section="Light", affects="look", low=0, high=100, soft=(0, 8))
    kelvin: float = param(4600.0, "Colour of the sun, as a black body.", section="Light", unit="K", affects="look", low=1000, high=20000, soft=(2000, 9000),
                          step=50)  # fmt: skip
    sky: float = param(0.55, "Brightness of the sky.", section="Light", affects="look", low=0, high=20, soft=(0, 3))
    exposure: float = param(
        0.0, "Brightens or darkens the picture, in stops.", section="Light", unit="EV", affects="look", low=-8, high=8, soft=(-3, 3)
    )


class Camera(Settings):
    """A camera that looks at a point from a distance."""

    target: Vec3 = (0.0, 0.0, 2.0)
    distance: float = Field(12.0, gt=0.01, lt=1e5)
    heading: float = -70.0
    pitch: float = Field(8.0, ge=-89.0, le=89.0)
    fov: float = Field(40.0, gt=1.0, lt=150.0)


class Tier(Settings):
    """A device, this effect's budget on it, and the viewing for which cost is counted."""

    id: Id
    name: str = Field(min_length=1, max_length=30)
    device: str = param("hearth", "Device profile that the game ships on.", section="Viewing", affects="tier", kind="device")
    ms: float = param(2.0, "What this effect may take of the device's frame.", section="Viewing", unit="ms", affects="tier", low=0.001, high=1000, soft=(0.1, 8),
                      label="time budget")  # fmt: skip
    mb: float = param(32.0, "What this effect may take of the device's memory.", section="Viewing", unit="MB", affects="tier", low=0.001, high=1e5,
                      soft=(1, 128), label="memory budget")  # fmt: skip
    distance: float = param(
        14.0, "How far the player stands from it.", section="Viewing", unit="m", affects="tier", low=0.1, high=1e4, soft=(2, 60)
    )
    width: int = param(
        1920, "Width of the game's picture.", section="Viewing", unit="px", affects="tier", low=64, high=8192, soft=(640, 3840), step=20
    )
    height: int = param(
        1080, "Height of the game's picture.", section="Viewing", unit="px", affects="tier", low=64, high=8192, soft=(360, 2160), step=10
    )
    copies: int = param(
        1, "How many of this effect are on screen.", section="Viewing", affects="tier", low=1, high=500, soft=(1, 12), step=1
    )
    fov: float = param(
        50.0,
        "Vertical angle of view of the game's camera.",
        section="Viewing",
        unit="°",
        affects="tier",
        low=5,
        high=140,
        soft=(25, 90),
        step=1,
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
    """A kept simulation: everything that shaped it, so that its frames are found again, compared, and gone back to."""

    id: Id
    name: str = param("Trial", "What the trial is called.", section="What", affects="none")
    seconds: float
    rate: float
    seed: int
    props: tuple[Prop, ...]
    forces: tuple[Force, ...]
    layers: tuple[Layer, ...]
    cues: tuple[Cue, ...] = ()
    light: Light

    @classmethod
    def of(cls, effect: Effect, id: str, name: str) -> Trial:
        return cls(id=id, name=name, **{part: getattr(effect, part) for part in TRIED})

    def onto(self, effect: Effect) -> Effect:
        """The effect as it was when the trial was kept; its camera, tiers, levers and trials stay."""
        return effect.model_copy(update={part: getattr(self, part) for part in TRIED})


TRIED = ("seconds", "rate", "seed", "props", "forces", "layers", "cues", "light")


class Effect(Settings):
    """The whole document."""

    schema_version: Literal[1] = SCHEMA_VERSION
    name: str = Field("untitled", min_length=1, max_length=80)
    seconds: float = param(
        4.0, "How long the effect lasts.", section="Where", unit="s", label="length", low=0.05, high=600, soft=(0.5, 12), step=0.1
    )
    rate: float = param(
        24.0, "Frames in a second: simulated, shown and packed.", section="Where", unit="1/s", low=1, high=240, soft=(8, 60), step=1
    )
    seed: int = param(
        1, "Another seed is another gust, another eddy, another puff.", section="Where", low=0, high=2**31 - 1, soft=(0, 100), step=1
    )
    props: tuple[Prop, ...] = ()
    forces: tuple[Force, ...] = ()
    layers: tuple[Layer, ...] = ()
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
            needs = [("source", s) for s in layer.sources if s.shape in ON_PROP] + [("collider", c) for c in layer.colliders]
            for word, item in needs:
                if item.prop not in known:
                    raise ValueError(f"{word} {item.id} names the prop '{item.prop}', which is not in the effect")
            self._linked(layer)
        for placed in (*self.props, *self.forces, *(s for layer in self.layers for s in layer.sources)):
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
        """Refuse names of layers and cues that are not there, or of the wrong kind."""
        kinds = {other.id: other.kind for other in self.layers}
        cues = {c.id for c in self.cues}
        wanted = [(s.of, "gas" if s.shape == "gas" else "points", f"source {s.id}") for s in layer.sources if s.shape in FROM_LAYER]
        if isinstance(layer, PointLayer):
            wanted += [(name, "gas", f"layer {layer.id}") for name in (layer.motion.follows, layer.look.meets) if name]
        for name, kind, who in wanted:
            if name not in kinds:
                raise ValueError(f"{who} names the layer '{name}', which is not in the effect")
            if (kinds[name] == "gas") != (kind == "gas"):
                raise ValueError(f"{who} names the layer '{name}', which is {'no gas' if kind == 'gas' else 'a gas'}")
            if name == layer.id:
                raise ValueError(f"{who} names its own layer")
        for source in layer.sources:
            if source.cue and source.cue not in cues:
                raise ValueError(f"source {source.id} hangs on the cue '{source.cue}', which is not in the effect")

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
        for layer in self.layers:
            if isinstance(layer, GasLayer) and (id is None or layer.id == id):
                return layer
        raise KeyError(id or "the effect has no gas layer")

    @property
    def gases(self) -> tuple[GasLayer, ...]:
        return tuple(layer for layer in self.layers if isinstance(layer, GasLayer))

    def tier(self, id: str | None = None) -> Tier:
        for tier in self.tiers:
            if id is None or id.lower() in (tier.id, tier.name.lower()):
                return tier
        raise KeyError(id or "the effect has no tier")


def timed(effect: Effect) -> Effect:
    """The effect with each cue's time put into the delays of what hangs on it: what runs and keys are made from."""
    if not effect.cues:
        return effect
    at = {c.id: c.at for c in effect.cues}

    def moved(layer: Layer) -> Layer:
        sources = tuple(s.model_copy(update={"delay": s.delay + at[s.cue], "cue": ""}) if s.cue else s for s in layer.sources)
        return layer.model_copy(update={"sources": sources})

    return effect.model_copy(update={"layers": tuple(moved(layer) for layer in effect.layers)})


__all__ = [
    "AMBIENT_KELVIN", "FROM_LAYER", "INSIDE", "ON_PROP", "REGIONS", "SCHEMA_VERSION", "TRIED", "Bed", "Bodies", "Brake", "Camera", "Collider", "Cue",
    "DebrisLayer", "DomainBox", "Effect", "Ends", "Fading", "Feed", "Fire", "Flipbook", "Force", "GasLayer", "Gravity", "Heard", "Id", "Layer", "Lever",
    "Light", "Look", "Motion", "ParticleLayer", "Pieces", "Placed", "Player", "PointCollider", "PointLayer", "PointLook", "PointMotion", "PointSource",
    "Prop", "Pull", "Quality", "Ramp", "Source", "Stop", "Swirl", "Tier", "Trial", "Turbulence", "Vec3", "Wind", "emission_at", "envelope", "heard",
    "ramp", "ramp_at", "timed",
]  # fmt: skip
