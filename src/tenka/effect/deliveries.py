"""Deliveries: by which route layers reach the game, with the route's own settings."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from tenka.effect.catalogue import WHAT, Settings
from tenka.effect.flipbook import Flipbook
from tenka.effect.placed import Id


class Delivery(Settings):
    """How some layers reach the game. A layer may have several, and several layers may share one."""

    id: Id
    name: Annotated[str, Field(min_length=1, max_length=60)] = WHAT.param(
        "Delivery", "What the delivery is called.", affects="none"
    )
    of: tuple[Id, ...] = Field(min_length=1, max_length=64)
    route: Flipbook = Field(default_factory=Flipbook)
