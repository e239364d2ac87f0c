"""The light route: what layers throw round them, as keys of one light."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tenka.base.words import counted
from tenka.effect.courses import still
from tenka.effect.model import Delivery, Effect
from tenka.effect.routes.light import LightTrack as Route
from tenka.look.firelight import kept_keys
from tenka.look.lamps import WIDE
from tenka.look.scatter import lamp_row
from tenka.look.shot import shot_of
from tenka.look.swarm import lamp_of, ready
from tenka.look.volume import light_volume
from tenka.pack.layout import Box, taken
from tenka.pack.routes.base import Job, Output, moments_of
from tenka.package.elements.light import LightTrack
from tenka.package.manifest import Set
from tenka.package.parts import Texture
from tenka.scene.meshes import joined

HEAD = "time_s,x_m,y_m,z_m,red,green,blue,radius_m"
LEAST = 1e-4  # of a key: m, light, or radius


def light_at(job: Job, delivery: Delivery, f: int) -> np.ndarray:
    """What the layers of a delivery give off in a frame, as one light: place, light at 1 m, radius, (7,)."""
    effect, t = job.effect, f / job.effect.rate
    light, rows = still(effect.light, t), []
    for layer in taken(effect, delivery):
        frame = next(iter(job.frames(layer, [f])))[1]
        alone = effect.model_copy(update={"layers": (layer,), "lights": ()})
        shot = shot_of(alone, {layer.id: frame}, job.folder, t, joined([]), {}, {})
        lamps = [light_volume(gas, look, light).lamp for gas, look in shot.gases]
        rows += [lamp_row(lamp)[:7] for lamp in lamps if lamp is not None]
        rows += [lamp_of(ready(s, light, None, 1, np.zeros((0, WIDE))))[:7] for s in shot.swarms]
    rows = [row for row in rows if row[3:6].sum() > 0]
    if not rows:
        return np.zeros(7)
    held = np.array(rows, float)
    weight = held[:, 3:6].sum(axis=1)
    middle = np.average(held[:, :3], axis=0, weights=weight)
    wide = np.average(held[:, 6] + ((held[:, :3] - middle) ** 2).sum(axis=1), weights=weight)
    return np.array([*middle, *held[:, 3:6].sum(axis=0), np.sqrt(wide)])


class LightWriter:
    """A light that stands for what layers give off."""

    @staticmethod
    def describe(
        effect: Effect,
        delivery: Delivery,
        box: Box,
        figures: Mapping[str, Mapping[int, Any]],
        folder: Path | None,
    ) -> LightTrack:
        """The light in the middle of its box; its keys are known when it is written."""
        moments = moments_of(effect, delivery)
        middle = 0.5 * (np.asarray(box[0], float) + np.asarray(box[1], float))
        return LightTrack(
            id=delivery.id,
            name=delivery.name,
            layers=tuple(layer.name for layer in taken(effect, delivery)),
            times=tuple(round(f / effect.rate, 6) for f in (moments[0], moments[-1])),
            keys=((*(round(float(v), 4) for v in middle), 0.0, 0.0, 0.0, 0.1),) * 2,
            table=Texture(file=f"{delivery.id}_light.csv"),
            error=0.0,
            player=delivery.by(Route).player,
        )

    @staticmethod
    def outputs(effect: Effect, delivery: Delivery, element: LightTrack) -> list[Output]:
        """The table; keys stand in the manifest."""
        count = len(moments_of(effect, delivery))
        what = f"place, colour and strength in {counted(count, 'frame')}; its keys are in the manifest"
        return [Output(element.table.file, what, 74.0 * count)]

    @staticmethod
    def memory(effect: Effect, delivery: Delivery) -> int:
        """A row for each frame."""
        return 64 * len(moments_of(effect, delivery))

    @staticmethod
    def write(job: Job, delivery: Delivery) -> LightTrack:
        """Find the light in each frame, and the keys that tell it."""
        element = LightWriter.describe(job.effect, delivery, job.box(delivery), {}, job.folder)
        moments = job.moments(delivery)
        job.progress.begin(len(moments), f"Measuring the light of {delivery.name}")
        rows = []
        for f in moments:
            rows.append(light_at(job, delivery, f))
            job.progress.step()
        values, times = np.array(rows), np.array(moments) / job.effect.rate
        lit = np.flatnonzero(values[:, 3:6].sum(axis=1) > 0)
        if len(lit):  # where it gives none it stands where it did
            nearest = lit[np.clip(np.searchsorted(lit, np.arange(len(values)), side="right") - 1, 0, None)]
            values[:, :3], values[:, 6] = values[nearest, :3], values[nearest, 6]
        brightest = max(float(values[:, 3:6].max()), LEAST)
        close = delivery.by(Route).close
        radius = max(float(values[:, 6].max()), LEAST)
        limits = np.maximum(np.array([0.1 * radius] * 3 + [close * brightest] * 3 + [0.1 * radius]), LEAST)
        kept = kept_keys(times, values, limits)
        keys = tuple(tuple(round(float(v), 5) for v in values[n]) for n in kept)
        told = np.stack([np.interp(times, times[kept], values[kept][:, c]) for c in range(3, 6)], axis=1)
        lines = [HEAD, *(",".join(f"{v:.6g}" for v in (t, *row)) for t, row in zip(times, values))]
        (job.target / element.table.file).write_text("\n".join(lines) + "\n")
        return element.model_copy(
            update={
                "times": tuple(round(float(times[n]), 6) for n in kept),
                "keys": keys,
                "error": round(float(np.abs(told - values[:, 3:6]).max()) / brightest, 6),
            }
        )

    @staticmethod
    def told(element: LightTrack) -> str:
        """What an engine needs to know of it, with formulas."""
        e = element
        return (
            f"  {counted(len(e.keys), 'key')} in the manifest, straight between them, within "
            f"{100 * e.error:.2g} % of the brightest;\n"
            f"  {e.table.file} has every frame: place in m, light, radius in m.\n"
            "  A surface at distance r whose normal is at the angle a gets light * cos a /\n"
            "  (pi (r^2 + radius^2)) times its colour, times (1 - (r / reach)^4)^2, times\n"
            "  2^exposure; beyond `reach` m there is none.\n"
        )

    @staticmethod
    def page(folder: Path, element: LightTrack, stands: Set) -> dict[str, Any]:
        """Nothing more: its keys are in the manifest."""
        return {}
