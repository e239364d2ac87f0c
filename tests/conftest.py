"""Test settings: no real cache, journal or home folder is touched; one effect is simulated and packed for
all."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from tenka.base import jit

os.environ.setdefault("NUMBA_CACHE_DIR", jit.numba.config.CACHE_DIR)  # machine code stays where it is kept

_home = tempfile.mkdtemp(prefix="tenka-tests-")
for _name in ("HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME", "XDG_CONFIG_HOME"):
    os.environ[_name] = _home

import pytest  # noqa: E402
from hypothesis import settings  # noqa: E402

from tenka.base import threads  # noqa: E402

threads.prepare()
settings.register_profile("ci", deadline=None, max_examples=40, derandomize=True)
settings.load_profile("ci")


@pytest.fixture(scope="session")
def packed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A package of the small effect."""
    from build import small_effect

    from tenka.cache.store import FrameStore
    from tenka.pack.packing import pack

    folder = tmp_path_factory.mktemp("packed")
    pack(small_effect(), None, FrameStore(folder / "frames"), folder / "package")
    return folder / "package"
