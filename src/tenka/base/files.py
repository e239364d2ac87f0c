"""Writing that never leaves half a file: write beside, sync, rename."""

from __future__ import annotations

import os
import shutil
import uuid
from collections.abc import Callable
from pathlib import Path

from tenka.base.errors import BadInput


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def write_atomic(path: Path, data: bytes, sync: bool = True) -> None:
    """Replace `path` by `data` in one step; a crash leaves the old file or the new one, whole.

    `sync=False` skips the flush to disk for data that can be made again (cached frames), which are
    protected by a checksum instead.
    """
    path = Path(path)
    beside = path.with_name(f".{path.name}.{uuid.uuid4().hex[:8]}.part")
    try:
        with open(beside, "wb") as out:
            out.write(data)
            if sync:
                out.flush()
                os.fsync(out.fileno())
        os.replace(beside, path)
        if sync:
            _sync_folder(path.parent)
    except OSError as error:
        beside.unlink(missing_ok=True)
        raise BadInput(f"cannot be written ({error.strerror})", "a folder with room that you may write to", path) from error


def swap_folder(target: Path, fill: Callable[[Path], None]) -> None:
    """Build a folder beside `target` with `fill(folder)` and swap it in whole.

    When `fill` raises, `target` is left exactly as it was. A crash between the two renames leaves the
    earlier folder under its `.old` name, and the next call or `recover_folder` puts it back.
    """
    target = Path(target)
    recover_folder(target)
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        beside = target.with_name(f".{target.name}.{uuid.uuid4().hex[:8]}.part")
        beside.mkdir()
    except OSError as error:
        raise BadInput(f"cannot be written ({error.strerror})", "a folder that you may write to", target) from error
    try:
        fill(beside)
    except OSError as error:
        shutil.rmtree(beside, ignore_errors=True)
        raise BadInput(f"cannot be written ({error.strerror})", "a folder with room", target) from error
    except BaseException:
        shutil.rmtree(beside, ignore_errors=True)
        raise
    old = _old_name(target)
    if target.exists():
        os.replace(target, old)
    os.replace(beside, target)
    _sync_folder(target.parent)
    shutil.rmtree(old, ignore_errors=True)


def recover_folder(target: Path) -> None:
    """Put back the folder that an interrupted `swap_folder` had set aside, and clear its leavings."""
    target = Path(target)
    old = _old_name(target)
    if old.exists():
        if target.exists():
            shutil.rmtree(old, ignore_errors=True)
        else:
            os.replace(old, target)
    if target.parent.is_dir():
        for part in target.parent.glob(f".{target.name}.*.part"):
            shutil.rmtree(part, ignore_errors=True)


def _old_name(target: Path) -> Path:
    return target.with_name(f".{target.name}.old")


def stamp_of_file(file: Path, expected: str) -> int:
    """Tells one state of a file from the next, for what is kept of it.

    Raises
    ------
    BadInput
        When it is not there or cannot be read; `expected` says what should be.
    """
    try:
        return file.stat().st_mtime_ns
    except OSError as error:
        raise BadInput(f"cannot be read ({(error.strerror or 'error').lower()})", expected, file) from None
