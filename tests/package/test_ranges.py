"""Every number of a package has a range, and what is beyond it is refused before anything is drawn."""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tenka.base.errors import BadInput
from tenka.base.exr import exr_bytes, read_exr
from tenka.package import manifest
from tenka.proof.engine import Package


def numbers_without_a_range(node: Any, path: str = "") -> Iterator[str]:
    """Places of a schema that take any number."""
    if isinstance(node, list):
        for n, item in enumerate(node):
            yield from numbers_without_a_range(item, f"{path}[{n}]")
    if not isinstance(node, dict):
        return
    known = node.get("tenka", {})
    if isinstance(known, dict) and known.get("low") is not None and known.get("high") is not None:
        return  # checked from the catalogue, vectors and courses too
    if node.get("type") in ("number", "integer") and not {"const", "enum"} & set(node):
        low, high = {"minimum", "exclusiveMinimum"}, {"maximum", "exclusiveMaximum"}
        if not (low & set(node) and high & set(node)):
            yield path
    for key, item in node.items():
        yield from numbers_without_a_range(item, f"{path}/{key}")


def test_every_number_of_a_manifest_has_a_range():
    assert list(numbers_without_a_range(manifest.schema())) == []


def test_the_schema_tells_the_ranges_of_settings():
    player = manifest.schema()["$defs"]["Player"]["properties"]
    assert player["count"]["minimum"] == 1 and player["count"]["maximum"] == 2000


@pytest.mark.parametrize("light", (-1e308, 1e308, 1e10))
def test_a_light_beyond_all_bounds_is_refused(packed: Path, tmp_path: Path, light: float):
    folder = tmp_path / "package"
    shutil.copytree(packed, folder)
    tree = json.loads((folder / manifest.MANIFEST).read_text())
    row = [0.0, 0.0, 2.0, light, 1.0, 1.0, 0.01] + [0.0] * 7
    tree["set"]["lights"] = [{"name": "Lamp", "rate": 24, "rows": [row]}]
    (folder / manifest.MANIFEST).write_text(json.dumps(tree))
    with pytest.raises(BadInput, match="1000000000"):
        Package(folder)


@pytest.mark.parametrize("value", (np.nan, np.inf, -np.inf, 3e38))
def test_a_texture_with_what_is_no_number_or_a_huge_one_is_refused(tmp_path: Path, value: float):
    values = np.ones((4, 6, 4), np.float32)
    values[2, 3, 1] = value
    file = tmp_path / "a.exr"
    file.write_bytes(exr_bytes(values))
    with pytest.raises(BadInput, match="no number, or a huge one"):
        read_exr(file, 6, 4)
