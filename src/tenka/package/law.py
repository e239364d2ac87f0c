"""What particles do as a law, in a manifest: births, what drives them, what stops them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field as Items

from tenka.package.parts import Metres, Name, Part, Share, Size, Texture, Vec3

OVER = 64  # texels over a life
Cells = Annotated[int, Items(gt=0, le=512)]
Seconds = Annotated[float, Items(ge=0, le=1e5)]
Amount = Annotated[float, Items(ge=0, le=1e9)]


class Field(Part):
    """A grid of values over a box, moment by moment, as an OpenEXR picture of 16-bit floats: cell (x, y, z)
    of moment m is the texel in column z `shape[0]` + x of row m `shape[1]` + y, from the top."""

    file: Name
    shape: tuple[Cells, Cells, Cells]
    low: Vec3  # corner of the first cell, m
    cell: Size  # m
    times: tuple[Seconds, ...] = Items(min_length=1, max_length=4096)

    @property
    def texture(self) -> tuple[int, int]:
        return self.shape[0] * self.shape[2], self.shape[1] * len(self.times)


class Ground(Part):
    """What happens at height 0."""

    response: Literal["bounce", "stick", "die"]
    bounce: Share
    friction: float = Items(ge=0, le=10)


class Typical(Part):
    """How all are born on the whole, for an emitter that draws by chance.

    Attributes
    ----------
    rate : births a second from each time on, s
    speed, life, width : mean and deviation, m/s, s, m
    towards, within : where they set out, and the mean angle from it, degrees
    low, high : corners of where they are born, m
    """

    rate: tuple[tuple[Metres, Amount], ...] = Items(max_length=4096)
    speed: tuple[Amount, Amount]
    life: tuple[Amount, Amount]
    width: tuple[Amount, Amount]
    towards: Vec3
    within: float = Items(ge=0, le=180)
    low: Vec3
    high: Vec3


class Agreement(Part):
    """How the law's run is beside the simulation, over all moments that were compared.

    Attributes
    ----------
    births : particles in the table; alive : mean share of those alive in one that are alive in the other
    astray, most_astray : m, how far one is from itself on average, and 19 in 20 at most
    path : m, mean length of a whole way
    apart : largest gap between both shares of particles up to a place, along any axis (Kolmogorov-Smirnov)
    light : share by which light is off, root mean square
    """

    births: int = Items(ge=0, le=10_000_000)
    alive: Share
    astray: Amount
    most_astray: Amount
    path: Amount
    apart: Share
    light: Amount

    @property
    def words(self) -> str:
        """The same as a sentence without its stop."""
        return (
            f"The law's run beside the simulation: {100 * self.alive:.1f} % of the same particles alive, on "
            f"average {self.astray:.3g} m astray on ways of {self.path:.3g} m (19 in 20 below "
            f"{self.most_astray:.3g} m); light off by {100 * self.light:.1f} %"
        )


class Law(Part):
    """Particles as births and a law of motion, in place of moments.

    The texel n of `born` (place, m, and time of birth, s), `launch` (velocity, m/s, and life, s) and `own`
    (width, m; light, a factor; share of what drives it; seconds that it is there) is a particle; it begins at
    the later of its birth and the element's first time. With b (red, green, blue, m/s^2) and k (alpha, 1/s)
    of `push`,

        dv/dt = g + own (b - k v),   g = (0, 0, -gravity)

    `over` has rows of 64 texels: linear light over the share of its life, or over its age up to `light_span`
    seconds; with it in alpha the opacity over the share of its life; in the second row the width against its
    own over that, in red.
    """

    births: int = Items(ge=0, le=10_000_000)
    born: Texture
    launch: Texture
    own: Texture
    over: Texture
    light_span: Amount  # s; 0: light goes by the share of life
    columns: int = Items(gt=0, le=16384)
    rows: int = Items(gt=0, le=16384)  # of the tables of births
    step: Size  # s, of the law's run
    push: Field
    gravity: Metres  # m/s^2
    ground: Ground | None
    stops: Field | None  # distance to what stops them, m; bounce; friction; 0 bounces, 1 sticks, 2 ends
    shade: Field | None = None  # red, green, blue: by what factor light is another at a place
    thick: Amount  # share of its width at which one meets what stops it
    streak: Amount  # s of its way that one is drawn along
    stretch: Amount  # the same, for each m of its width
    typical: Typical
    agrees: Agreement

    @property
    def fields(self) -> list[Field]:
        """All that it has."""
        return [field for field in (self.push, self.stops, self.shade) if field is not None]
