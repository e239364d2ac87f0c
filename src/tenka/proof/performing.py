"""How an effect answers to the game: triggered, triggered again while it is alive, stopped."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from tenka.package.manifest import Behaviour
from tenka.package.parts import Element
from tenka.proof.elements.base import Run
from tenka.scene.cameras import View

MOST_RUNS = 8  # at once; of more the oldest goes


@dataclass
class Performance:
    """When an effect was triggered and stopped.

    Attributes
    ----------
    elements : of its package, as they are played now
    """

    elements: tuple[Element, ...]
    behaviour: Behaviour = field(default_factory=Behaviour)
    runs: tuple[Run, ...] = (Run(),)
    out: bool = False

    @property
    def asleep(self) -> bool:
        """Whether its time stands still."""
        return self.out and self.behaviour.out_of_sight == "sleep"

    def looked_at(self, seen: bool) -> Literal["on", "asleep", "anew"]:
        """What its time does now that its bounds are seen, or not: it goes on, stands still, or starts
        anew."""
        was, self.out = self.out, not seen
        way = self.behaviour.out_of_sight
        if way == "sleep" and not seen:
            return "asleep"
        return "anew" if way == "restart" and seen and was else "on"

    def lives(self, run: Run, time: float) -> bool:
        """Whether anything of a run is there yet, or is still to come."""
        return time < run.ended and any(time < e.end(run.start, run.stopped) for e in self.elements)

    def alive(self, time: float) -> bool:
        """Whether any run is."""
        return any(self.lives(run, time) for run in self.runs)

    def trigger(self, time: float) -> bool:
        """Start it as the package says; False where it refuses."""
        again = self.behaviour.trigger_again
        kept = tuple(run for run in self.runs if self.lives(run, time))
        if again == "refuse" and kept:
            return False
        new = Run(time, number=self.runs[-1].number + 1)
        self.runs = (*kept, new)[-MOST_RUNS:] if again == "add" else (new,)
        return True

    def stop(self, time: float) -> None:
        """End all runs as the package says: at once, or without further births."""
        way = "ended" if self.behaviour.stop == "cut" else "stopped"
        self.runs = tuple(replace(run, **{way: min(getattr(run, way), time)}) for run in self.runs)

    def resume(self) -> None:
        """Let it be born again."""
        self.runs = tuple(replace(run, stopped=math.inf, ended=math.inf) for run in self.runs)


def in_sight(low: np.ndarray, high: np.ndarray, view: View) -> bool:
    """Whether a box may be in the picture: not all of its corners lie beyond the same side of it."""
    corners = np.array([[(low, high)[n >> k & 1][k] for k in range(3)] for n in range(8)])
    away = corners - view.eye
    deep, across, up = (away @ axis for axis in (view.forward, view.right, view.up))
    if view.orthographic:
        wide, tall = np.full(8, view.half_width), np.full(8, view.half_height)
    else:
        wide, tall = deep * view.half_width, deep * view.half_height
    beyond = (deep <= 0, across > wide, -across > wide, up > tall, -up > tall)
    return not any(side.all() for side in beyond)
