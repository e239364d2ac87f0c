"""Births: how many, when, where, and with what. Nothing here depends on how time is cut into steps.

A source's births are numbered, and each number has its own moment: the inverse of the rate's integral, one
birth in each unit of it at a place that is hashed. All that differs from one to the next is hashed from the
number.
"""

from __future__ import annotations

import numpy as np
from scipy.spatial.transform import Rotation

from tenka.base.errors import BadInput
from tenka.base.randomness import stable_seed
from tenka.effect.courses import curve
from tenka.effect.model import ON_PROP, PointLayer, PointSource, ramp_at
from tenka.gas.settings import SAMPLES, Moment
from tenka.particles.bed import still_of
from tenka.particles.files import Cloud, cloud_at
from tenka.particles.pieces import kind_of, pieces_of, struck
from tenka.particles.schedule import SOURCE_SHIFT, Schedule
from tenka.particles.spots import (
    Context,
    _ball,
    _in_gas,
    _inside,
    _on_curve,
    _on_surface,
    _Spots,
    bell,
    chance,
    in_form,
)
from tenka.particles.state import ASLEEP, FREE, NEW, Points
from tenka.particles.throwing import directions, sizes_of
from tenka.particles.wet import from_water, hashed_id
from tenka.scene.distance import form_distance, gradient
from tenka.scene.poses import Pose, motion_between, pose_at


def _poses(
    layer: PointLayer, source: PointSource, ctx: Context, moment: np.ndarray
) -> tuple[list[Pose], list[Pose], np.ndarray, np.ndarray]:
    """Poses of the source (or of its prop) at the sample points round each moment: before, after, which pair,
    and how far between."""
    on = source.prop if source.shape in ON_PROP else ""
    if source.shape == "pieces" and layer.cut is not None:
        on = layer.cut.prop
    placed = next((p for p in ctx.props if p.id == on), source) if on else source
    step = 1.0 / (ctx.rate * SAMPLES)
    number = np.floor(moment / step + 1e-9).astype(int)
    used, which = np.unique(number, return_inverse=True)
    ends = {
        n: Moment(ctx.props, ctx.rate, n * step, 0.0).pose(placed, 0.0)
        for n in {*used.tolist(), *(used + 1).tolist()}
    }
    return (
        [ends[n] for n in used.tolist()],
        [ends[n + 1] for n in used.tolist()],
        which.reshape(-1),
        moment / step - number,
    )


def bodies_turn(seed: int, id: np.ndarray) -> np.ndarray:
    """Random turns, even over all of them, (n, 4) quaternions (Shoemake 1992)."""
    u, a, b = (chance(seed, id, "turn", k) for k in range(3))
    p, q = np.sqrt(1 - u), np.sqrt(u)
    return np.stack(
        [
            p * np.sin(2 * np.pi * a),
            p * np.cos(2 * np.pi * a),
            q * np.sin(2 * np.pi * b),
            q * np.cos(2 * np.pi * b),
        ],
        axis=1,
    )


def _parents(
    source: PointSource, ctx: Context, seed: int, start: float, end: float
) -> tuple[np.ndarray, np.ndarray, _Spots] | None:
    """Births at the particles of another layer: ids, moments, places."""
    if source.born_on == "life":
        paths = ctx.paths(source.of)
        if paths is None or not len(paths.id):
            return None
        middle = 0.5 * (start + end)
        per = max(0.0, float(curve(source.rate, np.array([middle - source.delay]))[0]))
        per *= max(0.0, float(curve(source.emission, np.array([middle - source.delay]))[0]))
        per *= ctx.clock.scale_at(middle)
        if per <= 0:
            return None
        since, until = np.maximum(paths.since, start), np.minimum(paths.until, end)
        awake = ~paths.asleep & (until > since)
        first = (
            np.floor(
                np.where(awake, (since - paths.born) * per - chance(seed, paths.id, "moment"), 0.0)
            ).astype(np.int64)
            + 1
        )
        last = (
            np.floor(
                np.where(awake, (until - paths.born) * per - chance(seed, paths.id, "moment"), 0.0)
            ).astype(np.int64)
            + 1
        )
        first = np.maximum(first, 0)
        count = np.maximum(last - first, 0)
        rows = np.repeat(np.arange(len(count)), count)
        number = first[rows] + np.arange(len(rows)) - np.repeat(np.cumsum(count) - count, count)
        moment = paths.born[rows] + (number + chance(seed, paths.id, "moment")[rows]) / per
        place, flow = paths.at(moment, rows)
        id, colour = paths.id[rows], paths.colour[rows]
    else:
        events = ctx.events(source.of, source.born_on).within(start, end)
        if not len(events.time) or not source.burst:
            return None
        rows = np.repeat(np.arange(len(events.time)), source.burst)
        number = np.tile(np.arange(source.burst, dtype=np.int64), len(events.time))
        if source.born_on == "bounce":  # a particle may bounce many times
            number = number + (np.round(events.time[rows] * 1e4).astype(np.int64) << 16)
        moment, place, flow = events.time[rows], events.place[rows], events.velocity[rows]
        id, colour = events.parent[rows], events.colour[rows]
    within = source.gives_at(moment)
    child = hashed_id(seed, id & 0xFFFFFFFF, id >> 32, number & 0x7FFFFFFF)
    up = np.linalg.norm(flow, axis=1, keepdims=True)
    outward = np.where(up > 1e-6, flow / np.maximum(up, 1e-6), [[0.0, 0.0, 1.0]])
    spots = _Spots(place[within], outward[within], flow[within], colour[within], True)
    return child[within], moment[within], spots


def born(layer: PointLayer, index: int, schedule: Schedule, ctx: Context, start: float, end: float) -> Points:
    """The particles of one source that are born after `start` and up to `end`, each as it is at its own
    moment.

    Raises
    ------
    BadInput
        A prop, a part or a file that is not there.
    """
    source, seed = schedule.source, schedule.seed
    found = np.ones(0, bool)
    if source.shape == "particles":
        parents = _parents(source, ctx, seed, start, end)
        if parents is None:
            return Points()
        id, moment, spots = parents
    elif source.shape == "water":
        torn = from_water(source, ctx.water(source.of), ctx, seed, start, end)
        if torn is None:
            return Points()
        id, moment, spots = torn
    elif source.shape == "pieces":
        id, moment, spots = _as_pieces(layer, source, ctx, start, end)
        source = _aimed_in_prop(layer, source, ctx)
    elif source.shape == "file":
        cloud = cloud_at(source, ctx.folder, 0)
        id, moment, spots = _from_file(source, cloud, schedule, start, end)
    else:
        id, moment = schedule.between(start, end)
        if not len(id):
            return Points()
        grown = np.maximum(curve(source.size_over, moment - source.delay), 1e-3)
        if source.shape == "curve":
            spots = _on_curve(source, seed, id, grown)
        elif source.shape in ON_PROP:
            prop = next((p for p in ctx.props if p.id == source.prop), None)
            if prop is None:
                raise BadInput(
                    f"names the prop '{source.prop}', which is not in the effect",
                    place=f"source {source.name}",
                )
            spots = (
                _on_surface(source, prop, ctx.folder, seed, id, moment, ctx.rate, grown)
                if source.shape == "surface"
                else _inside(source, prop, ctx.folder, seed, id, 0.5 * (start + end))
            )
        elif source.shape == "gas":
            spots, found = _in_gas(source, ctx.gas(source.of), seed, id, moment)
            if not found.any():
                return Points()
        else:
            leans_out = source.lean > 0 and source.leans_to != "axis"
            place = in_form(source.shape, source.size, seed, id)
            outward = _ball(seed, id) if source.shape == "point" else np.zeros_like(place)
            if leans_out and source.shape != "point":
                outward = gradient(
                    lambda p: form_distance(source.shape, np.asarray(source.size), p),
                    place,
                    0.01 * min(source.size),
                )
            far = np.maximum(np.linalg.norm(outward, axis=1, keepdims=True), 1e-9)
            spots = _Spots(place * grown[:, None], outward / far)
    if not len(id):
        return Points()
    return _made(layer, index, source, seed, ctx, id, moment, spots)


def _from_file(
    source: PointSource, cloud: Cloud, schedule: Schedule, start: float, end: float
) -> tuple[np.ndarray, np.ndarray, _Spots]:
    """A file's points are all born at the burst's time, over its length."""
    n = len(cloud.place)
    id = np.arange(n, dtype=np.int64)
    moment = (
        source.burst_at
        + source.delay
        + source.burst_over * (id + chance(schedule.seed, id, "moment")) / max(n, 1)
    )
    kept = (moment > start) & (moment <= end) & source.gives_at(moment)
    flow = cloud.velocity[kept] if cloud.velocity is not None else None
    place = cloud.place[kept]
    outward = np.tile([0.0, 0.0, 1.0], (len(place), 1))
    return (
        id[kept],
        moment[kept],
        _Spots(
            place,
            outward,
            flow,
            None if cloud.colour is None else cloud.colour[kept],
            width=None if cloud.width is None else cloud.width[kept],
        ),
    )


def _as_pieces(
    layer: PointLayer, source: PointSource, ctx: Context, start: float, end: float
) -> tuple[np.ndarray, np.ndarray, _Spots]:
    """The pieces that a prop was cut into, all at the burst's time, where they were in it."""
    own = pieces_of(layer, ctx.props, ctx.folder)
    blow = struck(layer, ctx.props)
    if blow is None or not layer.assembled:
        raise BadInput(
            "gives birth to the pieces of a prop, and the layer has none",
            "a layer of debris whose pieces are made as 'cut'",
            place=f"source {source.name}",
        )
    n = len(own) if start < source.begins <= end and source.gives_at(source.begins) else 0
    place = np.array([piece.place for piece in own[:n]]).reshape(-1, 3)
    away = place - np.asarray(blow.at)
    far = np.linalg.norm(away, axis=1)
    spots = _Spots(
        place,
        away / np.maximum(far, 1e-9)[:, None],
        width=np.array([piece.width for piece in own[:n]]),
        far=far,
    )
    return np.arange(n, dtype=np.int64), np.full(n, source.begins), spots


def _aimed_in_prop(layer: PointLayer, source: PointSource, ctx: Context) -> PointSource:
    """A source whose arrow is turned into the axes of the prop whose pieces it gives."""
    assert layer.cut is not None
    prop = next(p for p in ctx.props if p.id == layer.cut.prop)
    own, its = (pose_at(placed, ctx.props, source.begins).turn for placed in (source, prop))
    x, y, z = (float(v) for v in np.asarray(source.arrow, float) @ own.T @ its)
    return source.model_copy(update={"arrow": (x, y, z)})


def _made(
    layer: PointLayer,
    index: int,
    source: PointSource,
    seed: int,
    ctx: Context,
    id: np.ndarray,
    moment: np.ndarray,
    spots: _Spots,
) -> Points:
    n = len(id)
    own = moment - source.delay
    place, velocity = _set_off(layer, source, seed, ctx, id, moment, spots)
    if spots.width is not None:
        width = spots.width
    else:
        width = np.maximum(curve(source.width, own), 1e-4) * sizes_of(source, seed, id)
    life = np.maximum(1e-3, curve(source.life, own)) * (
        1 + source.life_spread * (2 * chance(seed, id, "life") - 1)
    )
    life = np.full(n, np.inf) if source.stays else ctx.clock.lasting(moment, life)
    colour = np.tile(np.asarray(source.colour), (n, 1))
    if source.coloured and spots.colour is not None:
        colour = spots.colour
    asleep = bool(getattr(getattr(layer, "bed", None), "rests", False))
    turn, spin, still = _tumbling(layer, ctx, seed, (np.int64(index) << SOURCE_SHIFT) + id, width, velocity)
    scale = ctx.clock.scale_at(moment)[:, None].astype(np.float32)
    spin = spin * scale if len(spin) else spin
    state = np.full(n, NEW | (ASLEEP if asleep else 0), np.uint8)
    if asleep:
        still = still_of((np.int64(index) << SOURCE_SHIFT) + id)
    if layer.body is not None and layer.body.upright and not spots.in_scene:
        before, _, which, _ = _poses(layer, source, ctx, moment)
        turns = Rotation.from_matrix(np.stack([pose.turn for pose in before]))
        turn = turns.as_quat(scalar_first=True).astype(np.float32)[which]
    if source.shape == "pieces":
        pose = _poses(layer, source, ctx, moment[:1])[0][0]
        x, y, z, w = Rotation.from_matrix(pose.turn).as_quat()
        turn = np.tile(np.array([w, x, y, z], np.float32), (n, 1))
        if spots.far is not None and source.burst_over > 0:  # what waits to let go sleeps
            over = ctx.clock.own_lasting(source.begins, source.burst_over)
            still = (-over * spots.far / max(float(spots.far.max()), 1e-9)).astype(np.float32)
            state |= np.where(still < 0, np.uint8(ASLEEP), np.uint8(0))
    return Points(
        (np.int64(index) << SOURCE_SHIFT) + id,
        moment.astype(np.float64),
        life.astype(np.float32),
        place.astype(np.float32),
        (np.zeros_like(velocity) if asleep else velocity).astype(np.float32) * scale,
        width.astype(np.float32),
        np.maximum(-280.0, curve(source.temperature, own)).astype(np.float32),
        np.full(n, index, np.int16),
        state,
        np.full(n, FREE, np.int8),
        colour.astype(np.float32),
        turn,
        spin,
        still,
    )


def _set_off(
    layer: PointLayer,
    source: PointSource,
    seed: int,
    ctx: Context,
    id: np.ndarray,
    moment: np.ndarray,
    spots: _Spots,
) -> tuple[np.ndarray, np.ndarray]:
    """Places in m and velocities in m/s by the layer's own clock at birth, (n, 3) each: with what a moving
    source hands on."""
    speed = np.maximum(0.0, curve(source.speed, moment - source.delay))
    if source.tail > 0:  # log-normal: its mean is the speed that is set
        speed = speed * np.exp(source.tail * bell(seed, id, "speed") - 0.5 * source.tail**2)
    if spots.far is not None and source.throw_reach > 0:
        speed = speed * np.exp(-((spots.far / source.throw_reach) ** 2))
    velocity = directions(source, seed, id, spots) * speed[:, None]
    place, inherited = spots.place, spots.flow
    if not spots.in_scene:
        before, after, which, f = _poses(layer, source, ctx, moment)
        turn = np.stack([p.turn for p in before])[which], np.stack([p.turn for p in after])[which]
        origin = np.stack([p.origin for p in before])[which], np.stack([p.origin for p in after])[which]
        turn_now = turn[0] + (turn[1] - turn[0]) * f[:, None, None]
        origin_now = origin[0] + (origin[1] - origin[0]) * f[:, None]
        place = np.einsum("nij,nj->ni", turn_now, spots.place) + origin_now
        velocity = np.einsum("nij,nj->ni", turn_now, velocity)
        moving = np.zeros((len(id), 3))
        step = 1.0 / (ctx.rate * SAMPLES)
        for k, (a, b) in enumerate(zip(before, after)):
            if not a.same_as(b):
                rows = which == k
                moving[rows] = motion_between(a, b, step).at(place[rows])
        inherited = moving if inherited is None else moving + np.einsum("nij,nj->ni", turn_now, inherited)
    if inherited is not None:
        inherited = inherited / ctx.clock.scale_at(moment)[:, None]
        pace = np.linalg.norm(inherited, axis=1)
        velocity += inherited * ramp_at(source.carried, pace / source.carried_speed)[:, None]
    return place, velocity


def _tumbling(
    layer: PointLayer, ctx: Context, seed: int, id: np.ndarray, width: np.ndarray, velocity: np.ndarray
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Turns (n, 4), spins (n, 3) in rad/s and rests (n,) of pieces; empty where nothing tumbles. Each turns
    about an axis of its own with a share of the energy of its flight."""
    body = layer.body
    if body is None:
        return np.zeros((0, 4), np.float32), np.zeros((0, 3), np.float32), np.zeros(0, np.float32)
    axis = _ball(seed + 77, id)
    axis /= np.maximum(np.linalg.norm(axis, axis=1, keepdims=True), 1e-9)
    own = pieces_of(layer, ctx.props, ctx.folder)
    inertia = np.stack([piece.inertia for piece in own])[kind_of(layer, id, len(own))]
    turn = bodies_turn(seed, id)
    axes = Rotation.from_quat(turn, scalar_first=True).inv().apply(axis)
    about = np.einsum("ni,nij,nj->n", axes, inertia, axes) * np.maximum(width, 1e-6) ** 2
    share = body.turning * 2.0 * chance(seed, id, "spin")  # the mean is what is set
    pace = np.linalg.norm(velocity, axis=1) * np.sqrt(share / np.maximum(about, 1e-12))
    if body.most_turns > 0:
        pace = np.minimum(pace, 2 * np.pi * body.most_turns)
    spin = (axis * pace[:, None]).astype(np.float32)
    return turn.astype(np.float32), spin, np.zeros(len(id), np.float32)


def source_seed(effect_seed: int, layer: PointLayer, source: PointSource) -> int:
    return stable_seed(effect_seed, layer.id, source.id)
