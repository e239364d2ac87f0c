"""Names of the parts of a prop, typed or chosen from those that there are."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu, QWidget

from tenka.app import theme
from tenka.app.state import State
from tenka.base.errors import TenkaError
from tenka.effect.document import get
from tenka.scene.props import told_of


def parts_of(state: State, path: str) -> tuple[str, ...]:
    """The names that the prop of a source's setting has; none where there is no such mesh."""
    prop = next(
        (
            p
            for p in state.effect.props
            if p.id == getattr(get(state.effect, path.rpartition(".")[0]), "prop", "")
        ),
        None,
    )
    if prop is None or prop.shape != "mesh":
        return ()
    try:
        return told_of(prop, state.folder).parts
    except TenkaError:
        return ()


def part_menu(state: State, path: str, parent: QWidget) -> QMenu:
    """Every part with a tick where it is chosen; choosing one changes the setting."""
    menu = QMenu(parent)
    chosen = [n.strip() for n in str(get(state.effect, path)).split(",") if n.strip()]
    names = parts_of(state, path)

    def turn(name: str, on: bool) -> None:
        kept = [n for n in chosen if n != name] + ([name] if on else [])
        state.edit(path, ", ".join(n for n in names if n in kept), "Choose parts")

    for name in names:
        action = menu.addAction(name)
        assert action is not None
        action.setCheckable(True)
        action.setChecked(name in chosen)
        action.toggled.connect(lambda on, n=name: turn(n, on))
    if not names:
        action = menu.addAction(
            theme.icon("circle-question-mark"), "This prop's form has no parts with names"
        )
        assert action is not None
        action.setEnabled(False)
    return menu
