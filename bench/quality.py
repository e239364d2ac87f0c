"""How true the stage's light is: demos' frames against the path-traced reference, as a table for
docs/quality.md.

Run `python -m bench.quality`; it takes some minutes.
"""

from __future__ import annotations

import argparse
import os
import tempfile
from pathlib import Path

import numpy as np

from bench.reference import traced
from tenka.base.jobs import Progress
from tenka.base.srgb import from_srgb
from tenka.cache.store import FrameStore
from tenka.demo import FOLDER
from tenka.effect.model import Effect, GasLayer
from tenka.effect.storage import load
from tenka.look.colour import develop
from tenka.look.march import march
from tenka.look.volume import LitVolume, light_volume
from tenka.run.driver import simulate
from tenka.run.plans import Plan
from tenka.scene.cameras import View, view_of

SCENES = (("kiln_plume", 40), ("cellar_vapour", 50), ("furnace_mouth", 30), ("boiler_burst", 14))
SIZE = (120, 75)
PATHS = 400
COVERED = 0.05  # cover from which a pixel counts
BEHIND = 0.08  # linear grey behind the gas


def lab(rgb: np.ndarray) -> np.ndarray:
    """CIE L*a*b* (D65) of 8-bit sRGB, (..., 3)."""
    linear = from_srgb(rgb.astype(float) / 255.0)
    to_xyz = np.array(
        [
            [0.4124564, 0.3575761, 0.1804375],
            [0.2126729, 0.7151522, 0.0721750],
            [0.0193339, 0.1191920, 0.9503041],
        ]
    )
    x = linear @ to_xyz.T / np.array([0.95047, 1.0, 1.08883])
    f = np.where(x > (6 / 29) ** 3, np.cbrt(x), x / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack(
        [116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1
    )


def compared(volume: LitVolume, view: View, exposure: float, paths: int = PATHS) -> dict[str, float]:
    """The marched picture against the reference: mean colour difference (Lab, as developed), brightness over
    the reference's, and what two references differ by."""
    gas = march(volume, view)
    quick = gas[..., :3] + gas[..., 4:7] + (1 - gas[..., 3:4]) * BEHIND
    found = [traced(volume, view, paths, seed) for seed in (1, 2)]
    true = [t[..., :3] + (1 - t[..., 3:4]) * BEHIND for t in found]
    both = 0.5 * (true[0] + true[1])
    rows = 0.5 * (found[0][..., 3] + found[1][..., 3]) > COVERED
    shown = [lab(develop(np.ascontiguousarray(p, np.float32), exposure)) for p in (quick, both, *true)]
    off = [float(np.linalg.norm(a - b, axis=-1)[rows].mean()) for a, b in ((shown[0], shown[1]), shown[2:])]
    light = gas[..., :3] + gas[..., 4:7]
    traced_light = 0.5 * (found[0] + found[1])[..., :3]
    return {
        "lab": off[0],
        "brightness": float(light[rows].sum() / traced_light[rows].sum()),
        "noise": off[1],
        "cover": float(rows.mean()),
    }


def gas_at(effect: Effect, store: FrameStore, index: int) -> tuple[GasLayer, LitVolume]:
    """An effect's first gas, simulated to a frame and lit."""
    layer = effect.gases[0]
    plan = Plan.of(effect, layer.id, FOLDER)
    simulate(plan, store, Progress(), (0, index))
    return layer, light_volume(plan.read(store, index, True), layer.look, effect.light)


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__)
    ask.add_argument("--frames", type=Path, help="a folder in which simulated frames are kept")
    ask.add_argument("--only", default="", help="scenes whose names hold this")
    chosen = ask.parse_args()
    with tempfile.TemporaryDirectory() as spare:
        store = FrameStore(chosen.frames or Path(spare))
        print("| scene | frame | colour difference (Lab) | brightness | two references differ by | covered |")
        print("| --- | --- | --- | --- | --- | --- |")
        for name, index in SCENES:
            if chosen.only not in name:
                continue
            effect = load(FOLDER / f"{name}.tenka")
            _, volume = gas_at(effect, store, index)
            found = compared(volume, view_of(effect.camera, *SIZE), effect.light.exposure)
            print(
                f"| {name} | {index + 1} | {found['lab']:.2f} | {found['brightness']:.2f} | "
                f"{found['noise']:.2f} | {100 * found['cover']:.0f} % |",
                flush=True,
            )


if __name__ == "__main__":
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    main()
