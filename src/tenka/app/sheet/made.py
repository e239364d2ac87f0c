"""What the sheet shows of one selection at one station: sections of rows, made a row at a time."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from pydantic import BaseModel
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tenka.app.kinds import view_of_kind
from tenka.app.scroll import holder_of
from tenka.app.sheet.boxfoot import BoxFoot
from tenka.app.sheet.gutter import Gutter
from tenka.app.sheet.header import Header
from tenka.app.sheet.heapfoot import HeapFoot
from tenka.app.sheet.lookfoot import LookFoot
from tenka.app.sheet.meshfoot import MeshFoot
from tenka.app.sheet.nodes import lever_rows, nodes_for, rows_of
from tenka.app.sheet.propfoot import PropFoot
from tenka.app.sheet.row import Row
from tenka.app.sheet.trialfoot import TrialFoot
from tenka.app.sheet.waterfoot import WaterFoot
from tenka.app.state import State
from tenka.app.wrapped import Wrapped
from tenka.effect.catalogue import SECTIONS, Param
from tenka.effect.model import Prop, Trial

if TYPE_CHECKING:
    from tenka.app.sheet.sheet import Sheet


@dataclass
class Part:
    """A section as it is shown: its head, its rows, and what stands under them."""

    head: Header
    rows: list[Row] = field(default_factory=list)
    feet: list[QWidget] = field(default_factory=list)


def _add(column: QVBoxLayout, part: QWidget) -> None:
    """Add to what is made, which may be shown already."""
    column.addWidget(part)
    holder = column.parentWidget()
    if holder is not None and holder.isVisible():
        part.show()


@dataclass
class Made:
    """What the sheet shows of one selection at one station; a few are kept, so that going back to one is
    quick.

    Attributes
    ----------
    point_foot : what stands above the rows of a layer
    feet : what stands under sections, by what it is about
    more : makes what is still missing, a row at a time
    """

    body: QWidget
    rows: list[Row]
    parts: list[Part]
    point_foot: Any
    feet: dict[str, QWidget]
    look_foot: LookFoot | None = None
    more: Iterator[None] | None = None


def show_part(part: QWidget, on: bool) -> None:
    """Show a part of the sheet or hide it, when that is a change: what is new is shown with the rest."""
    if on == bool(part.property("away")):
        part.setProperty("away", not on)
        part.setVisible(on)


def begin(sheet: Sheet) -> Made:
    """What is selected now, still without rows."""
    body = QWidget(holder_of(sheet.area))
    body.setObjectName("bench")
    column = QVBoxLayout(body)
    column.setContentsMargins(0, 0, 0, 12)
    column.setSpacing(0)
    layer = sheet.state.layer
    foot = view_of_kind(layer).foot if layer is not None else None
    made = Made(body, [], [], None, {})
    if sheet.station == "shape" and foot and layer and sheet.state.selection == f"layers.{layer.id}":
        made.point_foot = foot(sheet.state, layer)
        column.addWidget(made.point_foot)
    if sheet.station == "look" and layer is not None and hasattr(layer, "look"):
        made.look_foot = LookFoot(sheet.state, layer)
        column.addWidget(made.look_foot)
    made.more = _build(sheet, made, column)
    return made


def _build(sheet: Sheet, made: Made, column: QVBoxLayout) -> Iterator[None]:
    """Make the rows, one at a time."""
    grouped: dict[str, list[tuple[str, Param, BaseModel]]] = {}
    for path, node in nodes_for(sheet.state, sheet.station):
        for name, p in rows_of(sheet.state, node):
            grouped.setdefault(p.section, []).append((f"{path}.{name}".lstrip("."), p, node))
    for section in SECTIONS:
        if section not in grouped:
            continue
        items = grouped[section]
        part = _part(sheet, made, column, section, {p.cost for _, p, _ in items if p.cost})
        for path, p, _ in items:
            _row(sheet, made, column, part, path, p)
            yield
        for about, foot in _feet_of(sheet, section, [node for _, _, node in items]):
            if about:
                made.feet[about] = foot
            part.feet.append(foot)
            _add(column, foot)
            yield
    if sheet.station == "budget" and sheet.state.tier is not None and sheet.state.effect.levers:
        part = _part(sheet, made, column, "Levers", set())
        for path, p in lever_rows(sheet.state):
            _row(sheet, made, column, part, path, p)
            yield
    if not grouped:
        empty = Wrapped(
            "Nothing is selected.\nClick a row of the tempo, or take a starting point from the tray."
        )
        empty.setProperty("quiet", True)
        empty.setContentsMargins(12, 8, 12, 8)
        column.addWidget(empty)
    column.addStretch(1)


BOX_FEET: dict[str, Callable[[State, Any], QWidget]] = {"gas": BoxFoot, "water": WaterFoot}
"""What stands under the rows of the box in which a family of layers is simulated."""


def _feet_of(sheet: Sheet, section: str, nodes: list[BaseModel]) -> Iterator[tuple[str, QWidget]]:
    """What stands under a section, and what it is about where that is asked for."""
    first = nodes[0]
    layer = sheet.state.layer
    box = getattr(layer, layer.BOX, None) if layer is not None else None
    foot = BOX_FEET.get(layer.kind) if layer is not None else None
    if section == "Where" and foot is not None and any(type(n) is type(box) for n in nodes):
        yield "box", foot(sheet.state, layer)
    if isinstance(first, Trial):
        yield "", TrialFoot(sheet.state, first.id)
    if isinstance(first, Prop):
        if section == "Where":
            yield "", PropFoot(sheet.state, first.id)
        if section == "Copies":
            yield "", HeapFoot(sheet.state, first.id)
        if section == "Mesh":
            yield "mesh", MeshFoot(sheet.state, first.id)


def _part(sheet: Sheet, made: Made, column: QVBoxLayout, section: str, costs: set[str]) -> Part:
    """A new section with its head."""
    head = Header(section, section in sheet.folded)
    head.toggled.connect(sheet.fold)
    if costs:
        head.line.addWidget(Gutter(sheet.state, section, costs))
    _add(column, head)
    part = Part(head)
    made.parts.append(part)
    return part


def _row(sheet: Sheet, made: Made, column: QVBoxLayout, part: Part, path: str, p: Param) -> None:
    row = Row(sheet.state, path, p)
    row.copied.connect(sheet.value_copied)
    row.pasted.connect(sheet.value_pasted)
    made.rows.append(row)
    part.rows.append(row)
    _add(column, row)
