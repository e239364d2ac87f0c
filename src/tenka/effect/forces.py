"""Forces: they act on every layer, everywhere or in a region."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from tenka.effect.catalogue import param
from tenka.effect.courses import Value
from tenka.effect.placed import Placed, Vec3

INSIDE = ("sphere", "box", "cylinder")


class _Force(Placed):
    """Everywhere, or in a region with a soft border."""

    region: Literal["everywhere", "sphere", "box", "cylinder"] = param(
        "everywhere", "Where it acts: everywhere, or inside a region.", section="Where", cost="forces"
    )
    position: Vec3 = param((0.0, 0.0, 1.0), "Centre of the region; with a parent, as seen from it.", section="Where", unit="m", soft=(-10, 10),
                           low=-1e4, high=1e4, step=0.02, when=("region", INSIDE))  # fmt: skip
    region_size: Vec3 = param((2.0, 2.0, 2.0), "Extent of the region along x, y and z.", section="Where", unit="m", soft=(0.1, 10), low=1e-3,
                       high=1e3, step=0.02, when=("region", INSIDE))  # fmt: skip
    border: float = param(0.4, "Width of the border over which it fades in.", section="Where", unit="m", low=1e-3, high=100, soft=(0.05, 2),
                          when=("region", INSIDE))  # fmt: skip


class Wind(_Force):
    kind: Literal["wind"] = "wind"
    speed: Value = param(1.5, "How fast the air moves; the plume leans with it.", section="Motion", unit="m/s", low=0, high=80, soft=(0, 8),
                         course=True, cost="forces")  # fmt: skip
    heading: Value = param(0.0, "Direction it blows to, from +x towards +y.", section="Motion", unit="°", low=-360, high=360, soft=(-180, 180),
                           step=1, course=True, cost="forces")  # fmt: skip
    grip: Value = param(0.8, "How fast the gas takes on the wind.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 4), course=True,
                        cost="forces")  # fmt: skip
    gusts: Value = param(
        0.4, "How much the speed swings, as a share of it.", section="Motion", low=0, high=2, soft=(0, 1), course=True, cost="forces"
    )
    gust_period: float = param(
        2.2, "Time from one gust to the next.", section="Motion", unit="s", low=0.1, high=60, soft=(0.3, 6), cost="forces"
    )
    ground_drag: float = param(0.0, "Height over which the wind grows from nothing at the ground.", section="Motion", unit="m", low=0, high=200,
                               soft=(0, 10), cost="forces")  # fmt: skip


class Turbulence(_Force):
    kind: Literal["turbulence"] = "turbulence"
    strength: Value = param(0.6, "Speed of the swirls that are stirred in each second.", section="Motion", unit="m/s", low=0, high=40, soft=(0, 3),
                            course=True, cost="forces")  # fmt: skip
    size: float = param(0.9, "Size of the swirls.", section="Motion", unit="m", low=0.02, high=100, soft=(0.1, 4), cost="forces")
    detail: float = param(0.5, "Share of swirls of half that size.", section="Motion", low=0, high=1, cost="forces")
    rate: float = param(0.7, "How fast the swirls change.", section="Motion", unit="1/s", low=0, high=20, soft=(0, 4), cost="forces")
    grip: float = param(1.0, "How fast the gas takes them on.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 4), cost="forces")


class Swirl(_Force):
    """A swirl column: gas turns round an axis, rises along it and is drawn in."""

    kind: Literal["swirl"] = "swirl"
    position: Vec3 = param((0.0, 0.0, 1.0), "Middle of the column; with a parent, as seen from it.", section="Where", unit="m", soft=(-10, 10),
                           low=-1e4, high=1e4, step=0.02)  # fmt: skip
    core: float = param(0.6, "Radius of the core, which turns as one.", section="Where", unit="m", low=0.01, high=100, soft=(0.1, 4))
    height: float = param(3.0, "Height of the column.", section="Where", unit="m", low=0.01, high=1000, soft=(0.2, 10))
    spin: Value = param(1.0, "Turns each second in the core; negative turns the other way.", section="Motion", unit="1/s", low=-60, high=60,
                        soft=(-3, 3), course=True, cost="forces")  # fmt: skip
    turned_by: str = param("", "A prop whose turning spins it besides: the two keep in step.", section="Motion", kind="parent")
    step_ratio: float = param(1.0, "Turns of the column for each turn of that prop.", section="Motion", low=-20, high=20, soft=(0, 3),
                              when=("turned_by", ()))  # fmt: skip
    lift: Value = param(
        0.5, "Speed along the column.", section="Motion", unit="m/s", low=-100, high=100, soft=(-4, 4), course=True, cost="forces"
    )
    pull: Value = param(0.3, "Speed towards the axis at the rim of the core.", section="Motion", unit="m/s", low=-100, high=100, soft=(-3, 3),
                        course=True, cost="forces")  # fmt: skip
    falloff: float = param(
        1.5, "How fast it weakens outside the core: the power of distance.", section="Motion", low=0.1, high=8, soft=(0.5, 4)
    )
    grip: Value = param(4.0, "How fast the gas takes on the swirl.", section="Motion", unit="1/s", low=0, high=200, soft=(0, 12), course=True,
                        cost="forces")  # fmt: skip


class Pull(_Force):
    """A point that draws gas in, or pushes it away."""

    kind: Literal["pull"] = "pull"
    position: Vec3 = param((0.0, 0.0, 1.0), "The point; with a parent, as seen from it.", section="Where", unit="m", soft=(-10, 10),
                           low=-1e4, high=1e4, step=0.02)  # fmt: skip
    reach: float = param(
        1.0, "Distance within which it is at its full strength.", section="Where", unit="m", low=0.01, high=100, soft=(0.1, 5)
    )
    strength: Value = param(4.0, "Acceleration towards the point; negative pushes away. Seen where smoke is.", section="Motion", unit="m/s²",
                            low=-1000, high=1000, soft=(-20, 20), course=True, cost="forces")  # fmt: skip
    falloff: float = param(
        2.0, "How fast it weakens beyond its reach: the power of distance.", section="Motion", low=0, high=8, soft=(0, 4)
    )


class Brake(_Force):
    """Drag inside a region."""

    kind: Literal["drag"] = "drag"
    rate: Value = param(1.0, "How fast movement dies down there.", section="Motion", unit="1/s", low=0, high=200, soft=(0, 8), course=True,
                        cost="forces")  # fmt: skip


class Gravity(_Force):
    """A further gravity, besides the one that points down: hot gas rises against it, dense smoke falls with it."""

    kind: Literal["gravity"] = "gravity"
    strength: Value = param(1.0, "Its strength, as a share of the earth's.", section="Motion", low=-20, high=20, soft=(-2, 2), course=True,
                            cost="forces")  # fmt: skip
    heading: Value = param(0.0, "Direction of its fall, from +x towards +y.", section="Motion", unit="°", low=-36000, high=36000, soft=(-180, 180),
                           step=1, course=True)  # fmt: skip
    rise: Value = param(0.0, "Its slope: -90 is down, 90 is up.", section="Motion", unit="°", low=-36000, high=36000, soft=(-90, 90), step=1,
                        course=True)  # fmt: skip


Force = Annotated[Wind | Turbulence | Swirl | Pull | Brake | Gravity, Field(discriminator="kind")]
