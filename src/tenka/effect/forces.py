"""Forces: they act on every layer, everywhere or in a region."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Field, PrivateAttr, model_validator

from tenka.effect.catalogue import MOTION, WHERE
from tenka.effect.courses import Value
from tenka.effect.former import swirl_of_core
from tenka.effect.placed import Placed, Ramp, Vec3, ramp

INSIDE = ("sphere", "box", "cylinder")
WITHIN = (*INSIDE, "source")


class _Force(Placed):
    """Everywhere, or in a region with a soft border."""

    ACTS_BY: ClassVar[tuple[str, ...]] = ()
    """Settings of which none may be nothing, or it does nothing; of those with a bar between, one."""

    _held: Any = PrivateAttr(None)
    region: Literal["everywhere", "sphere", "box", "cylinder", "source"] = WHERE.param(
        "everywhere",
        "Where it acts: everywhere, inside a region, or within the form of a source, with which it goes.",
        cost="forces",
    )
    region_source: str = WHERE.param(
        "", "The source within whose form it acts.", kind="source", when=("region", ("source",))
    )
    position: Vec3 = WHERE.number(
        (0.0, 0.0, 1.0),
        "m",
        -1e4,
        1e4,
        "Centre of the region; with a parent, as seen from it.",
        soft=(-10, 10),
        step=0.02,
        when=("region", INSIDE),
    )
    region_size: Vec3 = WHERE.number(
        (2.0, 2.0, 2.0),
        "m",
        1e-3,
        1e3,
        "Extent of the region along x, y and z.",
        soft=(0.1, 10),
        step=0.02,
        when=("region", INSIDE),
    )
    border: float = WHERE.number(
        0.4,
        "m",
        1e-3,
        100,
        "Width of the border over which it fades in.",
        soft=(0.05, 2),
        when=("region", WITHIN),
    )

    @property
    def held(self) -> Any:
        """The source that it is held to, and the folder of its files; None before `holding`, or without
        one."""
        return self._held

    def holding(self, held: Any) -> Self:
        """This force, with the source that it is held to."""
        found = self.model_copy()
        found._held = held
        return found


class Wind(_Force):
    ACTS_BY: ClassVar[tuple[str, ...]] = ("speed", "grip")
    kind: Literal["wind"] = "wind"
    speed: Value = MOTION.moving(
        1.5, "m/s", 0, 80, "How fast the air moves; the plume leans with it.", soft=(0, 8), cost="forces"
    )
    heading: Value = MOTION.moving(
        0.0,
        "°",
        -360,
        360,
        "Direction it blows to, from +x towards +y.",
        soft=(-180, 180),
        step=1,
        cost="forces",
    )
    grip: Value = MOTION.moving(
        0.8, "1/s", 0, 60, "How fast the gas takes on the wind.", soft=(0, 4), cost="forces"
    )
    gusts: Value = MOTION.moving(
        0.4, "", 0, 2, "How much the speed swings, as a share of it.", soft=(0, 1), cost="forces"
    )
    gust_period: float = MOTION.number(
        2.2, "s", 0.1, 60, "Time from one gust to the next.", soft=(0.3, 6), cost="forces"
    )
    ground_drag: float = MOTION.number(
        0.0,
        "m",
        0,
        200,
        "Height over which the wind grows from nothing at the ground.",
        soft=(0, 10),
        cost="forces",
    )


class Turbulence(_Force):
    ACTS_BY: ClassVar[tuple[str, ...]] = ("strength", "grip")
    kind: Literal["turbulence"] = "turbulence"
    strength: Value = MOTION.moving(
        0.6, "m/s", 0, 40, "Speed of the swirls that are stirred in each second.", soft=(0, 3), cost="forces"
    )
    size: float = MOTION.number(0.9, "m", 0.02, 100, "Size of the swirls.", soft=(0.1, 4), cost="forces")
    detail: float = MOTION.number(
        0.5, "", 0, 1, "Share of swirls of half that size.", cost="forces", label="finer swirls"
    )
    rate: float = MOTION.number(
        0.7, "1/s", 0, 20, "How fast the swirls change.", soft=(0, 4), cost="forces", label="rate of change"
    )
    grip: float = MOTION.number(
        1.0, "1/s", 0, 60, "How fast the gas takes them on.", soft=(0, 4), cost="forces"
    )


class Swirl(_Force):
    """A swirl column: gas turns round an axis, rises along it and is drawn in."""

    ACTS_BY: ClassVar[tuple[str, ...]] = ("spin|lift|pull", "grip")
    kind: Literal["swirl"] = "swirl"
    position: Vec3 = WHERE.number(
        (0.0, 0.0, 1.0),
        "m",
        -1e4,
        1e4,
        "Middle of the column; with a parent, as seen from it.",
        soft=(-10, 10),
        step=0.02,
    )
    reach: float = WHERE.number(
        2.4, "m", 0.01, 400, "Distance from its axis at the right end of its curves.", soft=(0.2, 10)
    )
    height: float = WHERE.number(
        3.0, "m", 0.01, 1000, "Height of the column.", soft=(0.2, 10), when=("curve", ("()",))
    )
    curve: tuple[Vec3, ...] = WHERE.number(
        (),
        "m",
        -1e4,
        1e4,
        "Points of its axis, from its position, the foot first: x y z; x y z. Without them it is straight.",
        kind="points",
    )
    wander: float = MOTION.number(
        0.0, "m", 0, 100, "How far its axis wanders from where it stands.", soft=(0, 2), cost="forces"
    )
    unsteady: float = MOTION.number(
        0.0, "", 0, 2, "How much its spin swings, as a share of it.", soft=(0, 1), cost="forces"
    )
    restless: float = MOTION.number(
        1.5,
        "s",
        0.05,
        60,
        "Time in which it wanders and swings from one state to the next.",
        soft=(0.3, 6),
        when=("sways", ("True",)),
    )
    spin: Value = MOTION.moving(
        1.0,
        "1/s",
        -60,
        60,
        "Turns each second where it turns fastest; negative turns the other way.",
        soft=(-3, 3),
        cost="forces",
    )
    turning: Ramp = MOTION.param(
        ramp((0.0, 0.0), (0.25, 1.0), (0.45, 0.42), (0.7, 0.21), (1.0, 0.1)),
        "How fast the gas goes round, from the axis to the reach: where it peaks, its core ends.",
        kind="ramp",
        cost="forces",
        label="turning, where",
    )
    over_height: Ramp = MOTION.param(
        ramp((0.0, 0.4), (0.12, 1.0), (0.88, 1.0), (1.0, 0.4)),
        "How strongly all of it acts, from its foot to its top.",
        kind="ramp",
        cost="forces",
        label="all, over height",
    )
    turned_by: str = MOTION.param(
        "", "A prop whose turning spins it besides: the two keep in step.", kind="parent"
    )
    step_ratio: float = MOTION.number(
        1.0,
        "",
        -20,
        20,
        "Turns of the column for each turn of that prop.",
        soft=(0, 3),
        when=("turned_by", ()),
    )
    lift: Value = MOTION.moving(
        0.5, "m/s", -100, 100, "Speed along the column.", soft=(-4, 4), cost="forces", label="speed upward"
    )
    lifting: Ramp = MOTION.param(
        ramp((0.0, 1.0), (0.25, 1.0), (0.45, 0.42), (1.0, 0.0)),
        "Where it lifts, from the axis to the reach.",
        kind="ramp",
        cost="forces",
        label="upward, where",
    )
    pull: Value = MOTION.moving(
        0.3, "m/s", -100, 100, "Speed towards the axis.", soft=(-3, 3), cost="forces", label="speed inward"
    )
    pulling: Ramp = MOTION.param(
        ramp((0.0, 0.0), (0.25, 1.0), (0.45, 0.42), (1.0, 0.1)),
        "Where it draws in, from the axis to the reach.",
        kind="ramp",
        cost="forces",
        label="inward, where",
    )
    grip: Value = MOTION.moving(
        4.0, "1/s", 0, 200, "How fast the gas takes on the swirl.", soft=(0, 12), cost="forces"
    )

    _former = model_validator(mode="before")(swirl_of_core)

    @property
    def sways(self) -> bool:
        return self.wander > 0 or self.unsteady > 0


class Pull(_Force):
    """A point that draws gas in, or pushes it away."""

    ACTS_BY: ClassVar[tuple[str, ...]] = ("strength",)
    kind: Literal["pull"] = "pull"
    position: Vec3 = WHERE.number(
        (0.0, 0.0, 1.0),
        "m",
        -1e4,
        1e4,
        "The point; with a parent, as seen from it.",
        soft=(-10, 10),
        step=0.02,
    )
    reach: float = WHERE.number(
        1.0, "m", 0.01, 100, "Distance within which it is at its full strength.", soft=(0.1, 5)
    )
    strength: Value = MOTION.moving(
        4.0,
        "m/s²",
        -1000,
        1000,
        "Acceleration towards the point; negative pushes away. Seen where smoke is.",
        soft=(-20, 20),
        cost="forces",
    )
    falloff: float = MOTION.number(
        2.0, "", 0, 8, "How fast it weakens beyond its reach: the power of distance.", soft=(0, 4)
    )


class Brake(_Force):
    """Drag inside a region."""

    ACTS_BY: ClassVar[tuple[str, ...]] = ("rate",)
    kind: Literal["drag"] = "drag"
    rate: Value = MOTION.moving(
        1.0, "1/s", 0, 200, "How fast movement dies down there.", soft=(0, 8), cost="forces", label="slowing"
    )


class Gravity(_Force):
    """A further gravity, besides the one that points down: hot gas rises against it, dense smoke falls with
    it."""

    ACTS_BY: ClassVar[tuple[str, ...]] = ("strength",)
    kind: Literal["gravity"] = "gravity"
    strength: Value = MOTION.moving(
        1.0, "", -20, 20, "Its strength, as a share of the earth's.", soft=(-2, 2), cost="forces"
    )
    heading: Value = MOTION.moving(
        0.0, "°", -36000, 36000, "Direction of its fall, from +x towards +y.", soft=(-180, 180), step=1
    )
    rise: Value = MOTION.moving(
        0.0, "°", -36000, 36000, "Its slope: -90 is down, 90 is up.", soft=(-90, 90), step=1
    )


Force = Annotated[Wind | Turbulence | Swirl | Pull | Brake | Gravity, Field(discriminator="kind")]
NEW_FORCES: dict[str, tuple[type[_Force], str]] = {
    "wind": (Wind, "Wind"),
    "eddies": (Turbulence, "Eddies"),
    "swirl": (Swirl, "Swirl"),
    "pull": (Pull, "Pull"),
    "drag": (Brake, "Drag"),
    "gravity": (Gravity, "Gravity"),
}
"""Forces that can be added, by word: their class and the name of a new one."""
