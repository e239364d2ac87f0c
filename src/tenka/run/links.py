"""Which layers take from which, and which must therefore be stepped together."""

from __future__ import annotations

from tenka.effect.model import Effect, Layer, heard


def taking_part(effect: Effect) -> list[Layer]:
    """The layers that are heard, and those that they take from."""
    by_id = {layer.id: layer for layer in effect.layers}
    found = {layer.id for layer in heard(effect.layers)}
    left = list(found)
    while left:
        for id in by_id[left.pop()].needs():
            if id in by_id and id not in found and not by_id[id].passed_over:
                found.add(id)
                left.append(id)
    return [layer for layer in effect.layers if layer.id in found]


def groups(effect: Effect) -> list[tuple[str, ...]]:
    """Layers that feed each other, each group after those that it takes from; within a group as in the
    document."""
    takes = {layer.id: layer.needs() for layer in effect.layers}
    reached: dict[str, set[str]] = {}  # all that a layer takes from, at first and at second hand, and itself
    for id in takes:
        reached[id], left = {id}, [id]
        while left:
            new = (takes[left.pop()] & takes.keys()) - reached[id]
            reached[id] |= new
            left.extend(new)
    found = dict.fromkeys(tuple(o for o in takes if o in reached[id] and id in reached[o]) for id in takes)
    return sorted(found, key=lambda members: len(reached[members[0]]))  # who takes from another reaches more


def feeders(effect: Effect, members: tuple[str, ...]) -> list[str]:
    """Ids of the layers outside a group that it takes from, in the order of the document."""
    wanted = {id for layer in effect.layers if layer.id in members for id in layer.needs()} - set(members)
    return [layer.id for layer in effect.layers if layer.id in wanted]
