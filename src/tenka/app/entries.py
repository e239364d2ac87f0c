"""What the finder finds in a window: its actions, what can be added, every setting of the effect, effects."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from tenka.app.finder import Entry
from tenka.app.guide import headings, title_of
from tenka.app.sheet.nodes import nodes_for, rows_of
from tenka.app.state import WHOLE
from tenka.app.tempo.outline import lines_of
from tenka.demo import FOLDER

if TYPE_CHECKING:
    from tenka.app.window import Window

STATIONS = ("shape", "look", "pack", "proof", "budget")
PARTS = {"look": "Look", "pack": "Pack", "proof": "Proof", "budget": "Budget"}


def entries_of(window: Window) -> list[Entry]:
    """All that can be found now."""
    found = [Entry(a.name, "", a.call, a.words, a.keys, 0) for a in window.actions_.all]
    for group, name, tip, call in window.tray.entries:
        title = f"Add {name}" if group == "Add" else f"Begin with {name}"
        found.append(Entry(title, group, call, tip, "", 1))
    guide = [
        Entry(
            f"Guide: {heading}", title_of(page), partial(window.guide.open_at, page, heading), "help", "", 4
        )
        for page, heading in headings()
    ]
    return found + _things(window) + _settings(window) + _effects(window) + guide


def _things(window: Window) -> list[Entry]:
    """Everything that has a row in the tempo."""
    found = []
    for line in lines_of(window.state, {"forces", "lights", "cameras", "props", "trials"}):
        if line.path:
            run = partial(window.show_thing, line.path)
            found.append(Entry(f"Select {line.name}", line.path.split(".")[-2], run, "", "", 2))
    return found


def _settings(window: Window) -> list[Entry]:
    """Every setting that does something now, of every thing; it is shown where it stands."""
    state, found = window.state, []
    chosen, seen = state.selection, set()
    lines = lines_of(state, {"forces", "lights", "cameras", "props"})
    lines = [x for x in lines if x.path and not x.path.startswith("cues")]
    try:
        for path, name in ((WHOLE, state.effect.name), *((line.path, line.name) for line in lines)):
            state.selection = path  # as a view would see it; nothing is told
            layer = state.layer
            whole = layer is not None and path == f"layers.{layer.id}"
            for station in STATIONS if whole else STATIONS[:1]:
                where = f"{name} · {PARTS[station]}" if station in PARTS else name
                for node_path, node in nodes_for(state, station):
                    for setting, p in rows_of(state, node):
                        full = f"{node_path}.{setting}".lstrip(".")
                        if full in seen:  # Pack and Proof show the same player
                            continue
                        seen.add(full)
                        run = partial(window.show_setting, path, station, full)
                        words = f"{p.help} {p.name}"
                        found.append(Entry(p.label, f"{where} · {p.section}", run, words, "", 3))
    finally:
        state.selection = chosen
    return found


def _effects(window: Window) -> list[Entry]:
    """Recent effects, and the ones that come with the application."""
    files: list[tuple[Path, str]] = [(f, "recent") for f in window.recent()]
    files += [(f, "Kiln Quay") for f in sorted(FOLDER.glob("*.tenka"))]
    seen: set[Path] = set()
    found = []
    for file, where in files:
        if file not in seen:
            seen.add(file)
            title = f"Open {file.stem.replace('_', ' ')}"
            run = partial(window.leave_for, file)
            found.append(Entry(title, where, run, "demo example effect file", "", 2))
    return found


def first_focus(widget: QWidget) -> QWidget:
    """What takes the keyboard in a row."""
    if widget.focusPolicy().value:
        return widget
    return next((w for w in widget.findChildren(QWidget) if w.focusPolicy().value and w.isVisible()), widget)
