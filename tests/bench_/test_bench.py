"""The yardsticks measure what they say."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import numpy as np

from bench.yardsticks import Advection, in_turn, plain_advection, timed

ROOT = Path(__file__).parent.parent.parent


def test_the_plain_advection_moves_a_field_against_the_flow():
    q = np.random.default_rng(0).random((12, 10, 8)).astype(np.float32)
    c = np.zeros((*q.shape, 3), np.float32)
    c[..., 0] = 2.0
    out = np.zeros_like(q)
    plain_advection(q, c, np.float32(1.0), out)
    np.testing.assert_allclose(out[2:-1, :-1, :-1], q[:-3, :-1, :-1], atol=1e-6)


def test_work_and_yardstick_are_measured_in_turn():
    calls: list[str] = []
    a, b = in_turn(lambda: calls.append("w"), lambda: calls.append("y"), 3)
    assert "".join(calls) == "wy" * 4 and a >= 0 and b >= 0
    assert timed(Advection(16)) > 0


def test_the_table_names_its_groups():
    done = subprocess.run([sys.executable, "-m", "bench", "--help"], capture_output=True, text=True, cwd=ROOT)
    assert done.returncode == 0 and all(
        name in done.stdout for name in ("gas", "follow", "picture", "pause", "start")
    )
