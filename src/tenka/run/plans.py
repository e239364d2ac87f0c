"""Plans: which frames a layer has, under which keys, with whom it is stepped and from whom it takes."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tenka.cache.store import FrameStore
from tenka.effect.model import Effect, Force, heard, timed
from tenka.gas.held import forces_of
from tenka.run.given import Links
from tenka.run.keys import first_frame, frame_keys
from tenka.run.kinds import Kind, kind_of
from tenka.run.links import feeders, groups, taking_part
from tenka.run.members import Group, Member


@dataclass
class Plan:
    """A layer's frames and their keys, for one state of the effect.

    Attributes
    ----------
    effect : with its cues put into delays
    preview : the plan whose motion a finer final run keeps
    mates : plans of all layers that are stepped together, this one among them; empty where it is alone
    feeds : plans of the layers outside that they take from
    stored_from : first frame that is stored: the run-up is too where another layer takes from it
    gives_events : whether births, bounces and deaths are noted for another layer
    document : the effect as it was given
    """

    effect: Effect
    layer: Any  # of whichever kind
    folder: Path | None
    final: bool = False
    keys: dict[int, str] = field(default_factory=dict)
    preview: Plan | None = None
    mates: dict[str, Plan] = field(default_factory=dict)
    feeds: dict[str, Plan] = field(default_factory=dict)
    stored_from: int = 0
    gives_events: bool = False
    document: Effect | None = None

    @classmethod
    def of(
        cls, effect: Effect, layer_id: str | None = None, folder: Path | None = None, final: bool = False
    ) -> Plan:
        """The plan of a layer, by default of the first; with a final run, where it has one."""
        return plans_of(effect, folder, final)[effect.layer(layer_id).id]

    @property
    def kind(self) -> Kind:
        return kind_of(self.layer)

    @property
    def forces(self) -> tuple[Force, ...]:
        """The effect's forces, as solvers take them."""
        return forces_of(self.effect, self.folder)

    @property
    def group(self) -> dict[str, Plan]:
        """Plans of all layers that are stepped together with this one, itself among them, in their order."""
        return self.mates or {self.layer.id: self}

    @property
    def first(self) -> int:
        return min(self.keys)

    def name(self, frame: int) -> str:
        return self.keys[frame] + (".final" if self.final else "")

    def state_name(self, frame: int) -> str:
        return self.keys[frame] + ".state"

    def stored(self, store: FrameStore) -> list[bool]:
        """For each shown frame whether it can be opened at once."""
        return [store.has(self.name(f)) for f in range(self.effect.frames)]

    def read(self, store: FrameStore, frame: int, velocity: bool = False) -> Any:
        """A stored frame, of whichever kind; None when it is not there. With `velocity` all of it."""
        return self.kind.read(store, self.name(frame), velocity) if frame in self.keys else None

    def member(self, links: Links) -> Member:
        """The layer's solver, bound to what it takes from."""
        return self.kind.member(self, links)

    def runner(self, store: FrameStore | None) -> Group:
        """Solvers of the whole group."""
        links = Links(store, self.effect.rate, dict(self.feeds))
        return Group([plan.member(links) for plan in self.group.values()], links)

    def solver(self) -> Any:
        """The solver of a layer that takes from no other."""
        return self.runner(None).members[self.layer.id].solver


def _waiting(effect: Effect) -> Effect:
    """The effect with nothing that feeds the layers that take no part: passed over, or another one is
    soloed."""
    playing = {layer.id for layer in taking_part(effect)}
    layers = tuple(
        layer if layer.id in playing else layer.model_copy(update={"sources": ()}) for layer in effect.layers
    )
    return effect if layers == effect.layers else effect.model_copy(update={"layers": layers})


def plans_of(effect: Effect, folder: Path | None, final: bool = False) -> dict[str, Plan]:
    """Plans of all layers, those that others take from first.

    In final runs those kinds are refined that can be; the others stay as they are in the preview, and so does
    what they feed them.
    """
    document, effect = effect, timed(_waiting(effect))
    by_id = {layer.id: layer for layer in effect.layers}
    taken = {id for layer in effect.layers for id in layer.needs()}
    watched = {
        s.of
        for layer in effect.layers
        for s in heard(layer.sources)
        if s.shape == "particles" and getattr(s, "born_on", "life") != "life"
    }
    plans: dict[str, Plan] = {}
    for members in groups(effect):
        members = tuple(sorted(members, key=lambda id: kind_of(by_id[id]).rank))
        layers = [by_id[id] for id in members]
        first = min(first_frame(layer, effect.rate) for layer in layers)
        if len(layers) > 1:
            layers = [layer.begun(-first / effect.rate) for layer in layers]
        feeds = {id: plans[id] for id in feeders(effect, members)}
        keys = frame_keys(effect, layers, folder, feeds={id: p.keys for id, p in feeds.items()})
        mates: dict[str, Plan] = {}
        for layer in layers:
            own = keys[layer.id]
            plans[layer.id] = Plan(
                effect,
                layer,
                folder,
                keys=own,
                mates=mates,
                feeds=feeds,
                stored_from=min(own) if layer.id in taken else 0,
                gives_events=layer.id in watched,
                document=document,
            )
        if len(layers) > 1:
            mates.update((layer.id, plans[layer.id]) for layer in layers)
    return {id: _final(p, plans) if final and p.kind.finer else p for id, p in plans.items()}


def _final(plan: Plan, plans: dict[str, Plan]) -> Plan:
    """The final run of a layer: finer where that is asked for, fed by the stored frames of the preview."""
    feeds = {id: plans[id] for id in sorted(plan.layer.needs()) if id in plans}
    assert plan.kind.finer is not None
    finer = plan.kind.finer(plan.layer)
    layer = plan.layer if finer == plan.layer else finer
    fine = layer is not plan.layer
    keys = plan.keys
    if fine or len(plan.group) > 1:
        own = {id: p.keys for id, p in feeds.items()}
        keys = frame_keys(plan.effect, [layer], plan.folder, final=fine, feeds=own)[layer.id]
    return Plan(
        plan.effect,
        layer,
        plan.folder,
        final=True,
        keys=keys,
        preview=plan if fine else None,
        feeds=feeds,
        document=plan.document,
    )
