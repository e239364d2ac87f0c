"""Points on disk: PLY, CSV and NPZ, single or in a sequence, read and written."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.files import stamp_of_file, write_atomic
from tenka.effect.model import PointSource
from tenka.effect.storage import read_file

KINDS = (".ply", ".csv", ".npz")
MOST_BYTES = 2 * 1024**3
MOST_POINTS = 20_000_000
VELOCITIES = (("vx", "vy", "vz"), ("velocity_x", "velocity_y", "velocity_z"))
COLOURS = (("red", "green", "blue"), ("r", "g", "b"))
WIDTHS = ("width", "size", "diameter")


@dataclass(frozen=True)
class Cloud:
    """Points of a file.

    Attributes
    ----------
    place : (n, 3) m; velocity : (n, 3) m/s or None; colour : (n, 3) linear or None; width : (n,) m or None; id : (n,) or None
    """

    place: np.ndarray
    velocity: np.ndarray | None = None
    colour: np.ndarray | None = None
    width: np.ndarray | None = None
    id: np.ndarray | None = None


def points_file(source: PointSource, folder: Path | None) -> Path:
    """Where a source's points are on disk; files are relative to the effect's folder."""
    file = Path(source.file)
    return file if file.is_absolute() else (folder or Path.cwd()) / file


@lru_cache(maxsize=256)
def sequence(first: Path) -> tuple[Path, ...]:
    """The files of a sequence from its first on: the last number in the name counts up by one; a file without one is alone."""
    match = re.search(r"(\d+)(?=\D*$)", first.stem)
    if match is None:
        return (first,)
    found, number, digits = [first], int(match.group(1)), len(match.group(1))
    while len(found) < 100_000:
        number += 1
        name = first.stem[: match.start()] + str(number).zfill(digits) + first.stem[match.end() :] + first.suffix
        following = first.with_name(name)
        if not following.exists():
            break
        found.append(following)
    return tuple(found)


def cloud_at(source: PointSource, folder: Path | None, frame: int) -> Cloud:
    """The points of a source's file at a frame of its sequence, in m; the last one holds.

    Raises
    ------
    BadInput
        A file that is missing, broken, of another kind, with values that are not finite, or too large.
    """
    if not source.file:
        raise BadInput("has no file of points", "a PLY, CSV or NPZ file", place=f"source {source.name}")
    files = sequence(points_file(source, folder))
    cloud = read(files[min(max(frame, 0), len(files) - 1)])
    k = source.file_scale
    return Cloud(cloud.place * k, None if cloud.velocity is None else cloud.velocity * k, cloud.colour, None if cloud.width is None else cloud.width * k,
                 cloud.id)  # fmt: skip


def read(file: Path) -> Cloud:
    """Points of one file; raises as `cloud_at` does."""
    if file.suffix.lower() not in KINDS:
        raise BadInput(f"'{file.suffix}' is no kind of point file", "PLY, CSV or NPZ", file)
    return _read(file, stamp_of_file(file, "a file of points"))


@lru_cache(maxsize=6)
def _read(file: Path, stamp: int) -> Cloud:
    data = read_file(file, "a file of points", MOST_BYTES)
    try:
        columns = {".ply": _ply, ".csv": _csv, ".npz": _npz}[file.suffix.lower()](data)
    except BadInput as error:
        raise BadInput(str(error), file=file) from None
    except Exception:  # parsers raise whatever they meet
        raise BadInput("broken off or not a point file", "PLY, CSV or NPZ with x, y and z", file) from None
    lower = {name.lower().split(" (")[0].strip(): values for name, values in columns.items()}
    if not all(a in lower for a in "xyz"):
        raise BadInput("has no places", "columns x, y and z", file)
    n = len(lower["x"])
    if n > MOST_POINTS:
        raise BadInput(f"holds {n:,} points", f"at most {MOST_POINTS:,}", file)

    def three(groups: tuple[tuple[str, str, str], ...]) -> np.ndarray | None:
        names = next((g for g in groups if all(a in lower for a in g)), None)
        return None if names is None else np.stack([lower[a] for a in names], axis=1).astype(np.float64)

    place, velocity, colour = three((("x", "y", "z"),)), three(VELOCITIES), three(COLOURS)
    width = next((lower[w].astype(np.float64) for w in WIDTHS if w in lower), None)
    for what, values in (("a place", place), ("a velocity", velocity), ("a colour", colour), ("a size", width)):
        if values is not None and not np.isfinite(values).all():
            row = int(np.argwhere(~np.isfinite(values.reshape(n, -1)).all(axis=1))[0, 0])
            raise BadInput(f"point {row + 1} has {what} that is not a number", "finite values", file)
    if colour is not None and n and lower[next(g for g in COLOURS if g[0] in lower)[0]].dtype.kind in "iu":
        colour = colour / 255.0
    assert place is not None
    id = lower["id"].astype(np.int64) if "id" in lower else None
    return Cloud(place, velocity, colour, width, id)


def _ply(data: bytes) -> dict[str, np.ndarray]:
    from plyfile import PlyData

    vertex = PlyData.read(io.BytesIO(data))["vertex"]
    return {p.name: np.asarray(vertex[p.name]) for p in vertex.properties}


def _csv(data: bytes) -> dict[str, np.ndarray]:
    rows = list(csv.reader(io.StringIO(data.decode("utf-8-sig"))))
    if len(rows) < 1:
        raise BadInput("is empty")
    head = rows[0]
    out: dict[str, list[float]] = {name: [] for name in head}
    for number, row in enumerate(rows[1:], 2):
        if not row:
            continue
        if len(row) != len(head):
            raise BadInput(f"line {number} has {len(row)} values where the head has {len(head)}")
        for name, text in zip(head, row):
            try:
                out[name].append(float(text))
            except ValueError:
                raise BadInput(f"line {number} has '{text[:20]}' where a number was expected") from None
    return {name: np.array(values) for name, values in out.items()}


def _npz(data: bytes) -> dict[str, np.ndarray]:
    with np.load(io.BytesIO(data), allow_pickle=False) as found:
        arrays = {name: found[name] for name in found.files}
    out: dict[str, np.ndarray] = {}
    for name, values in arrays.items():
        if values.ndim == 2 and values.shape[1] == 3:
            names = {
                "place": "xyz",
                "position": "xyz",
                "points": "xyz",
                "velocity": VELOCITIES[0],
                "colour": COLOURS[0],
                "color": COLOURS[0],
            }.get(name)
            if names is not None:
                out |= {column: values[:, c] for c, column in enumerate(names)}
        elif values.ndim == 1:
            out[name] = values
    return out


@dataclass(frozen=True)
class Column:
    """A value of each point that is written and shown in tables."""

    name: str
    unit: str
    values: np.ndarray

    @property
    def head(self) -> str:
        return f"{self.name} ({self.unit})" if self.unit else self.name


def csv_bytes(columns: list[Column]) -> bytes:
    """A table with a head that names units."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([c.head for c in columns])
    writer.writerows(zip(*(c.values.tolist() if c.values.dtype.kind in "iu" else [f"{v:.7g}" for v in c.values.tolist()] for c in columns)))
    return out.getvalue().encode()


def write_points(file: Path, columns: list[Column]) -> None:
    """Write a PLY (binary), CSV or NPZ file, whole or not at all."""
    kind = file.suffix.lower()
    if kind == ".csv":
        write_atomic(file, csv_bytes(columns))
    elif kind == ".npz":
        out = io.BytesIO()
        named: dict[str, np.ndarray] = {c.name: c.values for c in columns}
        np.savez_compressed(out, **named)  # type: ignore[arg-type]
        write_atomic(file, out.getvalue())
    elif kind == ".ply":
        from plyfile import PlyData, PlyElement

        kinds = [(c.name, "f8" if c.values.dtype == np.float64 else "i4" if c.values.dtype.kind in "iu" else "f4") for c in columns]
        rows = np.empty(len(columns[0].values), kinds)
        for c in columns:
            rows[c.name] = c.values
        out = io.BytesIO()
        PlyData([PlyElement.describe(rows, "vertex")], byte_order="<").write(out)
        write_atomic(file, out.getvalue())
    else:
        raise BadInput(f"'{file.suffix}' is no kind of point file", "PLY, CSV or NPZ", file)
