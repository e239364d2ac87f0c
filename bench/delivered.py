"""How near what is delivered is to the stage, and the page to Proof: tables for docs/quality.md.

`python -m bench.delivered --frames FOLDER` prints them; needs Chromium for the page's column.
"""

from __future__ import annotations

import argparse
import os
import sys
import tempfile
from pathlib import Path

import numpy as np
from PIL import Image
from skimage.metrics import structural_similarity

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))
from chains import as_flipbooks, lighter, one_sprite, proof_picture, stage_picture, whole_view

from bench.browser import NAME, picture
from tenka.cache.store import FrameStore
from tenka.demo import EFFECTS, FOLDER
from tenka.effect.courses import still
from tenka.effect.document import delivered_on, replaced
from tenka.effect.model import Delivery, Effect, rerouted
from tenka.effect.routes.particles import ParticleBake
from tenka.effect.storage import load
from tenka.look.flip import flip_error as flip
from tenka.look.march import march
from tenka.look.render import Renderer
from tenka.look.shot import gathered, seen, shot_of
from tenka.look.volume import light_volume
from tenka.pack.books import books_of
from tenka.pack.packing import pack
from tenka.package.elements.flipbook import Flipbook
from tenka.package.elements.particles import Particles
from tenka.proof.elements.base import Now
from tenka.proof.engine import Package
from tenka.proof.jumps import jumps
from tenka.run.plans import plans_of
from tenka.scene.cameras import side_view, view_of

SIZE = (480, 300)
ANGLES = (0, 15, 30, 45, 60)
LAW = "births and law"


def stage_of(effect: Effect, store: FrameStore, index: int) -> np.ndarray:
    """A frame as the stage draws it by the demo's camera."""
    plans = {layer.id: plans_of(effect, FOLDER)[layer.id] for layer in seen(effect)}
    frames, past = gathered(plans, store, index)
    shot = shot_of(effect, frames, FOLDER, index / effect.rate, past=past, books=books_of(effect, FOLDER)[0])
    view = view_of(effect.camera, *SIZE)
    return Renderer().draw_shot(shot, still(effect.light, index / effect.rate), view, passes=8).rgb


def per_demo(store: FrameStore, spare: Path, only: str) -> None:
    """Each demo on its last tier: stage, Proof with each flipbook on one sprite, Proof as a game, page."""
    print("| demo | routes | effect | stage and Proof, as packed | Proof and page |")
    print("| --- | --- | --- | --- | --- |")
    for file in EFFECTS:
        if only not in file.stem:
            continue
        effect = load(file)
        effect = delivered_on(effect, effect.tiers[-1].id)
        out = spare / file.stem
        pack(effect, FOLDER, store, out)
        package, view = Package(out), view_of(effect.camera, *SIZE)
        index = round(0.55 * effect.frames)
        t = index / effect.rate
        stage = stage_of(effect, store, index)
        bare = stage_of(effect.model_copy(update={"layers": ()}), store, index)
        players = tuple(
            e.player.on_one_sprite(e.times[-1] - e.times[0]) if isinstance(e, Flipbook) else e.turned
            for e in package.elements
        )
        packed, game = package.draw(t, view, players).rgb, package.draw(t, view).rgb
        page = float("nan")
        if NAME is not None:
            shot = spare / f"{file.stem}.png"
            picture(out / "play.html", f"t={t}&w={SIZE[0]}&h={SIZE[1]}", SIZE, shot, 60_000)
            with Image.open(shot) as image:
                page = flip(game, np.asarray(image.convert("RGB"))[: SIZE[1], : SIZE[0]])
        routes = ", ".join(dict.fromkeys(e.route for e in package.elements))
        row = f"| {file.stem} | {routes} | {flip(bare, stage):.3f} | {flip(stage, packed):.3f} | {page:.3f} |"
        print(row, flush=True)


def motion(store: FrameStore, spare: Path) -> None:
    """Half of the frames, blended plainly and along their motion."""
    print("\n| demo, half of its frames | FLIP, plainly | along motion | SSIM, plainly | along motion |")
    print("|" + " --- |" * 5)
    for file in EFFECTS:
        effect = one_sprite(lighter(as_flipbooks(load(file)), frames=17, cells=3, px=128))
        view, found = whole_view(effect, store, 160), []
        for along in (False, True):
            variant = effect
            for d in effect.deliveries:
                variant = replaced(variant, f"deliveries.{d.id}.route.motion", along)
            out = spare / f"{file.stem}_{along}"
            pack(variant, FOLDER, store, out)
            package = Package(out)
            pairs = [
                (stage_picture(effect, store, n, view), proof_picture(package, n, view))
                for n in (7, 9, 11, 13)
            ]
            found.append([float(np.mean([measure(*pair) for pair in pairs])) for measure in (flip, ssim)])
        (plain, plain_ssim), (moved, moved_ssim) = found
        print(
            f"| {file.stem} | {plain:.4f} | {moved:.4f} | {plain_ssim:.4f} | {moved_ssim:.4f} |", flush=True
        )


def ssim(reference: np.ndarray, other: np.ndarray) -> float:
    """Structural similarity of two pictures (Wang et al. 2004), 1 for the same."""
    return float(structural_similarity(reference, other, channel_axis=2))


def plume(**more: object) -> Effect:
    """The kiln's plume, half as fine, by a flipbook."""
    effect = lighter(as_flipbooks(load(FOLDER / "kiln_plume.tenka")), frames=96, voxels=1.6, cells=6, px=128)
    for name, value in more.items():
        effect = replaced(effect, f"deliveries.plume.route.{name}", value)
    return effect


def flipbooks(store: FrameStore, spare: Path) -> None:
    """Seam of a loop, blocks, light maps."""
    looped = pack(plume(loop=True), FOLDER, store, spare / "loop").elements[0]
    print(f"\nLoop of the plume: its seam is {looped.seam:.2f} of the median step.")
    print("\n| atlas of the plume | form | PSNR, dB |\n| --- | --- | --- |")
    for form in ("BC1", "BC3", "BC7"):
        element = pack(plume(blocks=form, motion=True), FOLDER, store, spare / form).elements[0]
        for block in element.blocks if form != "BC1" else element.blocks[:1]:
            print(f"| {block.of} | {block.form.upper()} | {block.psnr:.1f} |")
    effect = one_sprite(plume(six_way=True))
    pack(effect, FOLDER, store, spare / "lit")
    package, view = Package(spare / "lit"), whole_view(effect, store, 160)
    index = 60
    frames, past = gathered(plans_of(effect, FOLDER), store, index)
    t, wrong, fixed = index / effect.rate, [], []
    for heading in (-150, -90, -30, 30, 90, 150):
        for height in (10, 55):
            light = effect.light.model_copy(update={"heading": float(heading), "height": float(height)})
            lit = effect.model_copy(update={"light": light})
            shot = shot_of(lit, frames, FOLDER, t, past=past)
            true = Renderer().draw_shot(shot, light, view, passes=8).rgb
            package.turn_light(*package.sun)
            fixed.append(flip(true, package.draw(t, view).rgb))
            package.turn_light(float(heading), float(height))
            wrong.append(flip(true, package.draw(t, view).rgb))
    print(
        f"\nLight maps of the plume, twelve directions of the sun: FLIP {np.mean(wrong):.3f} on average, "
        f"{np.max(wrong):.3f} at most, to a true render; {np.mean(fixed):.3f} as it was packed."
    )


def cut_outs(store: FrameStore, spare: Path) -> None:
    """What cut-outs leave of the frames of each demo, and whether anything is lost."""
    print("\n| demo | one for all | each frame | largest difference of a pixel, of 255 |\n|" + " --- |" * 4)
    for file in EFFECTS:
        effect = lighter(as_flipbooks(load(file)), frames=33, cells=4, px=128)
        shares, shown = [], []
        for cut in ("none", "one for all", "each frame"):
            variant = effect
            for d in effect.deliveries:
                variant = replaced(variant, f"deliveries.{d.id}.route.cut_out", cut)
                variant = replaced(variant, f"deliveries.{d.id}.route.alpha_floor", 0.02)
            out = spare / f"{file.stem}_{cut}"
            pack(variant, FOLDER, store, out)
            package = Package(out)
            view = view_of(effect.camera, 480, 300)
            shown.append([package.draw(t, view).rgb.astype(int) for t in (0.4, 0.9, 1.3)])
            held = [e.cut_out.shares.mean() for e in package.elements if e.cut_out is not None]
            shares.append(float(np.mean(held)) if held else 1.0)
        worst = max(int(np.abs(a - b).max()) for other in shown[1:] for a, b in zip(shown[0], other))
        print(f"| {file.stem} | {100 * shares[1]:.0f} % | {100 * shares[2]:.0f} % | {worst} |", flush=True)


def slices(store: FrameStore, spare: Path) -> None:
    """The plume as slices, by the angle from which it is seen."""
    print("\n| sheets | " + " | ".join(f"{a}°" for a in ANGLES) + " |\n| --- |" + " --- |" * len(ANGLES))
    for count in (8, 16, 32):
        effect = rerouted(plume(), "plume", "slices").model_copy(update={"props": ()})
        for name, value in (("count", count), ("side", 128)):
            effect = replaced(effect, f"deliveries.plume.route.{name}", value)
        effect = replaced(effect, "light.exposure", 0.0)
        pack(effect, FOLDER, store, spare / f"slices_{count}")
        package = Package(spare / f"slices_{count}")
        element, played = package.elements[0], package.played[0]
        t = element.times[-4]
        index = round(t * effect.rate)
        layer = effect.layers[0]
        frame = plans_of(effect, FOLDER)[layer.id].read(store, index, True)
        volume, row = light_volume(frame, layer.look, still(effect.light, t)), []
        for angle in ANGLES:
            view = side_view(np.array(frame.origin), frame.high, -90.0 + angle, 120, 120)
            true = march(volume, view)[..., :3]
            image = np.zeros((120, 120, 3), np.float32)
            player = element.player.model_copy(update={"soft_edge": 0.0})
            drawn = played.drawn(player, Now(index / effect.rate, view, np.zeros((1, 3)), package.light, 1.0))
            assert drawn is not None
            drawn.paint(np.argsort(-drawn.depth), np.full((120, 120), 1e6, np.float32), image)
            row.append(float(np.abs(image - true).mean() / true.mean()))
        print(f"| {count} | " + " | ".join(f"{100 * v:.0f} %" for v in row) + " |", flush=True)


def grid(store: FrameStore, spare: Path) -> None:
    """What a small solver loses: the plume in fewer voxels, and what passes of pressure leave."""

    def coarse(longest: int) -> Effect:
        effect = one_sprite(plume())
        side = max(effect.gas().domain.size)
        return replaced(effect, "layers.plume.domain.voxel", side / longest)

    def mean_picture(effect: Effect) -> np.ndarray:
        view = whole_view(effect, store, 160)
        shots = [stage_picture(effect, store, n, view).astype(np.float64) for n in range(36, 96, 6)]
        return np.mean(shots, axis=0).round().astype(np.uint8)

    reference = mean_picture(coarse(128))
    other = mean_picture(coarse(128).model_copy(update={"seed": 7}))
    print(
        "\n| voxels along the longest side | size of one | FLIP of the mean picture | \n| --- | --- | --- |"
    )
    for longest in (16, 24, 32, 48, 64, 96):
        effect = coarse(longest)
        off = flip(reference, mean_picture(effect))
        print(f"| {longest} | {100 * effect.gas().domain.voxel:.1f} cm | {off:.3f} |", flush=True)
    print(f"\nTwo runs of the reference by other chances: {flip(reference, other):.3f}.")
    effect = coarse(48)
    run = plans_of(effect, FOLDER)["plume"]
    frame = run.kind.read(store, run.name(60), False)
    rise = np.gradient(np.asarray(frame.temperature, np.float32), axis=2)  # what heat adds to the divergence
    print("\n| passes of pressure in a step | of the divergence left |\n| --- | --- |")
    for passes, left in left_by_passes(rise, (5, 10, 20, 40, 80)):
        print(f"| {passes} | {100 * left:.0f} % |", flush=True)


def laws(store: FrameStore, spare: Path) -> None:
    """Particles of the demos as births and a law, beside the simulation and the same moment by moment."""
    print("| particles | births | alive alike | astray, of a way of | apart | light off | a law | moments |")
    print("| --- | --- | --- | --- | --- | --- | --- | --- |")
    for file in EFFECTS:
        effect = load(file)
        for layer in effect.layers:
            if layer.kind != "particles" or ParticleBake(written=LAW).fits(layer):
                continue
            route, size = ParticleBake(last=600.0), {}
            for written in (LAW, "each moment"):
                own = Delivery(
                    id="it", name="It", of=(layer.id,), route=route.model_copy(update={"written": written})
                )
                alone = effect.model_copy(update={"deliveries": (own,)})
                (element,) = pack(alone, FOLDER, store, spare / "law").elements
                assert isinstance(element, Particles)
                size[written] = sum((spare / "law" / name).stat().st_size for name in element.files) / 1e6
                if element.law is not None:
                    a = element.law.agrees
                    print(
                        f"| {file.stem}, {layer.id} | {a.births:,} | {100 * a.alive:.1f} % | "
                        f"{a.astray:.3f} m, {a.path:.2f} m | {a.apart:.3f} | {100 * a.light:.0f} % | ",
                        end="",
                    )
            print(f"{size[LAW]:.1f} MB | {size['each moment']:.1f} MB |")


def changes(store: FrameStore, spare: Path) -> None:
    """Steam as a volume nearby and as a flipbook further away: how much is seen of the change."""
    print("| steam changes at | FLIP, mean | at most |")
    print("| --- | --- | --- |")
    effect = load(FOLDER / "canvas_steam.tenka").model_copy(update={"tiers": (), "levers": ()})
    for distance in (6.0, 12.0, 24.0, 48.0):
        near = replaced(effect, "deliveries.fog.route.seen_to", distance)
        pack(replaced(near, "deliveries.steam.route.seen_from", distance), FOLDER, store, spare / "change")
        package = Package(spare / "change")
        (jump,) = jumps(package, package.camera)
        print(f"| {distance:g} m | {jump.flip:.3f} | {jump.worst:.3f} |")


def left_by_passes(given: np.ndarray, counts: tuple[int, ...]) -> list[tuple[int, float]]:
    """Root mean square of what is left of a divergence after passes of red-black relaxation (Young 1954),
    each over both colours, in an open box."""
    pressure = np.zeros(np.array(given.shape) + 2, np.float32)
    inner = (slice(1, -1),) * 3
    x, y, z = np.indices(given.shape)
    red = (x + y + z) % 2 == 0

    def around() -> np.ndarray:
        p = pressure
        sides = p[:-2, 1:-1, 1:-1] + p[2:, 1:-1, 1:-1] + p[1:-1, :-2, 1:-1] + p[1:-1, 2:, 1:-1]
        return np.asarray(sides + p[1:-1, 1:-1, :-2] + p[1:-1, 1:-1, 2:])

    found, whole = [], float(np.sqrt((given**2).mean()))
    for n in range(1, max(counts) + 1):
        for colour in (red, ~red):
            pressure[inner][colour] = ((around() - given) / 6)[colour]
        if n in counts:
            left = around() - 6 * pressure[inner] - given
            found.append((n, float(np.sqrt((left**2).mean())) / whole))
    return found


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__)
    ask.add_argument("--frames", type=Path, help="a folder in which simulated frames are kept")
    ask.add_argument("--only", default="", help="demos whose names hold this")
    ask.add_argument("--part", default="", help="the name of one of its tables")
    chosen = ask.parse_args()
    with tempfile.TemporaryDirectory() as spare:
        store = FrameStore(chosen.frames or Path(spare) / "frames")
        if chosen.part in ("", "per_demo"):
            per_demo(store, Path(spare), chosen.only)
        for part in () if chosen.only else (motion, cut_outs, flipbooks, slices, grid, laws, changes):
            if chosen.part in ("", part.__name__):
                part(store, Path(spare))


if __name__ == "__main__":
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    main()
