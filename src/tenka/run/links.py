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
    """Layers that feed each other, each group after those that it takes from (Tarjan 1972); particles before
    gas within a group."""
    by_id = {layer.id: layer for layer in effect.layers}
    index: dict[str, int] = {}
    low: dict[str, int] = {}
    stack: list[str] = []
    found: list[tuple[str, ...]] = []

    def visit(id: str) -> None:
        index[id] = low[id] = len(index)
        stack.append(id)
        for other in sorted(by_id[id].needs()):
            if other not in by_id:
                continue
            if other not in index:
                visit(other)
                low[id] = min(low[id], low[other])
            elif other in stack:
                low[id] = min(low[id], index[other])
        if low[id] == index[id]:
            members = []
            while True:
                members.append(stack.pop())
                if members[-1] == id:
                    break
            order = [layer.id for layer in effect.layers if layer.id in members]
            found.append(tuple(order))

    for layer in effect.layers:
        if layer.id not in index:
            visit(layer.id)
    return found


def feeders(effect: Effect, members: tuple[str, ...]) -> list[str]:
    """Ids of the layers outside a group that it takes from, in the order of the document."""
    wanted = {id for layer in effect.layers if layer.id in members for id in layer.needs()} - set(members)
    return [layer.id for layer in effect.layers if layer.id in wanted]
