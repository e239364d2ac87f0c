"""Debris layers: what pieces are made of, how they behave as rigid bodies, and which of them are held."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, ClassVar, Literal, Self

from pydantic import Field, model_validator

from tenka.effect.catalogue import COLLISION, LOOK, MOTION, WHAT, Settings
from tenka.effect.former import turning_by_turns
from tenka.effect.layers import SURFACE, Link
from tenka.effect.particles import PointLayer
from tenka.effect.placed import Ramp, Vec3, heard, ramp
from tenka.effect.pointlook import PointLook
from tenka.effect.routes import Route
from tenka.effect.routes.bodies import BodyBake

OWN_PIECES = ("sherds", "tiles", "planks", "lumps", "plates")
PIECE_SIZES = (1 / 16, 1.0)
CUT = ("cut",)


class Pieces(Settings):
    """What debris is made of: pieces of our own, a prop cut up, or a prop's mesh as each of them."""

    make: Literal["sherds", "tiles", "planks", "lumps", "plates", "cut", "prop"] = WHAT.param(
        "sherds", "What the pieces are: our own, a prop cut up, or a prop's mesh as each.", cost="motion"
    )
    prop: str = WHAT.param(
        "",
        "The prop that is cut up, or whose mesh each piece is.",
        kind="prop",
        when=("make", ("cut", "prop")),
    )
    cuts: int = WHAT.number(
        60,
        "",
        2,
        2000,
        "About how many pieces it is cut into.",
        soft=(8, 240),
        step=1,
        cost="motion",
        when=("make", CUT),
    )
    sizes: Ramp = WHAT.param(
        ramp((0.2, 0.35), (0.45, 1.0), (0.8, 0.5), (1.0, 0.12)),
        "How many of them there are of each size, against the largest.",
        kind="ramp",
        axis=(*PIECE_SIZES, "%"),
        cost="motion",
        when=("make", CUT),
    )
    finer: float = WHAT.number(
        3.0,
        "",
        1,
        20,
        "How many times smaller they are where it is struck: at the source that gives them.",
        soft=(1, 8),
        cost="motion",
        when=("make", CUT),
    )
    finer_reach: float = WHAT.number(
        0.5, "m", 0.01, 100, "How far from there they are smaller.", soft=(0.1, 3), when=("make", CUT)
    )
    grain: Vec3 = WHAT.number(
        (1.0, 1.0, 1.0),
        "",
        0.1,
        20,
        "How much longer they are along each of the prop's axes: wood splits along one.",
        soft=(0.5, 6),
        step=0.1,
        when=("make", CUT),
    )
    wall: float = WHAT.number(
        0.0,
        "m",
        0,
        5,
        "Thickness of its walls; 0 is solid throughout.",
        soft=(0, 0.3),
        step=0.005,
        when=("make", CUT),
    )
    swap: str = WHAT.param(
        "",
        "A prop that breaks: it is hidden from the first birth on.",
        kind="parent",
        affects="look",
        when=("make", (*OWN_PIECES, "prop")),
    )
    kinds: int = WHAT.number(
        8, "", 1, 64, "How many different pieces there are.", soft=(1, 24), step=1, when=("make", OWN_PIECES)
    )
    roundness: float = WHAT.number(
        0.15, "", 0, 1, "From sharp edges to worn ones.", when=("make", OWN_PIECES)
    )
    flatness: float = WHAT.number(
        0.35, "", 0.02, 1, "Thickness against width.", when=("make", ("sherds", "tiles", "plates", "planks"))
    )
    seed: int = WHAT.number(
        1,
        "",
        0,
        9999,
        "Another number makes other pieces.",
        soft=(0, 100),
        step=1,
        when=("make", (*OWN_PIECES, *CUT)),
    )
    colour: Vec3 = WHAT.number(
        (0.32, 0.27, 0.23),
        "",
        0,
        1,
        "Colour of the pieces.",
        kind="colour",
        affects="look",
        when=("make", OWN_PIECES),
    )
    inner: Vec3 = WHAT.number(
        (0.42, 0.33, 0.26),
        "",
        0,
        1,
        "Colour of their broken sides.",
        kind="colour",
        affects="look",
        when=("make", (*OWN_PIECES, *CUT)),
    )


class Bodies(Settings):
    """How rigid pieces behave."""

    each_other: bool = COLLISION.param(True, "They hit each other.", cost="motion")
    cling: float = COLLISION.number(
        0.0,
        "m/s²",
        0,
        1000,
        "Pull against which pieces that touch hold on to each other: wet clay clings, dry stone does not.",
        soft=(0, 60),
        when=("each_other", ("True",)),
    )
    upright: bool = MOTION.param(
        False,
        "They are born as they are made, turned as their source is; else each anyhow.",
        label="born upright",
    )
    turning: float = MOTION.number(
        0.05,
        "",
        0,
        10,
        "Energy of turning with which they are thrown, against that of their flight.",
        soft=(0, 0.3),
        label="turning energy",
    )
    floats: str = MOTION.param(
        "",
        "A water that lifts them by what they displace, and carries them with its flow.",
        kind="water",
        label="floats in",
    )
    weighs: float = MOTION.number(
        600.0,
        "kg/m³",
        1,
        2e4,
        "What a cubic metre of them weighs: oak 700, a closed empty cask 200, stone 2500.",
        soft=(50, 2500),
        step=10,
        label="pieces weigh",
    )
    grip: float = MOTION.number(
        1.5,
        "1/s",
        0,
        60,
        "How fast one that is wholly under water, and as heavy, takes on its flow.",
        soft=(0, 8),
        label="water's grip",
    )
    damping: float = MOTION.number(0.3, "1/s", 0, 60, "How fast turning dies down.", soft=(0, 4))
    most_turns: float = MOTION.number(
        4.0,
        "1/s",
        0,
        200,
        "Turns each second at most, thrown or after a blow; 0 for as many as there are.",
        soft=(0, 12),
    )
    sleeps: float = MOTION.number(
        0.12, "m/s", 0, 10, "Pieces that are slower than this for a while fall asleep.", soft=(0, 0.5)
    )


class Shifted(Settings):
    """A piece that stands otherwise than it was simulated, at every moment."""

    id: int = Field(ge=0, lt=2**62)
    by: Vec3 = LOOK.number(
        (0.0, 0.0, 0.0), "m", -1000, 1000, "How far it stands from where it was simulated.", soft=(-1, 1)
    )
    about: Vec3 = LOOK.number(
        (0.0, 0.0, 0.0),
        "°",
        -360,
        360,
        "How far it is turned about its own middle, round x, y and z of the scene in turn.",
        soft=(-180, 180),
        step=1,
    )


class DebrisLayer(PointLayer):
    UNITS: ClassVar[str] = "pieces"

    kind: Literal["debris"] = "debris"
    pieces: Pieces = Field(default_factory=Pieces)
    bodies: Bodies = Field(default_factory=Bodies)
    deleted: tuple[int, ...] = Field((), max_length=10_000)
    held: tuple[int, ...] = Field((), max_length=10_000)
    shifted: tuple[Shifted, ...] = Field((), max_length=10_000)
    look: PointLook = Field(
        default_factory=lambda: PointLook(form="mesh", opacity_over=ramp((0.0, 1.0), (0.92, 1.0), (1.0, 0.0)))
    )

    _former = model_validator(mode="before")(turning_by_turns)

    def first_route(self) -> Route:
        """As pieces that move, where they are drawn as such."""
        return BodyBake() if self.look.form == "mesh" else super().first_route()

    @property
    def body(self) -> Bodies:
        return self.bodies

    @property
    def cut(self) -> Pieces:
        return self.pieces

    @property
    def held_ids(self) -> tuple[int, ...]:
        return self.held

    @property
    def deleted_ids(self) -> tuple[int, ...]:
        return self.deleted

    @property
    def shifts(self) -> tuple[Shifted, ...]:
        return self.shifted

    @property
    def edits(self) -> tuple[Any, ...]:
        return self.deleted, self.shifted

    def with_shift(self, ids: Iterable[int], **changes: Vec3) -> Self:
        """The same with some pieces moved or turned otherwise; what is not changed of each stays."""
        had = {s.id: s for s in self.shifted}
        had |= {id: had.get(id, Shifted(id=id)).model_copy(update=changes) for id in ids}
        kept = (s for _, s in sorted(had.items()) if any(s.by) or any(s.about))
        return self.model_copy(update={"shifted": tuple(kept)})

    def links(self) -> list[Link]:
        wet = self.bodies.floats
        return [*super().links(), *([Link(wet, SURFACE, f"layer {self.id}")] if wet else [])]

    def without_link(self, id: str) -> Self:
        layer, bodies = super().without_link(id), self.bodies
        if bodies.floats == id:
            bodies = bodies.model_copy(update={"floats": ""})
        return layer.model_copy(update={"bodies": bodies})

    def props_used(self) -> set[str]:
        made_of = {self.pieces.prop} if self.pieces.make in ("cut", "prop") else set()
        return super().props_used() | made_of

    def more_for_key(self) -> dict[str, Any]:
        return {"held": sorted(self.held)} if self.held else {}

    def alone(self, props: set[str]) -> Self:
        pieces = self.pieces
        kept = pieces.make in OWN_PIECES or pieces.prop in props
        swap = pieces.swap if pieces.swap in props else ""
        changed = pieces.model_copy(update={"make": pieces.make if kept else "sherds", "swap": swap})
        layer = self.model_copy(update={"pieces": changed, "deleted": (), "held": (), "shifted": ()})
        return layer if kept or pieces.make != "cut" else layer._thrown()

    def _thrown(self) -> Self:
        """With pieces of its own thrown where those of a prop stood."""
        changes = {"shape": "sphere", "rate": 0.0, "burst": self.pieces.cuts, "width": 0.2}
        sources = (s.model_copy(update=changes) if s.shape == "pieces" else s for s in self.sources)
        return self.model_copy(update={"sources": tuple(sources)})

    @property
    def assembled(self) -> bool:
        return self.pieces.make == "cut"

    @property
    def breaks(self) -> str:
        if not self.assembled:
            return self.pieces.swap
        return self.pieces.prop if any(s.shape == "pieces" for s in heard(self.sources)) else ""
