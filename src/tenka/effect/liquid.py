"""The liquid layer: thrown water in three dimensions, what gives it, what stops it, how it flows."""

from __future__ import annotations

from typing import Any, ClassVar, Literal, Self

from pydantic import Field

from tenka.effect.catalogue import COLLISION, FADING, FOAM, MOTION, QUALITY, WHAT, WHERE, Settings
from tenka.effect.courses import Value
from tenka.effect.layers import POINTS, SURFACE, LayerBase, Link, run_up_in
from tenka.effect.placed import Feed, Meeting, Vec3
from tenka.effect.routes import Route
from tenka.effect.routes.meshes import Meshes
from tenka.effect.voxelbox import VoxelBox
from tenka.effect.waterlook import WaterLook

FILLS = 8  # particles in a full voxel
BYTES = 260  # of a particle and of what a step makes of it, roughly
BYTES_VOXEL = 150


class Tank(VoxelBox):
    """The box in which a liquid is simulated; a full voxel holds eight particles. What flies out is gone."""

    flat: ClassVar[bool] = False
    run_up: float = run_up_in(WHERE)


class LiquidSource(Feed):
    """What gives a liquid."""

    shape: Literal["sphere", "box", "cylinder", "cone", "torus", "capsule", "curve", "surface", "inside"] = (
        WHERE.param(
            "sphere",
            "The region that gives it: a form of its own, or the surface or the inside of a prop.",
            cost="source",
        )
    )
    gives: Literal["jet", "fill"] = WHAT.param(
        "jet",
        "A jet keeps its form full while it gives, and what is in it goes at its push; a fill does so once.",
    )
    push: Vec3 = WHAT.number(
        (0.0, 0.0, 2.0), "m/s", -200, 200, "Speed at which it comes.", soft=(-8, 8), step=0.1
    )
    push_over: Value = WHAT.moving(
        1.0,
        "",
        -10,
        10,
        "Share of the push, over time; below 0 it goes the other way.",
        soft=(0, 1),
        when=("gives", ("jet",)),
    )
    scatter: float = WHAT.number(
        0.05,
        "",
        0,
        2,
        "How much the particles of the jet differ in speed, as a share of it: what is torn breaks up sooner.",
        soft=(0, 0.5),
        label="jet breaks up",
    )


class LiquidCollider(Meeting):
    """A prop that stops the liquid: only pairs that are listed collide."""

    prop: str = COLLISION.param("", "The prop that stops this liquid.", cost="collision", kind="prop")
    wake: float = COLLISION.number(
        1.0,
        "",
        -1,
        4,
        "How much of its movement it gives to the liquid beside it.",
        soft=(0, 2),
        label="movement passed on",
    )
    skin: float = COLLISION.number(
        0.0, "m", -1, 10, "Makes it thicker: the liquid keeps that far from it.", soft=(0, 0.2), step=0.005
    )

    slip: ClassVar[str] = "free"


class LiquidMotion(Settings):
    """How a liquid moves."""

    gravity: Value = MOTION.moving(
        1.0, "", -10, 10, "Share of the earth's gravity that it feels.", soft=(-1, 1.5)
    )
    forces: Value = MOTION.moving(
        1.0, "", 0, 100, "How strongly winds, eddies, swirls, pulls and brakes act on it.", soft=(0, 2)
    )
    viscosity: Value = MOTION.moving(
        0.0,
        "m²/s",
        0,
        1,
        "Viscosity: 0 is water, 0.001 oil, 0.01 slip, 0.1 honey.",
        soft=(0, 0.1),
        step=0.001,
        cost="step",
    )
    turns_kept: float = MOTION.number(
        1.0,
        "",
        0,
        1,
        "How much of the turning round each particle it keeps; less is dull.",
        label="turning kept",
    )


class LiquidFoam(Settings):
    """How air is mixed in, and comes out."""

    mixes: Value = FOAM.moving(
        3.0,
        "1/s",
        0,
        60,
        "How fast air is mixed in where the liquid is wholly torn.",
        soft=(0, 12),
        label="air mixed in",
    )
    torn_from: float = FOAM.number(
        0.5,
        "m/s",
        0.01,
        20,
        "Difference of speed across a voxel from which it is torn; wholly at four times that.",
        soft=(0.1, 2),
        label="torn from",
    )
    half_life: float = FOAM.number(
        0.8,
        "s",
        0.02,
        600,
        "Seconds in which half of the air is gone.",
        soft=(0.2, 6),
        label="air's half-life",
    )
    drops: float = FOAM.number(
        0.5,
        "",
        0,
        4,
        "Size at which single drops are drawn, against the particle's own.",
        soft=(0.2, 1.5),
        label="drops' size",
    )


class LiquidEnds(Settings):
    """Where a liquid ends besides its box."""

    joins: str = FADING.param(
        "",
        "A water that takes it in: what falls below its surface becomes part of it, with all its push.",
        kind="water",
        label="flows into",
    )


class LiquidQuality(Settings):
    """How exactly it is simulated."""

    courant: float = QUALITY.number(
        2.0,
        "",
        0.25,
        4,
        "Voxels that the fastest of it crosses in a step at most.",
        soft=(1, 3),
        step=0.25,
        cost="step",
        label="largest step",
    )
    most_steps: int = QUALITY.number(
        12, "", 1, 96, "Steps of a frame at most.", soft=(1, 24), step=1, cost="step", label="most steps"
    )
    most: int = QUALITY.number(
        1_000_000,
        "",
        1000,
        4_000_000,
        "No more than this many alive at once; births beyond it are refused and told.",
        soft=(10_000, 1_000_000),
        step=1000,
        label="most alive",
    )
    surface: Literal["fine", "plain"] = QUALITY.param(
        "fine",
        "The surface that is drawn: on cells of half a voxel, or of a whole one, quicker and rounder.",
        label="surface's cells",
    )


class LiquidLayer(LayerBase):
    """Thrown water."""

    GUIDE: ClassVar[str] = "water"
    BOX: ClassVar[str] = "tank"
    HANDS: ClassVar[str] = POINTS
    POURS: ClassVar[bool] = True
    MAPS: ClassVar[tuple[str, ...]] = ("normals", "depth")
    UNITS: ClassVar[str] = "particles"
    SOURCE: ClassVar[type[Feed] | None] = LiquidSource
    COLLIDER: ClassVar[type[Meeting] | None] = LiquidCollider

    kind: Literal["liquid"] = "liquid"
    tank: Tank = Field(default_factory=Tank)
    sources: tuple[LiquidSource, ...] = ()
    colliders: tuple[LiquidCollider, ...] = ()
    motion: LiquidMotion = Field(default_factory=LiquidMotion)
    foam: LiquidFoam = Field(default_factory=LiquidFoam)
    ends: LiquidEnds = Field(default_factory=LiquidEnds)
    quality: LiquidQuality = Field(default_factory=LiquidQuality)
    look: WaterLook = Field(
        default_factory=lambda: WaterLook(absorbs=(1.6, 0.5, 0.36), murk=0.25, ripples=0.0, rough=0.04)
    )

    def first_route(self) -> Route:
        return Meshes()

    def links(self) -> list[Link]:
        joins = self.ends.joins
        return [*super().links(), *([Link(joins, SURFACE, f"layer {self.id}")] if joins else [])]

    def without_link(self, id: str) -> Self:
        layer = super().without_link(id)
        if layer.ends.joins != id:
            return layer
        return layer.model_copy(update={"ends": layer.ends.model_copy(update={"joins": ""})})

    def more_for_key(self) -> dict[str, Any]:
        return {"fills": FILLS}

    @property
    def predicted_bytes(self) -> int:
        """What a running simulation holds at most, roughly: as if the box were full, or as many as may be."""
        most = min(self.quality.most, self.tank.voxels * FILLS)
        return self.tank.voxels * BYTES_VOXEL + most * BYTES
