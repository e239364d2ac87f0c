"""The particles route: places, ways, sizes and light of particles in textures."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.exr import exr_bytes
from tenka.base.randomness import unit_array
from tenka.base.words import counted
from tenka.effect.courses import still, value_at
from tenka.effect.model import Delivery, Effect
from tenka.effect.routes.particles import ParticleBake
from tenka.look.lamps import WIDE
from tenka.look.shot import shot_of
from tenka.look.swarm import PointSet, over, ready
from tenka.pack.lawful import lawful_outputs, lawful_page, lawful_words
from tenka.pack.laws import law_before, moments_of_births, pictures, told
from tenka.pack.layout import Box, span_of, the_layer
from tenka.pack.outgoing import columns_of
from tenka.pack.routes.base import Job, Output, crowd_of, moments_of, paged_rows
from tenka.pack.routes.rows import laid_out, width_of
from tenka.package.elements.particles import Particles
from tenka.package.manifest import Set
from tenka.package.parts import Texture, vec3
from tenka.package.rows import WIDE as WIDE_ROW
from tenka.package.rows import rows_of
from tenka.particles.files import write_points
from tenka.particles.state import Points
from tenka.run.frames import PointFrame
from tenka.scene.meshes import joined

FORMS = {"point": "point", "disc": "disc", "sprite": "soft", "streak": "soft"}
MOST_PAGED = 400_000  # particles over all moments that the page holds


def frames_of(job: Job, delivery: Delivery, moments: list[int]) -> Iterator[tuple[int, PointFrame, PointSet]]:
    """Particles of each moment, and as they are drawn under the lights of the effect."""
    effect, layer = job.effect, job.layer(delivery)
    route = delivery.by(ParticleBake)
    alone = effect.model_copy(update={"layers": (layer,)})
    meets = layer.look.meets if layer.look.colour_by.startswith("gas") else ""
    most = int(job.crowd(delivery).alive.max()) * layer.look.copies
    one_in = max(1, -(-most // route.most))
    for f, frame in job.frames(layer, moments):
        frames = {layer.id: frame}
        if meets in job.plans:
            other = next(x for x in effect.layers if x.id == meets)
            frames[meets] = next(iter(job.frames(other, [f], True)))[1]
        t = f / effect.rate
        shot = shot_of(alone, frames, job.folder, t, joined([]), {}, {})
        if not shot.swarms:
            yield f, frame, PointSet(*(np.zeros((0, 3), np.float32),) * 2, *_none())
            continue
        swarm = shot.swarms[0]
        lamps = np.array([lamp.row for lamp in shot.on(swarm.name)]).reshape(-1, WIDE)
        yield f, frame, ready(swarm, still(effect.light, t), None, one_in, lamps)


def _none() -> tuple[Any, ...]:
    empty = np.zeros(0, np.float32)
    return empty, np.zeros((0, 3), np.float32), empty, 1, 0.5, 1.0


class ParticlesWriter:
    """Particles as they are drawn, moment by moment."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> Particles:
        """The textures for as many as were alive at once."""
        route, layer = delivery.by(ParticleBake), the_layer(effect, delivery)
        look, moments = layer.look, moments_of(effect, delivery)
        lawful = route.written == "births and law"
        if lawful:  # no moment is written: it is played at all of them
            moments = list(range(moments[0], moments[-1] + 1))
        crowd = crowd_of(effect, delivery, figures)
        alive = crowd.alive * look.copies
        one_in = max(1.0, float(np.ceil(alive.max() / route.most)))
        drawn = look.scale * float(over(look.size_over, np.linspace(0, 1, 17)).mean())
        width = drawn * crowd.width * float(np.sqrt(one_in))
        length = look.streak * crowd.speed if look.form == "streak" else 0.0
        most = int(np.ceil(alive.max() / one_in))
        columns, rows = width_of(most, len(moments))
        stretched = look.form == "streak" or look.stretch > 0
        born = int(np.ceil(crowd.born * look.copies / one_in))
        if lawful:
            columns, rows = width_of(born, 1)
        ending = route.tables.lower()
        digits = max(4, len(str(moments[-1] + 1)))
        named = [f"{delivery.id}_{f + 1:0{digits}d}.{ending}" for f in moments] if ending != "none" else []
        return Particles(
            id=delivery.id,
            name=delivery.name,
            layers=(layer.name,),
            times=tuple(round(f / effect.rate, 6) for f in moments),
            place=None if lawful else Texture(file=f"{delivery.id}_place.exr"),
            paint=None if lawful else Texture(file=f"{delivery.id}_paint.exr"),
            way=Texture(file=f"{delivery.id}_way.exr") if stretched and not lawful else None,
            law=law_before(effect, delivery, born, box, span_of(effect, delivery), folder)
            if lawful
            else None,
            columns=columns,
            rows=rows,
            most=most,
            form=FORMS[look.form],  # type: ignore[arg-type]
            softness=look.softness,
            opaque=look.opaque,
            mean_width=round(width, 6),
            mean_length=round(length, 6),
            mean_alive=round(float(alive.mean()) / one_in, 3),
            low=vec3(box[0]),
            high=vec3(box[1]),
            tables=tuple(Texture(file=name) for name in named),
            player=route.player,
        )

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: Particles) -> list[Output]:
        """The textures; what they take is at most what their numbers do."""
        wide, tall = element.textures[0]
        size = f"{wide} × {tall} px for {element.most:,} at once in {counted(len(element.times), 'moment')}"
        found = []
        if element.law is not None:
            found = lawful_outputs(element.law)
        elif element.place is not None and element.paint is not None:
            found = [Output(element.place.file, f"{size}: place and size, 32 bits")]
            found.append(Output(element.paint.file, "light and opacity, 16 bits"))
        if element.way is not None:
            found.append(Output(element.way.file, "from head to tail, 16 bits"))
        if element.tables:
            found.append(Output(f"{element.tables[0].file} ...", "every value of every particle, as tables"))
        return found

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """All moments of as many as are written."""
        layer = the_layer(effect, delivery)
        most = min(delivery.by(ParticleBake).most, getattr(layer, "most", 10**6))
        return 48 * most * len(moments_of(effect, delivery))

    @staticmethod
    def write(job: Job, delivery: Delivery) -> Particles:
        """Gather all moments, give each particle its column, and write the textures."""
        box, layer = job.box(delivery), job.layer(delivery)
        element = ParticlesWriter.describe(job.effect, delivery, box, {}, job.folder)
        lawful = element.law is not None
        moments = job.moments(delivery)
        whole = list(range(moments[0], moments[-1] + 1)) if lawful else moments
        job.progress.begin(len(whole), f"Gathering {delivery.name}")
        frames = []
        gain = np.float32(2.0 ** value_at(job.effect.light.exposure, 0.0))  # one for all, as of flipbooks
        for f, frame, points in frames_of(job, delivery, whole):
            frames.append((f, frame.points if lawful else Points(), points))
            job.progress.step()
        sets = [points for _, _, points in frames]
        made = _law(job, delivery, frames, gain) if lawful else _rows(job, element, sets, gain)
        for texture, (f, frame) in zip(element.tables, job.frames(layer, moments)):
            write_points(job.target / texture.file, columns_of(layer, frame.points, f / job.effect.rate))
        alive = np.array([len(p) for p in sets], float)
        spread = [np.linalg.norm(p.tail - p.place, axis=1) for p in sets]
        total = max(alive.sum(), 1.0)
        return element.model_copy(
            update={
                **made,
                "most": int(alive.max(initial=0)),
                "mean_alive": round(float(alive.mean()), 3),
                "mean_width": round(float(np.sqrt(sum((p.width**2).sum() for p in sets) / total)), 6),
                "mean_length": round(float(sum(s.sum() for s in spread) / total), 6),
            }
        )

    @staticmethod
    def told(element: Particles) -> str:
        """What an engine needs to know of it, with formulas."""
        e = element
        if e.law is not None:
            return lawful_words(e)
        assert e.place is not None and e.paint is not None
        rows = f"{e.rows} row{'s' if e.rows > 1 else ''} of {e.columns}"
        text = (
            f"  {e.place.file}: red, green, blue: place in m; alpha: width in m, or 0 where there is none.\n"
            f"  {e.paint.file}: linear light, times 2^exposure; alpha: opacity. Moment n has {rows} texels,\n"
            f"  from row {e.rows} n on; a particle keeps its texel. Between two moments mix what is in\n"
            "  both; what is in one alone is drawn while that is nearer.\n"
            f"  Draw with a = opacity x cover: picture = light a + picture (1 - {e.opaque:g} a).\n"
        )
        if e.form == "soft":
            text += f"  cover falls smoothly over the outer {e.softness:g} of the radius.\n"
        if e.way is not None:
            text += f"  {e.way.file}: from its head to its tail, m; a streak is a capsule between both.\n"
        if e.tables:
            text += f"  {e.tables[0].file} ...: every value of every particle, for other uses.\n"
        return text

    @staticmethod
    def page(folder: Path, element: Particles, stands: Set) -> dict[str, Any]:
        """Rows of numbers, of as many moments as the page can hold; or births and fields."""
        if element.law is not None:
            return lawful_page(folder, element)
        rows = rows_of(folder, element)
        chance = np.round(unit_array(917, np.arange(rows.shape[1]), 0), 6).tolist()
        return {**paged_rows(element.times, rows, MOST_PAGED), "chance": chance}


def _rows(job: Job, element: Particles, sets: list[PointSet], gain: np.float32) -> dict[str, Any]:
    """Write the textures of all moments; how many rows and columns they have."""
    held = [
        (
            p.id,
            np.concatenate(
                [p.place, p.width[:, None], p.colour * gain, p.alpha[:, None], p.tail - p.place], 1
            ),
        )
        for p in sets
    ]
    picture, rows = laid_out(held, WIDE_ROW)
    job.progress.check()
    assert element.place is not None and element.paint is not None
    (job.target / element.place.file).write_bytes(exr_bytes(picture[..., :4]))
    (job.target / element.paint.file).write_bytes(exr_bytes(picture[..., 4:8], True))
    if element.way is not None:
        (job.target / element.way.file).write_bytes(exr_bytes(picture[..., 8:], True))
    return {"columns": picture.shape[1], "rows": rows}


def _law(
    job: Job, delivery: Delivery, frames: list[tuple[int, Points, PointSet]], gain: np.float32
) -> dict[str, Any]:
    """Write the textures of births and of the fields; the law."""
    seen = list(moments_of_births(frames, job.layer(delivery).look.copies, job.effect.rate))
    found = told(job, delivery, seen, float(gain))
    job.progress.check()
    for file, (picture, half) in pictures(found).items():
        (job.target / file).write_bytes(exr_bytes(picture, half))
    return {"law": found.law, "columns": found.law.columns, "rows": found.law.rows}
