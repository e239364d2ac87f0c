"""Particle and debris layers: what gives birth to points and pieces, how they move and end, and how they are drawn."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from tenka.effect.catalogue import Settings, param
from tenka.effect.courses import Value
from tenka.effect.placed import Feed, Heard, Ramp, Vec3, ramp

MOST_BIRTHS = 20_000_000
FILES = ("file",)
TURNING = ("flipbook", "mesh")
PAINTED = ("point", "disc", "sprite", "streak", "ribbon", "tube")  # forms that have a colour of their own
SIZED_FORMS = ("disc", "sprite", "flipbook", "streak", "ribbon", "tube", "mesh")
BY_GAS = ("gas density", "gas heat", "gas speed", "gas colour")
BY_RANGE = ("age", "speed", "height", "gas density", "gas heat", "gas speed")
BY_RAMP = ("life", *BY_RANGE)


class PointSource(Feed):
    """What gives birth to particles or pieces."""

    shape: Literal[
        "point", "sphere", "box", "cylinder", "cone", "torus", "capsule", "curve", "surface", "inside", "gas", "particles", "file"
    ] = param(
        "sphere",
        "Where they are born: a form, a prop's surface or inside, where a gas is dense, at particles of another layer, or a file's points.",
        section="Where",
        cost="births",
    )
    file: str = param("", "Points or a sequence of them (PLY, CSV, NPZ); in a sequence the last number in the name counts frames.", section="Where",
                      kind="points_file", when=("shape", FILES))  # fmt: skip
    file_scale: float = param(
        1.0, "Metres for one unit of the file.", section="Where", low=1e-4, high=1e4, soft=(0.01, 2), when=("shape", FILES)
    )
    plays: bool = param(False, "The file's points are shown as they are, frame by frame, and nothing moves them.", section="Where",
                        when=("shape", FILES))  # fmt: skip
    least: float = param(0.15, "Gas that is denser than this gives birth, the more the denser.", section="Where", low=0, high=100, soft=(0, 2),
                         when=("shape", ("gas",)))  # fmt: skip
    born_on: Literal["life", "birth", "bounce", "death"] = param(
        "life",
        "Each particle of that layer gives birth all its life, or at its birth, at each bounce, or at its death.",
        section="Where",
        when=("shape", ("particles",)),
    )
    rate: Value = param(200.0, "Births each second; from particles: of each of them.", section="What", unit="1/s", low=0, high=5e6, soft=(0, 2000), step=5,
                        course=True, cost="births")  # fmt: skip
    burst: int = param(0, "Births at once, besides; from particles: at each of their moments.", section="What", low=0, high=5_000_000, soft=(0, 5000),
                       step=10, cost="births")  # fmt: skip
    burst_at: float = param(0.0, "When the burst comes.", section="What", unit="s", low=-60, high=600, soft=(0, 4), step=0.02)
    burst_over: float = param(0.0, "Time over which the burst is spread.", section="What", unit="s", low=0, high=60, soft=(0, 1), step=0.01)
    burst_every: float = param(
        0.0, "Time from one burst to the next; 0 is once.", section="What", unit="s", low=0, high=600, soft=(0, 4), step=0.02
    )
    life: Value = param(2.0, "How long each lives.", section="What", unit="s", low=0.001, high=600, soft=(0.1, 6), course=True)
    life_spread: float = param(0.3, "How much lives differ, as a share.", section="What", low=0, high=1)
    stays: bool = param(False, "They do not die of age; ramps over life run over the life above and hold.", section="What")
    width: Value = param(
        0.03, "Size of the largest, across.", section="What", unit="m", low=1e-4, high=100, soft=(0.005, 0.5), step=0.001, course=True
    )
    least_width: float = param(0.25, "Size of the smallest, as a share of the largest.", section="What", low=0.001, high=1)
    skew: float = param(
        3.0, "How many small ones there are for each big one; 1 is even, which looks made.", section="What", low=0.1, high=20, soft=(1, 6)
    )
    temperature: Value = param(0.0, "How much hotter than the air they are born.", section="What", unit="K", low=-280, high=4000, soft=(0, 2000), step=10,
                               course=True)  # fmt: skip
    colour: Vec3 = param((0.6, 0.57, 0.52), "The colour that they carry.", section="What", kind="colour", low=0, high=1)
    coloured: bool = param(False, "They carry the colour of the mesh, of the file's points, or of the particles where they are born.", section="What",
                           when=("shape", ("surface", "file", "particles")))  # fmt: skip
    direction: Vec3 = param((0.0, 0.0, 1.0), "Direction in which they are thrown, in the source's own axes.", section="Motion", low=-1e3, high=1e3,
                            soft=(-1, 1), step=0.05)  # fmt: skip
    cone: float = param(
        20.0, "Half of the angle over which they are thrown; 180 is all round.", section="Motion", unit="°", low=0, high=180, step=1
    )
    outward: float = param(0.0, "Share of the direction that is away from the source's surface.", section="Motion", low=0, high=1)
    off_axis: float = param(0.0, "Share of the direction that is away from the source's upright axis.", section="Motion", low=0, high=1)
    along: float = param(0.0, "Share of the direction that lies along the surface, up it.", section="Motion", low=0, high=1)
    speed: Value = param(
        2.0, "How fast they are thrown, on average.", section="Motion", unit="m/s", low=0, high=1000, soft=(0, 20), course=True
    )
    speed_spread: float = param(0.3, "How much speeds differ, as a share.", section="Motion", low=0, high=1)
    scatter: Vec3 = param((0.0, 0.0, 0.0), "Speed added by chance along each of its axes: the spread of a bell curve.", section="Motion", unit="m/s",
                          low=0, high=500, soft=(0, 5), step=0.05)  # fmt: skip
    far_share: float = param(0.03, "Share of them that fly further than the rest.", section="Motion", low=0, high=1, soft=(0, 0.2))
    far_reach: float = param(0.5, "How much faster those are thrown, up to this share more.", section="Motion", low=0, high=20, soft=(0, 2))


class PointCollider(Heard):
    """A prop that stops a layer's particles: only pairs that are listed collide."""

    prop: str = param("", "The prop that stops them.", section="Collision", kind="prop", cost="collision")
    response: Literal["bounce", "stick", "die"] = param("bounce", "What happens where they meet it.", section="Collision")
    bounce: float = param(
        0.4, "Share of the speed towards it that is given back.", section="Collision", low=0, high=1, when=("response", ("bounce",))
    )
    friction: float = param(0.3, "How much of the speed along it each hit takes.", section="Collision", low=0, high=2, soft=(0, 1),
                            when=("response", ("bounce",)))  # fmt: skip
    skin: float = param(0.0, "Makes it thicker.", section="Collision", unit="m", low=-1, high=10, soft=(0, 0.2), step=0.005)


class PointMotion(Settings):
    """How particles move."""

    gravity: Value = param(
        1.0, "Share of the earth's gravity that they feel.", section="Motion", low=-10, high=10, soft=(-1, 1.5), course=True
    )
    drag: Value = param(
        0.2, "How fast the still air slows them.", section="Motion", unit="1/s", low=0, high=200, soft=(0, 5), course=True, cost="motion"
    )
    size_drag: float = param(0.0, "How much more small ones are slowed and carried than large ones: the power of their size.", section="Motion", low=0,
                             high=3, soft=(0, 2))  # fmt: skip
    forces: Value = param(1.0, "How strongly the effect's forces take hold of them.", section="Motion", low=0, high=10, soft=(0, 2), course=True,
                          cost="motion")  # fmt: skip
    follows: str = param("", "The gas whose movement carries them.", section="Motion", kind="gas", cost="motion")
    follow: Value = param(4.0, "How fast they take on its movement.", section="Motion", unit="1/s", low=0, high=500, soft=(0, 20), course=True,
                          cost="motion", when=("follows", ()))  # fmt: skip
    cooling: Value = param(
        0.5, "Share of their heat that is lost each second.", section="Fading", unit="1/s", low=0, high=60, soft=(0, 3), course=True
    )
    ground: Literal["none", "bounce", "stick", "die"] = param(
        "bounce", "What happens on the ground, at height 0.", section="Collision", cost="collision"
    )
    bounce: float = param(0.35, "Share of the speed towards the ground that is given back.", section="Collision", low=0, high=1,
                          when=("ground", ("bounce",)))  # fmt: skip
    friction: float = param(0.4, "How much of the speed along the ground each hit takes.", section="Collision", low=0, high=2, soft=(0, 1),
                            when=("ground", ("bounce",)))  # fmt: skip


class Ends(Settings):
    """What ends a particle besides its age."""

    below: bool = param(False, "They die below a height.", section="Fading")
    height: float = param(-1.0, "That height.", section="Fading", unit="m", low=-1e4, high=1e4, soft=(-5, 5), when=("below", ("True",)))
    reach: float = param(0.0, "They die this far from the effect's origin; 0 is never. Strays cost bakes for nothing.", section="Fading", unit="m", low=0,
                         high=1e5, soft=(0, 60))  # fmt: skip
    off_camera: bool = param(False, "They die when they leave the effect's camera's picture.", section="Fading")
    leaves_gas: bool = param(False, "They die when they leave the box of the gas that carries them.", section="Fading")


class Bed(Settings):
    """Particles that lie asleep until they are disturbed."""

    rests: bool = param(False, "They are born asleep, where they lie, and wake when they are disturbed.", section="Bed")
    wakes_at: float = param(0.6, "Speed of the gas or of a collider beside them that wakes them.", section="Bed", unit="m/s", low=0.001, high=100,
                            soft=(0.05, 4), when=("rests", ("True",)))  # fmt: skip
    wake_reach: float = param(0.12, "Distance within which a moving collider is felt.", section="Bed", unit="m", low=0.001, high=10, soft=(0.02, 1),
                              when=("rests", ("True",)))  # fmt: skip
    lift: float = param(
        0.5, "Share of what wakes them that they are thrown up with.", section="Bed", low=0, high=5, soft=(0, 1), when=("rests", ("True",))
    )
    settles: bool = param(True, "They fall asleep again where they come to rest.", section="Bed", when=("rests", ("True",)))


class PointLook(Settings):
    """How particles are drawn; no change here simulates anything again."""

    form: Literal["point", "disc", "sprite", "flipbook", "streak", "ribbon", "tube", "mesh"] = param(
        "sprite",
        "Points of a pixel, lit discs, soft sprites, a packed flipbook, streaks along their movement, ribbons or tubes along their past, or meshes.",
        section="Look",
        affects="look",
    )
    scale: float = param(
        1.0,
        "Size drawn, against the size that they have.",
        section="Look",
        affects="look",
        low=0.001,
        high=1000,
        soft=(0.2, 4),
        when=("form", SIZED_FORMS),
    )
    size_over: Ramp = param(
        ramp((0.0, 1.0), (1.0, 1.0)), "Size over life.", section="Look", affects="look", kind="ramp", when=("form", SIZED_FORMS)
    )
    opacity: float = param(1.0, "How much each hides, or gives.", section="Look", affects="look", low=0, high=1)
    opacity_over: Ramp = param(ramp((0.0, 1.0), (0.6, 1.0), (1.0, 0.0)), "Opacity over life; it ends at nothing, so that none pops.", section="Look",
                               affects="look", kind="ramp")  # fmt: skip
    opaque: float = param(
        1.0, "From light that is added (0) to a body that hides (1).", section="Look", affects="look", low=0, high=1, when=("form", PAINTED)
    )
    brightness: float = param(
        1.0, "Strength of its light or colour.", section="Look", affects="look", low=0, high=1000, soft=(0, 8), when=("form", PAINTED)
    )
    lit: float = param(
        1.0,
        "How much it is lit by sun and sky, against shining by itself.",
        section="Look",
        affects="look",
        low=0,
        high=1,
        when=("form", PAINTED),
    )
    self_shadow: float = param(
        1.0, "How strongly they shade each other.", section="Look", affects="look", low=0, high=10, soft=(0, 2), when=("form", PAINTED)
    )
    softness: float = param(
        0.7,
        "How soft the edge of a sprite or streak is.",
        section="Look",
        affects="look",
        low=0,
        high=1,
        when=("form", ("sprite", "streak", "ribbon")),
    )
    colour_by: Literal["life", "age", "speed", "height", "heat", "direction", "gas density", "gas heat", "gas speed", "gas colour"] = param(
        "life",
        "What the ramp runs over; heat is a black body's own colour, direction is that of movement, gas: what they meet in a gas layer.",
        section="Colour",
        affects="look",
        when=("form", PAINTED),
    )
    colour: Ramp = param(
        ramp((0.0, (0.85, 0.8, 0.72)), (1.0, (0.5, 0.47, 0.43))),
        "The colour, over that.",
        section="Colour",
        affects="look",
        kind="ramp",
        when=(("form", PAINTED), ("colour_by", BY_RAMP)),
    )
    colour_low: float = param(
        0.0,
        "Value at the ramp's left end.",
        section="Colour",
        affects="look",
        low=-1e6,
        high=1e6,
        soft=(0, 10),
        when=(("form", PAINTED), ("colour_by", BY_RANGE)),
    )
    colour_high: float = param(
        1.0,
        "Value at the ramp's right end.",
        section="Colour",
        affects="look",
        low=-1e6,
        high=1e6,
        soft=(0, 10),
        when=(("form", PAINTED), ("colour_by", BY_RANGE)),
    )
    fit: bool = param(
        False,
        "The range is that of the frame, rather than the two values above.",
        section="Colour",
        affects="look",
        when=(("form", PAINTED), ("colour_by", BY_RANGE)),
    )
    repeats: float = param(
        1.0,
        "How many times the ramp is run through.",
        section="Colour",
        affects="look",
        low=0.1,
        high=100,
        soft=(1, 8),
        when=(("form", PAINTED), ("colour_by", BY_RAMP)),
    )
    meets: str = param(
        "",
        "The gas that they meet; its values can colour them.",
        section="Colour",
        affects="look",
        kind="gas",
        when=(("form", PAINTED), ("colour_by", BY_GAS)),
    )
    carried: float = param(
        0.0,
        "Share of the colour that they carry, against the ramp's.",
        section="Colour",
        affects="look",
        low=0,
        high=1,
        when=("form", PAINTED),
    )
    vary: float = param(
        0.15, "How much brightness differs from one to the next.", section="Colour", affects="look", low=0, high=1, when=("form", PAINTED)
    )
    copies: int = param(1, "How many are drawn for each: nothing is simulated again.", section="Multiply", affects="look", low=1, high=200, soft=(1, 20),
                        step=1, when=("form", ("point", "disc", "sprite", "flipbook", "streak")))  # fmt: skip
    copies_spread: float = param(0.1, "How far copies lie from their own.", section="Multiply", affects="look", unit="m", low=0, high=100, soft=(0, 1),
                                 when=("copied", ("True",)))  # fmt: skip
    copies_size: float = param(
        0.5, "Size of the smallest copy, as a share.", section="Multiply", affects="look", low=0.01, high=1, when=("copied", ("True",))
    )
    stretch: float = param(0.0, "How much longer a disc or sprite is drawn along its movement, for each m/s.", section="Look", affects="look", unit="s/m",
                           low=0, high=10, soft=(0, 0.5), step=0.005, when=("form", ("disc", "sprite")))  # fmt: skip
    turned: float = param(
        180.0, "Random turn either way at birth.", section="Look", affects="look", unit="°", low=0, high=180, step=1, when=("form", TURNING)
    )
    spin: float = param(0.0, "Turns each second of the smallest, at most, either way.", section="Look", affects="look", unit="1/s", low=0, high=100, soft=(0, 4),
                        when=("form", TURNING))  # fmt: skip
    spin_slower: float = param(1.0, "How much slower larger ones turn: the power of their size; 0 is alike.", section="Look", affects="look", low=0, high=4,
                               soft=(0, 2), when=("form", TURNING))  # fmt: skip
    spin_fade: float = param(
        0.5, "How fast turning dies down.", section="Look", affects="look", unit="1/s", low=0, high=60, soft=(0, 4), when=("form", TURNING)
    )
    streak: float = param(0.03, "Time of movement that a streak shows.", section="Trail", affects="look", unit="s", low=0.0005, high=5, soft=(0.005, 0.2),
                          step=0.001, when=("form", ("streak",)))  # fmt: skip
    trail: float = param(0.5, "Length of the ribbon or tube, in time.", section="Trail", affects="look", unit="s", low=0.01, high=20, soft=(0.1, 2),
                         when=("form", ("ribbon", "tube")))  # fmt: skip
    trail_width: Ramp = param(ramp((0.0, 1.0), (1.0, 0.1)), "Width along it, from the particle back.", section="Trail", affects="look", kind="ramp",
                              when=("form", ("ribbon", "tube")))  # fmt: skip
    trail_opacity: Ramp = param(ramp((0.0, 1.0), (1.0, 0.0)), "Opacity along it, from the particle back.", section="Trail", affects="look", kind="ramp",
                                when=("form", ("ribbon", "tube")))  # fmt: skip
    flipbook: str = param("", "The package whose flipbook each particle plays over its life.", section="Look", affects="look", kind="package",
                          when=("form", ("flipbook",)))  # fmt: skip
    mesh: str = param("", "The prop that each is drawn as.", section="Look", affects="look", kind="prop", when=("form", ("mesh",)))
    ticks: bool = param(False, "Draws where each goes, as a fine line.", section="Look", affects="look")

    @property
    def copied(self) -> bool:
        return self.copies > 1


class PointLayer(Heard):
    """What particles and debris have in common."""

    sources: tuple[PointSource, ...] = ()
    colliders: tuple[PointCollider, ...] = ()
    run_up: float = param(
        0.0, "Seconds simulated before the first shown frame.", section="Quality", unit="s", low=0, high=60, soft=(0, 6), step=0.1
    )
    steps: int = param(1, "Sub-steps of each frame at least.", section="Quality", low=1, high=32, soft=(1, 8), step=1, cost="step")
    most: int = param(2_000_000, "No more than this many alive at once; births beyond it are refused and told.", section="Quality", low=1, high=MOST_BIRTHS,
                      soft=(1000, 2_000_000), step=1000, cost="step")  # fmt: skip
    motion: PointMotion = Field(default_factory=PointMotion)
    ends: Ends = Field(default_factory=Ends)
    look: PointLook = Field(default_factory=PointLook)


class ParticleLayer(PointLayer):
    kind: Literal["particles"] = "particles"
    bed: Bed = Field(default_factory=Bed)


class Pieces(Settings):
    """What debris is made of: pieces of our own, or a prop's mesh."""

    make: Literal["sherds", "tiles", "planks", "lumps", "plates", "prop"] = param(
        "sherds", "What the pieces are.", section="What", cost="motion"
    )
    prop: str = param("", "The prop whose mesh each piece is.", section="What", kind="prop", when=("make", ("prop",)))
    swap: str = param("", "A prop that breaks: it is hidden from the first birth on.", section="What", affects="look", kind="parent")
    kinds: int = param(8, "How many different pieces there are.", section="What", low=1, high=64, soft=(1, 24), step=1)
    roundness: float = param(0.15, "From sharp edges to worn ones.", section="What", low=0, high=1)
    flatness: float = param(
        0.35, "Thickness against width.", section="What", low=0.02, high=1, when=("make", ("sherds", "tiles", "plates", "planks"))
    )
    seed: int = param(1, "Another number makes other pieces.", section="What", low=0, high=9999, soft=(0, 100), step=1)
    colour: Vec3 = param((0.32, 0.27, 0.23), "Colour of the pieces.", section="What", affects="look", kind="colour", low=0, high=1)
    inner: Vec3 = param((0.42, 0.33, 0.26), "Colour of their broken sides.", section="What", affects="look", kind="colour", low=0, high=1)


class Bodies(Settings):
    """How rigid pieces behave."""

    each_other: bool = param(True, "They hit each other.", section="Collision", cost="motion")
    tumble: float = param(
        3.0, "Turns each second with which the smallest are thrown, at most.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 10)
    )
    tumble_slower: float = param(
        1.0, "How much slower larger ones turn: the power of their size.", section="Motion", low=0, high=4, soft=(0, 2)
    )
    damping: float = param(0.3, "How fast turning dies down.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 4))
    sleeps: float = param(
        0.12, "Pieces that are slower than this for a while fall asleep.", section="Motion", unit="m/s", low=0, high=10, soft=(0, 0.5)
    )


class DebrisLayer(PointLayer):
    kind: Literal["debris"] = "debris"
    pieces: Pieces = Field(default_factory=Pieces)
    bodies: Bodies = Field(default_factory=Bodies)
    deleted: tuple[int, ...] = Field((), max_length=10_000)
    held: tuple[int, ...] = Field((), max_length=10_000)
    look: PointLook = Field(default_factory=lambda: PointLook(form="mesh", opacity_over=ramp((0.0, 1.0), (0.92, 1.0), (1.0, 0.0))))
