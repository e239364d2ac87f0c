"""The trails route: heads of trails in textures."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.exr import exr_bytes
from tenka.base.words import counted
from tenka.effect.courses import still, value_at
from tenka.effect.model import Delivery, Effect
from tenka.effect.routes.trails import TrailBake
from tenka.look.lamps import WIDE
from tenka.look.pieces import kept_pieces, lives_of
from tenka.look.shot import shot_of
from tenka.look.swarm import Swarm, over, ready
from tenka.pack.layout import Box, the_layer
from tenka.pack.paths import write_paths
from tenka.pack.routes.base import Job, Output, crowd_of, moments_of, paged_rows
from tenka.pack.routes.rows import laid_out, width_of
from tenka.package.elements.trails import STEPS, Trails
from tenka.package.manifest import Set
from tenka.package.parts import Texture, vec3
from tenka.package.rows import WIDE_TRAIL, trail_rows
from tenka.scene.meshes import joined

MOST_PAGED = 200_000


def heads_at(job: Job, delivery: Delivery, f: int, frame: Any, one_in: int) -> tuple[np.ndarray, np.ndarray]:
    """Ids of the heads in a frame, and their rows: place, width, light, opacity, speed, age, (n, 12)."""
    effect, layer, t = job.effect, job.layer(delivery), f / job.effect.rate
    alone = effect.model_copy(update={"layers": (layer,)})
    lamps = np.array([x.row for x in shot_of(alone, {}, job.folder, t, joined([])).on(layer.name)])
    look = layer.look.model_copy(update={"form": "sprite", "stretch": 0.0, "copies": 1})
    points = kept_pieces(layer, frame.points)
    heads = ready(
        Swarm(points, t, look, lives_of(layer, t)),
        still(effect.light, t),
        None,
        one_in,
        lamps.reshape(-1, WIDE),
    )
    order = np.argsort(points.id)
    at = order[np.searchsorted(points.id, heads.id, sorter=order)] if len(heads) else np.zeros(0, np.int64)
    gain = np.float32(2.0 ** value_at(effect.light.exposure, 0.0))
    age = points.age(t)[at] if len(heads) else np.zeros(0)
    parts = [heads.place, heads.width[:, None], heads.colour * gain, heads.alpha[:, None]]
    parts += [points.velocity[at], np.asarray(age, np.float32)[:, None]]
    return heads.id, np.concatenate(parts, axis=1).astype(np.float32)


class TrailsWriter:
    """Trails by their heads."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> Trails:
        """The textures for as many as were alive at once."""
        route, layer = delivery.by(TrailBake), the_layer(effect, delivery)
        look, moments = layer.look, moments_of(effect, delivery)
        crowd = crowd_of(effect, delivery, figures)
        alive = crowd.alive
        one_in = max(1.0, float(np.ceil(alive.max() / route.most)))
        most = int(np.ceil(alive.max() / one_in))
        columns, rows = width_of(most, len(moments))
        along = np.linspace(0, 1, STEPS)
        return Trails(
            id=delivery.id,
            name=delivery.name,
            layers=(layer.name,),
            times=tuple(round(f / effect.rate, 6) for f in moments),
            place=Texture(file=f"{delivery.id}_place.exr"),
            paint=Texture(file=f"{delivery.id}_paint.exr"),
            speed=Texture(file=f"{delivery.id}_speed.exr"),
            paths=Texture(file=f"{delivery.id}_paths.usdc") if route.paths else None,
            columns=columns,
            rows=rows,
            most=most,
            form="tube" if look.form == "tube" else "ribbon",
            softness=look.softness,
            opaque=look.opaque,
            seconds=max(look.trail, 1e-3),
            width_over=tuple(round(float(v), 6) for v in over(look.trail_width, along)),
            opacity_over=tuple(round(float(v), 6) for v in over(look.trail_opacity, along)),
            mean_width=round(look.scale * crowd.width * float(np.sqrt(one_in)), 6),
            mean_speed=round(crowd.speed, 6),
            mean_alive=round(float(alive.mean()) / one_in, 3),
            low=vec3(box[0]),
            high=vec3(box[1]),
            player=route.player,
        )

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: Trails) -> list[Output]:
        """The textures."""
        wide, tall = element.textures[0]
        size = f"{wide} × {tall} px for {element.most:,} at once in {counted(len(element.times), 'moment')}"
        found = [
            Output(element.place.file, f"{size}: place and size, 32 bits"),
            Output(element.paint.file, "light and opacity, 16 bits"),
            Output(element.speed.file, "speed and age, 16 bits"),
        ]
        if element.paths is not None:
            found.append(Output(element.paths.file, "each over its whole life, as USD curves"))
        return found

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """All moments of as many as are written."""
        most = min(delivery.by(TrailBake).most, getattr(the_layer(effect, delivery), "most", 10**6))
        return 96 * most * len(moments_of(effect, delivery))

    @staticmethod
    def write(job: Job, delivery: Delivery) -> Trails:
        """Gather the heads of all moments, give each its column, and write the textures."""
        box, layer, route = job.box(delivery), job.layer(delivery), delivery.by(TrailBake)
        element = TrailsWriter.describe(job.effect, delivery, box, {}, job.folder)
        moments = job.moments(delivery)
        one_in = max(1, -(-int(job.crowd(delivery).alive.max()) // route.most))
        job.progress.begin(len(moments), f"Gathering {delivery.name}")
        held = []
        for f, frame in job.frames(layer, moments):
            held.append(heads_at(job, delivery, f, frame, one_in))
            job.progress.step()
        picture, rows = laid_out(held, WIDE_TRAIL)
        job.progress.check()
        for texture, part, half in (
            (element.place, picture[..., :4], False),
            (element.paint, picture[..., 4:8], True),
            (element.speed, picture[..., 8:], True),
        ):
            (job.target / texture.file).write_bytes(exr_bytes(part, half))
        if element.paths is not None:
            job.progress.check()
            write_paths(job.target / element.paths.file, delivery.id, element.times, held)
        count = np.array([len(ids) for ids, _ in held], float)
        total = max(count.sum(), 1.0)
        return element.model_copy(
            update={
                "columns": picture.shape[1],
                "rows": rows,
                "most": int(count.max(initial=0)),
                "mean_alive": round(float(count.mean()), 3),
                "mean_width": round(float(np.sqrt(sum((r[:, 3] ** 2).sum() for _, r in held) / total)), 6),
                "mean_speed": round(
                    float(sum(np.linalg.norm(r[:, 8:11], axis=1).sum() for _, r in held) / total), 6
                ),
            }
        )

    @staticmethod
    def told(element: Trails) -> str:
        """What an engine needs to know of it, with formulas."""
        e = element
        rows = f"{e.rows} row{'s' if e.rows > 1 else ''} of {e.columns}"
        text = (
            f"  {e.place.file}: red, green, blue: place in m; alpha: width in m, or 0 where there is none.\n"
            f"  {e.paint.file}: linear light, times 2^exposure; alpha: opacity. Moment n has {rows}.\n"
            f"  {e.speed.file}: red, green, blue: m/s; alpha: age in s.\n"
            f"  A {e.form} leads back from its head through the places of its texel for {e.seconds:.3f} s,\n"
            "  no further than to its birth; between two moments it is a cubic with the speeds at both\n"
            "  (Hermite). Along it, width and opacity are times `width_over` and `opacity_over`, at even\n"
            "  steps of time.\n"
            f"  picture = light a + picture (1 - {e.opaque:g} a), with a = opacity x cover.\n"
        )
        if e.paths is not None:
            text += (
                f"  {e.paths.file}: each over its whole life as a straight USD curve that stands; along\n"
                "  it widths, displayColor (linear), displayOpacity, velocity (m/s), age, time (s); of each\n"
                "  id, bornAt (s), firstVelocity: that of the first moment written. For other uses.\n"
            )
        return text

    @staticmethod
    def page(folder: Path, element: Trails, stands: Set) -> dict[str, Any]:
        """Rows of numbers, of as many moments as the page can hold."""
        return paged_rows(element.times, trail_rows(folder, element), MOST_PAGED)
