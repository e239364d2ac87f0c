"""Effects on disk: readable JSON with a schema version, atomic saves, and the autosave journal."""

from __future__ import annotations

import hashlib
import json
import os
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from platformdirs import user_state_path
from pydantic import ValidationError

from tenka.base.errors import BadInput
from tenka.base.files import write_atomic
from tenka.effect.document import explain
from tenka.effect.model import SCHEMA_VERSION, Effect

MOST_BYTES = 32 * 1024 * 1024


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
    try:
        tree = json.loads(data)
    except UnicodeDecodeError:
        raise BadInput("not a text file", "a .tenka effect", file) from None
    except json.JSONDecodeError as error:
        raise BadInput(f"broken off or not JSON ({error.msg.lower()})", "a .tenka effect", file, f"line {error.lineno}") from None
    if not isinstance(tree, dict) or "schema_version" not in tree:
        raise BadInput("not a Tenka effect", "a file with a schema_version", file)
    version = tree["schema_version"]
    if not isinstance(version, int) or version < 1:
        raise BadInput(f"schema version {version!r} is unknown", f"1 to {SCHEMA_VERSION}", file)
    if version > SCHEMA_VERSION:
        raise BadInput(f"made by a later Tenka (schema version {version})", f"at most {SCHEMA_VERSION}", file)
    try:
        return Effect.model_validate(tree)
    except ValidationError as error:
        place = ".".join(str(p) for p in error.errors()[0]["loc"])
        raise BadInput(explain(error), file=file, place=place) from None


def load(file: Path) -> Effect:
    """Read an effect from disk; see `loads`."""
    return loads(read_file(file, "a .tenka effect"), file)


def read_file(file: Path, expected: str, most: int = MOST_BYTES) -> bytes:
    """All bytes of a file, refused in a sentence when it is missing, a folder or too large."""
    file = Path(file)
    try:
        if file.stat().st_size > most:
            raise BadInput(f"too large ({file.stat().st_size / 1e6:.0f} MB)", f"{expected} of at most {most / 1e6:.0f} MB", file)
        return file.read_bytes()
    except OSError as error:
        raise BadInput(f"cannot be read ({(error.strerror or 'error').lower()})", expected, file) from None


def moved(effect: Effect, old: Path, new: Path) -> Effect:
    """The effect with its meshes' and images' relative paths put right for another folder."""

    def there(items: tuple, name: str) -> tuple:
        def one(item: Any) -> Any:
            file = getattr(item, name)
            inside = file and not Path(file).is_absolute()
            return item.model_copy(update={name: Path(os.path.relpath(old / file, new)).as_posix()}) if inside else item

        return tuple(one(item) for item in items)

    def whole(state: Any) -> Any:
        layers = tuple(layer.model_copy(update={"sources": there(layer.sources, "image")}) for layer in state.layers)
        return state.model_copy(update={"props": there(state.props, "file"), "layers": layers})

    new_effect = whole(effect).model_copy(update={"trials": tuple(whole(t) for t in effect.trials)})
    return effect if new_effect == effect else new_effect


def save(effect: Effect, file: Path) -> None:
    """Write an effect atomically."""
    write_atomic(Path(file), dumps(effect))


@dataclass(frozen=True)
class Recovered:
    """Edits found in a journal after a crash."""

    effect: Effect
    journal: Path


class Journal:
    """The autosave beside an open effect: its newest unsaved state, kept until it is saved or let go."""

    def __init__(self, file: Path | None, folder: Path | None = None) -> None:
        folder = folder or user_state_path("tenka") / "journal"
        folder.mkdir(parents=True, exist_ok=True)
        name = str(Path(file).resolve()) if file is not None else "untitled"
        self.path = folder / f"{hashlib.blake2b(name.encode(), digest_size=8).hexdigest()}.tenka"

    def keep(self, effect: Effect) -> None:
        write_atomic(self.path, dumps(effect))

    def drop(self) -> None:
        self.path.unlink(missing_ok=True)

    def recover(self, saved: Effect | None) -> Recovered | None:
        """The journal's effect, when there is one that differs from what was saved."""
        if not self.path.exists():
            return None
        try:
            effect = load(self.path)
        except BadInput:
            self.drop()
            return None
        if effect == saved:
            self.drop()
            return None
        return Recovered(effect, self.path)
