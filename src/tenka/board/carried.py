"""What a variant is made from, told by content: so that another machine can ask for what it lacks."""

from __future__ import annotations

import hashlib
import re
import shutil
from collections.abc import Collection, Iterator, Mapping
from pathlib import Path

from tenka.base.errors import BadInput
from tenka.base.files import write_atomic
from tenka.cache.store import FrameStore
from tenka.effect.catalogue import FILE_KINDS, Param, mapped
from tenka.effect.model import Effect
from tenka.particles.files import sequence
from tenka.run.plans import plans_of

FILES = ".files"  # folder of a store in which files of effects lie by what they hold
MOST_AT_ONCE = 64 * 2**20  # bytes sent together


def digest_of(data: bytes) -> str:
    """What names a file by its content."""
    return hashlib.blake2b(data, digest_size=16).hexdigest()


def named_files(effect: Effect, folder: Path | None) -> dict[str, Path]:
    """The files that an effect names, as they are written in it, and where they are: sequences and folders
    with all that is in them."""
    found: dict[str, Path] = {}

    def one(p: Param, value: object) -> object:
        if p.kind in FILE_KINDS and isinstance(value, str) and value:
            place = (folder or Path()) / value
            if place.is_dir():
                there = sorted(x for x in place.rglob("*") if x.is_file())
            else:
                there = list(sequence(place)) if p.kind == "points_file" else [place]
            base = Path(value) if place.is_dir() else Path(value).parent
            for file in there:
                inside = file.relative_to(place) if place.is_dir() else Path(file.name)
                found[(base / inside).as_posix()] = file
        return value

    mapped(effect, one)
    return found


def contents_of(effect: Effect, folder: Path | None) -> dict[str, str]:
    """What is in the files that an effect names; '' for those that are not there."""
    found = {}
    for name, file in named_files(effect, folder).items():
        try:
            found[name] = digest_of(file.read_bytes())
        except OSError:
            found[name] = ""
    return found


def frames_of(effect: Effect, folder: Path | None, store: FrameStore) -> tuple[str, ...]:
    """Names of the stored frames that an effect's pictures are drawn from."""
    names: list[str] = []
    for plan in plans_of(effect, folder).values():
        span = range(plan.stored_from, effect.frames)
        names += [name for f in span if f in plan.keys and store.has(name := plan.name(f))]
    return tuple(names)


def laid_out(files: Mapping[str, str], folder: Path | None, store: FrameStore, spare: Path) -> Path | None:
    """A folder in which the files are that an effect names: its own, where they are there, else `spare`
    with copies.

    Raises
    ------
    BadInput
        When one is nowhere, or is named by a place of another machine.
    """
    if not files or (folder is not None and all(_is(folder / name, what) for name, what in files.items())):
        return folder
    for name, what in files.items():
        if not _is_inside(name) or not _is_digest(what):
            raise BadInput(f"{name} lies outside the effect's folder", "files beside the effect", place=name)
        kept = store.folder / FILES / what
        if not kept.exists():
            raise BadInput("is not there", "the file that the effect names", Path(name))
        target = spare / name
        target.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(kept, target)
    return spare


def _is(file: Path, what: str) -> bool:
    try:
        return digest_of(file.read_bytes()) == what
    except OSError:
        return False


def _is_inside(name: str) -> bool:
    """Whether a name leads nowhere but into the folder that it is taken in."""
    parts = Path(name).parts
    return bool(parts) and "\0" not in name and not Path(name).is_absolute() and ".." not in parts


def _is_digest(what: str) -> bool:
    """Whether a text can be what `digest_of` gives; '' stands for a file that is not there."""
    return re.fullmatch(r"([0-9a-f]{32})?", what) is not None


Lacking = list[str | tuple[str, str]]
"""What a machine asks for: names of frames, and (name, content) of files."""


def lacking(
    names: tuple[str, ...], files: Mapping[str, str], folder: Path | None, store: FrameStore
) -> Lacking:
    """What of all that is not here."""
    found: Lacking = [name for name in names if not store.notice(name)]
    for name, what in files.items():
        here = folder is not None and _is(folder / name, what)
        if not here and not (store.folder / FILES / what).exists():
            found.append((name, what))
    return found


def parcels(
    wanted: Lacking, names: Collection[str], named: Mapping[str, Path], store: FrameStore
) -> Iterator[dict[str, bytes]]:
    """The bytes of what somebody lacks, so much at once as is well sent: frames by name, files by content.

    What is sent is of the sweep's own frames (`names`) and files (`named`), whatever is asked for.

    Raises
    ------
    BadInput
        When something else is asked for, or it is gone.
    """
    parcel: dict[str, bytes] = {}
    size = 0
    for one in wanted:
        name = one if isinstance(one, str) else one[0]
        if name not in (names if isinstance(one, str) else named):
            raise BadInput(f"a worker asks for {name[:60]}, which is not of this sweep")
        place = store.folder / name if isinstance(one, str) else named[name]
        try:
            data = store.body(name) if isinstance(one, str) else place.read_bytes()
        except (OSError, ValueError) as error:
            raise BadInput("is not there any more", "what a sweep began with", place) from error
        if parcel and size + len(data) > MOST_AT_ONCE:
            yield parcel
            parcel, size = {}, 0
        parcel[one if isinstance(one, str) else f"{FILES}/{digest_of(data)}"] = data
        size += len(data)
    if parcel:
        yield parcel


def take(parcel: Mapping[str, bytes], store: FrameStore) -> None:
    """Put what was sent where it is looked for, and nowhere else.

    Raises
    ------
    BadInput
        A name that is none of a frame or of a file by its content, or a frame that is damaged.
    """
    for name, data in parcel.items():
        try:
            if not name.startswith(f"{FILES}/"):
                store.adopt(name, data)
                continue
        except ValueError as error:
            raise BadInput(f"what was sent cannot be taken: {error}") from None
        if name != f"{FILES}/{digest_of(data)}":
            raise BadInput(f"what was sent as {name[:60]} holds something else")
        target = store.folder / name
        target.parent.mkdir(parents=True, exist_ok=True)
        write_atomic(target, data, sync=False)
