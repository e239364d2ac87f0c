"""A scene in the window: its edits, what it takes, its packages and its picture, in the background."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import pyqtSignal

from tenka.app.board.searching import Say, Search
from tenka.app.state import State
from tenka.app.timers import once
from tenka.base.errors import Cancelled, TenkaError
from tenka.base.jobs import Progress, Worker
from tenka.board.scening import SceneBook, pack_scene, players_of, spare_folder, standing_in, weigh
from tenka.effect import storage
from tenka.effect.scenes import MOST, Member, Scene, load_scene, save_scene
from tenka.proof.engine import package_view
from tenka.proof.together import Standing, draw_together

PICTURE = (800, 500)
KEEP_MS = 400  # after an edit


class SceneWork(Search):
    """The scene that is open, with what is known of it: its packing is what is looked for."""

    _quick = pyqtSignal(int, str, object)

    def __init__(self, state: State) -> None:
        super().__init__(state, "scene's packages")
        self.scene, self.file = Scene(), Path()
        self.book: SceneBook | None = None
        self.picture: np.ndarray | None = None
        self.standing: list[Standing] = []
        self.time = 0.0
        self._past: list[Scene] = []
        self._future: list[Scene] = []
        self._weighed = 0  # which weighing is heard
        self._weigher, self._drawer = Worker("scene's cost"), Worker("scene's picture")
        self._weighing = Progress()
        self._keeping = once(self, KEEP_MS, self._save)
        self._quick.connect(self._take)

    # --- edits --------------------------------------------------------------------------------

    @property
    def folder(self) -> Path:
        """From where the files of effects are named."""
        return self.file.parent if self.file != Path() else Path.cwd()

    def apply(self, scene: Scene, merge: bool = False) -> None:
        """Take another state of the scene; `merge`: as part of the edit before."""
        if scene == self.scene:
            return
        if not merge:
            self._past = [*self._past, self.scene][-200:]
        self._future = []
        self._adopt(scene)

    def undo(self) -> None:
        if self._past:
            self._future.append(self.scene)
            self._adopt(self._past.pop())

    def redo(self) -> None:
        if self._future:
            self._past.append(self.scene)
            self._adopt(self._future.pop())

    @property
    def can_undo(self) -> bool:
        return bool(self._past)

    @property
    def can_redo(self) -> bool:
        return bool(self._future)

    def _adopt(self, scene: Scene) -> None:
        other, self.scene = scene.files != self.scene.files, scene
        if other:
            self.standing, self.picture = [], None
        self._keeping.start()
        self.weigh()
        if self.standing:
            self.draw(self.time)
        self.changed.emit()

    def keep(self) -> None:
        """Write what was not written yet: a drag is written when it rests."""
        if not self._keeping.isActive():
            return
        self._keeping.stop()
        self._save()

    def _save(self) -> None:
        if self.file != Path():
            try:
                save_scene(self.scene, self.file)
            except TenkaError as error:
                self.state.refuse(error)

    def open(self, file: Path) -> None:
        """Open a scene, or begin one in a file that is not there yet."""
        try:
            scene = load_scene(file) if file.exists() else Scene(name=file.name.split(".")[0][:80] or "scene")
            if not file.exists():
                save_scene(scene, file)
        except TenkaError as error:
            self.state.refuse(error)
            return
        self.stop()
        self.keep()
        self.scene, self.file = scene, file.resolve()
        self._past, self._future = [], []
        self.book, self.picture, self.standing, self.time = None, None, [], 0.0
        self.weigh()
        self.changed.emit()

    def add(self, effect: Path, at: float = 0.0) -> None:
        """Put an effect at the end of them."""
        try:
            name = storage.load(effect).name
        except TenkaError as error:
            self.state.refuse(error)
            return
        way = Path(os.path.relpath(effect.resolve(), self.folder)).as_posix()
        if len(self.scene.members) == MOST:
            self.state.said.emit(f"A scene holds {MOST} effects at most.")
        else:
            member = Member(name=name, effect=way, at=at)
            self.apply(self.scene.put(len(self.scene.members), member))

    # --- what is known ------------------------------------------------------------------------

    @property
    def tier(self) -> str:
        return self.state.tier.name if self.state.tier is not None else ""

    def weigh(self) -> None:
        """Find what all take on the present tier."""
        self._weighing.cancel()
        self._weighed += 1
        scene, folder, tier = self.scene, self.folder, self.tier
        store, progress = self.state.store, Progress()
        self._weighing, self.problem = progress, ""
        if not scene.members:
            self.book = None
            return
        self._ask(self._weigher, "book", lambda: weigh(players_of(scene, folder, tier), store, progress))

    def _ask(self, worker: Worker, what: str, work: Callable[[], Any]) -> None:
        run = self._weighed

        def asked() -> None:
            try:
                self._quick.emit(run, what, work())
            except Cancelled:
                pass
            except (TenkaError, MemoryError) as error:
                self._quick.emit(run, "problem", str(error) or "There is not enough memory for it.")

        worker.ask(asked)

    def play(self) -> None:
        """Pack all effects and show them together."""
        scene, folder, tier, store = self.scene, self.folder, self.tier, self.state.store

        def look(progress: Progress, say: Say) -> None:
            players, out = players_of(scene, folder, tier), spare_folder()
            pack_scene(scene, players, store, out, progress, apart=True)
            say((scene.files, tier, standing_in(players, out)))

        self.begin(look)

    def pack(self, out: Path, apart: bool) -> None:
        """Pack into a folder."""
        scene, folder, tier, store = self.scene, self.folder, self.tier, self.state.store

        def look(progress: Progress, say: Say) -> None:
            folders = pack_scene(scene, players_of(scene, folder, tier), store, out, progress, apart)
            say(f"{len(folders)} packages in {out}.")

        self.begin(look)

    def found(self, found: object) -> None:
        """The packages to show, or a sentence on those that were written."""
        if isinstance(found, str):
            self.state.said.emit(found)
            return
        assert isinstance(found, tuple)
        files, tier, standing = found
        if files == self.scene.files and tier == self.tier:
            self.standing = standing
            self.draw(self.time)

    def draw(self, time: float) -> None:
        """Draw all at a time, where they are packed."""
        self.time = time
        if not self.standing:
            self.changed.emit()
            return
        rows = [
            Standing(s.package, m.at, s.lasts, m.place) for s, m in zip(self.standing, self.scene.members)
        ]

        def work() -> np.ndarray:
            view = package_view(rows[0].package, *PICTURE)
            return draw_together(rows, time, view).rgb

        self._ask(self._drawer, "picture", work)
        self.changed.emit()

    def close(self) -> None:
        self.keep()
        self._weighing.cancel()
        self._weigher.close()
        self._drawer.close()
        super().close()

    def _take(self, run: int, what: str, found: Any) -> None:
        if what == "picture":
            self.picture = found
        elif run == self._weighed:
            if what == "book":
                self.book = found
            else:
                self.problem = found
        self.changed.emit()
