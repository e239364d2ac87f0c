"""Atomic files, randomness, jobs."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tenka.base.errors import BadInput, Cancelled
from tenka.base.files import recover_folder, swap_folder, write_atomic
from tenka.base.jobs import Progress, Worker
from tenka.base.randomness import hash4, stable_seed, unit4, unit_array


def test_a_written_file_is_whole_and_leaves_nothing_beside_it(tmp_path: Path):
    write_atomic(tmp_path / "a.txt", b"one")
    write_atomic(tmp_path / "a.txt", b"two")
    assert (tmp_path / "a.txt").read_bytes() == b"two"
    assert os.listdir(tmp_path) == ["a.txt"]


def test_a_full_disk_leaves_the_old_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    write_atomic(tmp_path / "a.txt", b"old")

    def full(_: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(BadInput, match="No space left"):
        write_atomic(tmp_path / "a.txt", b"new")
    assert (tmp_path / "a.txt").read_bytes() == b"old"
    assert os.listdir(tmp_path) == ["a.txt"]


def test_a_folder_that_cannot_be_written_is_one_sentence(tmp_path: Path):
    (tmp_path / "file").write_text("")
    with pytest.raises(BadInput, match="cannot be written"):
        swap_folder(tmp_path / "file" / "inner", lambda folder: None)


def test_a_swap_that_fails_leaves_the_earlier_folder_whole(tmp_path: Path):
    swap_folder(tmp_path / "out", lambda folder: (folder / "x").write_text("1") and None)

    def broken(folder: Path) -> None:
        (folder / "x").write_text("2")
        raise Cancelled

    with pytest.raises(Cancelled):
        swap_folder(tmp_path / "out", broken)
    assert (tmp_path / "out" / "x").read_text() == "1"
    assert os.listdir(tmp_path) == ["out"]


def test_a_kill_between_the_two_renames_is_mended(tmp_path: Path):
    (tmp_path / ".out.old").mkdir()
    (tmp_path / ".out.old" / "x").write_text("earlier")
    (tmp_path / ".out.12345678.part").mkdir()
    recover_folder(tmp_path / "out")
    assert (tmp_path / "out" / "x").read_text() == "earlier"
    assert os.listdir(tmp_path) == ["out"]


def test_a_kill_during_a_save_leaves_the_last_whole_file(tmp_path: Path):
    target = tmp_path / "a.txt"
    write_atomic(target, b"A" * 1000)
    code = (
        "import sys\nfrom pathlib import Path\nfrom tenka.base.files import write_atomic\n"
        "n = 0\nwhile True:\n    n += 1\n    write_atomic(Path(sys.argv[1]), bytes([65 + n % 26]) * (1000 + n % 7 * 300000))\n"
        "    print(n, flush=True)\n"
    )
    process = subprocess.Popen([sys.executable, "-c", code, str(target)], stdout=subprocess.PIPE)
    assert process.stdout is not None
    for _ in range(25):
        process.stdout.readline()
    process.kill()
    process.wait()
    data = target.read_bytes()
    assert len(set(data)) == 1 and len(data) >= 1000


def test_kernels_and_arrays_hash_alike():
    i = np.arange(-50, 50)
    found = unit_array(9, i, 7, -3)
    assert all(found[n] == np.float32(unit4(9, int(k), 7, -3)) for n, k in enumerate(i))
    assert hash4(1, 2, 3, 4) != hash4(1, 2, 4, 3)


def test_hashed_numbers_are_even():
    found = unit_array(3, np.arange(40_000))
    assert abs(found.mean() - 0.5) < 0.01 and abs(found.var() - 1 / 12) < 0.005
    assert np.abs(np.histogram(found, 20, (0, 1))[0] / 2000 - 1).max() < 0.12


@given(st.text(max_size=20), st.integers(-1000, 1000))
def test_seeds_depend_on_every_part(name: str, number: int):
    assert stable_seed(name, number) == stable_seed(name, number)
    assert stable_seed(name, number) != stable_seed(name, number + 1)


def test_progress_counts_estimates_and_stops():
    told = []
    progress = Progress(listen=lambda p: told.append((p.done, p.total)))
    progress.begin(4, "Work")
    assert progress.seconds_left is None
    progress.started -= 1.0
    progress.step()
    assert progress.seconds_left == pytest.approx(3.0, rel=0.05)
    progress.cancel()
    with pytest.raises(Cancelled):
        progress.step()
    assert told == [(0, 4), (1, 4), (2, 4)]


def test_a_worker_drops_all_but_the_newest_request():
    seen: list[int] = []
    gate = threading.Event()
    worker = Worker("test")
    worker.ask(gate.wait)
    time.sleep(0.05)
    for n in range(20):
        worker.ask(lambda n=n: seen.append(n))
    gate.set()
    end = time.monotonic() + 2
    while not worker.idle and time.monotonic() < end:
        time.sleep(0.01)
    worker.close()
    assert seen == [19]


def test_a_worker_tells_of_a_failure_and_goes_on():
    failures: list[Exception] = []
    done = threading.Event()
    worker = Worker("test", failures.append)
    worker.ask(lambda: 1 / 0)
    time.sleep(0.1)
    worker.ask(done.set)
    assert done.wait(2)
    worker.close()
    assert isinstance(failures[0], ZeroDivisionError)


def test_the_required_threading_layer_is_in_use():
    from build import opened

    from tenka.base import threads
    from tenka.gas.advect import centre_velocity
    from tenka.gas.grid import GasState, Workspace

    grid = opened((8, 8, 8))
    state = GasState.still(grid)
    centre_velocity(state.u, state.v, state.w, Workspace(grid).centred)
    assert threads.threading_layer() == "tbb"
