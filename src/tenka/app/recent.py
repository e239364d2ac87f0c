"""What a window remembers beside the autosaves: effects that were open lately, and how it stood."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING

from platformdirs import user_state_path
from PyQt6.QtCore import QByteArray

from tenka.base.errors import TenkaError
from tenka.base.files import write_atomic
from tenka.base.tree import read

if TYPE_CHECKING:
    from tenka.app.window import Window

MOST = 12


def _file() -> Path:
    return user_state_path("tenka") / "recent.json"


def recent_files() -> list[Path]:
    """Those that are still there, the newest first; none where the list cannot be read."""
    try:
        names = read(_file(), "a list of files")
    except TenkaError:
        return []
    found = names[: 4 * MOST] if isinstance(names, list) else []
    return [Path(n) for n in found if isinstance(n, str) and _is_file(n)][:MOST]


def _is_file(name: str) -> bool:
    try:
        return Path(name).is_file()
    except (OSError, ValueError):  # a name that no file can have
        return False


def remember(file: Path) -> None:
    """Put an effect first. That it cannot be kept is no fault of the effect, and is not told."""
    file = file.resolve()
    files = [file, *(f for f in recent_files() if f != file)][:MOST]
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_atomic(_file(), json.dumps([str(f) for f in files]).encode())
    except (OSError, TenkaError):
        return


def _stand() -> Path:
    return user_state_path("tenka") / "window.json"


def keep_stand(window: Window) -> None:
    """Keep how a window stands: its place and size, and how it is divided."""
    geometry, split = window.saveGeometry().data(), window.split.saveState().data()
    tree = {"geometry": geometry.hex(), "split": split.hex()}
    try:
        _stand().parent.mkdir(parents=True, exist_ok=True)
        write_atomic(_stand(), json.dumps(tree).encode())
    except (OSError, TenkaError):
        return


def stand_as_before(window: Window) -> None:
    """Let a window stand as the last one did; what cannot be read is passed over."""
    try:
        tree = read(_stand(), "how a window stood")
        geometry, split = (bytes.fromhex(tree[name]) for name in ("geometry", "split"))
    except (TenkaError, ValueError, KeyError, TypeError):
        return
    window.restoreGeometry(QByteArray(geometry))
    window.split.restoreState(QByteArray(split))
