"""Variants of a flipbook and takes of pieces: the same effect by other chances."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tenka.effect.model import Delivery, Effect
from tenka.pack.layout import framed, span_of, taken
from tenka.pack.routes.base import Job
from tenka.run.driver import simulate
from tenka.run.plans import plans_of

APART = 7919  # between the seeds of two


def varied(effect: Effect, number: int) -> Effect:
    """The effect by other chances; the first is itself."""
    return effect.model_copy(update={"seed": (effect.seed + APART * number) % 2**31})


def jobs_of(job: Job, delivery: Delivery, count: int) -> list[Job]:
    """A job for each of so many variants, with all frames that it takes from; missing ones are simulated."""
    found = [job]
    first, last = (
        int(t * job.effect.rate + end) for t, end in zip(span_of(job.effect, delivery), (1e-6, 1 - 1e-6))
    )
    for number in range(1, count):
        effect = varied(job.effect, number)
        plans = plans_of(effect, job.folder)
        for layer in taken(effect, framed(effect, delivery)):
            span = (first, min(last, effect.frames - 1))
            simulate(plans[layer.id], job.store, job.progress, span)
        found.append(replace(job, effect=effect, plans=plans, kept={}, measured={}))
    return found


def whole_box(jobs: list[Job], delivery: Delivery) -> tuple[np.ndarray, np.ndarray]:
    """The box in which all variants are seen; it counts among what the first job has written."""
    boxes = [job.box(delivery) for job in jobs]
    low, high = np.min([b[0] for b in boxes], axis=0), np.max([b[1] for b in boxes], axis=0)
    jobs[0].low, jobs[0].high = np.minimum(jobs[0].low, low), np.maximum(jobs[0].high, high)
    return low, high
