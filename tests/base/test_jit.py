"""Compiled code: the same to the byte whether it was compiled a moment ago or came from the disk."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

REFINED = """
import hashlib
import numpy as np
from tenka.gas.guide import coarsen

fine = np.random.default_rng(1).random((3, 24, 27, 31), np.float32)
out = np.empty((3, 8, 9, 11), np.float32)
coarsen(fine, 3, out)
print(hashlib.sha256(out.tobytes()).hexdigest(), sum(coarsen.stats.cache_hits.values()))
"""


def test_a_kernel_just_compiled_gives_the_same_bytes_as_from_the_disk(tmp_path: Path):
    said = [
        subprocess.run(
            [sys.executable, "-c", REFINED],
            env={**os.environ, "NUMBA_CACHE_DIR": str(tmp_path)},
            capture_output=True,
            text=True,
            check=True,
        ).stdout.split()
        for _ in range(2)
    ]
    assert [hits for _, hits in said] == ["0", "1"]
    assert said[0][0] == said[1][0]


COUNTED = """
from numba.core import codegen
made, finish = [], codegen.JITCodeLibrary._finalize_specific
codegen.JITCodeLibrary._finalize_specific = lambda library: made.append(library.name) or finish(library)
import numpy as np
from tenka.base.jit import kernel, prange

@kernel
def inner(row, least):
    for k in range(row.size):
        row[k] = max(row[k], least)

@kernel(parallel=True)
def outer(field, least):
    for p_ in prange(field.shape[0]):
        inner(field[p_], least)
        for k in range(1, field.shape[1]):
            field[p_, 0] += field[p_, k]

field = np.full((4, 5), -1.0, np.float32)
outer(field, np.float32(2.0))
print(field.tolist() == [[10.0, 2.0, 2.0, 2.0, 2.0]] * 4, *sorted(made))
"""


def test_only_what_is_called_becomes_machine_code(tmp_path: Path):
    """Not the loop over threads by itself, its wrappers, or the library's functions that the kernel calls."""
    script = tmp_path / "counted.py"
    script.write_text(COUNTED)
    said = subprocess.run(
        [sys.executable, str(script)],
        env={**os.environ, "NUMBA_CACHE_DIR": str(tmp_path)},
        capture_output=True,
        text=True,
        check=True,
    ).stdout.split()
    assert said == ["True", "inner", "outer"]
