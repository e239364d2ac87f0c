"""What every family of layers has, and what it must say of itself: the rest of the program asks a layer, and
never which class it is."""

from __future__ import annotations

from typing import Any, ClassVar, NamedTuple, Self

from tenka.base.errors import BadInput
from tenka.effect.catalogue import MOTION, Section
from tenka.effect.courses import Value
from tenka.effect.placed import FROM_LAYER, ON_PROP, Feed, Heard, Meeting, Vec3, heard
from tenka.effect.routes import Route
from tenka.effect.routes.flipbook import Flipbook

FIELD, POINTS, SURFACE, POURED = "field", "points", "surface", "poured"
"""What layers hand to others: fields on a grid (density, velocity), points that move, a water's surface, what
falls into that."""
HANDED = {FIELD: "a gas", POINTS: "particles", SURFACE: "a water", POURED: "a liquid"}
"""The same, in words."""
HANDED_TO = {"gas": FIELD, "particles": POINTS, "water": SURFACE, "liquid": POURED}
"""What a source of a shape that is born from a layer takes from it."""


class Link(NamedTuple):
    """A layer that another one names.

    Attributes
    ----------
    of : its id
    hands : what it must hand over, FIELD, POINTS, SURFACE or POURED
    who : whose setting it is, in words
    simulated : whether the simulation takes from it, or only the picture
    """

    of: str
    hands: str
    who: str
    simulated: bool = True


def run_up_in(section: Section, seconds: float = 0.0, more: str = "") -> Any:
    """Declare how long is simulated before what is shown."""
    return section.number(
        seconds,
        "s",
        0,
        60,
        f"Seconds simulated before the first shown frame{more}.",
        soft=(0, 6),
        step=0.1,
        label="run-up",
    )


class LayerBase(Heard):
    """A layer of any kind.

    A family says in its class what it hands to others and in what words it is spoken of; its solver, its
    frames and its figures are registered in `tenka.run.kinds`, its picture in `tenka.look.kinds`, its place
    in the window in `tenka.app.kinds`.
    """

    HANDS: ClassVar[str] = POINTS
    POURS: ClassVar[bool] = False  # whether it also hands over what falls into a water
    UNITS: ClassVar[str] = "particles"
    SOURCE: ClassVar[type[Feed] | None] = None
    COLLIDER: ClassVar[type[Meeting] | None] = None
    MAPS: ClassVar[tuple[str, ...]] = ()  # what its flipbooks can hold besides: see `tenka.pack.lightmaps`
    GUIDE: ClassVar[str] = "gas"  # page of the guide that tells of it
    BOX: ClassVar[str] = ""  # name of the part that is the box in which it is simulated

    kind: str
    sources: tuple[Any, ...] = ()
    colliders: tuple[Any, ...] = ()
    time_scale: Value = MOTION.moving(
        1.0,
        "",
        0.01,
        20,
        "How fast time passes in this layer: 0.5 is slow motion. Props and courses keep the effect's time.",
        soft=(0.1, 2),
        step=0.05,
    )

    @classmethod
    def hands_over(cls, what: str) -> bool:
        """Whether it hands over what a link asks for."""
        return what == cls.HANDS or (cls.POURS and what == POURED)

    def new_source(self, id: str, place: tuple[float, float, float]) -> Feed:
        """A further source of the family's kind, not yet among its own, at a place in m.

        Raises
        ------
        BadInput
            The family takes no sources.
        """
        if self.SOURCE is None:
            raise BadInput(f"{self.name} is of a kind that takes no sources")
        return self.SOURCE(id=id, name="Source", position=place)

    @property
    def widest(self) -> float:
        """Width of the largest that its sources give birth to, m; 0 where it has none that is known."""
        return 0.0

    def first_route(self) -> Route:
        """The route by which a new layer of the family is delivered."""
        return Flipbook()

    def links(self) -> list[Link]:
        """The layers that this one names, of the sources that are heard or not."""
        return [
            Link(s.of, HANDED_TO[s.shape], f"source {s.id}") for s in self.sources if s.shape in FROM_LAYER
        ]

    def needs(self) -> set[str]:
        """Ids of the layers that it takes from while it is simulated."""
        silent = {f"source {s.id}" for s in self.sources} - {f"source {s.id}" for s in heard(self.sources)}
        return {link.of for link in self.links() if link.simulated and link.who not in silent}

    def without_link(self, id: str) -> Self:
        """The layer without what takes from another one."""
        return self.model_copy(
            update={"sources": tuple(s for s in self.sources if not (s.of == id and s.shape in FROM_LAYER))}
        )

    def alone(self, props: set[str]) -> Self:
        """The layer without what belongs to the effect that it comes from; `props` are those that are
        there."""
        return self

    def props_used(self) -> set[str]:
        """Ids of the props that its simulation sees: those that give, and those that stop it."""
        return {s.prop for s in heard(self.sources) if s.shape in ON_PROP} | {
            c.prop for c in heard(self.colliders) if c.by_prop
        }

    def more_for_key(self) -> dict[str, Any]:
        """What decides on the simulation and is no declared setting."""
        return {}

    @property
    def edits(self) -> tuple[Any, ...]:
        """What was changed by hand of what is simulated, and simulates nothing again."""
        return ()

    @property
    def run_up_seconds(self) -> float:
        """Seconds simulated before the first shown frame."""
        box: Any = getattr(self, self.BOX, None)
        return 0.0 if box is None else float(box.run_up)

    def begun(self, run_up: float) -> Self:
        """The layer with another run-up, that of the group in which it is stepped."""
        box: Any = getattr(self, self.BOX, None)
        if box is None:
            return self
        return self.model_copy(update={self.BOX: box.model_copy(update={"run_up": run_up})})

    @property
    def room(self) -> tuple[Vec3, Vec3] | None:
        """Low corner and extent of the box in which it is simulated, m, where it has one."""
        box: Any = getattr(self, self.BOX, None)
        return None if box is None else (box.origin, box.size)

    @property
    def drawn_past(self) -> float:
        """Seconds of its past along which it is drawn."""
        return 0.0

    @property
    def plays(self) -> str:
        """The package whose flipbook it is drawn with, if any."""
        return ""

    @property
    def breaks(self) -> str:
        """Id of the prop that it replaces from its first birth on, if any."""
        return ""

    @property
    def assembled(self) -> bool:
        """Whether what it breaks is cut into its pieces, which stand where it stood."""
        return False

    def looks_at(self) -> set[str]:
        """Ids of the layers whose velocity its picture reads."""
        return set()

    @property
    def flames(self) -> bool:
        """Whether it burns with a light that its heat does not tell of."""
        return False

    @property
    def glows(self) -> bool:
        """Whether it may give off light, by its settings."""
        return False
