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

from tenka.base import cubic
from tenka.base.clock import step_time
from tenka.base.errors import BadInput, Cancelled
from tenka.base.files import read_file, recover_folder, swap_folder, write_atomic
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
    with pytest.raises(BadInput, match="no space left"):
        write_atomic(tmp_path / "a.txt", b"new")
    assert (tmp_path / "a.txt").read_bytes() == b"old"
    assert os.listdir(tmp_path) == ["a.txt"]


def anything(_: Path) -> bool:
    return True


def gone() -> int:
    """The number of a process that has ended."""
    process = subprocess.Popen([sys.executable, "-c", ""])
    process.wait()
    return process.pid


def test_a_folder_that_cannot_be_written_is_one_sentence(tmp_path: Path):
    (tmp_path / "file").write_text("")
    with pytest.raises(BadInput, match="cannot be written"):
        swap_folder(tmp_path / "file" / "inner", lambda folder: None, anything)


def test_a_swap_that_fails_leaves_the_earlier_folder_whole(tmp_path: Path):
    swap_folder(tmp_path / "out", lambda folder: (folder / "x").write_text("1") and None, anything)

    def broken(folder: Path) -> None:
        (folder / "x").write_text("2")
        raise Cancelled

    with pytest.raises(Cancelled):
        swap_folder(tmp_path / "out", broken, anything)
    assert (tmp_path / "out" / "x").read_text() == "1"
    assert os.listdir(tmp_path) == ["out"]


def test_only_an_empty_folder_or_one_of_ours_is_replaced(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    (tmp_path / "foreign").mkdir()
    (tmp_path / "foreign" / "thesis.txt").write_text("years")
    (tmp_path / "plain").write_text("file")
    (tmp_path / "work" / "below").mkdir(parents=True)
    monkeypatch.chdir(tmp_path / "work" / "below")
    written: list[Path] = []
    for place in (tmp_path / "foreign", tmp_path / "plain", Path("."), Path(".."), Path("/"), Path.home()):
        with pytest.raises(BadInput):
            swap_folder(place, written.append, lambda folder: (folder / "ours").exists())
    assert not written and (tmp_path / "foreign" / "thesis.txt").read_text() == "years"
    (tmp_path / "empty").mkdir()
    swap_folder(tmp_path / "empty", lambda f: (f / "ours").write_text("") and None, anything)
    assert (tmp_path / "empty" / "ours").exists()


def test_what_another_put_there_while_it_was_written_is_kept(tmp_path: Path):
    def slow(folder: Path) -> None:
        (tmp_path / "out").mkdir()
        (tmp_path / "out" / "note.txt").write_text("mine")

    with pytest.raises(BadInput, match="not of a package"):
        swap_folder(tmp_path / "out", slow, lambda _: False)
    assert os.listdir(tmp_path) == ["out"] and (tmp_path / "out" / "note.txt").exists()


def test_a_kill_between_the_two_renames_is_mended(tmp_path: Path):
    process = gone()
    old, part = tmp_path / f".out.{process}.0123abcd.old", tmp_path / f".out.{process}.12345678.part"
    old.mkdir()
    (old / "x").write_text("earlier")
    part.mkdir()
    recover_folder(tmp_path / "out", anything)
    assert (tmp_path / "out" / "x").read_text() == "earlier"
    assert os.listdir(tmp_path) == ["out"]


def test_leavings_that_are_not_known_to_be_ours_are_never_taken(tmp_path: Path):
    (tmp_path / ".out.old").mkdir()
    foreign = tmp_path / f".out.{gone()}.0123abcd.old"
    foreign.mkdir()
    (foreign / "thesis.txt").write_text("years")
    running = tmp_path / f".out.{os.getppid()}.12345678.part"
    running.mkdir()
    swap_folder(tmp_path / "out", lambda f: None, lambda f: not (f / "thesis.txt").exists())
    assert (tmp_path / ".out.old").exists() and foreign.exists() and running.exists()


def test_a_link_stays_a_link_and_a_file_keeps_its_mode(tmp_path: Path):
    real, link = tmp_path / "real.txt", tmp_path / "link.txt"
    real.write_text("old")
    real.chmod(0o640)
    link.symlink_to(real)
    write_atomic(link, b"new")
    assert link.is_symlink() and real.read_text() == "new" and real.stat().st_mode & 0o777 == 0o640


def test_what_a_killed_save_left_is_cleared_by_the_next_and_no_other_processs(tmp_path: Path):
    left = tmp_path / f".a.txt.{gone()}.0123abcd.part"
    other = tmp_path / f".a.txt.{os.getppid()}.0123abcd.part"
    for part in (left, other):
        part.write_text("half")
    write_atomic(tmp_path / "a.txt", b"whole")
    assert not left.exists() and other.exists()


@pytest.mark.parametrize("place", ["/dev/zero", "/dev/null", "."])
def test_what_is_no_plain_file_is_not_read(place: str):
    with pytest.raises(BadInput, match=r"is no plain file|is a folder"):
        read_file(Path(place), "a file", 1000)


def test_a_name_that_no_file_can_have_is_one_sentence():
    with pytest.raises(BadInput, match="not the name of a file"):
        read_file(Path("a\0b"), "a file", 1000)


@pytest.mark.parametrize("count", [1, 2, 3, 7, 12])
@pytest.mark.parametrize("rate", [12.0, 24.0, 25.0, 29.97, 30.0, 48.0, 60.0])
def test_steps_tile_time_without_gaps(rate: float, count: int):
    for index in range(-50, 400):
        for sub in range(count):
            assert step_time(index, sub + 1, count, rate) > step_time(index, sub, count, rate)
        assert step_time(index, count, count, rate) == step_time(index + 1, 0, 1, rate) == (index + 1) / rate


def test_a_kill_during_a_save_leaves_the_last_whole_file(tmp_path: Path):
    target = tmp_path / "a.txt"
    write_atomic(target, b"A" * 1000)
    code = (
        "import sys\nfrom pathlib import Path\nfrom tenka.base.files import write_atomic\n"
        "n = 0\nwhile True:\n    n += 1\n    write_atomic(Path(sys.argv[1]), bytes([65 + n % 26]) * "
        "(1000 + n % 7 * 300000))\n"
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


def test_the_cubic_passes_its_ends_at_their_slopes_and_is_exact_for_cubics():
    def f(s: np.ndarray) -> np.ndarray:
        return 2.0 - s + 3.0 * s**2 - 0.7 * s**3

    def g(s: np.ndarray) -> np.ndarray:
        return -1.0 + 6.0 * s - 2.1 * s**2

    s = np.linspace(-0.2, 1.2, 15)
    zero, one = np.array(0.0), np.array(1.0)
    given = f(zero), f(one), g(zero), g(one)
    np.testing.assert_allclose(cubic.through(*given, s), f(s), atol=1e-12)
    np.testing.assert_allclose(cubic.slope(*given, s), g(s), atol=1e-12)


def test_a_sentence_stays_one_however_long_what_it_quotes_is():
    said = str(BadInput(f"no tier is called '{'x' * 5000}\n'", "one of low, high"))
    assert said == f"no tier is called '{'x' * 80}…'; expected one of low, high."
