"""Packages: every delivery of what is seen, by its route, with the set, the manifest and a page that plays
it."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput, TooLarge
from tenka.base.files import replaceable, swap_folder
from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.document import on_tier
from tenka.effect.model import Delivery, Effect
from tenka.gas.grid import free_bytes
from tenka.pack.about import SOURCE, about
from tenka.pack.layout import framed, packable, span_of, taken
from tenka.pack.page import page_of
from tenka.pack.routes import ROUTES
from tenka.pack.routes.base import Job, refusing
from tenka.pack.standing import set_file
from tenka.package import manifest as form
from tenka.package.parts import Element, vec3
from tenka.run.driver import simulate
from tenka.run.plans import plans_of

MEMORY_SHARE = 0.5


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
    page: bool = True,
    packed_for: str = "",
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
    page : whether a page that plays it is written too
    packed_for : id of the tier of which an effect is that has its values already

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    progress = progress or Progress()
    if tier is not None:
        effect, packed_for = on_tier(effect, tier), effect.tier(tier).id
    deliveries = _asked(effect, only)
    replaceable(out, form.is_ours)  # before any work is done for it
    need = max(ROUTES[d.route.kind].memory(effect, d) for d in deliveries)
    if need > MEMORY_SHARE * free_bytes():
        raise TooLarge(f"It would take about {need / 1e9:.1f} GB of memory; choose smaller textures.")
    plans = plans_of(effect, folder)
    for delivery in deliveries:
        span = zip(span_of(effect, delivery), (1e-6, 1 - 1e-6))
        first, last = (int(t * effect.rate + end) for t, end in span)
        for layer in taken(effect, framed(effect, delivery)):
            simulate(plans[layer.id], store, progress, (first, min(last, effect.frames - 1)))

    def fill(target: Path) -> None:
        job = Job(effect, folder, store, progress, plans, target, drawn)
        elements = tuple(_taken_over(d, earlier, job) or _written(job, d) for d in deliveries)
        progress.begin(2, "Writing the set and its page")
        stands = set_file(effect, folder, target)
        progress.step()
        manifest = _manifest(effect, job, elements, stands).model_copy(update={"packed_for": packed_for})
        (target / form.MANIFEST).write_bytes(manifest.dumps())
        (target / form.ABOUT).write_text(about(manifest))
        (target / form.PLAYER).write_text(SOURCE)
        if page:
            (target / form.PAGE).write_bytes(page_of(target))
        progress.step()

    swap_folder(out, fill, form.is_ours)
    return form.read(out)


def _written(job: Job, delivery: Delivery) -> Element:
    with refusing(delivery):
        return ROUTES[delivery.route.kind].write(job, delivery)


def _taken_over(delivery: Delivery, before: Sequence[tuple[Path, Effect]], job: Job) -> Element | None:
    """What another tier's package has of a delivery, when all but how it is played is the same: its files are
    copied."""

    for place, other in before:
        same = next((d for d in packable(other) if d.id == delivery.id), None)
        if same is None:
            continue
        pair = [d.model_copy(update={"route": d.route.as_written()}) for d in (same, delivery)]
        if pair[0] != pair[1]:
            continue
        manifest = form.read(place)
        element = next((e for e in manifest.elements if e.id == delivery.id), None)
        if element is not None:
            for name in element.files:
                shutil.copyfile(place / name, job.target / name)
            job.low = np.minimum(job.low, manifest.bounds_low)
            job.high = np.maximum(job.high, manifest.bounds_high)
            player = getattr(delivery.route, "player", None)
            turned = {"player": player} if player is not None else {}
            return element.model_copy(update=turned)
    return None


def _placed(effect: Effect, element: Element) -> Element:
    """An element with where it can be and from where it is shown, as its delivery is played now."""
    route = next(d.route for d in effect.deliveries if d.id == element.id)
    shown = {"seen_from": route.seen_from, "seen_to": route.seen_to}
    return element.bounded().model_copy(update=shown)


def _manifest(effect: Effect, job: Job, elements: tuple[Element, ...], stands: form.Set) -> form.Manifest:
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
        bounds_low=vec3(job.low),
        bounds_high=vec3(job.high),
        behaviour=form.Behaviour(
            stop=effect.stop, trigger_again=effect.again, out_of_sight=effect.out_of_sight
        ),
        marks=tuple(
            form.Mark(name=cue.name, at=round(cue.at, 6))
            for cue in sorted(effect.cues, key=lambda cue: cue.at)
            if 0 <= cue.at <= effect.seconds
        ),
        levers=tuple(levers),
        tiers=tuple(
            form.TierEntry(id=t.id, name=t.name, device=t.device, levers=t.levers) for t in effect.tiers
        ),
        set=stands,
        elements=tuple(_placed(effect, element) for element in elements),  # type: ignore[arg-type]
    )
