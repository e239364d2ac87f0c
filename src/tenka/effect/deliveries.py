"""Deliveries: by which route layers reach the game, with the route's own settings."""

from __future__ import annotations

from typing import Annotated, Any, TypeVar

import numpy as np
from pydantic import Field

from tenka.effect.catalogue import WHAT, Settings
from tenka.effect.placed import Id, ramp, ramp_at
from tenka.effect.routes import Route
from tenka.effect.routes.base import RouteSettings
from tenka.effect.routes.flipbook import Flipbook
from tenka.effect.routes.player import Player

R = TypeVar("R", bound=RouteSettings)


class Delivery(Settings):
    """How some layers reach the game. A layer may have several, and several layers may share one."""

    id: Id
    name: Annotated[str, Field(min_length=1, max_length=60)] = WHAT.param(
        "Delivery", "What the delivery is called.", affects="none"
    )
    of: tuple[Id, ...] = Field(min_length=1, max_length=64)
    route: Route = Field(default_factory=Flipbook)

    def by(self, route: type[R]) -> R:
        """Its route, where that is known to be one of a kind."""
        assert isinstance(self.route, route)
        return self.route


def within(delivery: Delivery, seconds: float) -> Delivery:
    """A delivery that ends with an effect of a length, where it went beyond it."""
    route = delivery.route
    if route.last <= seconds:
        return delivery
    changes = {"first": min(route.first, seconds), "last": seconds}
    return delivery.model_copy(update={"route": route.model_copy(update=changes)})


def looping(route: Flipbook) -> Flipbook:
    """A looped flipbook that one sprite plays round and round: as long as the sequence lasts, without fading,
    and each time where and as large as before."""
    steady = ramp((0.0, 1.0), (1.0, 1.0))
    changes = {
        "count": 1,  # several at one place would grow denser one by one
        "life": round(min(max(route.last - route.first, 0.05), 60.0), 4),
        "plays": max(1.0, round(route.player.plays)),
        "alpha": steady,
        "size_over": steady,
        "tint_over": ramp((0.0, (1.0, 1.0, 1.0)), (1.0, (1.0, 1.0, 1.0))),
        "frames_over": ramp((0.0, 0.0), (1.0, 1.0)),
        **dict.fromkeys(("life_spread", "size_spread", "rotation", "scatter", "speed", "gravity"), 0.0),
        "drift": (0.0, 0.0, 0.0),
        "any_start": False,
    }
    return route.model_copy(update={"loop": True, "player": route.player.model_copy(update=changes)})


def paced(route: RouteSettings, period: float | None) -> Any:
    """How a route is played once the length of its loop is known, s: a sprite of a looped flipbook that lives
    as long as the sequence lives as long as what of it is played round and round."""
    if not isinstance(route, Flipbook) or period is None or not route.loop:
        return getattr(route, "player", None)
    player = route.player
    if abs(player.life - (route.last - route.first)) > 1e-3:
        return player  # it was set by hand
    return player.model_copy(update={"life": round(period * player.plays, 6)})


def steadiness(player: Player) -> float:
    """How much of the light of all sprites together is left where they are faintest, as a share of where they
    are brightest, while one after another lives."""
    age = (np.arange(64)[:, None] / 64 + np.arange(player.count)) / player.count
    whole = ramp_at(player.alpha, age).sum(axis=1)
    return float(whole.min() / whole.max()) if whole.max() > 0 else 1.0
