"""Where the frames of a flipbook lie, which moments they show and from which side: all that is known before
anything is drawn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from tenka.base.errors import BadInput
from tenka.effect.deliveries import paced
from tenka.effect.model import REGIONS, Delivery, Effect, Flipbook, Layer
from tenka.look.shot import SHOWN, seen
from tenka.pack.survey import Survey
from tenka.package.elements import flipbook as form
from tenka.run.kinds import KINDS, kind_of
from tenka.scene.cameras import View, side_view
from tenka.scene.poses import pose_at

Box = tuple[np.ndarray, np.ndarray]


@dataclass(frozen=True)
class Layout:
    """Where each frame goes, and which moments they are.

    Attributes
    ----------
    cell, content : px, with and without padding
    times : s, of the frames in the order of the cells
    box : what is seen whole, low and high corner in m
    frame : where it is cropped: right and up from the middle of the box, and half of the height, m
    blends : of a loop, for each frame another time, s, and the share of what is seen then
    period : of a loop, s
    """

    cell: tuple[int, int]
    content: tuple[int, int]
    times: tuple[float, ...]
    box: Box
    size: tuple[float, float]  # m
    pivot: tuple[float, float]
    attach: tuple[float, float, float]
    frame: tuple[float, float, float] | None = None
    blends: tuple[tuple[float, float], ...] = ()
    period: float | None = None


def taken(effect: Effect, delivery: Delivery) -> list[Layer]:
    """The layers of a delivery that are seen, can be drawn, and can go by its route."""
    fits = delivery.route.fits
    return [
        x for x in seen(effect) if x.id in delivery.of and x.kind in SHOWN and x.kind in KINDS and not fits(x)
    ]


def the_layer(effect: Effect, delivery: Delivery) -> Any:
    """The layer of a delivery whose route takes one."""
    return taken(effect, delivery)[0]


def packable(effect: Effect) -> list[Delivery]:
    """The deliveries of anything that is seen; flipbooks that are matched have their frames in common."""
    return [matched(effect, d) for d in effect.deliveries if taken(effect, d)]


def leader(effect: Effect, delivery: Delivery) -> Delivery:
    """The flipbook whose frames another has too; itself where it has its own."""
    found, passed = delivery, {delivery.id}
    while isinstance(found.route, Flipbook) and found.route.matches:
        other = next((d for d in effect.deliveries if d.id == found.by(Flipbook).matches), None)
        if other is None or not isinstance(other.route, Flipbook) or other.id in passed:
            break
        found = other
        passed.add(other.id)
    return found


def matched(effect: Effect, delivery: Delivery) -> Delivery:
    """A delivery with the frames of the flipbook that it is matched with."""
    first = leader(effect, delivery)
    if first.id == delivery.id:
        return delivery
    return delivery.model_copy(update={"route": delivery.by(Flipbook).framed_as(first.by(Flipbook))})


def framed(effect: Effect, delivery: Delivery) -> Delivery:
    """What a delivery is framed round: all that is in flipbooks that are matched with it."""
    first = leader(effect, delivery)
    mates = [d for d in effect.deliveries if leader(effect, d).id == first.id]
    if not isinstance(delivery.route, Flipbook) or len(mates) < 2:
        return delivery
    return delivery.model_copy(update={"of": tuple(dict.fromkeys(id for d in mates for id in d.of))})


def left_out(effect: Effect) -> list[Layer]:
    """The layers that are seen, and that no delivery takes that shows them, or that none can take."""
    held = {layer.id for d in packable(effect) if d.route.SHOWS for layer in taken(effect, d)}
    return [layer for layer in seen(effect) if layer.id not in held]


def box_of(effect: Effect, layer: Layer, figures: Mapping[int, dict[str, Any]]) -> Box | None:
    """The box in which a layer is seen; None while that is not known: it has not been simulated."""
    return kind_of(layer).bounds(effect, layer, dict(figures))


def bounds_of(effect: Effect, delivery: Delivery, figures: Mapping[str, Mapping[int, Any]]) -> Box | None:
    """The box in which all of a delivery is seen; None while that is not known.

    Parameters
    ----------
    figures : of simulated frames, by layer
    """
    layers = taken(effect, framed(effect, delivery))
    boxes = [box_of(effect, layer, figures.get(layer.id, {})) for layer in layers]
    known = [box for box in boxes if box is not None]
    if not known or len(known) < len(boxes):
        return None
    return np.min([low for low, _ in known], axis=0), np.max([high for _, high in known], axis=0)


def span_of(effect: Effect, delivery: Delivery) -> tuple[float, float]:
    """First and last moment of a flipbook, s."""
    end = (effect.frames - 1) / effect.rate
    last = min(delivery.route.last, end)
    return min(delivery.route.first, last), last


def content_view(layout: Layout, book: Flipbook, width: int, height: int) -> View:
    """The side from which frames are drawn: orthographic, holding the whole box, or the cropped part."""
    view = side_view(*layout.box, book.heading, width, height, book.pitch)
    if layout.frame is None:
        return view
    right, up, half = layout.frame
    eye = view.eye + right * view.right + up * view.up
    return View(eye, view.forward, view.right, view.up, half, width, height, True)


def layout(effect: Effect, delivery: Delivery, box: Box, survey: Survey | None = None) -> Layout:
    """Lay out a flipbook: moments evenly spread over its span, no more than there are frames.

    The pivot is the middle of the sources' feet, so that a sprite stands where things are born.

    Parameters
    ----------
    survey : what was seen of it, by which it is cropped, spaced and looped where it is asked for

    Raises
    ------
    BadInput
        When a frame would have no pixel left.
    """
    book = delivery.by(Flipbook)
    cell = (book.width // book.columns, book.height // book.rows)
    content = (cell[0] - 2 * book.padding, cell[1] - 2 * book.padding)
    if min(content) < 4:
        raise BadInput(
            f"{book.columns} x {book.rows} frames leave {content[0]} x {content[1]} px for each",
            "at least 4 x 4",
            place=f"{delivery.name}, atlas",
        )
    first, last = span_of(effect, delivery)
    each = book.columns * book.rows // book.variants
    if not each:
        raise BadInput(
            f"{book.columns} x {book.rows} frames are fewer than {book.variants} variants",
            "a frame for each",
            place=f"{delivery.name}, atlas",
        )
    count = min(each, int((last - first) * effect.rate + 1e-6) + 1)
    times = tuple(round(float(t), 9) for t in np.linspace(first, last, count))
    blends: tuple[tuple[float, float], ...] = ()
    period = None
    if survey is not None and book.loop:
        times, blends, period = _looped(survey, count, book.loop_blend)
    elif survey is not None and book.spacing == "even change":
        times = survey.even_change(count)
    low, high = (np.asarray(b, float) for b in box)
    feet = [
        pose_at(s, effect.props, 0.0).origin - np.array([0, 0, s.size[2] / 2])
        for layer in taken(effect, framed(effect, delivery))
        for s in layer.sources
        if s.shape in REGIONS
    ]
    middle = (low + high) / 2
    base = np.mean(feet, axis=0) if feet else np.array([middle[0], middle[1], low[2]])
    plan = Layout(cell, content, times, (low, high), (0, 0), (0, 0), (0, 0, 0), None, blends, period)
    if survey is not None and book.crop:
        plan = replace(plan, frame=_cropped(plan, survey, book))
    view = content_view(plan, book, *content)
    size = (2 * view.half_width, 2 * view.half_height)
    if book.pivot == "where it is born":
        px, py, _ = view.project(base[None])[0]
        pivot = (float(px / content[0]), float(1 - py / content[1]))
    else:  # a place of the frame, in the plane through the middle of the box
        pivot = (0.5, 0.5) if book.pivot == "middle" else (book.pivot_right, book.pivot_up)
        right, up = ((2 * p - 1) * half for p, half in zip(pivot, (view.half_width, view.half_height)))
        base = view.eye + right * view.right + up * view.up
        base = base + view.forward * float((middle - base) @ view.forward)
    x, y, z = (float(v) for v in base)
    return replace(plan, size=size, pivot=pivot, attach=(x, y, z))


def _cropped(plan: Layout, survey: Survey, book: Flipbook) -> tuple[float, float, float]:
    """The part of the whole view in which anything is seen, in the shape of a cell."""
    view = side_view(*plan.box, book.heading, *plan.content, book.pitch)
    left, right, foot, top = survey.seen()
    middle = 0.5 * (left + right) * view.half_width, 0.5 * (foot + top) * view.half_height
    wide, tall = 0.5 * (right - left) * view.half_width, 0.5 * (top - foot) * view.half_height
    return middle[0], middle[1], max(tall, wide * plan.content[1] / plan.content[0])


def _looped(
    survey: Survey, count: int, blend: float
) -> tuple[tuple[float, ...], tuple[tuple[float, float], ...], float]:
    """Times of a loop, what is blended into each, and how long it lasts."""
    first, last = survey.loop(blend)
    period = last - first
    times = first + period * np.arange(count) / count
    # the last frame is wholly what was before the first: from it to that is a step like any other
    over = max(blend * period - period / count, 1e-9)
    share = np.clip((times - (last - blend * period)) / over, 0.0, 1.0) if blend else 0.0 * times
    share = share * share * (3.0 - 2.0 * share)
    blends = tuple((round(float(t - period), 9), round(float(u), 6)) for t, u in zip(times, share))
    return tuple(round(float(t), 9) for t in times), blends, round(period, 9)


def second_of(effect: Effect, delivery: Delivery) -> str:
    """What the second atlas of a delivery holds: emission, temperature or nothing (none)."""
    chosen, layers = delivery.by(Flipbook).second, taken(effect, delivery)
    light = "emission" if any(layer.glows for layer in layers) else "none"
    if chosen == "as needed":
        return light
    if chosen == "temperature" and not all(hasattr(layer, "fire") for layer in layers):
        return light  # only a gas has a heat that can be seen
    return chosen


def _reach(plan: Layout, book: Flipbook) -> tuple[float, float]:
    """How far a box goes towards the viewer from where a sprite is attached, and away from it, m."""
    view = side_view(*plan.box, book.heading, 4, 4, book.pitch)
    low, high = plan.box
    corners = np.array(
        [[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
    )
    deep = (corners - np.asarray(plan.attach)) @ view.forward
    return round(float(-deep.min()), 6), round(float(deep.max()), 6)


def blocks_of(delivery: Delivery, holds: str, maps: set[str]) -> tuple[form.BlockTexture, ...]:
    """The atlases of a flipbook that are compressed, before it is known how well that went."""
    book, id = delivery.by(Flipbook), delivery.id
    if book.blocks == "none":
        return ()
    fine = "bc7" if book.blocks == "BC7" else "bc3"  # BC1 has no alpha, by which a sprite is drawn
    forms = {"colour": fine, "temperature": "bc4", "motion": "bc5"}
    forms["emission"] = "bc7" if book.blocks == "BC7" else "bc1"
    forms |= {"light_a": fine, "light_b": fine, "normal": "bc5", "depth": "bc4"}
    named = ["colour", *([holds] if holds != "none" else []), *(["motion"] if book.motion else [])]
    of = {"light maps": ("light_a", "light_b"), "normals": ("normal",), "depth": ("depth",)}
    named += [name for asked, names in of.items() if asked in maps for name in names]
    return tuple(
        form.BlockTexture(
            file=f"{id}_{name}.dds",
            of=f"{id}_{name}.png",
            form=forms[name],
            levels=1,
            psnr=0.0,  # type: ignore[arg-type]
        )
        for name in named
    )


def maps_of(effect: Effect, delivery: Delivery) -> set[str]:
    """What is asked for of light maps, normals and depth, and can be made: layers of one kind alone make
    them."""
    return {name for name in maps_asked(delivery) if name in able_of(effect, delivery)}


def maps_asked(delivery: Delivery) -> list[str]:
    """The maps that a flipbook asks for besides."""
    book = delivery.by(Flipbook)
    asked = (("light maps", book.six_way), ("normals", book.normals), ("depth", book.distance))
    return [name for name, on in asked if on]


def able_of(effect: Effect, delivery: Delivery) -> tuple[str, ...]:
    """The maps that the layers of a flipbook can make together."""
    layers = taken(effect, delivery)
    return layers[0].MAPS if len({layer.MAPS for layer in layers}) == 1 else ()


def describe(effect: Effect, delivery: Delivery, box: Box, plan: Layout | None = None) -> form.Flipbook:
    """The flipbook as its manifest will state it, before anything is drawn."""
    book, holds = delivery.by(Flipbook), second_of(effect, delivery)
    plan = layout(effect, delivery, box) if plan is None else plan
    maps = maps_of(effect, delivery)
    near, far = _reach(plan, book)
    second = None
    if holds == "emission" or holds == "temperature":
        second = form.SecondAtlas(file=f"{delivery.id}_{holds}.png", holds=holds, scale=1.0)
    found = form.Flipbook(
        id=delivery.id,
        name=delivery.name,
        layers=tuple(layer.name for layer in taken(effect, delivery)),
        colour=form.ColourAtlas(file=f"{delivery.id}_colour.png", alpha=book.alpha_form),
        second=second,
        lit=form.LightMaps(
            first=form.Sheet(file=f"{delivery.id}_light_a.png"),
            second=form.Sheet(file=f"{delivery.id}_light_b.png"),
        )
        if "light maps" in maps
        else None,
        normals=form.Sheet(file=f"{delivery.id}_normal.png") if "normals" in maps else None,
        distance=form.DepthSheet(file=f"{delivery.id}_depth.png", near=near, far=far)
        if "depth" in maps
        else None,
        blocks=blocks_of(delivery, holds, maps),
        motion=form.MotionAtlas(file=f"{delivery.id}_motion.png", scale=(1.0, 1.0)) if book.motion else None,
        width=book.width,
        height=book.height,
        columns=book.columns,
        rows=book.rows,
        padding=book.padding,
        frames=len(plan.times) * book.variants,
        variants=book.variants,
        times=tuple(round(t, 6) for t in plan.times),
        size=plan.size,
        pivot=plan.pivot,
        attach=plan.attach,
        heading=book.heading,
        pitch=book.pitch,
        loop=plan.period is not None or book.loop,
        period=plan.period,
        player=paced(book, plan.period),
    )
    if book.further == "EXR":
        return found.model_copy(update={"further": (form.Sheet(file=f"{delivery.id}_light.exr"),)})
    if book.further == "TGA":
        named = tuple(form.Sheet(file=name.removesuffix(".png") + ".tga") for name in found.sheets)
        return found.model_copy(update={"further": named})
    return found


def atlas_bytes(effect: Effect, delivery: Delivery) -> int:
    """Memory that the atlases of a delivery take while they are drawn."""
    book = delivery.by(Flipbook)
    return (
        book.width
        * book.height
        * 4
        * (
            1
            + (4 if second_of(effect, delivery) != "none" else 0)
            + 3 * book.motion
            + 9 * (book.six_way or book.normals)
            + book.distance
            + 4 * (book.further == "EXR")
        )
    )
