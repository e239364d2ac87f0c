"""Files that are dropped on the window: effects are opened, meshes become props, points and pictures feed
the source that is worked on, measured times calibrate a device."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QMimeData

from tenka.app.dialogs.calibration import ask_calibration
from tenka.budget.calibrating import is_table
from tenka.effect.document import get
from tenka.effect.model import POINTS, Source
from tenka.effect.starters import with_source

if TYPE_CHECKING:
    from tenka.app.window import Window

EFFECT_FILES = (".tenka",)
MESH_FILES = (".glb", ".obj", ".stl", ".ply")
POINT_FILES = (".csv", ".npz")
PICTURE_FILES = (".png", ".jpg", ".jpeg", ".tif", ".tiff")
TAKEN = (*EFFECT_FILES, *MESH_FILES, *POINT_FILES, *PICTURE_FILES)


def files_of(data: QMimeData | None) -> list[Path]:
    """The files of a drop that have a use here."""
    urls = data.urls() if data is not None else []
    files = [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]
    return [f for f in files if f.suffix.lower() in TAKEN]


def take_file(window: Window, file: Path) -> None:
    """Do with a file what its kind asks for; what has no use here is said."""
    kind, state = file.suffix.lower(), window.state
    if kind in EFFECT_FILES:
        window.leave_for(file)
    elif kind in MESH_FILES:
        window.tray.add_mesh(file)
    elif kind == ".csv" and is_table(file):
        window.go_to("budget")
        ask_calibration(state, file, window)
    elif kind in POINT_FILES:
        _points(window, file)
    elif kind in PICTURE_FILES:
        _picture(window, file)
    else:
        state.said.emit(f"{file.name} has no use here: an effect, a mesh, points or a picture has.")


def _points(window: Window, file: Path) -> None:
    """A further source of the layer that is worked on, which gives the file's points."""
    state, layer = window.state, window.state.layer
    if layer is None or layer.HANDS != POINTS:
        state.said.emit(f"Select a layer of particles first, so that {file.name} can feed it.")
        return
    effect, path = with_source(state.effect, layer.id)
    source = get(effect, path).model_copy(update={"shape": "file", "file": str(file), "name": file.stem[:60]})
    owner = effect.layer(layer.id)
    sources = tuple(source if s.id == source.id else s for s in owner.sources)
    state.apply(effect.with_layer(owner.model_copy(update={"sources": sources})), f"Take {file.name}")
    state.select(path)


def _picture(window: Window, file: Path) -> None:
    """The picture shapes the source that is selected."""
    state = window.state
    source = get(state.effect, state.selection) if ".sources." in state.selection else None
    if not isinstance(source, Source):
        state.said.emit(f"Select a source of a gas first, so that {file.name} can shape it.")
        return
    shaped = source.model_copy(update={"shaped_by": "image", "image": str(file)})
    state.edit(state.selection, shaped, f"Shape by {file.name}")
