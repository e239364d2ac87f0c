"""A desktop entry, an icon and a file type of one's own, in the home folder alone."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Annotated

import typer

from tenka.base.errors import BadInput
from tenka.cli.common import Json, app, say

MIME = "application/x-tenka-effect"
ENTRY = """[Desktop Entry]
Type=Application
Name=Tenka
Comment=Shape, simulate and pack real-time effects
Exec={command} open %f
Icon=tenka
Terminal=false
Categories=Graphics;3DGraphics;
MimeType={mime};
"""
TYPE = """<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{mime}">
    <comment>Tenka effect</comment>
    <glob pattern="*.tenka"/>
    <icon name="tenka"/>
  </mime-type>
</mime-info>
"""


def data_home() -> Path:
    """Where a user's own data lies, as the XDG base directories have it."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def files_of(base: Path) -> dict[Path, bytes]:
    """All files that are written, and what is in them."""
    icon = Path(__file__).parents[1] / "app" / "assets" / "tenka.svg"
    beside = Path(sys.executable).parent / "tenka"
    command = str(beside) if beside.exists() else f"{sys.executable} -m tenka.cli"
    quoted = f'"{command}"' if beside.exists() and " " in command else command
    return {
        base / "applications" / "tenka.desktop": ENTRY.format(command=quoted, mime=MIME).encode(),
        base / "icons" / "hicolor" / "scalable" / "apps" / "tenka.svg": icon.read_bytes(),
        base / "mime" / "packages" / "tenka.xml": TYPE.format(mime=MIME).encode(),
    }


def _tell_the_desktop(base: Path) -> None:
    """Let the desktop read its lists anew, where it has the programs for that."""
    for program, folder in (("update-mime-database", "mime"), ("update-desktop-database", "applications")):
        found = shutil.which(program)
        if found is not None and (base / folder).is_dir():
            subprocess.run([found, str(base / folder)], check=False, capture_output=True)


@app.command()
def install(
    remove: Annotated[bool, typer.Option("--remove", help="Take back what an earlier call wrote.")] = False,
    as_json: Json = False,
) -> None:
    """Put Tenka into the desktop's menu, so that a double click opens an effect; in the home folder alone."""
    from tenka.base.files import write_atomic

    base = data_home()
    files = files_of(base)
    for file, content in files.items():
        try:
            if remove:
                file.unlink(missing_ok=True)
            else:
                file.parent.mkdir(parents=True, exist_ok=True)
                write_atomic(file, content)
        except OSError as error:
            raise BadInput(
                f"cannot be written ({error.strerror})", "a home folder that you may write to", file
            ) from None
    _tell_the_desktop(base)
    words = "are gone" if remove else "are there"
    row = {"files": [str(f) for f in files], "removed": remove}
    say(row, as_json, f"The menu entry, the icon and the file type {words}.")
