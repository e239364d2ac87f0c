"""Which column of a row each of many things has that come and go."""

from __future__ import annotations

import heapq
from dataclasses import dataclass, field


@dataclass
class Columns:
    """Which column each particle has: it keeps it as long as it lives, and the column stays empty for a
    moment before another takes it."""

    of: dict[int, int] = field(default_factory=dict)
    count: int = 0

    @staticmethod
    def given(lives: dict[int, tuple[int, int]]) -> Columns:
        """Columns for particles that are there from a moment to another; as few as that takes."""
        free: list[tuple[int, int]] = []  # from which moment on, and which
        found = Columns()
        for id, (first, last) in sorted(lives.items(), key=lambda item: (item[1][0], item[0])):
            if free and free[0][0] <= first:
                _, column = heapq.heappop(free)
            else:
                column, found.count = found.count, found.count + 1
            found.of[id] = column
            heapq.heappush(free, (last + 2, column))
        return found
