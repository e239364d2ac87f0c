"""The whole document: layers, scene, light, tiers and trials. All settings models are found here by name."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError, model_validator

from tenka.base.errors import BadInput
from tenka.base.tree import explain
from tenka.effect.cameras import SceneCamera
from tenka.effect.catalogue import PLAYER, WHAT, WHERE, Settings
from tenka.effect.debris import Bodies, DebrisLayer, Pieces
from tenka.effect.delivered import check_deliveries, delivering, first_delivery, rerouted, routes_for, tidied
from tenka.effect.deliveries import Delivery
from tenka.effect.forces import INSIDE, Brake, Force, Gravity, Pull, Swirl, Turbulence, Wind
from tenka.effect.former import CURL_SIZES, deliveries_of_layers, layers_without_books
from tenka.effect.gas import Collider, DomainBox, Fading, Fire, GasLayer, Motion, Quality
from tenka.effect.gaslook import Look
from tenka.effect.layers import FIELD, HANDED, POINTS, SURFACE, LayerBase
from tenka.effect.light import Camera, Light
from tenka.effect.lights import SceneLight
from tenka.effect.liquid import (
    LiquidCollider,
    LiquidFoam,
    LiquidLayer,
    LiquidMotion,
    LiquidQuality,
    LiquidSource,
    Tank,
)
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
from tenka.effect.routes import ROUTES, Route
from tenka.effect.routes.flipbook import Flipbook
from tenka.effect.routes.player import Player
from tenka.effect.sources import Source
from tenka.effect.tiers import Cue, Lever, Tier
from tenka.effect.timing import timed
from tenka.effect.water import BasinBox, Flow, Foam, InWater, WaterLayer, WaterSource
from tenka.effect.waterlook import WaterLook

SCHEMA_VERSION: Literal[2] = 2
Layer = Annotated[
    GasLayer | ParticleLayer | DebrisLayer | WaterLayer | LiquidLayer, Field(discriminator="kind")
]


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

    @model_validator(mode="before")
    @classmethod
    def _former(cls, given: Any) -> Any:
        return layers_without_books(given)

    @classmethod
    def of(cls, effect: Effect, id: str, name: str) -> Trial:
        return cls(id=id, name=name, **{part: getattr(effect, part) for part in TRIED})

    def onto(self, effect: Effect) -> Effect:
        """The effect as it was when the trial was kept; its deliveries, camera, tiers, levers and trials
        stay."""
        parts = {part: getattr(self, part) for part in TRIED}
        return effect.model_copy(update={**parts, "deliveries": delivering(effect, self.layers)})


TRIED = ("seconds", "rate", "seed", "props", "forces", "layers", "cues", "lights", "light")


class Effect(Settings):
    """The whole document."""

    schema_version: Literal[2] = SCHEMA_VERSION
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
    stop: Literal["let live", "cut"] = PLAYER.param(
        "let live",
        "What the game does when it stops the effect: what lives plays to its end, or all is gone at once.",
        label="when stopped",
    )
    again: Literal["restart", "add", "refuse"] = PLAYER.param(
        "restart",
        "What triggering it does while it is alive: it starts anew, one more plays beside it, or nothing.",
        label="triggered again",
    )
    out_of_sight: Literal["run on", "sleep", "restart"] = PLAYER.param(
        "run on",
        "What it does while its bounds are out of the picture: it goes on, its time stands still, or it is "
        "gone and starts anew when it is seen again.",
        label="out of sight",
    )
    props: tuple[Prop, ...] = ()
    forces: tuple[Force, ...] = ()
    layers: tuple[Layer, ...] = ()
    deliveries: tuple[Delivery, ...] = ()
    lights: tuple[SceneLight, ...] = ()
    cameras: tuple[SceneCamera, ...] = ()
    cues: tuple[Cue, ...] = ()
    light: Light = Field(default_factory=Light)
    camera: Camera = Field(default_factory=Camera)
    tiers: tuple[Tier, ...] = ()
    levers: tuple[Lever, ...] = ()
    trials: tuple[Trial, ...] = ()

    @model_validator(mode="before")
    @classmethod
    def _former(cls, given: Any) -> Any:
        return deliveries_of_layers(given)

    @model_validator(mode="after")
    def _whole(self) -> Effect:
        for group in (
            self.props,
            self.forces,
            self.layers,
            self.deliveries,
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
                ("collider", c) for c in layer.colliders if c.by_prop
            ]
            for word, item in needs:
                if item.prop not in known:
                    raise ValueError(
                        f"{word} {item.id} names the prop '{item.prop}', which is not in the effect"
                    )
            self._linked(layer)
        check_deliveries(self)
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
        known = {other.id: other for other in self.layers}
        cues = {c.id for c in self.cues}
        for link in layer.links():
            if link.of not in known:
                raise ValueError(f"{link.who} names the layer '{link.of}', which is not in the effect")
            if not (other := known[link.of]).hands_over(link.hands):
                raise ValueError(
                    f"{link.who} names the layer '{link.of}', which hands over {HANDED[other.HANDS]} and "
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
        """The effect with other layers, checked as a whole. Those that are new get a delivery as their kind
        has it; deliveries of nothing go.

        Raises
        ------
        BadInput
            When what is named is not there.
        """
        layers = tuple(layers)
        try:
            bare = self.model_copy(update={"layers": layers, "deliveries": delivering(self, layers)})
            return Effect.model_validate({**dict(bare), **tidied(bare)})
        except ValidationError as error:
            raise BadInput(explain(error)) from None

    def delivery(self, id: str) -> Delivery:
        """A delivery by its id."""
        for delivery in self.deliveries:
            if delivery.id == id:
                return delivery
        raise KeyError(id)

    def deliveries_of(self, layer_id: str) -> list[Delivery]:
        """The deliveries that take a layer."""
        return [d for d in self.deliveries if layer_id in d.of]

    def tier(self, id: str | None = None) -> Tier:
        for tier in self.tiers:
            if id is None or id.lower() in (tier.id, tier.name.lower()):
                return tier
        raise KeyError(id or "the effect has no tier")


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
    "ROUTES",
    "SCHEMA_VERSION",
    "SURFACE",
    "TRIED",
    "BasinBox",
    "Bed",
    "Bodies",
    "Brake",
    "Camera",
    "Collider",
    "Cue",
    "DebrisLayer",
    "Delivery",
    "DomainBox",
    "Effect",
    "Ends",
    "Fading",
    "Feed",
    "Fire",
    "Flipbook",
    "Flow",
    "Foam",
    "Force",
    "GasLayer",
    "Gravity",
    "Heard",
    "Id",
    "InWater",
    "Layer",
    "LayerBase",
    "Lever",
    "Light",
    "LiquidCollider",
    "LiquidFoam",
    "LiquidLayer",
    "LiquidMotion",
    "LiquidQuality",
    "LiquidSource",
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
    "Route",
    "SceneLight",
    "Source",
    "Stop",
    "Swirl",
    "Tank",
    "Tier",
    "Trial",
    "Turbulence",
    "Vec3",
    "WaterLayer",
    "WaterLook",
    "WaterSource",
    "Wind",
    "delivering",
    "envelope",
    "first_delivery",
    "heard",
    "mean_envelope",
    "ramp",
    "ramp_at",
    "rerouted",
    "routes_for",
    "tidied",
    "timed",
]
