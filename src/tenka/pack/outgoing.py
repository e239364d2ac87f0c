"""A layer's points on their way out: its frames in turn, without outliers, and every value of each."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.model import AMBIENT_KELVIN, PointLayer
from tenka.look.pieces import about_axes, kept_pieces, lives_of
from tenka.look.swarm import colours_of, life_of, over, turned
from tenka.particles.files import Column
from tenka.particles.pieces import Piece
from tenka.particles.state import ASLEEP, STUCK, Points
from tenka.run.driver import stored_frames
from tenka.run.plans import Plan

SPIN_OVER = 1e-3  # s over which a turn that only its age decides is measured


@dataclass(frozen=True)
class Written:
    """What an export wrote."""

    files: tuple[Path, ...]
    frames: int
    points: int
    culled: int


def columns_of(layer: PointLayer, p: Points, t: float) -> list[Column]:
    """All values of each particle, with units."""
    f32 = np.float32
    life = life_of(p, t, lives_of(layer, t)) if len(p) else np.zeros(0, f32)
    colour = (
        colours_of(layer.look, p, t, life, None)
        if len(p) and not layer.look.colour_by.startswith("gas")
        else p.colour
    )
    return [
        Column("id", "", p.id),
        Column("source", "", p.source),
        Column("age", "s", p.age(t)),
        Column("life", "s", p.life),
        *(Column(a, "m", p.place[:, k]) for k, a in enumerate("xyz")),
        *(Column(f"v{a}", "m/s", p.velocity[:, k]) for k, a in enumerate("xyz")),
        Column("speed", "m/s", np.linalg.norm(p.velocity, axis=1).astype(f32)),
        Column("width", "m", (p.width * layer.look.scale * over(layer.look.size_over, life)).astype(f32)),
        Column("opacity", "", (layer.look.opacity * over(layer.look.opacity_over, life)).astype(f32)),
        Column("temperature", "K", p.heat + f32(AMBIENT_KELVIN)),
        *(
            Column(n, "", np.clip(colour[:, k], 0, None).astype(f32))
            for k, n in enumerate(("red", "green", "blue"))
        ),
        Column("asleep", "", ((p.state & ASLEEP) > 0).astype(np.int32)),
        Column("stuck", "", ((p.state & STUCK) > 0).astype(np.int32)),
    ]


@dataclass(frozen=True)
class Axes:
    """In what a sequence of points is written; USD and GLB say their own.

    Attributes
    ----------
    unit : m or cm
    up : the axis that points up, z or y; with y up, what was -y becomes z
    """

    unit: str = "m"
    up: str = "z"

    def of(self, columns: list[Column]) -> list[Column]:
        """The columns in these units and axes."""
        by = np.float32(UNITS_PER_M[self.unit])
        found = {c.name: c for c in columns}
        if self.up == "y":
            for a in ("", "v"):
                y, z = found[f"{a}y"], found[f"{a}z"]
                found[f"{a}y"] = Column(y.name, y.unit, z.values)
                found[f"{a}z"] = Column(z.name, z.unit, -y.values)
        for name, c in found.items():
            if c.unit in ("m", "m/s") and self.unit != "m":
                found[name] = Column(c.name, c.unit.replace("m", self.unit, 1), c.values * by)
        return list(found.values())


UNITS_PER_M = {"m": 1.0, "cm": 100.0}


@dataclass(frozen=True)
class Outgoing:
    """What is written: a layer's frames, one in memory at a time.

    Attributes
    ----------
    frames : indices of the effect's frames
    dropped : ids that are left out
    shapes : the meshes that it is drawn as, or None
    """

    plan: Plan
    store: FrameStore
    progress: Progress
    layer: PointLayer
    frames: range
    dropped: np.ndarray
    shapes: tuple[Piece, ...] | None

    @property
    def rate(self) -> float:
        return float(self.plan.effect.rate)

    def points(self) -> Iterator[tuple[float, Points]]:
        """Time and points of each frame; a frame that was damaged is simulated again."""
        for _, frame in stored_frames(self.plan, self.store, self.progress, self.frames):
            p = kept_pieces(self.layer, frame.points)
            yield frame.time, p.picked(~np.isin(p.id, self.dropped)) if len(self.dropped) and len(p) else p
            self.progress.step()

    def spin_of(self, p: Points, t: float) -> np.ndarray:
        """How fast each turns, (n, 3) rad/s: that of its body, or of the turn that its age gives it."""
        if p.rigid:
            return p.spin.astype(float)
        axis = about_axes(p.id, np.full(len(p), np.pi))[:, 1:]
        gain = turned(self.layer.look, p, t + SPIN_OVER).astype(float) - turned(self.layer.look, p, t)
        found: np.ndarray = axis * (gain / SPIN_OVER)[:, None]
        return found
