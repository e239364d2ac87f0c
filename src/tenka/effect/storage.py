"""Effects on disk: readable JSON with a schema version, atomic saves, and the autosave journal."""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import os
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from platformdirs import user_state_path

from tenka.base.errors import BadInput
from tenka.base.files import read_file, reason, write_atomic
from tenka.base.tree import MOST_BYTES, checked, parse, versioned
from tenka.effect.catalogue import FILE_KINDS, Param, mapped
from tenka.effect.model import SCHEMA_VERSION, Effect

MOST_WINDOWS = 64
"""Journals of one file that may be open at once."""


def dumps(effect: Effect) -> bytes:
    """The effect as the bytes of a `.tenka` file; the same effect always gives the same bytes."""
    return (json.dumps(effect.model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n").encode()


def loads(data: bytes, file: object = None) -> Effect:
    """Read an effect; any fault is one sentence that names the place.

    Raises
    ------
    BadInput
        Not JSON, not an effect, of a later schema version, or with a value out of range.
    """
    tree = parse(data, "a .tenka effect", file)
    return checked(Effect, versioned(tree, "schema_version", SCHEMA_VERSION, "a Tenka effect", file), file)


def load(file: Path) -> Effect:
    """Read an effect from disk; see `loads`."""
    return loads(read_file(file, "a .tenka effect", MOST_BYTES), file)


def moved(effect: Effect, old: Path, new: Path) -> Effect:
    """The effect with the relative paths of all files that it names put right for another folder."""

    def one(p: Param, value: Any) -> Any:
        if p.kind not in FILE_KINDS or not value or Path(value).is_absolute():
            return value
        there = Path(os.path.relpath(old / value, new)).as_posix()
        return value if there == value else there

    found: Effect = mapped(effect, one)
    return found


def title_of(file: Path) -> str:
    """An effect's name by its file's."""
    return file.stem.replace("_", " ")[:80].capitalize() or "Untitled"


def elsewhere(effect: Effect, before: Path | None, folder: Path | None, file: Path) -> Effect:
    """An effect as it is in another file: what it names is found from there, and where it was called as its
    file was, or was in none, it is called as the new one.

    Parameters
    ----------
    folder : from which it finds what it names now
    """
    if folder is not None:
        effect = moved(effect, folder, file.resolve().parent)
    if before is None or effect.name == title_of(before):
        name = title_of(file)
        effect = effect if effect.name == name else effect.model_copy(update={"name": name})
    return effect


def save(effect: Effect, file: Path) -> None:
    """Write an effect atomically."""
    write_atomic(Path(file), dumps(effect))


@dataclass(frozen=True)
class Recovered:
    """Edits found in a journal after a crash."""

    effect: Effect
    journal: Path


def content(file: Path | None) -> str:
    """A hash of what a file holds now; '' when it is not there or cannot be read."""
    try:
        return (
            hashlib.blake2b(Path(file).read_bytes(), digest_size=16).hexdigest() if file is not None else ""
        )
    except OSError:
        return ""


class Journal:
    """The autosave of an open effect: its newest unsaved state, kept until it is saved or let go.

    Each window has one of its own: the first that is free of those that belong to the effect's file. It is
    held by a lock, which the system lets go when the process ends, however it ends.

    Raises
    ------
    BadInput
        When the folder cannot be used.
    """

    def __init__(self, file: Path | None, folder: Path | None = None) -> None:
        self.folder = folder or user_state_path("tenka") / "journal"
        name = str(Path(file).resolve()) if file is not None else "untitled"
        self._stem = hashlib.blake2b(name.encode(errors="surrogateescape"), digest_size=8).hexdigest()
        self._lock = -1
        self.set_aside: Path | None = None
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            for n in range(1, MOST_WINDOWS):
                self.path = self.folder / f"{self._stem}-{n}.tenka"
                self._lock = self._locked(self.path)
                if self._lock >= 0:
                    return
        except OSError as error:
            raise BadInput(
                f"cannot be used for autosaves ({reason(error)})",
                "a folder that you may write to",
                self.folder,
            ) from None

    @staticmethod
    def _locked(path: Path) -> int:
        """The lock of a journal, or -1 when another window holds it."""
        handle = os.open(path.with_suffix(".lock"), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(handle)
            return -1
        return handle

    def keep(self, effect: Effect) -> None:
        """Write the newest state; raises BadInput when that cannot be done."""
        if not self.folder.is_dir():
            with contextlib.suppress(OSError):
                self.folder.mkdir(parents=True, exist_ok=True)
        write_atomic(self.path, dumps(effect))

    def drop(self) -> None:
        with contextlib.suppress(OSError):
            self.path.unlink(missing_ok=True)

    def close(self) -> None:
        """Let another window have it."""
        if self._lock >= 0:
            os.close(self._lock)
            self._lock = -1

    def __del__(self) -> None:
        self.close()

    def recover(self, saved: Effect | None) -> Recovered | None:
        """The journal's effect, when there is one that differs from what was saved.

        One that cannot be read (broken, or made by a later version) is set aside under another name, which
        `set_aside` then holds.
        """
        for path in (self.path, *self._left_by_others()):
            if not path.exists():
                continue
            try:
                effect = load(path)
            except BadInput:
                self.set_aside = path.with_name(f"{path.stem}.unread-{time.time_ns()}.tenka")
                with contextlib.suppress(OSError):
                    os.replace(path, self.set_aside)
                continue
            if path != self.path:
                os.replace(path, self.path)
            if effect == saved:
                self.drop()
                continue
            return Recovered(effect, self.path)
        return None

    def _left_by_others(self) -> list[Path]:
        """Journals of further windows on the same file that have ended."""
        found = []
        for path in sorted(self.folder.glob(f"{self._stem}-*.tenka")):
            if path != self.path and ".unread-" not in path.name:
                lock = self._locked(path)
                if lock >= 0:
                    found.append(path)
                    os.close(lock)
        return found
