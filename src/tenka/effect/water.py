"""The water layer: its basin, what feeds it and what lies in it, how it flows, its foam, and its look."""

from __future__ import annotations

import math
from typing import Any, ClassVar, Literal, Self

from pydantic import Field

from tenka.effect.basin import BasinBox
from tenka.effect.catalogue import COLLISION, FOAM, MOTION, WHAT, WHERE, Settings
from tenka.effect.courses import Value
from tenka.effect.layers import POINTS, SURFACE, LayerBase, Link
from tenka.effect.placed import OWN_SPEED, POSE, Feed, Meeting, Vec3, heard
from tenka.effect.routes import Route
from tenka.effect.routes.surface import SurfaceMaps
from tenka.effect.waterlook import WaterLook

BY_FORM = ("cylinder", "box", "sphere", "curve", "everywhere")
IN_FORM = ("shape", BY_FORM)
PUSHES = ("hull", "pieces")


class WaterSource(Feed):
    """What feeds a water, or takes from it; of particles it hears when they die, of a liquid what falls into
    it."""

    born_on: ClassVar[str] = "death"
    IDLE: ClassVar[dict[str, tuple[str, ...]]] = dict.fromkeys(
        ("particles", "liquid"), (*POSE, *OWN_SPEED)
    )  # it gives where those fall

    shape: Literal["cylinder", "box", "sphere", "curve", "everywhere", "particles", "liquid"] = WHERE.param(
        "cylinder",
        "Where it gives, seen from above: under a form of its own, along a curve, on the whole water, or "
        "where particles of a layer die: each dents it as a drop does; or where a liquid falls into it.",
        cost="source",
    )
    gives: Literal["flow", "rain", "level"] = WHAT.param(
        "flow",
        "A flow of so much water, rain by the height that falls, or a level that is held.",
        when=IN_FORM,
    )
    flow: Value = WHAT.moving(
        0.05,
        "m³/s",
        -1e4,
        1e4,
        "Water that comes in each second; below 0 it goes out.",
        soft=(-0.5, 0.5),
        step=0.005,
        cost="source",
        when=(("gives", ("flow",)), IN_FORM),
    )
    rain: Value = WHAT.moving(
        60.0,
        "mm/h",
        0,
        1e5,
        "Height of the water that falls in an hour.",
        soft=(0, 200),
        step=1,
        when=(("gives", ("rain",)), IN_FORM),
    )
    drops: float = WHAT.number(
        30.0,
        "1/m²s",
        0,
        1e5,
        "Drops that strike each square metre in a second, of a size that makes rings.",
        soft=(0, 200),
        step=1,
        when=(("gives", ("rain",)), IN_FORM),
    )
    drop_deep: float = WHAT.number(
        0.012,
        "m",
        0,
        1,
        "How deep a drop dents the water.",
        soft=(0, 0.05),
        step=0.001,
        label="drops dent",
        when=(("gives", ("rain",)), IN_FORM),
    )
    strikes: float = WHAT.number(
        0.015,
        "m",
        0,
        1,
        "How deep each particle that dies there dents the water.",
        soft=(0, 0.06),
        step=0.001,
        label="particles dent",
        when=("shape", ("particles",)),
    )
    stands: Value = WHAT.moving(
        0.0,
        "m",
        -100,
        100,
        "The level that is held, over or under the water's own at rest.",
        soft=(-1, 1),
        step=0.01,
        label="held level",
        when=(("gives", ("level",)), IN_FORM),
    )
    push: Vec3 = WHAT.number(
        (0.0, 0.0, 0.0),
        "m/s",
        -200,
        200,
        "Speed that the water takes on there; downwards it dents the water.",
        soft=(-5, 5),
        step=0.05,
        when=IN_FORM,
    )
    push_over: Value = WHAT.moving(
        1.0,
        "",
        -10,
        10,
        "Share of the push, over time; below 0 it goes the other way.",
        soft=(0, 1),
        when=IN_FORM,
    )
    grip: float = WHAT.number(
        6.0,
        "1/s",
        0,
        200,
        "How fast the water there takes on that speed.",
        soft=(0, 40),
        step=0.5,
        when=IN_FORM,
    )
    foams: Value = WHAT.moving(
        0.0,
        "1/s",
        0,
        60,
        "Foam that it makes each second.",
        soft=(0, 4),
        label="foam given",
        when=("shape", (*BY_FORM, "liquid")),
    )


class InWater(Meeting):
    """A prop that lies in the water, stands in it, or moves through it: only pairs that are listed meet."""

    acts: Literal["hull", "bed", "pieces"] = COLLISION.param(
        "hull",
        "A hull pushes the water that it displaces, and so do pieces of a layer; a bed is ground, a wall or "
        "a sluice: it flows round it.",
        label="acts as",
    )
    prop: str = COLLISION.param(
        "", "The prop that the water meets.", cost="collision", kind="prop", when=("acts", ("hull", "bed"))
    )
    of: str = COLLISION.param(
        "",
        "The layer of debris whose pieces push the water.",
        kind="pieces",
        cost="collision",
        when=("acts", ("pieces",)),
        label="pieces of",
    )
    push: Value = COLLISION.moving(
        1.0,
        "",
        0,
        4,
        "How much of what it displaces the water feels; a course switches it on and off.",
        soft=(0, 2),
        label="water pushed",
        when=("acts", PUSHES),
    )
    soft: float = COLLISION.number(
        1.5,
        "",
        0.5,
        20,
        "Cells over which its sides are rounded in the water's eyes.",
        soft=(0.5, 6),
        label="rounded sides",
        when=("acts", PUSHES),
    )
    foams: float = COLLISION.number(
        1.0,
        "",
        0,
        10,
        "How much foam its sides work up.",
        soft=(0, 3),
        label="foam worked up",
        when=("acts", PUSHES),
    )

    @property
    def by_prop(self) -> bool:
        return self.acts != "pieces"


class Flow(Settings):
    """How the water goes."""

    lengths: Literal["every", "long"] = MOTION.param(
        "every",
        "Waves of every length at their own speed, as wakes need; or all as long ones, which is quicker.",
        label="waves of",
        cost="waves",
    )
    drag: Value = MOTION.moving(0.02, "1/s", 0, 60, "How fast the bed slows it.", soft=(0, 2), cost="step")
    wind: float = MOTION.number(
        1.0, "", 0, 1000, "How strongly winds draw it along; 1 is what physics gives.", soft=(0, 50), step=1
    )
    viscosity: Value = MOTION.moving(
        0.0, "m²/s", 0, 10, "Thickness: 0 is water, 0.001 oil, 0.02 slip, 0.1 mud.", soft=(0, 0.1), step=0.001
    )
    stress: Value = MOTION.moving(
        0.0,
        "Pa",
        0,
        1e5,
        "What it bears before it yields: a heap stands, a track stays. Slip 10, mud 100.",
        soft=(0, 300),
        step=1,
        label="yield stress",
    )
    density: float = MOTION.number(
        1000.0,
        "kg/m³",
        100,
        2e4,
        "What a cubic metre of it weighs.",
        soft=(800, 2500),
        step=10,
        label="weighs",
    )

    @property
    def thin(self) -> bool:
        """Whether it is water and nothing thicker."""
        return self.viscosity == 0.0 and self.stress == 0.0


class Foam(Settings):
    """How foam comes and goes."""

    breaking: Value = FOAM.moving(
        3.0,
        "1/s",
        0,
        60,
        "How fast foam covers a wave that breaks wholly.",
        soft=(0, 8),
        label="from breaking",
    )
    contact: Value = FOAM.moving(
        4.0,
        "1/s",
        0,
        60,
        "How fast foam covers the water that a hull works at.",
        soft=(0, 8),
        label="from contact",
    )
    breaks_from: float = FOAM.number(
        0.35,
        "",
        0.02,
        4,
        "Steepness, or rise of the water against its waves' speed, from which a wave breaks.",
        soft=(0.1, 0.8),
        step=0.01,
    )
    half_life: float = FOAM.number(
        2.5, "s", 0.02, 600, "Seconds in which half of it is gone.", soft=(0.3, 10), label="foam's half-life"
    )
    spread: float = FOAM.number(
        0.003, "m²/s", 0, 10, "How fast it spreads.", soft=(0, 0.05), step=0.0005, label="foam's spread"
    )


class WaterLayer(LayerBase):
    """A surface of water over a bed."""

    GUIDE: ClassVar[str] = "water"
    BOX: ClassVar[str] = "basin"
    HANDS: ClassVar[str] = SURFACE
    UNITS: ClassVar[str] = "cells"
    SOURCE: ClassVar[type[Feed] | None] = WaterSource
    COLLIDER: ClassVar[type[Meeting] | None] = InWater

    kind: Literal["water"] = "water"
    basin: BasinBox = Field(default_factory=BasinBox)
    sources: tuple[WaterSource, ...] = ()
    colliders: tuple[InWater, ...] = ()
    flow: Flow = Field(default_factory=Flow)
    foam: Foam = Field(default_factory=Foam)
    look: WaterLook = Field(default_factory=WaterLook)

    def new_source(self, id: str, place: tuple[float, float, float]) -> Feed:
        x, y, _ = place
        (ox, oy, _), (sx, sy, _) = self.basin.origin, self.basin.size
        inside = ox < x < ox + sx and oy < y < oy + sy
        at = (x, y) if inside else (round(ox + 0.5 * sx, 3), round(oy + 0.5 * sy, 3))
        wide = round(min(0.12 * min(sx, sy), 0.6), 3)
        return WaterSource(
            id=id, name="Inflow", position=(*at, round(self.basin.level, 3)), size=(wide, wide, wide)
        )

    def first_route(self) -> Route:
        return SurfaceMaps()

    def links(self) -> list[Link]:
        felt = heard(self.colliders)
        pieces = (c for c in self.colliders if not c.by_prop and c.of)
        return [*super().links(), *(Link(c.of, POINTS, f"collider {c.id}", c in felt) for c in pieces)]

    def without_link(self, id: str) -> Self:
        kept = (c for c in self.colliders if c.by_prop or c.of != id)
        return super().without_link(id).model_copy(update={"colliders": tuple(kept)})

    def props_used(self) -> set[str]:
        return super().props_used() | ({self.basin.follows, self.basin.within} - {""})

    def alone(self, props: set[str]) -> Self:
        follows = self.basin.follows if self.basin.follows in props else ""
        within = self.basin.within if self.basin.within in props else ""
        basin = self.basin.model_copy(update={"follows": follows, "within": within})
        return self.model_copy(update={"basin": basin})

    def more_for_key(self) -> dict[str, Any]:
        return {"edge": self.basin.edge}

    @property
    def predicted_bytes(self) -> int:
        """What a running simulation holds, roughly: fields, their new states, the transform's parts."""
        nx, ny = self.basin.cells
        return nx * ny * 4 * (28 if self.flow.lengths == "every" else 16)

    @property
    def slope(self) -> tuple[float, float]:
        """How the floor rises along x and y."""
        b, a = self.basin, math.radians(self.basin.falls_to)
        fall = math.tan(math.radians(b.falls))
        return -fall * math.cos(a), -fall * math.sin(a)
