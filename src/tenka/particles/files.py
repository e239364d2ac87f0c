"""Points on disk: PLY, CSV and NPZ, single or in a sequence, read and written."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from array import array
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.base.files import read_file, stamp_of_file, write_atomic
from tenka.base.heads import check_ply
from tenka.base.srgb import from_srgb
from tenka.effect.model import PointSource

KINDS = (".ply", ".csv", ".npz")
MOST_BYTES = 2 * 1024**3
MOST_POINTS = 20_000_000
MOST_COLUMNS = 256
MOST_PLACE = 1e6  # m
MOST_SPEED = 3e4  # m/s
MOST_WIDTH = 1e4  # m
MOST_LIGHT = 1e4
ID_BITS = 44
VELOCITIES = (
    ("vx", "vy", "vz"),
    ("velocity_x", "velocity_y", "velocity_z"),
    ("velocity.x", "velocity.y", "velocity.z"),
)
COLOURS = (
    ("red", "green", "blue"),
    ("r", "g", "b"),
    ("diffuse_red", "diffuse_green", "diffuse_blue"),
    ("colour_r", "colour_g", "colour_b"),
    ("color_r", "color_g", "color_b"),
    ("colour.r", "colour.g", "colour.b"),
    ("color.r", "color.g", "color.b"),
)
WIDTHS = ("width", "size", "diameter")
IDS = ("id", "number")
TRIPLES = {
    "place": ("x", "y", "z"),
    "position": ("x", "y", "z"),
    "positions": ("x", "y", "z"),
    "points": ("x", "y", "z"),
    "velocity": VELOCITIES[0],
    "velocities": VELOCITIES[0],
    "colour": COLOURS[0],
    "colours": COLOURS[0],
    "color": COLOURS[0],
    "colors": COLOURS[0],
}
"""Arrays of three columns in an NPZ file, and the columns that they stand for."""


@dataclass(frozen=True)
class Cloud:
    """Points of a file.

    Attributes
    ----------
    place : (n, 3) m; velocity : (n, 3) m/s or None; colour : (n, 3) as the file has it, 0 to 1, or None
    width : (n,) m or None; id : (n,) or None
    whole : whether the colours were whole numbers up to 255, which are display values
    ignored : names of columns that nothing here reads
    """

    place: np.ndarray
    velocity: np.ndarray | None = None
    colour: np.ndarray | None = None
    width: np.ndarray | None = None
    id: np.ndarray | None = None
    whole: bool = False
    ignored: tuple[str, ...] = ()


def points_file(source: PointSource, folder: Path | None) -> Path:
    """Where a source's points are on disk; files are relative to the effect's folder."""
    file = Path(source.file)
    return file if file.is_absolute() else (folder or Path.cwd()) / file


@lru_cache(maxsize=256)
def sequence(first: Path) -> tuple[Path, ...]:
    """The files of a sequence from its first on: the last number in the name counts up by one; a file without
    one is alone."""
    match = re.search(r"(\d{1,12})(?=\D*$)", first.stem)
    if match is None:
        return (first,)
    found, number, digits = [first], int(match.group(1)), len(match.group(1))
    while len(found) < 100_000:
        number += 1
        name = (
            first.stem[: match.start()] + str(number).zfill(digits) + first.stem[match.end() :] + first.suffix
        )
        following = first.with_name(name)
        if not following.exists():
            break
        found.append(following)
    return tuple(found)


def cloud_at(source: PointSource, folder: Path | None, frame: int) -> Cloud:
    """The points of a source's file at a frame of its sequence, in m and linear light; the last one holds.

    Raises
    ------
    BadInput
        A file that is missing, broken, of another kind, with values that are not finite, or too large.
    """
    if not source.file:
        raise BadInput("has no file of points", "a PLY, CSV or NPZ file", place=f"source {source.name}")
    files = sequence(points_file(source, folder))
    cloud = read(files[min(max(frame, 0), len(files) - 1)])
    colour = cloud.colour
    if colour is not None and source.file_colours == ("by type" if cloud.whole else "display"):
        colour = from_srgb(colour)
    k = source.file_scale
    return Cloud(
        cloud.place * k,
        None if cloud.velocity is None else np.clip(cloud.velocity * k, -MOST_SPEED, MOST_SPEED),
        colour,
        None if cloud.width is None else cloud.width * k,
        cloud.id,
        cloud.whole,
        cloud.ignored,
    )


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
        raise BadInput(str(error).rstrip("."), file=file) from None
    except Exception:  # parsers raise whatever they meet
        raise BadInput("broken off or not a point file", "PLY, CSV or NPZ with x, y and z", file) from None
    found = {name.lower().split(" (")[0].strip(): values for name, values in columns.items()}
    if not all(a in found for a in "xyz"):
        raise BadInput("has no places", "columns x, y and z", file)
    return _cloud(found, file)


def _cloud(columns: dict[str, np.ndarray], file: Path) -> Cloud:
    """Columns as points, all of one length and within what a particle can have."""
    n, used = len(columns["x"]), set("xyz")
    if n > MOST_POINTS:
        raise BadInput(f"holds {n:,} points", f"at most {MOST_POINTS:,}", file)

    def one(name: str, what: str, low: float, high: float) -> np.ndarray:
        values = columns[name]
        if values.ndim != 1 or len(values) != n:
            raise BadInput(f"has {len(values):,} values of {name} for {n:,} points", "one for each", file)
        if values.dtype.kind not in "iufb":
            raise BadInput(f"has text in {name}", "numbers", file)
        used.add(name)
        with np.errstate(invalid="ignore"):
            bad = ~((values >= low) & (values <= high))
        if bad.any():
            row = int(np.argmax(bad))
            said = "that is not a number" if not np.isfinite(values[row]) else f"of {values[row]:g}"
            raise BadInput(f"point {row + 1} has {what} {said}", f"{low:g} to {high:g}", file)
        return values

    def three(groups: tuple[tuple[str, ...], ...], what: str, low: float, high: float) -> np.ndarray | None:
        names = next((g for g in groups if all(a in columns for a in g)), None)
        if names is None:
            return None
        return np.stack([one(a, what, low, high) for a in names], axis=1)

    place = three((("x", "y", "z"),), "a place", -MOST_PLACE, MOST_PLACE)
    velocity = three(VELOCITIES, "a velocity", -MOST_SPEED, MOST_SPEED)
    colour = three(COLOURS, "a colour", 0.0, MOST_LIGHT)
    widths = next((w for w in WIDTHS if w in columns), None)
    ids = next((i for i in IDS if i in columns), None)
    width = None if widths is None else one(widths, "a size", 0.0, MOST_WIDTH).astype(np.float64)
    id = None if ids is None else one(ids, "an id", 0, 2**ID_BITS - 1).astype(np.int64)
    whole = colour is not None and colour.dtype.kind in "iu"
    assert place is not None
    return Cloud(
        place.astype(np.float64),
        None if velocity is None else velocity.astype(np.float64),
        None if colour is None else colour.astype(np.float64) / (255.0 if whole else 1.0),
        width,
        id,
        whole,
        tuple(sorted(set(columns) - used)),
    )


def _ply(data: bytes) -> dict[str, np.ndarray]:
    """The vertices of a PLY file; what its head announces is held against its size before anything is
    made."""
    from plyfile import PlyData

    check_ply(data)
    vertex = PlyData.read(io.BytesIO(data))["vertex"]
    return {p.name: np.asarray(vertex[p.name]) for p in vertex.properties}


def _csv(data: bytes) -> dict[str, np.ndarray]:
    rows = csv.reader(io.StringIO(data.decode("utf-8-sig")))
    head = [name.strip() for name in next(rows, [])]
    if not head:
        raise BadInput("is empty")
    if len(head) > MOST_COLUMNS:
        raise BadInput(f"has {len(head):,} columns")
    twice = next((name for name in head if head.count(name) > 1), None)
    if twice is not None:
        raise BadInput(f"has two columns called '{twice[:20]}'")
    out = [array("d") for _ in head]
    for row in rows:
        if not row:
            continue
        if len(row) != len(head):
            raise BadInput(f"line {rows.line_num} has {len(row)} values where the head has {len(head)}")
        for values, text in zip(out, row):
            try:
                values.append(float(text))
            except ValueError:
                raise BadInput(
                    f"line {rows.line_num} has '{text[:20]}' where a number was expected"
                ) from None
    return {
        name: np.frombuffer(values, np.float64).copy() if values else np.zeros(0)
        for name, values in zip(head, out)
    }


def _npz(data: bytes) -> dict[str, np.ndarray]:
    """Columns of an NPZ file; the head of each array is held against what may be unpacked before it is."""
    wanted = {"x", "y", "z", *WIDTHS, *IDS, *TRIPLES, *(a for g in (*VELOCITIES, *COLOURS) for a in g)}
    out: dict[str, np.ndarray] = {}
    with zipfile.ZipFile(io.BytesIO(data)) as box:
        for item in box.infolist():
            name = item.filename.removesuffix(".npy").lower()
            if not item.filename.endswith(".npy") or name not in wanted:
                out[name[:40]] = np.zeros(0)  # named among what was ignored
                continue
            with box.open(item) as opened:
                version = np.lib.format.read_magic(opened)
                reader = np.lib.format.read_array_header_1_0
                shape, _, kind = (reader if version == (1, 0) else np.lib.format.read_array_header_2_0)(
                    opened
                )
                if kind.hasobject or len(shape) > 2 or any(n > MOST_POINTS for n in shape):
                    raise BadInput(f"holds {name} as {kind} of {' x '.join(map(str, shape))}")
            with box.open(item) as opened:
                values = np.lib.format.read_array(opened, allow_pickle=False)
            if values.ndim == 2 and values.shape[1] == 3 and name in TRIPLES:
                out |= {column: values[:, c] for c, column in enumerate(TRIPLES[name])}
            elif values.ndim == 1 and name not in TRIPLES:
                out[name] = values
            else:
                raise BadInput(f"holds {name} as {' x '.join(map(str, values.shape))}")
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
    writer.writerows(
        zip(
            *(
                c.values.tolist() if c.values.dtype.kind in "iu" else [f"{v:.7g}" for v in c.values.tolist()]
                for c in columns
            )
        )
    )
    return out.getvalue().encode()


def _ply_kind(values: np.ndarray) -> str:
    """The format's kind of number for a column: its whole numbers have 32 bits, so that larger ones go as
    doubles, which hold them exactly up to 2^53."""
    if values.dtype.kind in "iu":
        within = not values.size or (values.min() >= -(2**31) and values.max() < 2**31)
        return "i4" if within else "f8"
    return "f8" if values.dtype == np.float64 else "f4"


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

        kinds = [(c.name, _ply_kind(c.values)) for c in columns]
        rows = np.empty(len(columns[0].values), kinds)
        for c in columns:
            rows[c.name] = c.values
        out = io.BytesIO()
        PlyData([PlyElement.describe(rows, "vertex")], byte_order="<").write(out)
        write_atomic(file, out.getvalue())
    else:
        raise BadInput(f"'{file.suffix}' is no kind of point file", "PLY, CSV or NPZ", file)
