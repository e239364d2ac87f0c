"""Deliveries: by which route layers reach the game, with the route's own settings."""

from __future__ import annotations

from typing import Annotated, TypeVar

from pydantic import Field

from tenka.effect.catalogue import WHAT, Settings
from tenka.effect.placed import Id
from tenka.effect.routes import Route
from tenka.effect.routes.base import RouteSettings
from tenka.effect.routes.flipbook import Flipbook

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
