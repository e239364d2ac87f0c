"""The gas layer: its sources, its box, how it moves, burns and fades, its look, and its flipbook."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field, model_validator

from tenka.effect.catalogue import COLLISION, FIRE, MOTION, QUALITY, WHERE, Settings
from tenka.effect.courses import Value, most
from tenka.effect.fading import Fading
from tenka.effect.former import CURL_SIZES, curls_of_two_sizes
from tenka.effect.gaslook import Look
from tenka.effect.layers import FIELD, LayerBase, run_up_in
from tenka.effect.placed import Feed, Meeting, Ramp, ramp
from tenka.effect.sources import Source
from tenka.effect.voxelbox import VoxelBox

GLOWS_AT = 450.0
"""K above the air from which hot smoke is seen to glow."""


class Collider(Meeting):
    """A prop that stops the layer: only pairs that are listed collide."""

    prop: str = COLLISION.param("", "The prop that stops this gas.", cost="collision", kind="prop")
    slip: Literal["free", "none"] = COLLISION.param("free", "Gas slides along it, or sticks to it.")
    wake: float = COLLISION.number(
        1.0,
        "",
        -1,
        4,
        "How much of its movement it gives to the gas beside it.",
        soft=(0, 2),
        label="movement passed on",
    )
    skin: float = COLLISION.number(
        0.0, "m", -1, 10, "Makes it thicker: gas keeps that far from it.", soft=(0, 0.2), step=0.005
    )


class DomainBox(VoxelBox):
    """The box in which gas is simulated."""

    flat: bool = WHERE.param(
        False, "One voxel thick along y: quick, for effects that are only seen from the side.", cost="step"
    )
    follow: bool = WHERE.param(
        False,
        "Simulates only the part of the box that holds gas: the cost follows the gas.",
        cost="step",
        label="window follows",
    )
    margin: float = WHERE.number(
        0.6,
        "m",
        0.01,
        100,
        "Air kept round the gas when the simulated part follows it.",
        soft=(0.1, 2),
        when=("follow", ("True",)),
    )
    run_up: float = run_up_in(WHERE, 1.5, "; hides the starting bulge")


class Motion(Settings):
    """How the gas moves."""

    lift: Value = MOTION.moving(
        1.0, "", -5, 10, "How strongly heat rises; 1 is what physics gives.", soft=(0, 2), cost="forces"
    )
    weight: Value = MOTION.moving(
        0.05, "m/s²", -20, 50, "How strongly dense smoke sinks.", soft=(0, 2), cost="forces"
    )
    drag: Value = MOTION.moving(
        0.05, "1/s", 0, 60, "How fast movement dies down.", soft=(0, 2), cost="forces"
    )
    viscosity: Value = MOTION.moving(
        0.0,
        "m²/s",
        0,
        10,
        "Thickness of the gas: syrupy, slow rolls.",
        soft=(0, 0.05),
        step=0.0005,
        cost="viscosity",
    )
    curls: Value = MOTION.moving(
        1.0,
        "1/s",
        0,
        60,
        "Keeps curls turning, by the curve below; too much gives streaks.",
        soft=(0, 8),
        cost="vorticity",
    )
    curl_sizes: Ramp = MOTION.param(
        ramp((0.31, 0.0), (0.38, 1.0), (0.5, 1.0), (0.62, 0.0)),
        "How much of it curls of each size get.",
        kind="ramp",
        axis=(*CURL_SIZES, "m"),
        cost="vorticity",
    )

    _former = model_validator(mode="before")(curls_of_two_sizes)


class Fire(Settings):
    """How fuel burns."""

    burns: bool = FIRE.param(False, "Whether fuel burns in this layer.", cost="fire")
    ignition: float = FIRE.number(
        150.0, "K", 0, 3000, "Fuel hotter than this burns.", soft=(20, 600), step=5, when=("burns", ("True",))
    )
    burn_rate: Value = FIRE.moving(
        3.0,
        "1/s",
        0,
        200,
        "Share of the fuel that burns each second at the ignition heat; hotter is faster.",
        soft=(0, 12),
        cost="fire",
        when=("burns", ("True",)),
    )
    heat: Value = FIRE.moving(
        1400.0,
        "K",
        0,
        20000,
        "Heat that burning one unit of fuel gives.",
        soft=(0, 4000),
        step=20,
        cost="fire",
        when=("burns", ("True",)),
    )
    soot: Value = FIRE.moving(
        0.3,
        "",
        0,
        50,
        "Smoke that burning one unit of fuel gives.",
        soft=(0, 2),
        cost="fire",
        when=("burns", ("True",)),
    )
    expansion: Value = FIRE.moving(
        0.5,
        "",
        0,
        100,
        "Volume that one unit of burning fuel presses in.",
        soft=(0, 6),
        cost="fire",
        when=("burns", ("True",)),
        label="volume of burning",
    )
    hottest: float = FIRE.number(
        1900.0,
        "K",
        100,
        6000,
        "Heat is not driven above this.",
        soft=(800, 3000),
        step=20,
        when=("burns", ("True",)),
    )
    radiation: Value = FIRE.moving(
        900.0,
        "K/s",
        0,
        1e5,
        "Heat lost each second at 1000 K by radiation; falls with the fourth power.",
        soft=(0, 4000),
        step=20,
        cost="fire",
        when=("burns", ("True",)),
    )
    flame_fade: Value = FIRE.moving(
        2.5,
        "1/s",
        0,
        60,
        "How fast burnt gas stops being flame: long tongues, or short ones.",
        soft=(0.5, 8),
        cost="scalars",
        when=("burns", ("True",)),
    )


class Quality(Settings):
    """What the solver spends."""

    courant: float = QUALITY.number(
        3.0,
        "",
        0.3,
        8,
        "Voxels that gas may cross in one sub-step; lower is truer and slower.",
        soft=(0.5, 5),
        cost="step",
        label="largest step",
    )
    most_substeps: int = QUALITY.number(
        4,
        "",
        1,
        64,
        "Upper limit of sub-steps in one frame.",
        soft=(1, 16),
        step=1,
        cost="step",
        label="most sub-steps",
    )

    detail: int = QUALITY.number(
        2,
        "",
        1,
        4,
        (
            "How many times finer the final run's voxels are: it keeps the preview's motion and adds "
            "smaller curls."
        ),
        soft=(1, 4),
        step=1,
        affects="final",
        label="times finer",
    )
    wisps: float = QUALITY.number(
        1.0,
        "",
        0,
        4,
        "How strongly the final run tears smoke into wisps where the air is sheared; the preview has none.",
        soft=(0, 2),
        affects="final",
        when=("detail", ("2", "3", "4")),
    )
    guidance: float = QUALITY.number(
        10.0,
        "1/s",
        0,
        200,
        "How firmly the final run is held to the preview's motion; 0 lets it go its own way.",
        soft=(0, 30),
        step=0.5,
        affects="final",
    )


class GasLayer(LayerBase):
    BOX: ClassVar[str] = "domain"
    HANDS: ClassVar[str] = FIELD
    MAPS: ClassVar[tuple[str, ...]] = ("light maps", "normals", "depth")
    UNITS: ClassVar[str] = "gas"
    SOURCE: ClassVar[type[Feed] | None] = Source
    COLLIDER: ClassVar[type[Meeting] | None] = Collider

    kind: Literal["gas"] = "gas"
    domain: DomainBox = Field(default_factory=DomainBox)
    sources: tuple[Source, ...] = ()
    colliders: tuple[Collider, ...] = ()
    fire: Fire = Field(default_factory=Fire)
    motion: Motion = Field(default_factory=Motion)
    fading: Fading = Field(default_factory=Fading)
    quality: Quality = Field(default_factory=Quality)
    look: Look = Field(default_factory=Look)

    def new_source(self, id: str, place: tuple[float, float, float]) -> Source:
        """In the middle of its floor, wherever `place` is."""
        d = self.domain
        middle = (d.origin[0] + d.size[0] / 2, d.origin[1] + d.size[1] / 2, d.origin[2] + d.size[2] * 0.12)
        edge = max(min(d.size) * 0.16, 3 * d.voxel)
        return Source(id=id, name="Source", position=middle, size=(edge, edge, edge))

    @property
    def flames(self) -> bool:
        return self.fire.burns and most(self.look.flame) > 0

    @property
    def glows(self) -> bool:
        hottest = max((most(s.temperature) for s in self.sources), default=0.0)
        return self.flames or (most(self.look.glow) > 0 and hottest > GLOWS_AT)
