"""The flipbook route: what is delivered drawn from a side, laid out in an atlas, written with manifest and
set."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from tenka.base.errors import BadInput, TooLarge
from tenka.base.files import replaceable, swap_folder
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.courses import most, still, value_at
from tenka.effect.document import on_tier
from tenka.effect.model import Delivery, Effect, Player, heard
from tenka.gas.grid import free_bytes
from tenka.look.alone import drawn_alone
from tenka.look.lamps import lamp_at
from tenka.look.motion import motion_of, spread
from tenka.look.shot import breaking, shot_of
from tenka.look.sprites import Book
from tenka.pack.about import about
from tenka.pack.atlases import MotionSheet, SecondSheet, encode
from tenka.pack.books import books_of
from tenka.pack.layout import (
    Layout,
    atlas_bytes,
    bounds_of,
    content_view,
    describe,
    layout,
    packable,
    second_of,
    span_of,
    taken,
)
from tenka.pack.page import page_of
from tenka.package import manifest as form
from tenka.run.driver import figures_of, frame_between, past_of, simulate
from tenka.run.plans import Plan, plans_of
from tenka.scene.glb import to_bytes
from tenka.scene.meshes import Mesh, joined
from tenka.scene.props import prop_mesh

MEMORY_SHARE = 0.5
NOTHING = joined([])


def draw_cell(
    effect: Effect,
    delivery: Delivery,
    frames: Mapping[str, Any],
    t: float,
    plan: Layout,
    size: tuple[int, int],
    folder: Path | None = None,
    past: Mapping[str, Any] | None = None,
    books: dict[str, Book] | None = None,
) -> np.ndarray:
    """What a delivery takes at one moment as `drawn_alone` gives it, (height, width, 8), with twice the
    samples each way averaged for clean edges.

    Parameters
    ----------
    frames, past : of its layers, by id
    """
    width, height = size
    alone = effect.model_copy(update={"layers": tuple(taken(effect, delivery))})
    shot = shot_of(alone, frames, folder, t, NOTHING, past or {}, books)
    light = still(effect.light, t)
    raw = drawn_alone(shot, light, content_view(plan, delivery.route.heading, width * 2, height * 2))
    found: np.ndarray = raw.reshape(height, 2, width, 2, raw.shape[2]).mean(axis=(1, 3))
    return found


def frames_at(
    effect: Effect,
    delivery: Delivery,
    plans: Mapping[str, Plan],
    store: FrameStore,
    t: float,
    progress: Progress,
    whole: bool = False,
) -> tuple[dict[str, Any], dict[str, Any]]:
    """The frames of a delivery's layers at a moment (`whole`: with their velocity), and the past of each."""
    frames, past = {}, {}
    for layer in taken(effect, delivery):
        run = plans[layer.id]
        frames[layer.id] = frame_between(run, store, t, progress, whole)
        past[layer.id] = past_of(run, store, int(t * effect.rate + 1e-6))
    return frames, past


def moved_cell(
    effect: Effect,
    delivery: Delivery,
    frames: Mapping[str, Any],
    t: float,
    gap: float,
    plan: Layout,
    folder: Path | None,
    past: Mapping[str, Any],
) -> np.ndarray:
    """How what is seen of a delivery moves within `gap` s, (height, width, 2), as shares of the frame; also
    beside it, where it is read when frames are blended."""
    width, height = plan.content
    alone = effect.model_copy(update={"layers": tuple(taken(effect, delivery))})
    shot = shot_of(alone, frames, folder, t, NOTHING, past)
    view = content_view(plan, delivery.route.heading, width, height)
    return spread(motion_of(shot, still(effect.light, t), view, gap)) / np.array((width, height), np.float32)


def _asked(effect: Effect, only: str | None) -> list[Delivery]:
    """What is packed: one delivery, those of one layer, or all of what is seen."""
    found = packable(effect)
    if only is None:
        if not found:
            raise BadInput(
                "has nothing that is seen and delivered",
                "a layer that is heard, shown and delivered",
                place="pack",
            )
        return found
    asked = [d for d in found if d.id == only] or [d for d in found if only in d.of]
    if not asked:
        names = ", ".join(d.id for d in found) or "none"
        raise BadInput(f"'{only}' is no delivery of what is seen", f"one of: {names}", place="pack")
    return asked


class _Writer:
    """One element after another into a package's folder."""

    def __init__(self, effect: Effect, folder: Path | None, store: FrameStore, progress: Progress) -> None:
        self.effect, self.folder, self.store, self.progress = effect, folder, store, progress
        self.books, _ = books_of(effect, folder)
        self.low, self.high = np.full(3, np.inf), np.full(3, -np.inf)

    def element(
        self,
        plans: Mapping[str, Plan],
        delivery: Delivery,
        target: Path,
        drawn: Callable[[str, int, np.ndarray], None] | None,
    ) -> form.Flipbook:
        """Draw the frames of a delivery and write its atlases."""
        effect, book, progress = self.effect, delivery.route, self.progress
        layers = taken(effect, delivery)
        figures = {layer.id: figures_of(plans[layer.id], self.store) for layer in layers}
        box = bounds_of(effect, delivery, figures)
        if box is None:
            raise BadInput(
                f"{delivery.name} has no frame that could be packed", "a longer effect", place="pack"
            )
        plan, element = layout(effect, delivery, box), describe(effect, delivery, box)
        holds = second_of(effect, delivery)
        colour = np.zeros((book.height, book.width, 4), np.uint8)
        second = SecondSheet(holds, book.height, book.width) if holds != "none" else None
        motion = MotionSheet(element) if element.motion is not None else None
        exposure = value_at(effect.light.exposure, 0.0)  # one for all cells: a course of it is the camera's
        progress.begin(len(plan.times), f"Drawing frames of {delivery.name}")
        for index, t in enumerate(plan.times):
            whole = motion is not None
            frames, past = frames_at(effect, delivery, plans, self.store, t, progress, whole)
            raw = draw_cell(effect, delivery, frames, t, plan, plan.content, self.folder, past, self.books)
            rgba = encode(raw, book.alpha_form, exposure, holds == "none")
            row, column = divmod(index, book.columns)
            y, x = row * plan.cell[1] + book.padding, column * plan.cell[0] + book.padding
            colour[y : y + plan.content[1], x : x + plan.content[0]] = rgba
            if second is not None:
                second.put(raw, y, x)
            if motion is not None:
                gap = (
                    plan.times[min(index + 1, len(plan.times) - 1)]
                    - plan.times[min(index, len(plan.times) - 2)]
                )
                motion.put(moved_cell(effect, delivery, frames, t, gap, plan, self.folder, past), y, x)
            if drawn is not None:
                drawn(delivery.id, index, rgba)
            progress.step()
        self.low, self.high = np.minimum(self.low, box[0]), np.maximum(self.high, box[1])
        Image.fromarray(colour, "RGBA").save(target / element.colour.file, compress_level=4)
        progress.check()
        if motion is not None and element.motion is not None:
            data, scales = motion.finish()
            Image.fromarray(data).save(target / element.motion.file, compress_level=4)
            moves = element.motion.model_copy(update={"scale": scales})
            element = element.model_copy(update={"motion": moves})
        if second is None or element.second is None:
            return element
        glow = max(most(getattr(layer.look, "glow", 1.0)) for layer in layers)
        data, scale, lookup = second.finish(exposure, glow)
        Image.fromarray(data).save(target / element.second.file, compress_level=4)
        held = element.second.model_copy(update={"scale": scale, "black_body": lookup})
        return element.model_copy(update={"second": held})

    def set_file(self, target: Path) -> form.Set:
        """Write the props and the camera."""
        effect, light = self.effect, still(self.effect.light, 0.0)
        meshes: dict[str, Mesh] = {
            p.id: prop_mesh(p, effect.props, self.folder) for p in effect.props if not p.hidden
        }
        credits = tuple(dict.fromkeys(p.credit for p in effect.props if p.credit and p.id in meshes))
        leaving = []
        for id, at in breaking(effect).items():
            if id in meshes and at <= 0:
                meshes.pop(id)
            elif id in meshes:
                leaving.append(form.Leaving(file=f"set_{id}.glb", at=round(at, 6)))
                (target / leaving[-1].file).write_bytes(to_bytes({id: meshes.pop(id)}))
        (target / "set.glb").write_bytes(to_bytes(meshes, effect.camera, "; ".join(credits)))
        return form.Set(
            file="set.glb",
            sun_heading=light.heading,
            sun_height=light.height,
            sun_strength=light.strength,
            sun_kelvin=light.kelvin,
            sky=light.sky,
            exposure=light.exposure,
            backdrop=light.backdrop,
            sky_tint=light.sky_tint,
            lights=_lights(effect),
            leaving=tuple(leaving),
            credits=credits,
        )


def _lights(effect: Effect) -> tuple[form.SetLight, ...]:
    """The lights that fall on the set, as they are in each frame."""
    found = []
    for light in heard(effect.lights):
        if light.hidden or light.reaches == "effect":
            continue
        rows = [
            tuple(round(float(v), 5) for v in lamp_at(light, effect, f / effect.rate).row)
            for f in range(effect.frames)
        ]
        still_one = all(row == rows[0] for row in rows)
        found.append(
            form.SetLight(
                name=light.name,
                rate=effect.rate,
                shadows=light.shadows,
                rows=tuple(rows[:1] if still_one else rows),
            )
        )
    return tuple(found)


def pack(
    effect: Effect,
    folder: Path | None,
    store: FrameStore,
    out: Path,
    progress: Progress | None = None,
    only: str | None = None,
    tier: str | None = None,
    drawn: Callable[[str, int, np.ndarray], None] | None = None,
    earlier: Sequence[tuple[Path, Effect]] = (),
) -> form.Manifest:
    """Write a package of all deliveries of what is seen: simulate what is missing, draw, lay out, and swap
    the folder in whole.

    Parameters
    ----------
    folder : of the effect, for its meshes
    only : pack this delivery alone, or those of this layer
    tier : as this tier has it: its values of levers and deliveries, without what it leaves out
    drawn : hears of each finished cell (delivery, index, RGBA)
    earlier : packages that were just written, and the effect as each tier had it: atlases that would be drawn
        alike are taken over; it must not differ otherwise

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    progress = progress or Progress()
    if tier is not None:
        effect = on_tier(effect, tier)
    deliveries = _asked(effect, only)
    replaceable(out, form.is_ours)  # before any work is done for it
    need = max(atlas_bytes(effect, d) for d in deliveries)
    if need > MEMORY_SHARE * free_bytes():
        raise TooLarge(f"An atlas would take about {need / 1e9:.1f} GB of memory; choose a smaller one.")
    plans = plans_of(effect, folder)
    for delivery in deliveries:
        span = zip(span_of(effect, delivery), (1e-6, 1 - 1e-6))
        first, last = (int(t * effect.rate + end) for t, end in span)
        for layer in taken(effect, delivery):
            simulate(plans[layer.id], store, progress, (first, min(last, effect.frames - 1)))
    writer = _Writer(effect, folder, store, progress)

    def fill(target: Path) -> None:
        elements = tuple(
            _taken_over(d, earlier, writer, target) or writer.element(plans, d, target, drawn)
            for d in deliveries
        )
        progress.begin(2, "Writing the set")
        stands = writer.set_file(target)
        progress.step()
        manifest = _manifest(effect, writer, elements, stands)
        (target / form.MANIFEST).write_bytes(manifest.dumps())
        (target / form.ABOUT).write_text(about(manifest))
        (target / form.PAGE).write_bytes(page_of(target))
        progress.step()

    swap_folder(out, fill, form.is_ours)
    return form.read(out)


def _taken_over(
    delivery: Delivery, before: Sequence[tuple[Path, Effect]], writer: _Writer, target: Path
) -> form.Flipbook | None:
    """What another tier's package has of a delivery, when all but how it is played is the same: its files are
    copied."""

    def drawn_by(d: Delivery) -> Delivery:
        return d.model_copy(update={"route": d.route.model_copy(update={"player": Player()})})

    for place, other in before:
        same = next((d for d in other.deliveries if d.id == delivery.id), None)
        if same is None or drawn_by(same) != drawn_by(delivery):
            continue
        manifest = form.read(place)
        element = next((e for e in manifest.elements if e.id == delivery.id), None)
        if element is not None:
            for name in element.files:
                shutil.copyfile(place / name, target / name)
            writer.low = np.minimum(writer.low, manifest.bounds_low)
            writer.high = np.maximum(writer.high, manifest.bounds_high)
            return element.model_copy(update={"player": delivery.route.player})
    return None


def _manifest(
    effect: Effect, writer: _Writer, elements: tuple[form.Flipbook, ...], stands: form.Set
) -> form.Manifest:
    levers = []
    for element in elements:
        path = f"deliveries.{element.id}.route.player."
        levers += [
            lever.model_copy(update={"path": f"{element.id}.player.{lever.path[len(path) :]}"})
            for lever in effect.levers
            if lever.path.startswith(path)
        ]
    return form.Manifest(
        effect=effect.name,
        frame_rate=effect.rate,
        bounds_low=_vec(writer.low),
        bounds_high=_vec(writer.high),
        levers=tuple(levers),
        tiers=tuple(
            form.TierEntry(id=t.id, name=t.name, device=t.device, levers=t.levers) for t in effect.tiers
        ),
        set=stands,
        elements=elements,
    )


def _vec(v: np.ndarray) -> tuple[float, float, float]:
    x, y, z = (round(float(c), 6) for c in v)
    return x, y, z
