"""Makes the start page's pictures: `python tools/pictures.py [NAME ...]` draws each effect that ships, at the
moment that its name has here or two thirds through, into `src/tenka/demo/pictures`."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from PIL import Image

ROOT = Path(__file__).resolve().parent.parent / "src" / "tenka"
OUT = ROOT / "demo" / "pictures"
SIZE = (352, 220)
MOMENTS = {
    "boiler_burst": 0.35,
    "wheel_sparks": 0.5,
    "start_fireball": 0.24,
    "start_puff": 0.3,
    "sluice_basin": 0.55,
    "burst_main": 0.7,
    "start_afloat": 0.9,
    "start_splash": 0.36,
    "start_fountain": 0.2,
}
STARTING = (
    "plume",
    "puff",
    "mist",
    "fire",
    "fireball",
    "pool",
    "stream",
    "wake",
    "afloat",
    "splash",
    "fountain",
    "mud",
)


def main(names: list[str]) -> None:
    from tenka.effect import storage

    OUT.mkdir(exist_ok=True)
    files = {f.stem: f for f in sorted((ROOT / "demo").glob("*.tenka"))}
    files |= {f"start_{n}": ROOT / "effect" / "starting" / f"{n}.tenka" for n in STARTING}
    for name, file in files.items():
        if names and name not in names:
            continue
        frame = round((storage.load(file).frames - 1) * MOMENTS.get(name, 0.66))
        picture = OUT / f"{name}.png"
        size = f"{2 * SIZE[0]}x{2 * SIZE[1]}"
        command = [sys.executable, "-m", "tenka.cli", "render", str(file), "--frame", str(frame)]
        subprocess.run([*command, "--size", size, "--picture", str(picture)], check=True)
        with Image.open(picture) as large:
            large.convert("RGB").resize(SIZE, Image.Resampling.LANCZOS).quantize(192).save(
                picture, optimize=True
            )


if __name__ == "__main__":
    main(sys.argv[1:])
