"""The last packages that were written to be measured: a variant takes over what it has in common with one."""

from __future__ import annotations

import hashlib
import json
import shutil
import tempfile
import threading
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect.model import Effect
from tenka.pack.packing import pack

MOST = 8  # packages on it


class Shelf:
    """Packages of variants of one effect, the last ones used; all go with the process."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._of = ""
        self._kept: list[tuple[Path, Effect]] = []
        self._home: tempfile.TemporaryDirectory[str] | None = None
        self._count = 0

    def packed(
        self,
        played: Effect,
        folder: Path | None,
        store: FrameStore,
        progress: Progress,
        names: Mapping[str, str],
        only: str | None = None,
    ) -> Path:
        """The folder of a package of an effect as a tier plays it. It stays until others have come.

        Parameters
        ----------
        names : of each layer's last frame: what was simulated
        only : the one delivery that is packed

        Raises
        ------
        BadInput, TooLarge, Unstable, Cancelled
        """
        with self._lock:
            of = _all_but_deliveries(played, names)
            if self._home is None or of != self._of:
                self.clear()
                self._of, self._home = of, tempfile.TemporaryDirectory(prefix="tenka-board-")
            self._count += 1
            target = Path(self._home.name) / f"{self._count}"
            pack(played, folder, store, target, progress, only, earlier=self._kept, page=False)
            self._kept.insert(0, (target, played))
            for place, _ in self._kept[MOST:]:
                shutil.rmtree(place, ignore_errors=True)
            del self._kept[MOST:]
            return target

    def clear(self) -> None:
        """Remove all of them."""
        self._kept.clear()
        if self._home is not None:
            with suppress(OSError):
                self._home.cleanup()
        self._home = None


SHELF = Shelf()


def _all_but_deliveries(effect: Effect, names: Mapping[str, str]) -> str:
    told = effect.model_dump(mode="json", exclude={"deliveries", "tiers", "levers", "name"})
    return hashlib.blake2b(json.dumps([told, sorted(names.items())]).encode(), digest_size=16).hexdigest()
