"""A minute of harmed files for every reader, and a few kills; `python -m bench fuzz` and `kill` go on for
longer."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent.parent


@pytest.mark.parametrize("seed", [1, 2])
def test_harmed_files_are_read_or_refused_in_a_sentence(seed: int):
    """In a process of its own, so that a crash below Python is seen as one."""
    code = (
        "import sys\nfrom bench import fuzz\n"
        f"found = fuzz.run(1200, {seed}, 25.0)\n"
        "print(found.tries, len(found.failures))\n"
        "sys.exit(1 if found.failures or found.tries < 150 else 0)"
    )
    done = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, timeout=120)
    assert done.returncode == 0, done.stdout[-2000:] + done.stderr[-2000:]


def test_harmed_packages_frames_and_settings_are_drawn_or_refused_in_a_sentence():
    """Drawn after they were read, each in a child, so that a crash counts."""
    words = [sys.executable, "-m", "bench", "fuzzdraw", "--tries", "90", "--seed", "7"]
    done = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, timeout=400)
    assert done.returncode == 0, done.stdout[-2000:] + done.stderr[-2000:]


def test_what_is_killed_leaves_whole_files(tmp_path: Path):
    done = subprocess.run(
        [sys.executable, "-m", "bench", "kill", "--times", "6"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        timeout=300,
    )
    assert done.returncode == 0, done.stdout[-2000:] + done.stderr[-2000:]
