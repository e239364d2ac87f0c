"""Calibration: a device's coefficients from times that were measured on it.

A roofline is a largest of several planes through the origin; it is fitted as such are (Magnani & Boyd 2009):
each row belongs to the pass that takes longest by the coefficients so far, these are fitted to their rows by
non-negative least squares (Lawson & Hanson 1974), and so on until no row changes its pass.
"""

from __future__ import annotations

import csv
import io
import itertools
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path

import numpy as np
from scipy.optimize import nnls

from tenka.base.errors import BadInput
from tenka.base.files import read_file, write_atomic
from tenka.budget.devices import Device, own_profiles, read_again
from tenka.budget.lines import DEPTH_BYTES, PLAIN_TARGET
from tenka.budget.routes import bodies, light, meshes, particles, shimmer, slices, surface, trails, volume
from tenka.budget.routes.flipbook import operations
from tenka.package.elements.flipbook import Flipbook
from tenka.package.parts import Element

NAME = r"[a-z][a-z0-9-]{0,39}"  # of a profile
COLUMNS = ("element", "route", "setting", "step", "parts", "covered_px", "width", "height", "ms")
PASSES = ("fill", "arithmetic", "memory")
MOST_BYTES = 8 * 2**20
ROUNDS = 60
MOST_KINDS = 5  # of drawing, of which all ways are tried
LEAST_ROWS = 6
FLOPS = {
    "flipbook": 44.0,
    "particles": particles.FLOPS,
    "slices": slices.FLOPS,
    "surface": surface.PIXEL_FLOPS,
    "volume": volume.FLOPS,
    "shimmer": shimmer.FLOPS,
    "light": light.FLOPS,
    "bodies": bodies.FLOPS_A_PIXEL,
    "meshes": meshes.PIXEL_FLOPS,
    "trails": trails.FLOPS_A_PIXEL,
}
"""Operations of a covered pixel (of a volume: of a sample), where the element itself is not at hand."""


@dataclass(frozen=True)
class Row:
    """One measured drawing of one element.

    Attributes
    ----------
    parts : sprites, particles or the like that were drawn; covered : pixels times layers
    flops : of a covered pixel
    """

    element: str
    route: str
    parts: float
    covered: float
    flops: float
    ms: float


@dataclass(frozen=True)
class Fit:
    """A device as measured, and how well that explains what was measured.

    Attributes
    ----------
    device : the profile
    predicted : ms of each row; rows : what was measured
    still : ms of each element that hang on nothing that was counted: the set, and what the driver takes
    """

    device: Device
    rows: tuple[Row, ...]
    predicted: np.ndarray
    still: Mapping[str, float]
    bound: tuple[str, ...]

    @property
    def off(self) -> float:
        """Mean difference, as a share of what was measured."""
        return _off(self.predicted, [r.ms for r in self.rows])

    def off_of(self, element: str) -> float:
        """The same of one element."""
        mine = [n for n, r in enumerate(self.rows) if r.element == element]
        return _off(self.predicted[mine], [self.rows[n].ms for n in mine])


def _off(predicted: np.ndarray, ms: Sequence[float]) -> float:
    return float(np.mean(np.abs(predicted - np.array(ms)) / np.array(ms)))


def flops_of(element: Element | None, route: str, setting: str, step: float) -> float:
    """Operations of a covered pixel of an element."""
    if isinstance(element, Flipbook):
        return operations(element)
    if route == "volume":
        samples = step if setting == "samples" else getattr(getattr(element, "player", None), "samples", 48)
        return FLOPS["volume"] * max(1.0, float(samples))
    return FLOPS.get(route, 30.0)


def read_rows(file: Path, elements: Sequence[Element] = ()) -> tuple[Row, ...]:
    """The table that a package's page writes.

    Raises
    ------
    BadInput
        Not that table, no number, or too few rows that took any time.
    """
    text = read_file(file, "a table of measured times", MOST_BYTES).decode("utf-8", errors="replace")
    table = list(csv.reader(io.StringIO(text)))
    if not table or tuple(table[0]) != COLUMNS:
        raise BadInput("is no table of measured times", "the one that a package's page writes", file)
    known, found = {e.id: e for e in elements}, []
    for n, row in enumerate(table[1:], 2):
        if not row:
            continue
        try:
            name, route, setting, *numbers = row
            step, parts, covered, _, _, ms = (float(v) for v in numbers)
        except ValueError:
            raise BadInput(
                f"{','.join(row)[:60]} is no row of it", ",".join(COLUMNS), file, f"line {n}"
            ) from None
        if not all(map(math.isfinite, (step, parts, covered, ms))) or min(parts, covered, ms) < 0:
            raise BadInput("holds a number that cannot be", "numbers from 0 on", file, f"line {n}")
        if ms > 0:
            found.append(
                Row(name, route, parts, covered, flops_of(known.get(name), route, setting, step), ms)
            )
    if len(found) < LEAST_ROWS:
        raise BadInput(f"has {len(found)} rows that took any time", f"{LEAST_ROWS} or more", file)
    return tuple(found)


def is_table(file: Path) -> bool:
    """Whether a file begins as such a table does."""
    try:
        with open(file, encoding="utf-8", errors="replace") as read:
            return read.readline(400).strip() == ",".join(COLUMNS)
    except OSError:
        return False


def fitted(rows: Sequence[Row], like: Device, id: str, name: str, source: str) -> Fit:
    """A device's profile from what was measured on it.

    Parameters
    ----------
    like : the device whose other figures it has: memory, sizes, formats, and what none of the rows tells
    source : by what it was measured, in words
    """
    ms = np.array([r.ms for r in rows])
    covered = np.array([r.covered for r in rows])
    parts, flops = np.array([r.parts for r in rows]), np.array([r.flops for r in rows])
    blended = 2.0 * like.target_bytes + DEPTH_BYTES
    work = np.stack([covered * like.target_bytes / PLAIN_TARGET, covered * flops, covered * blended])
    names = list(dict.fromkeys(r.element for r in rows))
    own = np.array([[float(r.element == name) for name in names] for r in rows])
    drawn = (parts > 0).astype(float)
    rest = np.column_stack([parts, drawn, own])
    prior = 1e3 / np.array(
        [like.fill_gpixel_s * 1e9, like.arithmetic_gflop_s * 1e9, like.bandwidth_gb_s * 1e9]
    )
    best = min((_rounds(work, rest, ms, bound) for bound in _starts(rows, work, prior)), key=lambda f: f[0])
    _, rates, others, bound = best
    rates = _unbound(rates, prior, work, bound)
    predicted = (rates[:, None] * work).max(axis=0) + rest @ others
    per = [1e3 / rate / 1e9 for rate in rates]
    device = like.model_copy(
        update={
            "id": id,
            "name": name,
            "about": f"Measured; what was not measured is as on {like.name}.",
            "fill_gpixel_s": _held(per[0]),
            "arithmetic_gflop_s": _held(per[1]),
            "bandwidth_gb_s": _held(per[2]),
            "draw_call_us": max(0.0, float(f"{1e3 * others[1]:.4g}")),
            "calibrated": source,
        }
    )
    still = {n: float(v) for n, v in zip(names, others[2:])}
    return Fit(device, tuple(rows), predicted, still, tuple(PASSES[k] for k in bound))


def _held(value: float) -> float:
    return float(f"{min(max(value, 1e-6), 9e5):.5g}")


def _starts(rows: Sequence[Row], work: np.ndarray, prior: np.ndarray) -> Iterator[np.ndarray]:
    """Which pass may bound each row: every way for few kinds of drawing (one pass bounds all rows of a kind,
    for each grows with the pixels), else what the device that it is like says, and one for all."""
    kinds = list(dict.fromkeys((r.element, r.flops) for r in rows))
    of = np.array([kinds.index((r.element, r.flops)) for r in rows])
    yield np.argmax(prior[:, None] * work, axis=0)
    ways = itertools.product(range(len(PASSES)), repeat=len(kinds)) if len(kinds) <= MOST_KINDS else ()
    for way in ways:
        yield np.array(way)[of]
    for k in range(len(PASSES)):
        yield np.full(len(rows), k)


def _rounds(
    work: np.ndarray, rest: np.ndarray, ms: np.ndarray, bound: np.ndarray
) -> tuple[float, np.ndarray, np.ndarray, np.ndarray]:
    """Coefficients by alternation from which pass bounds each row: squared relative error, those of the
    passes, the others, and which pass bounds each row then."""
    weight = 1.0 / ms
    scale = np.maximum(np.abs(np.concatenate([work, rest.T])).max(axis=1), 1e-30)
    best: tuple[float, np.ndarray, np.ndarray, np.ndarray] | None = None
    for _ in range(ROUNDS):
        active = np.where(np.arange(len(work))[:, None] == bound, work, 0.0)
        matrix = np.concatenate([active, rest.T]) / scale[:, None]
        solved, _ = nnls((matrix * weight).T, ms * weight)
        solved = solved / scale
        rates, others = solved[: len(work)], solved[len(work) :]
        predicted = (rates[:, None] * work).max(axis=0) + rest @ others
        error = float((((predicted - ms) * weight) ** 2).sum())
        if best is None or error < best[0]:
            best = (error, rates, others, bound)
        now = np.argmax(rates[:, None] * work, axis=0)
        if np.array_equal(now, bound):
            break
        bound = now
    assert best is not None
    return best


def _unbound(rates: np.ndarray, prior: np.ndarray, work: np.ndarray, bound: np.ndarray) -> np.ndarray:
    """Coefficients in which a pass that bounds no row is as before, as far as it then bounds none."""
    found = rates.copy()
    time = (rates[:, None] * work).max(axis=0)
    for k in range(len(rates)):
        if rates[k] > 0 and (bound == k).any():
            continue
        there = work[k] > 0
        most = float((time[there] / work[k][there]).min()) if there.any() else prior[k]
        found[k] = min(prior[k], most) if most > 0 else prior[k]
    return found


def calibrate(file: Path, like: Device, id: str, name: str = "", elements: Sequence[Element] = ()) -> Fit:
    """Fit a profile to a table of measured times; see `read_rows` and `fitted`."""
    rows = read_rows(file, elements)
    fit = fitted(rows, like, id, name or id, f"{Path(file).name}, {date.today().isoformat()}")
    words = f"{fit.device.calibrated}, off by {100 * fit.off:.0f} %"
    device = Device.model_validate(fit.device.model_dump() | {"calibrated": words})
    return Fit(device, fit.rows, fit.predicted, fit.still, fit.bound)


def write_device(device: Device, folder: Path | None = None) -> Path:
    """Write a profile where profiles are looked for, or into another folder; its file."""
    place = (folder or own_profiles()) / f"{device.id}.json"
    place.parent.mkdir(parents=True, exist_ok=True)
    write_atomic(place, device.model_dump_json(indent=1).encode() + b"\n")
    read_again()
    return place
