"""What all routes have in common: by which way layers reach the game."""

from __future__ import annotations

from typing import Any, ClassVar, Self

from tenka.effect.catalogue import BAKE, DISTANCE, PLAYER, Section, Settings

EVERYWHERE = 10_000.0  # m: a distance that nothing is beyond


def first_moment(section: Section, when: tuple[Any, ...] = ()) -> Any:
    """Declare when what is delivered begins."""
    return section.number(
        0.0,
        "s",
        0,
        600,
        "Time of the first packed frame.",
        soft=(0, 8),
        step=0.02,
        label="first moment",
        when=when,
    )


def last_moment(section: Section, when: tuple[Any, ...] = ()) -> Any:
    """Declare when what is delivered ends."""
    return section.number(
        4.0,
        "s",
        0,
        600,
        "Time of the last packed frame.",
        soft=(0, 8),
        step=0.02,
        label="last moment",
        when=when,
    )


def one_in(section: Section) -> Any:
    """Declare how many of the effect's frames are written."""
    return section.number(
        1,
        "",
        1,
        60,
        "One frame in so many is written; what plays it blends between two.",
        soft=(1, 8),
        step=1,
        label="one frame in",
        cost="memory",
    )


class RouteSettings(Settings):
    """Settings of a route.

    Attributes
    ----------
    TITLE : what the window calls it
    HINT : one line on what it gives the game
    TAKES : kinds of layers that it can deliver
    SHARED : whether several layers may go into one
    SHOWS : whether the layer itself is seen by it
    TOGETHER : settings that are changed by the same factor when it is to take less
    ASIDE : what a game cannot do without a setting, of those that its pictures do not show
    """

    TITLE: ClassVar[str]
    HINT: ClassVar[str]
    TAKES: ClassVar[tuple[str, ...]]
    SHARED: ClassVar[bool] = False
    SHOWS: ClassVar[bool] = True
    TOGETHER: ClassVar[tuple[tuple[str, ...], ...]] = ()
    ASIDE: ClassVar[dict[str, str]] = {}
    kind: str = ""
    first: float = 0.0
    last: float = 4.0
    seen_from: float = DISTANCE.number(
        0.0,
        "m",
        0,
        EVERYWHERE,
        "It is shown from this distance on; nearer, another delivery of the same layers may be.",
        soft=(0, 100),
        step=0.5,
        cost="fill",
        label="shown from",
    )
    seen_to: float = DISTANCE.number(
        EVERYWHERE,
        "m",
        0,
        EVERYWHERE,
        "It is shown up to this distance; beyond, another delivery may be, or nothing.",
        soft=(5, 300),
        step=0.5,
        cost="fill",
        label="shown up to",
        named=((EVERYWHERE, "everywhere"),),
    )

    def as_written(self) -> Self:
        """The same with all as it is anyway that only the game needs: how it is played, and from where."""
        usual, played = type(self)(), ("player", "seen_from", "seen_to")
        return self.model_copy(update={name: getattr(usual, name) for name in played if hasattr(usual, name)})

    @property
    def told_by_drawing(self) -> str:
        """What of its cost is known only when its frames have been drawn, as words; nothing where all is."""
        return ""

    def fits(self, layer: Any) -> str:
        """Why it cannot deliver a layer, as the end of a sentence; nothing where it can."""
        *most, last = self.TAKES
        return (
            "" if layer.kind in self.TAKES else f"takes {', '.join(most)}{' and ' * bool(most)}{last} alone"
        )


class Baked(RouteSettings):
    """What is written row by row, one for a moment."""

    first: float = first_moment(BAKE)
    last: float = last_moment(BAKE)
    every: int = one_in(BAKE)


class RowPlayer(Settings):
    """What the game may turn of what it draws from rows."""

    width: float = PLAYER.number(
        1.0, "", 0, 20, "Size against what was packed.", soft=(0.3, 3), cost="fill", label="size played"
    )
    brightness: float = PLAYER.number(
        1.0, "", 0, 50, "Light against what was packed.", soft=(0, 3), label="brightness played"
    )
    opacity: float = PLAYER.number(1.0, "", 0, 1, "Opacity against what was packed.", label="opacity played")
