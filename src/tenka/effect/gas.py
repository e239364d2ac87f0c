"""The gas layer: its sources, its box, how it moves, burns and fades, its look, and its flipbook."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from tenka.effect.catalogue import Settings, param
from tenka.effect.courses import Value
from tenka.effect.placed import Feed, Heard, Ramp, Vec3, ramp


class Source(Feed):
    """What feeds a gas layer."""

    shape: Literal["sphere", "box", "cylinder", "cone", "torus", "capsule", "curve", "surface", "inside", "particles"] = param(
        "sphere",
        "The region that gives birth: a form of its own, the surface or the inside of a prop, or the particles of a layer.",
        section="Where",
        cost="source",
    )
    point_size: float = param(2.0, "Radius in which each particle gives, as a multiple of its own radius; it sweeps along its path.", section="Where",
                              low=0.01, high=100, soft=(0.5, 8), when=("shape", ("particles",)))  # fmt: skip
    point_least: float = param(0.05, "Radius below which none gives; less than a voxel gives its share of one.", section="Where", unit="m", low=0.001,
                               high=10, soft=(0.01, 0.5), when=("shape", ("particles",)))  # fmt: skip
    point_size_over: Ramp = param(ramp((0.0, 1.0), (1.0, 0.3)), "That radius over each particle's life: streaks taper.", section="Where", kind="ramp",
                                  when=("shape", ("particles",)))  # fmt: skip
    point_give_over: Ramp = param(ramp((0.0, 1.0), (0.6, 0.6), (1.0, 0.0)), "How much each particle gives over its life.", section="Where",
                                  kind="ramp", when=("shape", ("particles",)))  # fmt: skip
    density: Value = param(4.0, "Smoke given each second where the source is full; more is darker.", section="What", unit="1/s", low=0, high=200,
                           soft=(0, 12), course=True, cost="source")  # fmt: skip
    temperature: Value = param(300.0, "How much hotter than the air the gas is born; it drives the lift.", section="What", unit="K", low=-280,
                               high=4000, soft=(0, 900), step=5, course=True, cost="source")  # fmt: skip
    fuel: Value = param(0.0, "Fuel given each second; it burns when the layer's fire is on.", section="What", unit="1/s", low=0, high=200,
                        soft=(0, 12), course=True, cost="source")  # fmt: skip
    expansion: Value = param(0.0, "Gas volume pressed in each second, as a share of the source's own.", section="What", unit="1/s", low=-60,
                             high=200, soft=(0, 10), course=True, cost="source")  # fmt: skip
    push: Vec3 = param(
        (0.0, 0.0, 0.0), "Speed that the gas is born with.", section="What", unit="m/s", soft=(-5, 5), low=-200, high=200, step=0.05
    )
    outward: Value = param(0.0, "Speed away from the source's surface; negative draws in.", section="What", unit="m/s", low=-200, high=200,
                           soft=(-4, 4), step=0.05, course=True)  # fmt: skip
    grip: float = param(12.0, "How fast the gas at the source takes on its temperature and push.", section="What", unit="1/s", low=0, high=200,
                        soft=(0, 40), step=0.5)  # fmt: skip
    blend: Literal["add", "maximum"] = param("add", "Overlapping sources add up (soft), or the densest wins (sharp).", section="What")
    dye: bool = param(False, "Whether the smoke carries a colour of its own.", section="What")
    dye_colour: Vec3 = param(
        (0.75, 0.3, 0.2), "The colour that is carried.", section="What", kind="colour", low=0, high=1, when=("dye", ("True",))
    )
    shaped_by: Literal["nothing", "image", "colours"] = param(
        "nothing",
        "How much is given where: evenly, by the brightness of an image, or of its mesh's own colours (a plain prop has one, and gives evenly).",
        section="What",
    )
    image: str = param("", "Image that shapes it (PNG, JPEG, TIFF), relative to the effect: bright gives, dark or clear does not.", section="What",
                       kind="image", when=("shaped_by", ("image",)))  # fmt: skip
    image_along: Literal["z", "x", "y"] = param("z", "The source's own axis along which the image is laid over it.", section="What",
                                                when=("shaped_by", ("image",)))  # fmt: skip
    breakup: float = param(0.6, "How strongly noise breaks up the source; 0 is even and looks like a pipe.", section="What", low=0, high=1,
                           cost="source")  # fmt: skip
    breakup_size: float = param(0.25, "Size of the patches.", section="What", unit="m", low=0.01, high=50, soft=(0.05, 2))
    breakup_rate: float = param(1.5, "New patches each second.", section="What", unit="1/s", low=0, high=60, soft=(0, 8))
    breakup_low: float = param(
        0.3, "Noise below this gives nothing: raise it for fewer, sharper patches.", section="What", low=0, high=0.99
    )
    breakup_high: float = param(0.7, "Noise above this gives all.", section="What", low=0.01, high=1)


class Collider(Heard):
    """A prop that stops the layer: only pairs that are listed collide."""

    prop: str = param("", "The prop that stops this gas.", section="Collision", kind="prop", cost="collision")
    slip: Literal["free", "none"] = param("free", "Gas slides along it, or sticks to it.", section="Collision")
    wake: float = param(1.0, "How much of its movement it gives to the gas beside it.", section="Collision", low=-1, high=4, soft=(0, 2))
    skin: float = param(0.0, "Makes it thicker; a thin gate needs at least half a voxel.", section="Collision", unit="m", low=-1, high=10,
                        soft=(0, 0.2), step=0.005)  # fmt: skip


class DomainBox(Settings):
    """The box in which gas is simulated."""

    origin: Vec3 = param(
        (-2.0, -2.0, 0.0), "Lowest corner of the box.", section="Where", unit="m", soft=(-10, 10), low=-1e4, high=1e4, step=0.05
    )
    size: Vec3 = param((4.0, 4.0, 4.0), "Extent of the box: taller for a plume, flat for a floor effect.", section="Where", unit="m",
                       soft=(0.5, 20), low=0.05, high=1e3, step=0.05, cost="step")  # fmt: skip
    voxel: float = param(0.0625, "Edge of one voxel: half of it shows finer curls and costs eight times as much.", section="Where", unit="m",
                         low=0.002, high=10, soft=(0.03, 0.25), step=0.002, cost="step")  # fmt: skip
    open_low: tuple[bool, bool, bool] = param(
        (True, True, False), "Which of the low walls (x, y, floor) let gas through.", section="Where", kind="walls"
    )
    open_high: tuple[bool, bool, bool] = param(
        (True, True, True), "Which of the high walls (x, y, ceiling) let gas through.", section="Where", kind="walls"
    )
    flat: bool = param(False, "One voxel thick along y: quick, for effects that are only seen from the side.", section="Where", cost="step")
    follow: bool = param(
        False, "Simulates only the part of the box that holds gas: the cost follows the gas.", section="Where", cost="step"
    )
    margin: float = param(0.6, "Air kept round the gas when the simulated part follows it.", section="Where", unit="m", low=0.01, high=100,
                          soft=(0.1, 2), when=("follow", ("True",)))  # fmt: skip
    run_up: float = param(1.5, "Seconds simulated before the first shown frame; hides the starting bulge.", section="Where", unit="s", low=0, high=60,
                          soft=(0, 6), step=0.1)  # fmt: skip


class Motion(Settings):
    """How the gas moves."""

    lift: Value = param(
        1.0, "How strongly heat rises; 1 is what physics gives.", section="Motion", low=-5, high=10, soft=(0, 2), course=True, cost="forces"
    )
    weight: Value = param(
        0.05, "How strongly dense smoke sinks.", section="Motion", unit="m/s²", low=-20, high=50, soft=(0, 2), course=True, cost="forces"
    )
    drag: Value = param(
        0.05, "How fast movement dies down.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 2), course=True, cost="forces"
    )
    viscosity: float = param(0.0, "Thickness of the gas: syrupy, slow rolls.", section="Motion", unit="m²/s", low=0, high=10, soft=(0, 0.05),
                             step=0.0005, cost="viscosity")  # fmt: skip
    fine_curl: Value = param(2.0, "Keeps small curls turning; too much gives streaks.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 8),
                             course=True, cost="vorticity")  # fmt: skip
    fine_size: float = param(
        0.12, "Size of the small curls.", section="Motion", unit="m", low=0.005, high=10, soft=(0.03, 0.6), cost="vorticity"
    )
    broad_curl: Value = param(
        1.0, "Keeps large rolls turning.", section="Motion", unit="1/s", low=0, high=60, soft=(0, 8), course=True, cost="vorticity"
    )
    broad_size: float = param(
        0.6, "Size of the large rolls.", section="Motion", unit="m", low=0.02, high=50, soft=(0.1, 3), cost="vorticity"
    )


class Fading(Settings):
    """How what was given goes away."""

    smoke: Value = param(0.06, "Share of the smoke that fades each second.", section="Fading", unit="1/s", low=0, high=60, soft=(0, 1), course=True,
                         cost="scalars")  # fmt: skip
    spread: float = param(0.0, "How fast smoke and heat spread out by themselves, softening edges.", section="Fading", unit="m²/s", low=0, high=10,
                          soft=(0, 0.02), step=0.0002, cost="viscosity")  # fmt: skip
    smoke_linear: Value = param(0.0, "Smoke taken off each second however thin it is: cuts the thin haze.", section="Fading", unit="1/s", low=0, high=60,
                                soft=(0, 0.5), course=True, cost="scalars")  # fmt: skip
    cooling: Value = param(0.5, "Share of the heat lost each second; sets how long the plume keeps rising.", section="Fading", unit="1/s", low=0, high=60,
                           soft=(0, 3), course=True, cost="scalars")  # fmt: skip


class Fire(Settings):
    """How fuel burns."""

    burns: bool = param(False, "Whether fuel burns in this layer.", section="Fire", cost="fire")
    ignition: float = param(150.0, "Fuel hotter than this burns.", section="Fire", unit="K", low=0, high=3000, soft=(20, 600), step=5, when=("burns", ("True",)))  # fmt: skip
    burn_rate: Value = param(3.0, "Share of the fuel that burns each second at the ignition heat; hotter is faster.", section="Fire", unit="1/s",
                             low=0, high=200, soft=(0, 12), course=True, cost="fire", when=("burns", ("True",)))  # fmt: skip
    heat: Value = param(1400.0, "Heat that burning one unit of fuel gives.", section="Fire", unit="K", low=0, high=20000, soft=(0, 4000), step=20,
                        course=True, cost="fire", when=("burns", ("True",)))  # fmt: skip
    soot: Value = param(
        0.3, "Smoke that burning one unit of fuel gives.", section="Fire", low=0, high=50, soft=(0, 2), course=True, cost="fire", when=("burns", ("True",)))  # fmt: skip
    expansion: Value = param(0.5, "Volume that one unit of burning fuel presses in.", section="Fire", low=0, high=100, soft=(0, 6), course=True,
                             cost="fire", when=("burns", ("True",)))  # fmt: skip
    hottest: float = param(
        1900.0, "Heat is not driven above this.", section="Fire", unit="K", low=100, high=6000, soft=(800, 3000), step=20, when=("burns", ("True",)))  # fmt: skip
    radiation: Value = param(900.0, "Heat lost each second at 1000 K by radiation; falls with the fourth power.", section="Fire", unit="K/s", low=0,
                             high=1e5, soft=(0, 4000), step=20, course=True, cost="fire", when=("burns", ("True",)))  # fmt: skip
    flame_fade: Value = param(2.5, "How fast burnt gas stops being flame: long tongues, or short ones.", section="Fire", unit="1/s", low=0, high=60,
                              soft=(0.5, 8), course=True, cost="scalars", when=("burns", ("True",)))  # fmt: skip


class Quality(Settings):
    """What the solver spends."""

    courant: float = param(3.0, "Voxels that gas may cross in one sub-step; lower is truer and slower.", section="Quality", low=0.3, high=8, soft=(0.5, 5),
                           cost="step")  # fmt: skip
    most_substeps: int = param(
        4, "Upper limit of sub-steps in one frame.", section="Quality", low=1, high=64, soft=(1, 16), step=1, cost="step"
    )

    detail: int = param(2, "How many times finer the final run's voxels are: it keeps the preview's motion and adds smaller curls.", section="Quality",
                        affects="final", low=1, high=4, soft=(1, 4), step=1)  # fmt: skip
    guidance: float = param(10.0, "How firmly the final run is held to the preview's motion; 0 lets it go its own way.", section="Quality", unit="1/s",
                            affects="final", low=0, high=200, soft=(0, 30), step=0.5)  # fmt: skip


class Look(Settings):
    """How the gas is drawn; no change here simulates anything again."""

    colour: Ramp = param(ramp((0.0, (0.80, 0.77, 0.74)), (0.45, (0.52, 0.49, 0.47)), (1.0, (0.20, 0.185, 0.18))),
                         "Colour of the smoke from thin (left) to dense (right).", section="Look", affects="look", kind="ramp")  # fmt: skip
    full_density: float = param(1.2, "Density at the ramp's right end.", section="Look", affects="look", low=0.01, high=100, soft=(0.1, 5))
    extinction: float = param(
        7.0, "How opaque a metre of smoke of density 1 is.", section="Look", unit="1/m", affects="look", low=0, high=500, soft=(0.5, 30)
    )
    shadow: float = param(
        1.0, "How strongly the smoke shades itself; a factor on the extinction.", section="Look", affects="look", low=0, high=4, soft=(0, 2)
    )
    forward: float = param(0.35, "Forward scattering: brighter rims against the light.", section="Look", affects="look", low=-0.9, high=0.95,
                           soft=(-0.5, 0.9))  # fmt: skip
    ambient: float = param(
        1.0, "Light from the sky and the ground into the shaded side.", section="Look", affects="look", low=0, high=5, soft=(0, 2)
    )
    glow: float = param(1.0, "Strength of the light that hot gas gives off, by black-body colour.", section="Look", affects="look", low=0, high=1000,
                        soft=(0, 5))  # fmt: skip
    flame: float = param(1.0, "Brightness of flames, apart from glowing smoke; by black-body colour.", section="Look", affects="look", low=0,
                         high=1000, soft=(0, 6))  # fmt: skip
    flame_heat: float = param(1.0, "Stretches the flames' heat before it becomes colour: above 1 whiter, below redder.", section="Look",
                              affects="look", low=0.1, high=10, soft=(0.5, 2))  # fmt: skip
    carried: float = param(1.0, "How much of the colour that smoke carries is shown, against the ramp above.", section="Look", affects="look", low=0,
                           high=1)  # fmt: skip
    steps: float = param(1.0, "Samples per voxel along each ray in the refined picture.", section="Quality", unit="1/voxel", affects="look", low=0.25,
                         high=4, soft=(0.5, 2))  # fmt: skip


class Player(Settings):
    """How the game plays the flipbook: particles, each of which plays the sequence over its own life."""

    count: int = param(3, "Sprites alive at once; each is a see-through layer over the others.", section="Player", affects="player", low=1, high=2000,
                       soft=(1, 24), step=1, cost="fill")  # fmt: skip
    life: float = param(4.0, "Seconds in which one sprite plays the sequence.", section="Player", unit="s", affects="player", low=0.05, high=60,
                        soft=(0.5, 8))  # fmt: skip
    life_spread: float = param(
        0.1, "How much lives differ, as a share.", section="Player", affects="player", low=0, high=0.9, soft=(0, 0.5)
    )
    scale: float = param(1.0, "Size of a sprite against the size it was packed at.", section="Player", affects="player", low=0.02, high=20,
                         soft=(0.3, 2), cost="fill")  # fmt: skip
    size_spread: float = param(
        0.08, "How much sizes differ, as a share.", section="Player", affects="player", low=0, high=0.9, soft=(0, 0.5), cost="fill"
    )
    rotation: float = param(4.0, "Random turn either way, so that copies do not show.", section="Player", unit="°", affects="player", low=0, high=180,
                            soft=(0, 30))  # fmt: skip
    scatter: float = param(
        0.1, "Radius in which sprites are born.", section="Player", unit="m", affects="player", low=0, high=100, soft=(0, 2)
    )
    drift: Vec3 = param((0.0, 0.0, 0.0), "Speed of a sprite after birth.", section="Player", unit="m/s", affects="player", low=-100, high=100,
                        soft=(-2, 2), step=0.02)  # fmt: skip
    alpha: Ramp = param(ramp((0.0, 0.0), (0.16, 1.0), (0.6, 0.85), (1.0, 0.0)), "Opacity over a sprite's life: up fast, away slowly, never cut off.",
                        section="Player", affects="player", kind="ramp")  # fmt: skip
    blend: bool = param(
        True, "Blends each frame into the next: smoother for two texture reads.", section="Player", affects="player", cost="arithmetic"
    )
    soft_edge: float = param(0.6, "Distance to a surface over which a sprite fades instead of cutting it.", section="Player", unit="m", affects="player",
                             low=0, high=50, soft=(0, 2), cost="arithmetic")  # fmt: skip


class Flipbook(Settings):
    """The flipbook route: how frames are drawn and laid out."""

    first: float = param(
        0.0, "Time of the first packed frame.", section="Atlas", unit="s", affects="pack", low=0, high=600, soft=(0, 8), step=0.02
    )
    last: float = param(
        4.0, "Time of the last packed frame.", section="Atlas", unit="s", affects="pack", low=0, high=600, soft=(0, 8), step=0.02
    )
    columns: int = param(
        8, "Frames in a row of the atlas.", section="Atlas", affects="pack", low=1, high=32, soft=(1, 16), step=1, cost="memory"
    )
    rows: int = param(8, "Rows of frames.", section="Atlas", affects="pack", low=1, high=32, soft=(1, 16), step=1, cost="memory")
    width: int = param(
        2048,
        "Width of the atlas.",
        section="Atlas",
        unit="px",
        affects="pack",
        low=16,
        high=16384,
        soft=(256, 4096),
        step=64,
        cost="memory",
    )
    height: int = param(2048, "Height of the atlas.", section="Atlas", unit="px", affects="pack", low=16, high=16384, soft=(256, 4096), step=64,
                        cost="memory")  # fmt: skip
    padding: int = param(2, "Empty pixels round each frame, so that neighbours do not bleed in.", section="Atlas", unit="px", affects="pack", low=0, high=64,
                         soft=(0, 8), step=1)  # fmt: skip
    alpha_form: Literal["premultiplied", "straight"] = param(
        "premultiplied", "Colour already weighted by alpha (exact), or not.", section="Atlas", label="alpha", affects="pack"
    )
    second: Literal["none", "emission", "temperature"] = param(
        "temperature",
        "A second atlas: the light given off, or the heat to colour by.",
        section="Atlas",
        label="second atlas",
        affects="pack",
        cost="memory",
    )
    heading: float = param(-90.0, "Side from which frames are drawn; -90 looks along +y.", section="Atlas", unit="°", affects="pack", low=-360, high=360,
                           soft=(-180, 180), step=1)  # fmt: skip
    player: Player = Field(default_factory=Player)


class GasLayer(Heard):
    kind: Literal["gas"] = "gas"
    domain: DomainBox = Field(default_factory=DomainBox)
    sources: tuple[Source, ...] = ()
    colliders: tuple[Collider, ...] = ()
    fire: Fire = Field(default_factory=Fire)
    motion: Motion = Field(default_factory=Motion)
    fading: Fading = Field(default_factory=Fading)
    quality: Quality = Field(default_factory=Quality)
    look: Look = Field(default_factory=Look)
    flipbook: Flipbook = Field(default_factory=Flipbook)
