"""Particle and debris layers: what gives birth to points and pieces, how they move and end, and how they are
drawn."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar, Literal, Self

from pydantic import Field, model_validator

from tenka.effect.catalogue import BED, COLLISION, FADING, MOTION, QUALITY, Settings
from tenka.effect.courses import Value, most
from tenka.effect.former import FOR_GOOD, half_lives_of_rates
from tenka.effect.layers import FIELD, POINTS, SURFACE, LayerBase, Link, run_up_in
from tenka.effect.placed import Feed, Meeting, ramp
from tenka.effect.pointlook import PointLook
from tenka.effect.pointsource import PointSource
from tenka.effect.routes import Route
from tenka.effect.routes.flipbook import Flipbook
from tenka.effect.routes.player import Player

if TYPE_CHECKING:
    from tenka.effect.debris import Bodies, Pieces, Shifted

MOST_BIRTHS = 20_000_000


FOR_EVER_HELD = 1000.0
HOLD_HELP = "Pull against which what sticks is held: gravity is 9.8, 1000 holds for good."


WHOLE = ramp((0.0, 1.0), (1.0, 1.0))
"""Opacity of a sprite whose frames fade by themselves."""


class PointCollider(Meeting):
    """A prop that stops a layer's particles: only pairs that are listed collide."""

    prop: str = COLLISION.param("", "The prop that stops them.", cost="collision", kind="prop")
    response: Literal["bounce", "stick", "die"] = COLLISION.param(
        "bounce", "What happens where they meet it."
    )
    bounce: float = COLLISION.number(
        0.4, "", 0, 1, "Share of the speed towards it that is given back.", when=("response", ("bounce",))
    )
    friction: float = COLLISION.number(
        0.3,
        "",
        0,
        2,
        "How much of the speed along it each hit takes.",
        soft=(0, 1),
        when=("response", ("bounce",)),
    )
    hold: float = COLLISION.number(
        FOR_EVER_HELD, "m/s²", 0.1, FOR_EVER_HELD, HOLD_HELP, soft=(1, 100), when=("response", ("stick",))
    )
    skin: float = COLLISION.number(0.0, "m", -1, 10, "Makes it thicker.", soft=(0, 0.2), step=0.005)


class PointMotion(Settings):
    """How particles move."""

    gravity: Value = MOTION.moving(
        1.0, "", -10, 10, "Share of the earth's gravity that they feel.", soft=(-1, 1.5)
    )
    drag: Value = MOTION.moving(
        0.2, "1/s", 0, 200, "How fast the still air slows them.", soft=(0, 5), cost="motion"
    )
    size_drag: float = MOTION.number(
        0.0,
        "",
        0,
        3,
        "How much more small ones are slowed and carried than large ones: the power of their size.",
        soft=(0, 2),
    )
    forces: Value = MOTION.moving(
        1.0, "", 0, 10, "How strongly the effect's forces take hold of them.", soft=(0, 2), cost="motion"
    )
    follows: str = MOTION.param(
        "", "The gas whose movement carries them.", cost="motion", kind="gas", label="carried by"
    )
    follow: Value = MOTION.moving(
        4.0,
        "1/s",
        0,
        500,
        "How fast they take on its movement.",
        soft=(0, 20),
        cost="motion",
        when=("follows", ()),
    )
    heat_half_life: Value = FADING.moving(
        1.4,
        "s",
        0.01,
        FOR_GOOD,
        "Time in which half of their heat is lost.",
        soft=(0.2, 8),
        label="heat half-life",
    )
    ground: Literal["none", "bounce", "stick", "die"] = COLLISION.param(
        "bounce", "What happens on the ground, at height 0.", cost="collision"
    )
    bounce: float = COLLISION.number(
        0.35,
        "",
        0,
        1,
        "Share of the speed towards the ground that is given back.",
        when=("ground", ("bounce",)),
    )
    friction: float = COLLISION.number(
        0.4,
        "",
        0,
        2,
        "How much of the speed along the ground each hit takes.",
        soft=(0, 1),
        when=("ground", ("bounce",)),
    )
    hold: float = COLLISION.number(
        FOR_EVER_HELD, "m/s²", 0.1, FOR_EVER_HELD, HOLD_HELP, soft=(1, 100), when=("ground", ("stick",))
    )

    _former = model_validator(mode="before")(half_lives_of_rates)


class Ends(Settings):
    """What ends a particle besides its age."""

    below: bool = FADING.param(False, "They die below a height.", label="die below")
    height: float = FADING.number(
        -1.0, "m", -1e4, 1e4, "That height.", soft=(-5, 5), when=("below", ("True",)), label="that height"
    )
    reach: float = FADING.number(
        0.0,
        "m",
        0,
        1e5,
        "They die this far from the effect's origin; 0 is never. Strays cost bakes for nothing.",
        soft=(0, 60),
        label="die beyond",
    )
    off_camera: bool = FADING.param(
        False, "They die when they leave the effect's camera's picture.", label="die off camera"
    )
    leaves_gas: bool = FADING.param(
        False, "They die when they leave the box of the gas that carries them.", label="die outside gas"
    )
    in_water: str = FADING.param(
        "", "A water in which they die when they fall into it.", kind="water", label="die in water"
    )


class Bed(Settings):
    """Particles that lie asleep until they are disturbed."""

    rests: bool = BED.param(
        False, "They are born asleep, where they lie, and wake when they are disturbed.", label="born asleep"
    )
    wakes_at: float = BED.number(
        0.6,
        "m/s",
        0.001,
        100,
        "Speed of the gas or of a collider beside them that wakes them.",
        soft=(0.05, 4),
        when=("rests", ("True",)),
    )
    wake_reach: float = BED.number(
        0.12,
        "m",
        0.001,
        10,
        "Distance within which a moving collider is felt.",
        soft=(0.02, 1),
        when=("rests", ("True",)),
    )
    lift: float = BED.number(
        0.5,
        "",
        0,
        5,
        "Share of what wakes them that they are thrown up with.",
        soft=(0, 1),
        when=("rests", ("True",)),
        label="thrown up",
    )
    settles: bool = BED.param(
        True,
        "They fall asleep again where they come to rest.",
        when=("rests", ("True",)),
        label="sleeps again",
    )


def point_book() -> Flipbook:
    """A flipbook of particles: each sprite plays the whole sequence once, as large as it was drawn."""
    player = Player(count=1, life_spread=0.0, size_spread=0.0, rotation=0.0, scatter=0.0, alpha=WHOLE)
    return Flipbook(last=600.0, columns=6, rows=6, width=1536, height=1536, player=player)


class PointLayer(LayerBase):
    """What particles and debris have in common."""

    GUIDE: ClassVar[str] = "particles"
    HANDS: ClassVar[str] = POINTS
    SOURCE: ClassVar[type[Feed] | None] = PointSource
    COLLIDER: ClassVar[type[Meeting] | None] = PointCollider

    kind: str
    sources: tuple[PointSource, ...] = ()
    colliders: tuple[PointCollider, ...] = ()
    run_up: float = run_up_in(QUALITY)
    steps: int = QUALITY.number(
        1,
        "",
        1,
        32,
        "Sub-steps of each frame at least.",
        soft=(1, 8),
        step=1,
        cost="step",
        label="least sub-steps",
    )
    most: int = QUALITY.number(
        2_000_000,
        "",
        1,
        MOST_BIRTHS,
        "No more than this many alive at once; births beyond it are refused and told.",
        soft=(1000, 2_000_000),
        step=1000,
        cost="step",
        label="most alive",
    )
    motion: PointMotion = Field(default_factory=PointMotion)
    ends: Ends = Field(default_factory=Ends)
    look: PointLook = Field(default_factory=PointLook)

    @property
    def widest(self) -> float:
        return max((most(s.width) for s in self.sources), default=0.0)

    def links(self) -> list[Link]:
        named = ((self.motion.follows, True), (self.look.meets, False))
        found = super().links() + [Link(n, FIELD, f"layer {self.id}", sim) for n, sim in named if n]
        wet = self.ends.in_water
        return [*found, Link(wet, SURFACE, f"layer {self.id}")] if wet else found

    def without_link(self, id: str) -> Self:
        layer = super().without_link(id)
        motion, look = layer.motion, layer.look
        if motion.follows == id:
            motion = motion.model_copy(update={"follows": ""})
        if look.meets == id:
            look = look.model_copy(update={"meets": ""})
        ends = layer.ends
        if ends.in_water == id:
            ends = ends.model_copy(update={"in_water": ""})
        return layer.model_copy(update={"motion": motion, "look": look, "ends": ends})

    @property
    def run_up_seconds(self) -> float:
        return self.run_up

    def begun(self, run_up: float) -> Self:
        return self.model_copy(update={"run_up": run_up})

    def first_route(self) -> Route:
        return point_book()

    @property
    def plays(self) -> str:
        return self.look.flipbook if self.look.form == "flipbook" else ""

    @property
    def drawn_past(self) -> float:
        return self.look.trail if self.look.form in ("ribbon", "tube") else 0.0

    def looks_at(self) -> set[str]:
        return {self.look.meets} if self.look.colour_by == "gas speed" else set()

    @property
    def body(self) -> Bodies | None:
        """How they turn and hit with their corners; None of points, which do not."""
        return None

    @property
    def cut(self) -> Pieces | None:
        """What they are pieces of; None of points."""
        return None

    @property
    def held_ids(self) -> tuple[int, ...]:
        """Those that lie still whatever acts on them."""
        return ()

    @property
    def deleted_ids(self) -> tuple[int, ...]:
        """Those that are drawn and written out no more."""
        return ()

    @property
    def shifts(self) -> tuple[Shifted, ...]:
        """Those that stand otherwise than they were simulated."""
        return ()

    @property
    def glows(self) -> bool:
        return self.look.form != "mesh" and self.look.opaque < 1.0


class ParticleLayer(PointLayer):
    kind: Literal["particles"] = "particles"
    bed: Bed = Field(default_factory=Bed)
