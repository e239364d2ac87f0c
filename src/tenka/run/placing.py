"""What is likely wrong with how an effect is set up, mostly before anything is simulated: sources outside
their box or too thin for it, colliders that touch nothing, movers that leave, fuel that never lights, what
does nothing, and meshes that were thinned too far."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.errors import TenkaError
from tenka.effect.catalogue import params
from tenka.effect.courses import Course, curve, most
from tenka.effect.document import replaced
from tenka.effect.model import (
    FROM_LAYER,
    ON_PROP,
    POINTS,
    Effect,
    Feed,
    GasLayer,
    Prop,
    envelope,
    first_delivery,
    heard,
)
from tenka.effect.placed import SIZED, Stop, ramp_at
from tenka.run.findings import Finding
from tenka.run.fitting import Box, Figures, fitted, moments_of, source_bounds
from tenka.scene.cameras import camera_at, view_of
from tenka.scene.distance import field_of, prop_distance
from tenka.scene.meshes import Mesh
from tenka.scene.poses import moves, pose_at
from tenka.scene.props import own_mesh

THIN = 2.0  # voxels
AMBIENT = 0.5  # K above the air, below which heat is none
LOST_AREA = 0.15  # share of a mesh's surface, from which its thinning is told


def placing(
    effect: Effect, folder: Path | None = None, figures: dict[str, Figures] | None = None
) -> list[Finding]:
    """All that is likely wrong with how an effect is set up.

    Parameters
    ----------
    figures : of frames that are simulated, by layer
    """
    found: list[Finding] = []
    for gas in heard(effect.gases):
        if not gas.hidden:
            found += _sources_of(effect, gas, folder, figures or {})
            found += _colliders_of(effect, gas, folder)
            found += _fuel_of(effect, gas, (figures or {}).get(gas.id, {}))
    for layer in heard(effect.layers):
        if not layer.hidden:
            found += _before_its_cue(effect, layer)
            found += _within_a_stop(effect, layer, folder)
            found += _hides_what_stays(effect, layer)
            found += _thin_vessels(effect, layer, folder) if layer.kind == "liquid" else []
    for points in heard(tuple(x for x in effect.layers if x.HANDS == POINTS)):
        found += _untouched(effect, points, folder, (figures or {}).get(points.id, {}))
    found += _unseen(effect)
    found += _undelivered(effect)
    found += _idle_forces(effect)
    found += _thinned(effect, folder)
    return found


LOOKS = 9  # times over an effect at which its cameras are asked
PICTURE = (1600, 1000)  # px, of cameras


def _unseen(effect: Effect) -> list[Finding]:
    """Layers that none of the effect's cameras sees where they begin."""
    if not effect.cameras:
        return []
    found = []
    for layer in heard(effect.layers):
        places = [s for s in heard(layer.sources) if s.shape not in (*ON_PROP, *FROM_LAYER)]
        if layer.hidden or not places:
            continue
        seen = False
        for t in np.linspace(0.0, effect.seconds, LOOKS):
            at = np.array([pose_at(s, effect.props, t).origin for s in places])
            wide = np.array([0.5 * max(s.size) if s.shape in SIZED else 0.1 for s in places])
            views = (view_of(camera_at(c, effect.props, t), *PICTURE) for c in effect.cameras)
            seen = seen or any(bool(view.sees(at, wide).any()) for view in views)
        if not seen:
            names = ", ".join(c.name for c in effect.cameras)
            found.append(Finding(f"{layer.name} begins where no camera sees it ({names})"))
    return found


def _undelivered(effect: Effect) -> list[Finding]:
    """Layers that are seen, and that the game never gets."""
    found = []
    for layer in heard(effect.layers):
        if layer.hidden or effect.deliveries_of(layer.id):
            continue
        made = first_delivery(layer, {d.id for d in effect.deliveries})
        mended = effect.model_copy(update={"deliveries": (*effect.deliveries, made)})
        found.append(Finding(f"{layer.name} has no delivery: the game never gets it", "Deliver it", mended))
    return found


def _cue(effect: Effect, source: Feed) -> float:
    return next((c.at for c in effect.cues if c.id == source.cue), 0.0)


def _box(gas: GasLayer) -> Box:
    low = np.asarray(gas.domain.origin, float)
    return low, low + np.asarray(gas.domain.size)


def _apart(a: Box, b: Box) -> bool:
    return bool(np.any(a[0] > b[1]) or np.any(a[1] < b[0]))


def _within(a: Box, b: Box) -> bool:
    return bool(np.all(a[0] >= b[0] - 1e-6) and np.all(a[1] <= b[1] + 1e-6))


def _when(t: float, first: bool) -> str:
    return "" if first else f" from {max(t, 0.0):.2f} s on"


def _sources_of(
    effect: Effect, gas: GasLayer, folder: Path | None, figures: dict[str, Figures]
) -> list[Finding]:
    found: list[Finding] = []
    times, box = moments_of(effect, gas.run_up_seconds), _box(gas)
    mended = None
    for source in heard(gas.sources):
        level = envelope(source, times - _cue(effect, source))
        gives = [float(t) for t, on in zip(times, level) if on > 0]
        if not gives and not np.any(
            envelope(source, np.linspace(times[0], effect.seconds, 400) - _cue(effect, source))
        ):
            found.append(Finding(f"{source.name} of {gas.name} never gives anything while the effect lasts"))
            continue
        if not _gives_something(source):
            found.append(Finding(f"{source.name} gives nothing: no smoke, heat, fuel or push"))
        out = None
        for n, t in enumerate(gives):
            bounds = source_bounds(effect, source, t, gas.domain.voxel, folder, figures)
            if bounds is not None and _apart(bounds, box):
                out = out if out is not None else (t, n == 0)
            elif bounds is not None:
                out = None
        if out is not None:
            mended = mended or fitted(effect, gas.id, folder, figures)
            text = f"{source.name} is outside the box of {gas.name}{_when(*out)}: nothing of it is simulated"
            found.append(Finding(text, "Fit the box to the sources", mended))
        found += _thin_source(effect, gas, source)
    return found


def _before_its_cue(effect: Effect, layer: Any) -> list[Finding]:
    """Sources that hang on a cue and give already before it."""
    found = []
    for source in heard(layer.sources):
        cue = next((c for c in effect.cues if c.id == source.cue), None)
        if cue is None:
            continue
        times = np.linspace(0.0, cue.at, 200, endpoint=False)
        gives = times[envelope(source, times - cue.at) > 0]
        if layer.HANDS == POINTS and not _ever(source.rate):  # bursts alone, which come later
            gives = gives[gives - cue.at - source.delay >= source.burst_at]
        if not len(gives):
            continue
        text = f"{source.name} of {layer.name} gives {cue.at - gives[0]:.2g} s before its cue, {cue.name}"
        path = f"layers.{layer.id}.sources.{source.id}.start"
        found.append(Finding(text, "Let it begin with the cue", replaced(effect, path, 0.0)))
    return found


CELLS = 24  # of a prop's distance field along its longest side, where a source is looked for in it
INSIDE = 0.9  # share of a source within a prop, from which on it can give nothing


def _within_a_stop(effect: Effect, layer: Any, folder: Path | None) -> list[Finding]:
    """Sources that lie inside a prop which stops their own layer."""
    found: list[Finding] = []
    stops = [c for c in heard(layer.colliders) if c.by_prop and c.prop != getattr(layer, "breaks", "")]
    for source in heard(layer.sources):
        for stop in stops:
            prop = next((p for p in effect.props if p.id == stop.prop), None)
            if prop is None or not _lies_inside(effect, source, prop, folder):
                continue
            kept = tuple(c for c in layer.colliders if c.id != stop.id)
            mended = effect.with_layer(layer.model_copy(update={"colliders": kept}))
            text = f"{source.name} lies inside {prop.name}, which stops {layer.name}: nothing comes out of it"
            found.append(Finding(text, f"Do not let {prop.name} stop {layer.name}", mended))
    return found


def _lies_inside(effect: Effect, source: Any, prop: Prop, folder: Path | None) -> bool:
    """Whether a source is in a prop when it begins to give."""
    if source.shape == "inside":
        return bool(source.prop == prop.id)
    if source.shape not in (*SIZED, "point"):
        return False
    t = max(0.0, _cue(effect, source) + source.start)
    half = 0.5 * np.asarray(source.size, float) if source.shape in SIZED else np.zeros(3)
    grid = np.stack(np.meshgrid(*[[-0.6, 0.0, 0.6]] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    places = pose_at(source, effect.props, t).to_scene(grid * half)
    own = pose_at(prop, effect.props, t).to_own(places)
    bounds = prop_bounds(effect, prop, folder, t)
    if bounds is None or _apart((places.min(axis=0), places.max(axis=0)), bounds):
        return False
    step = float(np.max(bounds[1] - bounds[0])) / CELLS
    try:
        return float(np.mean(prop_distance(prop, folder, own, step, t) < 0.0)) >= INSIDE
    except TenkaError:
        return False


def _thin_vessels(effect: Effect, layer: Any, folder: Path | None) -> list[Finding]:
    """Props whose walls are thinner than what a liquid is made of: it runs through them."""
    found: list[Finding] = []
    voxel = layer.tank.voxel
    for stop in heard(layer.colliders):
        prop = next((p for p in effect.props if p.id == stop.prop), None)
        if prop is None or prop.shape != "mesh":
            continue
        try:
            field = field_of(prop, folder, 0.5 * voxel)
        except TenkaError:
            continue
        wall = max(-2.0 * float(field.values.min()), 0.0) + 2.0 * stop.skin
        if wall < voxel:
            skin = round(stop.skin + 0.5 * (1.5 * voxel - wall), 4)
            path = f"layers.{layer.id}.colliders.{stop.id}.skin"
            text = (
                f"{prop.name}'s walls are {100 * wall:.2g} cm thick where a voxel of {layer.name} is "
                f"{100 * voxel:.2g} cm: it runs through them"
            )
            mend = f"Make them {100 * (skin - stop.skin):.2g} cm thicker on each side"
            found.append(Finding(text, mend, replaced(effect, path, skin)))
    return found


def _hides_what_stays(effect: Effect, layer: Any) -> list[Finding]:
    """Particles and pieces that stay, and are hidden by their opacity or their size over life."""
    if not any(getattr(s, "stays", False) for s in heard(layer.sources)):
        return []
    found = []
    for name, words in (("opacity_over", "opacity"), ("size_over", "size")):
        over = getattr(layer.look, name)
        end = float(ramp_at(over, np.ones(1))[0])
        if end > 0.02 * max(float(np.max(ramp_at(over, np.linspace(0, 1, 33)))), 1e-6):
            continue
        text = f"{layer.name} stays, and nothing is seen of it once its {words} over life has ended at 0"
        held = tuple(s for s in over.stops if float(s.value) > 0.0) or (Stop(at=0.0, value=1.0),)
        mended = replaced(effect, f"layers.{layer.id}.look.{name}", over.model_copy(update={"stops": held}))
        found.append(Finding(text, f"Let its {words} hold", mended))
    return found


def _gives_something(source: Any) -> bool:
    amounts = (source.density, source.temperature, source.fuel, source.expansion, source.outward)
    return any(_ever(a) for a in amounts) or any(source.push)


def _ever(value: Any) -> bool:
    """Whether a value is ever anything but nothing."""
    return (
        bool(np.any(curve(value, np.linspace(0.0, 60.0, 601)))) if isinstance(value, Course) else bool(value)
    )


def _thin_source(effect: Effect, gas: GasLayer, source: Any) -> list[Finding]:
    """A source of less than two voxels: it is blurred to them."""
    if source.shape in FROM_LAYER or source.shape == "point":
        return []
    whole = 2.0 * source.thickness if source.shape in ("curve", "surface") else min(source.size)
    if source.shape not in (*SIZED, "curve", "surface"):
        return []
    thin, voxel = whole * most(source.size_over), gas.domain.voxel
    if thin >= THIN * voxel * (1 - 1e-6):
        return []
    text = (
        f"{source.name} is {100 * thin:.3g} cm thin where a voxel of {gas.name} is {100 * voxel:.3g} cm: it "
        f"is blurred to {THIN:g} voxels"
    )
    path = f"layers.{gas.id}.sources.{source.id}"
    if source.shape in ("curve", "surface"):
        thicker = round(0.5 * THIN * voxel / most(source.size_over), 4)
        return [
            Finding(
                text, f"Make it {200 * thicker:.3g} cm thick", replaced(effect, f"{path}.thickness", thicker)
            )
        ]
    size = tuple(max(s, round(THIN * voxel / most(source.size_over), 4)) for s in source.size)
    return [
        Finding(text, f"Make it {100 * THIN * voxel:.3g} cm thick", replaced(effect, f"{path}.size", size))
    ]


def prop_bounds(effect: Effect, prop: Prop, folder: Path | None, t: float) -> Box | None:
    """Bounds of a prop in the scene at a time; None when it cannot be read."""
    try:
        low, high = own_mesh(prop, folder, t).bounds
    except TenkaError:
        return None
    return pose_at(prop, effect.props, t).bounds(low, high)


def _colliders_of(effect: Effect, gas: GasLayer, folder: Path | None) -> list[Finding]:
    found, box = [], _box(gas)
    for collider in heard(gas.colliders):
        prop = next((p for p in effect.props if p.id == collider.prop), None)
        if prop is None:
            continue
        moving = moves(prop, effect.props)
        times = moments_of(effect, gas.run_up_seconds) if moving else np.zeros(1)
        known = [(float(t), prop_bounds(effect, prop, folder, float(t))) for t in times]
        told = [(t, b) for t, b in known if b is not None]
        if not told:
            continue
        grown = (box[0] - collider.skin, box[1] + collider.skin)
        if all(_apart(b, grown) for _, b in told):
            words = "never comes into" if moving else "stands outside"
            found.append(Finding(f"{prop.name} stops nothing of {gas.name}: it {words} its box"))
            continue
        inside = [_within(b, box) for _, b in told]
        if moving and any(inside) and not inside[-1]:
            last = max(n for n, yes in enumerate(inside) if yes)
            since = told[min(last + 1, len(told) - 1)][0]
            text = f"{prop.name} leaves the box of {gas.name}{_when(since, False)}"
            found.append(Finding(text, *_held(effect, gas, [b for _, b in told])))
    return found


def _untouched(effect: Effect, layer: Any, folder: Path | None, figures: Figures) -> list[Finding]:
    """Props that stop a layer of particles and never come where any of these are."""
    seen = {f: m for f, m in figures.items() if f >= 0 and m.get("alive")}
    found: list[Finding] = []
    if len([f for f in figures if f >= 0]) < effect.frames or not seen:
        return found  # not known yet
    for collider in heard(layer.colliders):
        prop = next((p for p in effect.props if p.id == collider.prop), None)
        if prop is None or collider.prop == layer.breaks:
            continue
        touched = False
        for f, meta in seen.items():
            bounds = prop_bounds(effect, prop, folder, f / effect.rate)
            room = max(meta.get("widest", 0.0), 0.05) + meta.get("fastest", 0.0) / effect.rate
            where = (np.asarray(meta["low"]) - room, np.asarray(meta["high"]) + room)
            touched = touched or bounds is None or not _apart(bounds, where)
        if not touched:
            found.append(Finding(f"{prop.name} stops nothing of {layer.name}: none comes near it"))
    return found


def _held(effect: Effect, gas: GasLayer, bounds: list[Box]) -> tuple[str, Effect]:
    """A box that holds what moves as well: its mend in words, and the effect."""
    low, high = _box(gas)
    low = np.floor(1e3 * np.minimum(low, np.min([b[0] for b in bounds], axis=0))) / 1e3
    high = np.ceil(1e3 * np.maximum(high, np.max([b[1] for b in bounds], axis=0))) / 1e3
    domain = gas.domain.model_copy(
        update={
            "origin": tuple(round(float(v), 3) for v in low),
            "size": tuple(round(float(v), 3) for v in high - low),
        }
    )
    times = float(np.prod(high - low) / np.prod(np.asarray(gas.domain.size)))
    return f"Grow the box to hold it: {times:.1f} times the voxels", effect.with_layer(
        gas.model_copy(update={"domain": domain})
    )


def _fuel_of(effect: Effect, gas: GasLayer, figures: Figures) -> list[Finding]:
    """Fuel that nothing lights, or whose flame goes out under it."""
    feeds = [s for s in heard(gas.sources) if _ever(s.fuel)]
    if not gas.fire.burns:
        return [
            Finding(
                f"{s.name} gives fuel, and {gas.name} does not burn",
                "Let it burn",
                replaced(effect, f"layers.{gas.id}.fire.burns", True),
            )
            for s in feeds
        ]
    if not feeds:
        return [Finding(f"{gas.name} burns, and nothing gives it fuel")]
    hottest = max((most(s.temperature) for s in heard(gas.sources)), default=0.0)
    if hottest <= gas.fire.ignition:
        path = f"layers.{gas.id}.sources.{feeds[0].id}.temperature"
        hot = round(1.5 * gas.fire.ignition, 1)
        text = (
            f"Nothing lights the fuel of {gas.name}: what is given is at most {hottest:.0f} K hot, and it "
            f"burns from {gas.fire.ignition:.0f} K"
        )
        return [Finding(text, f"Give {feeds[0].name} {hot:.0f} K", replaced(effect, path, hot))]
    shown = sorted(f for f in figures if f >= 0 and "fuel" in figures[f])
    burnt = [figures[f].get("burnt", 0.0) for f in shown]
    if shown and max(burnt) > 0:
        alight = max(n for n, b in enumerate(burnt) if b > 1e-3 * max(burnt))
        left = [figures[f]["fuel"] for f in shown]
        grows = len(left) > alight + 4 and left[-1] > left[alight] and left[-1] > 10 * max(burnt)
        if grows:
            text = (
                f"The flame of {gas.name} goes out at {shown[alight] / effect.rate:.2f} s under its fuel, "
                "which comes in colder than what it needs to burn"
            )
            return [Finding(text)]
    return []


def _idle_forces(effect: Effect) -> list[Finding]:
    """Forces that are set to nothing."""
    found = []
    for force in heard(effect.forces):
        for names in force.ACTS_BY:
            values = [getattr(force, name) for name in names.split("|")]
            if not any(_ever(v) for v in values):
                words = " and ".join(params(type(force))[n].label for n in names.split("|"))
                found.append(
                    Finding(f"{force.name} does nothing: its {words} {'are' if '|' in names else 'is'} 0")
                )
                break
    return found


@lru_cache(maxsize=32)
def _areas(prop: Prop, folder: Path | None) -> tuple[float, float]:
    """Surface of a prop's mesh whole, and as it is thinned, m2."""

    def area(mesh: Mesh) -> float:
        c = mesh.corners
        return float(0.5 * np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1).sum())

    still = prop.model_copy(update={"copies": 1, "clip": ""})
    return area(own_mesh(still.model_copy(update={"keep": 1.0}), folder)), area(own_mesh(still, folder))


def _thinned(effect: Effect, folder: Path | None) -> list[Finding]:
    """Meshes of whose surface much is gone since they were thinned."""
    found = []
    for prop in effect.props:
        if prop.shape != "mesh" or prop.keep >= 1.0 or prop.hidden:
            continue
        try:
            whole, left = _areas(prop, folder)
        except TenkaError:
            continue
        gone = 1.0 - left / whole if whole > 0 else 0.0
        if abs(gone) > LOST_AREA:
            words = f"{100 * gone:.0f} % of its surface is gone" if gone > 0 else "its surface is torn"
            keep = min(1.0, 3.0 * prop.keep)
            mended = replaced(effect, f"props.{prop.id}.keep", keep)
            found.append(
                Finding(f"{prop.name} is ruined by its thinning: {words}", f"Keep {100 * keep:.0f} %", mended)
            )
    return found
