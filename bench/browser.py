"""A browser without a window, which draws in software: it shows a package's page."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
from pathlib import Path

NAME = shutil.which("chromium")
FLAGS = (
    "--headless",
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--hide-scrollbars",
    "--force-device-scale-factor=1",
    "--disable-extensions",  # from here on what only makes it start later
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
    "--mute-audio",
)
SECONDS = 120


def asked(page: Path, words: str, *more: str, patience: int = 20_000) -> str:
    """What the browser says of a page that is opened with some words behind its #; `patience`: ms of the
    page's own clock."""
    where = page.resolve().as_uri() + (f"#{words}" if words else "")
    with tempfile.TemporaryDirectory() as profile:
        told = [str(NAME), *FLAGS, f"--user-data-dir={profile}", f"--virtual-time-budget={patience}", *more]
        done = subprocess.run([*told, where], check=True, capture_output=True, timeout=SECONDS, text=True)
    return done.stdout


def picture(page: Path, words: str, size: tuple[int, int], out: Path, patience: int = 20_000) -> None:
    """Draw a page to a PNG."""
    shape = f"--window-size={size[0]},{size[1]}"
    asked(page, words, shape, f"--screenshot={out.resolve()}", patience=patience)
