"""OpenVDB files: read back, and read by the library that made the format."""

from __future__ import annotations

import json
import re
import shutil
import subprocess
from pathlib import Path

import numpy as np
import pytest

from tenka.base.errors import BadInput
from tenka.package.openvdb import Field, dumps
from tenka.package.openvdbread import load

SYSTEM = "/usr/bin/python3"
REFERENCE = """
import json, sys
import numpy as np
import pyopenvdb as vdb
grids, about = vdb.readAll(sys.argv[1])
told = {"about": {k: str(v) for k, v in about.items()}}
for grid in grids:
    low, high = grid.evalActiveVoxelBoundingBox()
    shape = [b - a + 1 for a, b in zip(low, high)]
    vector = "vec3" in grid.valueTypeName
    values = np.zeros(shape + ([3] if vector else []), np.float32)
    grid.copyToArray(values, ijk=low)
    np.save(sys.argv[2] + grid.name + ".npy", values)
    told[grid.name] = {
        "low": low, "high": high, "active": grid.activeVoxelCount(), "half": grid.saveFloatAsHalf,
        "middle": grid.transform.indexToWorld((0.0, 0.0, 0.0)), "voxel": grid.transform.voxelSize()[0],
        "class": str(grid.gridClass),
    }
print(json.dumps(told))
"""


def blob(shape: tuple[int, int, int], seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    """A lump with holes, and which voxels are kept."""
    rng = np.random.default_rng(seed)
    away = np.linalg.norm(np.indices(shape).T / np.array(shape) - 0.45, axis=-1).T
    values = np.clip(0.42 - away + 0.05 * rng.normal(size=shape), 0, None).astype(np.float32)
    return values, values > 0.01


def by_reference(file: Path) -> tuple[dict, dict[str, np.ndarray]]:
    """What the format's own library reads."""
    said = subprocess.run([SYSTEM, "-c", REFERENCE, str(file), f"{file}_"], capture_output=True, text=True)
    assert said.returncode == 0, said.stderr
    told = json.loads(said.stdout)
    return told, {name: np.load(f"{file}_{name}.npy") for name in told if name != "about"}


@pytest.mark.parametrize("half", [True, False])
@pytest.mark.parametrize("first", [(0, 0, 0), (-5, 3, 130), (4090, -4100, 7)])
def test_what_is_written_is_read_back_and_by_the_formats_own_library(
    tmp_path: Path, half: bool, first: tuple
):
    values, active = blob((37, 20, 45))
    velocity = np.stack([values, -2 * values, 0.5 - values], axis=3)
    file = tmp_path / "a.vdb"
    fields = [Field("density", values), Field("temperature", 900 * values), Field("velocity", velocity)]
    file.write_bytes(dumps(fields, active, 0.05, (1.0, -2.0, 0.25), first, half, {"creator": "Tenka"}))
    found, (told, read) = load(file), by_reference(file)
    held = np.argwhere(active)
    low, high = held.min(axis=0), held.max(axis=0) + 1
    inside = tuple(slice(a, b) for a, b in zip(low, high))
    kind = np.float16 if half else np.float32
    assert found.first == tuple(low + np.array(first)) and found.voxel == 0.05
    assert np.array_equal(found.active, active[inside]) and told["about"]["creator"] == "Tenka"
    for field in fields:
        kept = active if field.values.ndim == 3 else active[..., None]
        want = np.where(kept, field.values, 0)[inside].astype(kind).astype(np.float32)
        assert np.array_equal(found.fields[field.name], want)
        assert np.array_equal(read[field.name], want)
        row = told[field.name]
        assert row["active"] == active.sum() and row["half"] == half
        assert row["low"] == list(found.first) and row["middle"] == pytest.approx([1.0, -2.0, 0.25])
        assert row["voxel"] == pytest.approx(0.05)
    assert "FOG" in told["density"]["class"].upper()


def test_the_printer_of_the_format_agrees(tmp_path: Path):
    values, active = blob((30, 30, 30))
    file = tmp_path / "a.vdb"
    file.write_bytes(dumps([Field("density", values)], active, 0.1, (0.05, 0.05, 0.05)))
    said = subprocess.run([shutil.which("vdb_print") or "vdb_print", "-l", str(file)], capture_output=True)
    text = said.stdout.decode()
    assert said.returncode == 0, text
    count = re.search(r"active voxels:\s+([\d,]+)", text)
    assert count is not None and int(count[1].replace(",", "")) == active.sum()
    assert "voxel size: 0.1" in text and "Tree_float_5_4_3" in text


@pytest.mark.parametrize("half", [True, False])
def test_nothing_is_a_file_too_and_the_same_fields_are_the_same_bytes(tmp_path: Path, half: bool):
    values, active = blob((20, 9, 13))
    none = np.zeros_like(active)
    file = tmp_path / "none.vdb"
    file.write_bytes(dumps([Field("density", values)], none, 0.1, (0.0, 0.0, 0.0), half=half))
    assert load(file).active.shape == (0, 0, 0)
    fields = [Field("density", values)]
    assert dumps(fields, active, 0.1, (0, 0, 0)) == dumps(fields, active, 0.1, (0, 0, 0))


def test_a_sparse_file_is_smaller_than_its_box_and_grows_with_what_it_holds(tmp_path: Path):
    values, active = blob((64, 64, 64))
    thin = active & (values > 0.2)
    sizes = [len(dumps([Field("density", values)], a, 0.1, (0, 0, 0))) for a in (thin, active)]
    assert sizes[0] < 0.6 * sizes[1] < 0.6 * values.size * 2


@pytest.mark.parametrize("cut", [0, 7, 60, 400, 9000, -1])
def test_what_is_broken_is_one_sentence(tmp_path: Path, cut: int):
    values, active = blob((20, 20, 20))
    data = dumps([Field("density", values)], active, 0.1, (0, 0, 0))
    file = tmp_path / "broken.vdb"
    file.write_bytes(data[:cut])
    with pytest.raises(BadInput, match="broken off or not a volume"):
        load(file)


def test_bytes_by_chance_are_refused_or_read_but_never_crash(tmp_path: Path):
    values, active = blob((12, 12, 12))
    data = dumps([Field("density", values)], active, 0.1, (0, 0, 0))
    rng, file = np.random.default_rng(3), tmp_path / "a.vdb"
    refused = 0
    for _ in range(60):
        spoiled = bytearray(data)
        for at in rng.integers(0, len(data), 3):
            spoiled[at] = int(rng.integers(0, 256))
        file.write_bytes(bytes(spoiled))
        try:
            load(file)
        except BadInput:
            refused += 1
    assert refused > 0


def test_a_harmed_file_is_read_or_refused_in_a_sentence_whatever_its_blocks_hold(tmp_path: Path):
    rng = np.random.default_rng(5)
    values = rng.random((20, 18, 17)).astype(np.float32)
    good = dumps([Field("density", values)], values > 0.2, 0.1, (0.0, 0.0, 0.0))
    file, refused = tmp_path / "a.vdb", 0
    for n in range(600):
        data = bytearray(good)
        for at in rng.integers(len(good) // 3 if n % 2 else 0, len(good), int(rng.integers(1, 5))):
            data[at] = int(rng.integers(256))
        file.write_bytes(bytes(data[: int(rng.integers(len(good)))] if n % 10 == 0 else data))
        try:
            load(file)
        except BadInput:
            refused += 1
    assert refused > 30
