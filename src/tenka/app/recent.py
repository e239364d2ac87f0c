"""Effects that were open lately, kept beside the autosaves."""

from __future__ import annotations

import json
from pathlib import Path

from platformdirs import user_state_path

from tenka.base.errors import TenkaError
from tenka.base.files import write_atomic

MOST = 12


def _file() -> Path:
    return user_state_path("tenka") / "recent.json"


def recent_files() -> list[Path]:
    """Those that are still there, the newest first; none where the list cannot be read."""
    try:
        names = json.loads(_file().read_text())
    except (OSError, ValueError):
        return []
    found = [Path(n) for n in names if isinstance(n, str)] if isinstance(names, list) else []
    return [f for f in found if f.is_file()][:MOST]


def remember(file: Path) -> None:
    """Put an effect first. That it cannot be kept is no fault of the effect, and is not told."""
    file = file.resolve()
    files = [file, *(f for f in recent_files() if f != file)][:MOST]
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_atomic(_file(), json.dumps([str(f) for f in files]).encode())
    except (OSError, TenkaError):
        return
