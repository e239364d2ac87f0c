"""Sweeps on a scheduler with workers of its own: what they lack is sent, and what was lost is made up for."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from build import small_effect
from command import command

from tenka.base.errors import BadInput
from tenka.base.jobs import Progress
from tenka.board.engine import Engine
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.model import Tier

WIDTH, COLUMNS = "deliveries.puff.route.width", "deliveries.puff.route.columns"
SOFT, BLEND = "deliveries.puff.route.player.soft_edge", "deliveries.puff.route.player.blend"


class Studio:
    """A scheduler and workers, each with a store of its own."""

    def __init__(self, home: Path) -> None:
        self.home, self.file = home, home / "scheduler.json"
        self.processes = [self._start("scheduler", "--port", "0", "--no-dashboard", "--host", "127.0.0.1")]
        self.workers = [self.worker(n) for n in range(2)]

    def _start(self, what: str, *words: str, store: Path | None = None) -> subprocess.Popen[bytes]:
        env = dict(os.environ) | ({"TENKA_FRAMES": str(store)} if store else {})
        line = [sys.executable, "-m", "distributed.cli.dask_" + what, "--scheduler-file", str(self.file)]
        return subprocess.Popen(
            [*line, *words], env=env, cwd=self.home, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )

    def worker(self, n: int) -> subprocess.Popen[bytes]:
        ends = time.monotonic() + 60
        while not self.file.exists() and time.monotonic() < ends:
            time.sleep(0.1)
        place = self.home / f"worker{n}"
        place.mkdir(exist_ok=True)
        words = ("--nthreads", "1", "--no-nanny", "--no-dashboard", "--local-directory", str(place))
        return self._start("worker", *words, store=place / "frames")

    @property
    def address(self) -> str:
        import json

        return str(json.loads(self.file.read_text())["address"])

    def close(self) -> None:
        for process in (*self.workers, *self.processes):
            process.kill()
            process.wait()


@pytest.fixture(scope="module")
def studio(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Studio]:
    found = Studio(tmp_path_factory.mktemp("studio"))
    yield found
    found.close()


def test_sixty_variants_survive_a_kill_and_a_lost_worker(
    studio: Studio, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
):
    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "frames"))
    low = Tier(id="low", name="Low", device="satchel", distance=60.0, width=640, height=360)
    file = tmp_path / "e.tenka"
    storage.save(small_effect(tiers=(low,)), file)
    words = ["sweep", str(file), "--tier", "low", "--json", "--scheduler", studio.address]
    words += ["--set", f"{WIDTH}=32,64,96,128,160", "--set", f"{COLUMNS}=2,4"]
    words += ["--set", f"{SOFT}=0,0.3,0.6", "--set", f"{BLEND}=yes,no"]
    line = [sys.executable, "-m", "tenka.cli", *words]
    first = subprocess.Popen(line, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    assert first.stdout is not None
    for _ in range(8):
        row = first.stdout.readline()
        assert '"values"' in row, first.stderr.read() if first.stderr else ""
    first.send_signal(signal.SIGKILL)
    first.wait()

    second = subprocess.Popen(line, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    assert second.stdout is not None
    rows = [second.stdout.readline() for _ in range(20)]
    studio.workers[0].kill()  # in the middle
    out, said = second.communicate(timeout=240)
    assert second.returncode == 0, said
    import json

    found = [json.loads(row) for row in (*rows, *out.splitlines()) if row]
    tried, front = found[:-1], found[-1]["front"]
    assert len(tried) == 60 and not any(row["fault"] for row in tried)
    assert sum(row["known"] for row in tried) >= 8
    assert any((studio.home / f"worker{n}" / "frames").glob("*.tried") for n in range(2))

    started = time.monotonic()
    alone = command(*[w for w in words if w not in ("--scheduler", studio.address)])
    took = time.monotonic() - started
    assert alone.code == 0 and all(row["known"] for row in alone.rows[:-1]) and took < 60

    def board(rows: list[dict]) -> list[tuple]:
        keys = ("ms", "mb", "flip", "ssim", "jerk", "played")
        return sorted((str(sorted(r["values"].items())), *(r[k] for k in keys)) for r in rows)

    assert board(alone.rows[:-1]) == board(tried)
    assert sorted(map(str, alone.rows[-1]["front"])) == sorted(map(str, front))

    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "others"))  # measured anew, here
    one = [w for w in words if "=" not in w and w not in ("--scheduler", studio.address, "--set")]
    here = command(*one, "--set", f"{WIDTH}=64", "--set", f"{COLUMNS}=4")
    same = next(r for r in tried if r["values"] == here.rows[0]["values"] | {SOFT: 0.6, BLEND: True})
    assert here.rows[0]["flip"] == pytest.approx(same["flip"], rel=1e-6)


def test_an_address_where_nobody_answers_is_one_sentence(tmp_path: Path):
    store = FrameStore(tmp_path)
    with (
        pytest.raises(BadInput, match="no scheduler answers"),
        Engine(store, Progress(), "tcp://127.0.0.1:9"),
    ):
        pass
    with pytest.raises(BadInput, match="is no address"), Engine(store, Progress(), "nonsense::"):
        pass
