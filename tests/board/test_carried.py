"""What goes to a scheduler's workers and comes from them leads nowhere but where it is looked for."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import pytest
from build import frame_of

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.board.carried import FILES, digest_of, lacking, laid_out, parcels, take
from tenka.board.engine import Engine
from tenka.cache.store import FrameStore


def store_in(folder: Path) -> FrameStore:
    store = FrameStore(folder)
    store.put_frame("f", frame_of(np.ones((4, 4, 4), np.float32)))
    return store


def test_frames_and_files_that_a_worker_lacks_come_to_it_whole(tmp_path: Path):
    here, there = store_in(tmp_path / "a"), FrameStore(tmp_path / "b")
    mesh = tmp_path / "mesh.obj"
    mesh.write_bytes(b"v 0 0 0\n")
    files = {"props/mesh.obj": digest_of(mesh.read_bytes())}
    wanted = lacking(("f",), files, None, there)
    for parcel in parcels(wanted, ("f",), {"props/mesh.obj": mesh}, here):
        take(parcel, there)
    assert there.get_frame("f") is not None and lacking(("f",), files, None, there) == []
    place = laid_out(files, None, there, tmp_path / "spare")
    assert place is not None and (place / "props/mesh.obj").read_bytes() == b"v 0 0 0\n"


@pytest.mark.parametrize("asked", ("../../secret", "/etc/passwd", ".key", "g", ("mesh.obj", "0" * 32)))
def test_a_worker_gets_nothing_but_what_the_sweep_is_made_of(asked: str | tuple[str, str], tmp_path: Path):
    (tmp_path / "secret").write_text("x")
    with pytest.raises(BadInput, match="not of this sweep"):
        list(parcels([asked], ("f",), {"other.obj": tmp_path / "secret"}, store_in(tmp_path / "a" / "b")))


@pytest.mark.parametrize(
    "name", ("../out", "/tmp/out", ".key", "a/b", f"{FILES}/../../out", f"{FILES}/{'0' * 32}", "f\0")
)
def test_what_is_sent_to_a_worker_lands_in_its_store_alone(name: str, tmp_path: Path):
    store = store_in(tmp_path / "a")
    before = sorted(p.relative_to(tmp_path).as_posix() for p in tmp_path.rglob("*"))
    key = (store.folder / ".key").read_bytes()
    with pytest.raises(BadInput):
        take({name: b"whatever"}, store)
    assert sorted(p.relative_to(tmp_path).as_posix() for p in tmp_path.rglob("*")) == before
    assert (store.folder / ".key").read_bytes() == key


@pytest.mark.parametrize("files", ({"../out.obj": "0" * 32}, {"a.obj": "../../secret"}, {"/x": "0" * 32}))
def test_files_of_a_job_are_laid_out_below_its_folder(files: dict[str, str], tmp_path: Path):
    (tmp_path / "secret").write_text("x")
    with pytest.raises(BadInput, match="outside"):
        laid_out(files, None, store_in(tmp_path / "a" / "b"), tmp_path / "spare")


def listening() -> set[str]:
    """Addresses on which this process listens, as the kernel tells them."""
    sockets = set()
    for handle in Path("/proc/self/fd").iterdir():
        try:
            sockets.add(os.readlink(handle))
        except OSError:
            continue
    found = set()
    for table in ("tcp", "tcp6"):
        for row in Path(f"/proc/self/net/{table}").read_text().splitlines()[1:]:
            part = row.split()
            if part[3] == "0A" and f"socket:[{part[9]}]" in sockets:
                found.add(part[1].split(":")[0])
    return found


def test_a_sweep_in_this_process_listens_to_this_machine_alone(tmp_path: Path):
    before = listening()
    with Engine(store_in(tmp_path), Progress()):
        found = listening() - before
    assert found <= {"0100007F"}, found  # 127.0.0.1 as the kernel writes it


@pytest.mark.parametrize("address", ("x y z", "", "tcp://", "file:///etc/passwd", "tcp://a b:1", "host"))
def test_an_address_that_is_none_is_refused_before_anything_is_tried(address: str, tmp_path: Path):
    with pytest.raises(BadInput, match="is no address"), Engine(store_in(tmp_path), Progress(), address):
        pass
