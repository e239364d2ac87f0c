"""What the sheet shows: which settings of what is selected, at which station."""

from __future__ import annotations

from dataclasses import replace

from pydantic import BaseModel

from tenka.app.kinds import view_of_force, view_of_kind
from tenka.app.state import WHOLE, State
from tenka.base.errors import TenkaError
from tenka.effect.catalogue import Param, params
from tenka.effect.document import get, param_at
from tenka.effect.model import Feed, Placed, Prop
from tenka.effect.placed import POSE
from tenka.scene.files import read
from tenka.scene.props import mesh_file

FIRST = (
    "shape",
    "file",
    "region",
    "of",
    "prop",
    "part",
    "position",
    "size",
    "region_size",
    "region_source",
    "curve",
    "thickness",
    "size_over",
    "turn",
    "tilt",
    "parent",
)
"""Of a placed thing, what is set first; all else follows as it is declared."""
Nodes = list[tuple[str, BaseModel]]


def clips_of(state: State, prop: Prop) -> list[str]:
    """Names of the animations that a prop's mesh file holds."""
    try:
        rig = read(mesh_file(prop, state.folder)).rig if prop.shape == "mesh" and prop.file else None
    except TenkaError:
        return []
    return [c.name for c in rig.clips] if rig is not None else []


def rows_of(state: State, node: BaseModel) -> list[tuple[str, Param]]:
    """Names and declarations of the settings of `node` that do something now."""
    found = [(n, p) for n, p in params(type(node)).items() if p.shown_when(node)]
    layer = state.layer
    if layer is not None and node is getattr(layer, "look", None):
        found = [(n, p) for n, p in found if n not in view_of_kind(layer).hidden]
    if isinstance(node, Feed):
        found = [(n, p) for n, p in found if n not in node.IDLE.get(node.shape, ())]
    if (
        getattr(node, "region", "") == "everywhere" and not view_of_force(node).placed
    ):  # it acts alike everywhere
        found = [(n, p) for n, p in found if n not in POSE]
    if isinstance(node, Placed):
        found.sort(key=lambda item: FIRST.index(item[0]) if item[0] in FIRST else len(FIRST))
    if isinstance(node, Prop) and not clips_of(state, node):
        found = [(n, p) for n, p in found if not n.startswith("clip")]
    return found


def nodes_for(state: State, station: str) -> Nodes:
    """Which settings the sheet shows at a station, as (path, node)."""
    effect, layer = state.effect, state.layer
    if station == "budget":
        return [(f"tiers.{state.tier.id}", state.tier)] if state.tier else []
    if station in ("pack", "proof"):
        delivery = state.delivery
        if delivery is None:
            return []
        book = f"deliveries.{delivery.id}.route"
        player = getattr(delivery.route, "player", None)
        turned: Nodes = [(f"{book}.player", player)] if player is not None else []
        return [(book, delivery.route), *turned] if station == "pack" else turned
    if station == "look":
        look = getattr(layer, "look", None)
        return [*([(f"layers.{layer.id}.look", look)] if layer and look else []), ("light", effect.light)]
    if state.selection == WHOLE:
        return [("", effect)]
    try:
        node = get(effect, state.selection)
    except TenkaError:
        return []
    if layer is not None and state.selection == f"layers.{layer.id}":
        parts = view_of_kind(layer).parts
        return [
            (f"{state.selection}.{part}" if part else state.selection, getattr(node, part) if part else node)
            for part in parts
        ]
    return [(state.selection, node)] if isinstance(node, BaseModel) and state.selection else []


def lever_rows(state: State) -> list[tuple[str, Param]]:
    """For each lever its value in the chosen tier, and the range that the game may move it in."""
    found = []
    assert state.tier is not None
    for lever in state.effect.levers:
        own = param_at(state.effect, lever.path)
        value = replace(
            own,
            label=lever.name,
            kind="number",
            low=lever.low,
            high=lever.high,
            soft=(lever.low, lever.high),
            help=f"{lever.name} in this tier.",
        )
        if lever.id in state.tier.levers:
            found.append((f"tiers.{state.tier.id}.levers.{lever.id}", value))
        for end, word in (("low", "at least"), ("high", "at most")):
            limit = replace(
                own,
                name=end,
                label=word,
                kind="number",
                default=getattr(lever, end),
                help=f"The game moves {lever.name} no further than this.",
            )
            found.append((f"levers.{lever.id}.{end}", limit))
    return found
