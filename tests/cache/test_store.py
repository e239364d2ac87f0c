"""The frame store believes nothing that a file says of itself."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from build import frame_of

from tenka.base.errors import BadInput
from tenka.cache.store import MAGIC, FrameStore, sealed
from tenka.run.frames import get_points
from tenka.run.liquids import get_liquid
from tenka.run.watering import get_water


def stored(tmp_path: Path) -> FrameStore:
    store = FrameStore(tmp_path)
    store.put_frame("f", frame_of(np.ones((6, 5, 4), np.float32)))
    return store


def with_head(store: FrameStore, name: str, change: Callable[[dict[str, Any]], None]) -> None:
    """Change a file's head, and seal it as the store itself would."""
    body = store.body(name)
    start = len(MAGIC) + 4
    (size,) = struct.unpack_from("<I", body, len(MAGIC))
    head = json.loads(body[start : start + size])
    change(head)
    told = json.dumps(head).encode()
    whole = MAGIC + struct.pack("<I", len(told)) + told + body[start + size :]
    (store.folder / name).write_bytes(sealed(whole, store._key))


def row(head: dict[str, Any], **changes: object) -> None:
    head["arrays"][0] |= changes


@pytest.mark.parametrize(
    "change",
    (
        lambda h: row(h, shape=[2, 2, 2]),  # the block would be written past the array
        lambda h: row(h, shape=[60, 50, 40]),
        lambda h: row(h, shape=[-6, -5, 4]),
        lambda h: row(h, shape=[2**40, 2**20, 4]),
        lambda h: row(h, shape=[6, 5]),
        lambda h: row(h, shape="654"),
        lambda h: row(h, dtype="<f8"),
        lambda h: row(h, dtype="|O"),
        lambda h: row(h, dtype="<i4"),
        lambda h: row(h, bytes=7),
        lambda h: row(h, bytes=10**9),
        lambda h: row(h, name="other"),
        lambda h: h["meta"].pop("origin"),
        lambda h: h["meta"].pop("voxel"),
        lambda h: h["meta"].update(voxel=0.0),
        lambda h: h["meta"].update(origin=[0.0, 1e999, 0.0]),
        lambda h: h["meta"].update(origin=7),
        lambda h: h.update(meta=[]),
        lambda h: h.pop("arrays"),
        lambda h: h.update(arrays=[[]]),
    ),
)
def test_a_head_that_does_not_fit_its_arrays_is_no_frame_though_its_checksum_is_good(
    change: Callable[[dict[str, Any]], None], tmp_path: Path
):
    store = stored(tmp_path)
    with_head(store, "f", lambda head: None)
    assert store.get_frame("f") is not None
    with_head(store, "f", change)
    assert store.get_frame("f") is None
    assert not store.has("f") and not (tmp_path / "f").exists()


@pytest.mark.parametrize("read", (get_points, get_water, get_liquid))
def test_a_frame_of_another_kind_is_none_of_this(read: Callable[[FrameStore, str], object], tmp_path: Path):
    store = stored(tmp_path)
    assert read(store, "f") is None and not store.has("f")


def test_a_file_that_came_from_another_store_is_not_taken_but_can_be_adopted(tmp_path: Path):
    ours, theirs = stored(tmp_path / "a"), FrameStore(tmp_path / "b")
    (theirs.folder / "f").write_bytes((ours.folder / "f").read_bytes())
    assert theirs.notice("f") and theirs.get_frame("f") is None
    theirs.adopt("f", ours.body("f"))
    found = theirs.get_frame("f")
    assert found is not None and found.shape == (6, 5, 4)


def test_the_key_of_a_store_outlives_it_and_is_nobody_elses(tmp_path: Path):
    stored(tmp_path)
    assert FrameStore(tmp_path).get_frame("f") is not None
    assert (tmp_path / ".key").stat().st_mode & 0o077 == 0
    (tmp_path / ".key").unlink()
    assert FrameStore(tmp_path).get_frame("f") is None


@pytest.mark.parametrize("name", ("../f", "a/f", ".key", "/etc/passwd", "", "a\0", "f" * 300))
def test_a_name_that_leads_elsewhere_is_no_name_of_a_frame(name: str, tmp_path: Path):
    store = stored(tmp_path / "store")
    (tmp_path / "f").write_bytes((tmp_path / "store" / "f").read_bytes())
    assert not store.notice(name)
    with pytest.raises(BadInput):
        store.put(name, {}, {})
    with pytest.raises(ValueError, match="no name"):
        store.adopt(name, store.body("f"))
