"""A value of its own for the present tier: given and taken back from a row's menu."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu

from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.effect.document import with_own, without_own


def add_own(menu: QMenu, state: State, path: str, label: str) -> None:
    """The entries of a setting that may differ from tier to tier."""
    tier = state.tier
    assert tier is not None
    has = path in tier.values
    action = menu.addAction(
        f"The same on {tier.name} as elsewhere" if has else f"Its own value on {tier.name}"
    )
    assert action is not None
    action.triggered.connect(lambda: turn_own(state, path, label))
    others = [t.name for t in state.effect.tiers if path in t.values and t.id != tier.id]
    if others:
        told = menu.addAction(f"Has its own on {', '.join(others)}")
        assert told is not None
        told.setEnabled(False)


def turn_own(state: State, path: str, label: str) -> None:
    """Give the present tier the present value as its own, or take its own back."""
    tier = state.tier
    if tier is None:
        return
    try:
        if path in tier.values:
            state.apply(without_own(state.effect, tier.id, path), f"{label} as elsewhere on {tier.name}")
        else:
            found = with_own(state.effect, tier.id, path, state.value(path))
            state.apply(found, f"Own {label} on {tier.name}")
    except TenkaError as error:
        state.refuse(error)
