"""From an effect and its frames to what is drawn: layers that are heard and seen, with pieces among the
props."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tenka.cache.store import Frame, FrameStore
from tenka.effect.courses import still
from tenka.effect.model import Effect, GasLayer, Layer, LiquidLayer, PointLayer, WaterLayer, heard, timed
from tenka.look.drops import drops_of
from tenka.look.lamps import lamps_of
from tenka.look.liquids import Splash
from tenka.look.pieces import bodies_mesh, kept_pieces, lives_of
from tenka.look.render import Shot
from tenka.look.sprites import Book
from tenka.look.swarm import Swarm
from tenka.look.waters import Pool
from tenka.particles.state import Points
from tenka.run.driver import past_of
from tenka.run.frames import PointFrame
from tenka.run.liquids import LiquidFrame
from tenka.run.plans import Plan
from tenka.run.watering import WaterFrame
from tenka.scene.meshes import Mesh, joined
from tenka.scene.props import scene_mesh


def breaking(effect: Effect) -> dict[str, float]:
    """When each prop breaks into pieces, s; by id, of those that do."""
    gone: dict[str, float] = {}
    for layer in heard(timed(effect).layers):
        if layer.breaks:
            begins = [s.begins for s in heard(layer.sources) if not layer.assembled or s.shape == "pieces"]
            if begins:
                gone[layer.breaks] = min(min(begins), gone.get(layer.breaks, float("inf")))
    return gone


def swapped(effect: Effect, t: float) -> set[str]:
    """Props that have broken into pieces by `t`."""
    return {id for id, at in breaking(effect).items() if t >= at - 1e-6}


def set_of(effect: Effect, folder: Path | None, t: float) -> Mesh:
    """All visible props as one mesh, without those that have broken."""
    gone = swapped(effect, t)
    if gone:
        effect = effect.model_copy(
            update={
                "props": tuple(
                    p.model_copy(update={"hidden": True}) if p.id in gone else p for p in effect.props
                )
            }
        )
    return scene_mesh(effect, folder, t)


@dataclass(frozen=True)
class Moment:
    """What the drawing of one layer may look at besides its own frame."""

    effect: Effect
    frames: Mapping[str, Any]
    folder: Path | None
    t: float
    past: Mapping[str, tuple[tuple[float, Points], ...]]
    books: Mapping[str, Book]


def _show_gas(shot: Shot, layer: GasLayer, frame: Frame, moment: Moment) -> None:
    shot.gases.append((frame, still(layer.look, moment.t)))
    shot.names.append(layer.name)
    shot.stood_for.append(any(s.stands_for == layer.id and not s.hidden for s in heard(moment.effect.lights)))


def _show_points(shot: Shot, layer: PointLayer, frame: PointFrame, moment: Moment) -> None:
    t, look = moment.t, layer.look
    if look.form == "mesh":
        found = bodies_mesh(layer, frame.points, t, moment.effect, moment.folder)
        if found is not None:
            shot.bodies.append(found)
            shot.later.append(
                lambda dt: bodies_mesh(layer, frame.points.advanced(dt), t, moment.effect, moment.folder)
            )
        if look.ticks:
            unseen = look.model_copy(update={"form": "point", "opacity": 0.0})
            shot.swarms.append(Swarm(kept_pieces(layer, frame.points), t, unseen, lives_of(layer, t)))
    elif len(frame.points):
        gas = moment.frames.get(look.meets)
        shot.swarms.append(
            Swarm(
                kept_pieces(layer, frame.points),
                t,
                look,
                lives_of(layer, t),
                gas if isinstance(gas, Frame) else None,
                moment.past.get(layer.id, ()),
                moment.books.get(layer.id),
                name=layer.name,
            )
        )


def _show_water(shot: Shot, layer: WaterLayer, frame: WaterFrame, moment: Moment) -> None:
    shot.waters.append(Pool.of(layer, frame, moment.t))


def _show_liquid(shot: Shot, layer: LiquidLayer, frame: LiquidFrame, moment: Moment) -> None:
    skin = frame.skin
    if skin is not None:
        foam = frame.foam.astype(np.float32) / np.float32(255.0)
        shot.waters.append(Splash(skin, foam, frame.flow, frame.voxel, layer.look, moment.t))
    if len(frame.loose):
        shot.swarms.append(drops_of(frame.loose, layer.look, moment.t, layer.name))


SHOWN: dict[str, Callable[[Shot, Any, Any, Moment], None]] = {
    "gas": _show_gas,
    "particles": _show_points,
    "debris": _show_points,
    "water": _show_water,
    "liquid": _show_liquid,
}
"""How a frame of each kind of layer becomes part of a shot; a kind that is not here is not drawn."""


def seen(effect: Effect) -> list[Layer]:
    """The layers that are looked at: heard, and not hidden."""
    return [layer for layer in heard(effect.layers) if not layer.hidden]


def shot_of(
    effect: Effect,
    frames: Mapping[str, Any],
    folder: Path | None,
    t: float,
    mesh: Mesh | None = None,
    past: Mapping[str, tuple[tuple[float, Points], ...]] | None = None,
    books: Mapping[str, Book] | None = None,
) -> Shot:
    """What is drawn of an effect at `t`.

    Parameters
    ----------
    frames : of its layers, by id; those that are missing are not drawn
    mesh : the props, where they are at hand
    past : earlier particles of layers that are drawn as ribbons or tubes, the newest first
    books : the flipbooks that layers play; a layer without its own is drawn as soft sprites
    """
    shot = Shot([], mesh if mesh is not None else set_of(effect, folder, t))
    shot.lamps = lamps_of(effect, folder, t)
    moment = Moment(effect, frames, folder, t, past or {}, books or {})
    for layer in seen(effect):
        frame = frames.get(layer.id)
        if frame is not None and layer.kind in SHOWN:
            SHOWN[layer.kind](shot, layer, frame, moment)
    if shot.bodies:
        shot.still, shot.mesh = shot.mesh, joined([shot.mesh, *shot.bodies])
    return shot


def gathered(
    plans: Mapping[str, Plan], store: FrameStore, index: int
) -> tuple[dict[str, Any], dict[str, tuple[tuple[float, Points], ...]]]:
    """The stored frames of layers at an index, and the past of those that are drawn along it."""
    frames, past = {}, {}
    for id, plan in plans.items():
        found = plan.read(store, index, velocity=True)
        if found is not None:
            frames[id] = found
            past[id] = past_of(plan, store, index)
    return frames, past
