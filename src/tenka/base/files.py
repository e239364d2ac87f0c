"""Writing that never leaves half a file: write beside, sync, rename. And reading that is refused in a
sentence.

What is unfinished is named `.NAME.PROCESS.CHANCE.part`, so that only what a dead process left is ever
cleared.
"""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import stat
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path

from tenka.base.errors import BadInput

_PART = re.compile(r"\.(?P<name>.+)\.(?P<process>\d+)\.[0-9a-f]{8}\.(part|old)")


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def reason(error: OSError) -> str:
    """An error of the system in small letters."""
    return (error.strerror or "error").lower()


def beside(path: Path, ending: str = "part") -> Path:
    """A name of its own beside `path`, for what is unfinished."""
    return path.with_name(f".{path.name}.{os.getpid()}.{uuid.uuid4().hex[:8]}.{ending}")


def _alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True


def leftovers(folder: Path, name: str | None = None, ending: str = "part") -> Iterator[Path]:
    """What processes that are gone left unfinished in a folder, of one name or of all."""
    with contextlib.suppress(OSError):
        for path in list(folder.iterdir()):
            found = _PART.fullmatch(path.name)
            if (
                found is None
                or not path.name.endswith(ending)
                or (name is not None and found["name"] != name)
            ):
                continue
            if int(found["process"]) != os.getpid() and not _alive(int(found["process"])):
                yield path


def write_atomic(path: Path, data: bytes, sync: bool = True) -> None:
    """Replace `path` by `data` in one step; a crash leaves the old file or the new one, whole.

    A link stays a link (what it leads to is replaced), and a file keeps its mode. `sync=False` skips the
    flush to disk for data that can be made again (cached frames), which are protected by a checksum instead.
    """
    path = Path(os.path.realpath(path))
    part = beside(path)
    try:
        with open(part, "wb") as out:
            with contextlib.suppress(FileNotFoundError):
                os.fchmod(out.fileno(), stat.S_IMODE(path.stat().st_mode))
            out.write(data)
            if sync:
                out.flush()
                os.fsync(out.fileno())
        os.replace(part, path)
        if sync:
            _sync_folder(path.parent)
            for left in leftovers(path.parent, path.name):
                left.unlink(missing_ok=True)
    except OSError as error:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
        raise BadInput(
            f"cannot be written ({reason(error)})", "a folder with room that you may write to", path
        ) from error
    except BaseException:
        part.unlink(missing_ok=True)
        raise


def swap_folder(target: Path, fill: Callable[[Path], None], ours: Callable[[Path], bool]) -> None:
    """Build a folder beside `target` with `fill(folder)` and swap it in whole.

    When `fill` raises, `target` is left exactly as it was. A crash between the two renames leaves the
    earlier folder beside it, and the next call or `recover_folder` puts it back.

    Parameters
    ----------
    ours : whether a folder holds nothing but what this program wrote, and may be replaced

    Raises
    ------
    BadInput
        When `target` is a file, the root, the working folder or above it, or holds anything that is not ours.
    """
    target = replaceable(target, ours)
    recover_folder(target, ours)
    part = beside(target)
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        part.mkdir()
    except OSError as error:
        raise BadInput(
            f"cannot be written ({reason(error)})", "a folder that you may write to", target
        ) from error
    try:
        fill(part)
    except OSError as error:
        shutil.rmtree(part, ignore_errors=True)
        raise BadInput(f"cannot be written ({reason(error)})", "a folder with room", target) from error
    except BaseException:
        shutil.rmtree(part, ignore_errors=True)
        raise
    try:
        replaceable(target, ours)  # once more: filling took a while
        old = beside(target, "old")
        if target.exists():
            os.replace(target, old)
        os.replace(part, target)
        _sync_folder(target.parent)
    except (OSError, BadInput) as error:
        shutil.rmtree(part, ignore_errors=True)
        if isinstance(error, BadInput):
            raise
        raise BadInput(
            f"cannot be written ({reason(error)})", "a folder that you may write to", target
        ) from error
    shutil.rmtree(old, ignore_errors=True)


def replaceable(target: Path, ours: Callable[[Path], bool]) -> Path:
    """The place of a folder that may be written; what stands there already must be empty or ours."""
    path = Path(os.path.realpath(target))
    if path == Path(path.anchor) or path in (Path.cwd(), *Path.cwd().parents, Path.home()):
        raise BadInput("cannot be replaced", "a folder of its own, such as ./package", target)
    if path.is_dir():
        try:
            empty = next(path.iterdir(), None) is None
        except OSError as error:
            raise BadInput(
                f"cannot be read ({reason(error)})", "a folder that you may write to", target
            ) from None
        if not empty and not ours(path):
            raise BadInput(
                "holds files that are not of a package",
                "a new or empty folder, or an earlier package",
                target,
            )
    elif path.exists():
        raise BadInput("is a file", "a new or empty folder, or an earlier package", target)
    return path


def recover_folder(target: Path, ours: Callable[[Path], bool]) -> None:
    """Put back the folder that an interrupted `swap_folder` had set aside, and clear its leavings."""
    target = Path(os.path.realpath(target))
    for old in leftovers(target.parent, target.name, "old"):
        if not ours(old):
            continue
        if target.exists():
            shutil.rmtree(old, ignore_errors=True)
        else:
            with contextlib.suppress(OSError):
                os.replace(old, target)
    for part in leftovers(target.parent, target.name):
        if part.is_dir():
            shutil.rmtree(part, ignore_errors=True)


def read_file(file: Path, expected: str, most: int) -> bytes:
    """All bytes of a file, refused in a sentence when it is missing, no plain file, or too large."""
    file = Path(file)
    try:
        found = file.stat()
        if not stat.S_ISREG(found.st_mode):
            what = "is a folder" if stat.S_ISDIR(found.st_mode) else "is no plain file"
            raise BadInput(what, expected, file)
        if found.st_size > most:
            raise BadInput(
                f"too large ({found.st_size / 1e6:.0f} MB)",
                f"{expected} of at most {most / 1e6:.0f} MB",
                file,
            )
        with open(file, "rb") as opened:
            # no more than it has: room is made for all that is asked for
            return opened.read(found.st_size)
    except OSError as error:
        raise BadInput(f"cannot be read ({reason(error)})", expected, file) from None
    except ValueError:  # a name that holds what no name may hold
        raise BadInput("is not the name of a file", expected, repr(str(file))) from None


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
        raise BadInput(f"cannot be read ({reason(error)})", expected, file) from None
    except ValueError:
        raise BadInput("is not the name of a file", expected, repr(str(file))) from None
