"""Whole chains on every demo and on an effect that no demo shows: what is seen is what is packed, and every
step
from opening to writing out follows the one before."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from chains import NAMES, effect_of, lighter, one_sprite, proof_picture, stage_picture, whole_view
from command import command

from tenka.cache.store import FrameStore
from tenka.demo import FOLDER
from tenka.effect import storage
from tenka.effect.delivered import rerouted
from tenka.effect.document import delivered_on, replaced
from tenka.effect.model import Effect
from tenka.look.flip import flip_error as flip
from tenka.pack.layout import left_out, packable
from tenka.pack.packing import pack
from tenka.proof.engine import Package

ALL = (*NAMES, "own", "wet", "thrown")


SOLVED = ("grid", "livewater")  # routes of what a game makes itself


@pytest.mark.parametrize("name", ALL)
def test_what_is_packed_is_what_the_stage_shows(name: str, tmp_path: Path):
    """By default, for fire, glow, dye, smoke, particles and pieces alike: one sprite from the same side."""
    effect = one_sprite(lighter(effect_of(name)))
    ways = [delivered_on(effect, tier.id) for tier in effect.tiers]
    ways = [way for way in ways if not any(d.route.kind in SOLVED for d in way.deliveries)]
    if ways:  # of what is delivered in several ways it has one, that is more than a description
        effect = ways[-1]
    store = FrameStore(tmp_path / "frames")
    view = whole_view(effect, store, 160)
    pack(effect, FOLDER, store, tmp_path / "package")
    package = Package(tmp_path / "package")
    assert [e.id for e in package.elements] == [layer.id for layer in packable(effect)]
    assert not left_out(effect)
    nothing = stage_picture(effect.model_copy(update={"layers": ()}), store, 0, view)
    told = []
    for index in (8, 14):
        stage, proof = stage_picture(effect, store, index, view), proof_picture(package, index, view)
        seen = flip(nothing, stage)
        told.append((flip(stage, proof), seen))
    wrong, there = (max(t[k] for t in told) for k in (0, 1))
    assert there > 1e-4, "nothing is seen"
    # what flies within smoke is drawn among it on the stage, while sprites lie before or behind all of it
    within = 0.42 if any(layer.kind == "debris" for layer in effect.layers) else 0.38
    # the stage bends what is seen through a liquid along each ray, the game by its front and back alone
    within = 0.65 if any(layer.kind == "liquid" for layer in effect.layers) else within
    # water glints in every pixel, which the stage draws from four rays and the game from one
    most = 0.07 if any(layer.kind in ("water", "liquid") for layer in effect.layers) else 0.035
    assert wrong < max(within * there, 0.002) and wrong < most, (
        f"FLIP {wrong:.4f} where the effect makes {there:.4f}"
    )


@pytest.mark.parametrize("light", [1.0, 0.0])
def test_thrown_water_as_a_flipbook_is_what_the_stage_shows(light: float, tmp_path: Path):
    """A sprite mirrors the sky alone and bends nothing that lies behind it; else it is the same."""
    effect = lighter(effect_of("thrown"))
    layer = effect.layer("water")
    effect = effect.model_copy(update={"layers": (layer,), "forces": ()})
    first = effect.delivery("water").model_copy(update={"of": ("water",)})
    effect = rerouted(effect.model_copy(update={"deliveries": (first,), "tiers": ()}), "water", "flipbook")
    for name, value in (("columns", 3), ("rows", 3), ("width", 768), ("height", 768)):
        effect = replaced(effect, f"deliveries.water.route.{name}", value)
    effect = replaced(one_sprite(effect), "light.strength", 2.5 * light)
    store = FrameStore(tmp_path / "frames")
    view = whole_view(effect, store, 160)
    pack(effect, FOLDER, store, tmp_path / "package")
    package = Package(tmp_path / "package")
    nothing = stage_picture(effect.model_copy(update={"layers": ()}), store, 0, view)
    for index in (6, 14):
        stage, proof = stage_picture(effect, store, index, view), proof_picture(package, index, view)
        assert flip(stage, proof) < max(0.65 * flip(nothing, stage), 0.002)


@pytest.mark.parametrize("name", (*ALL, "many"))
def test_every_command_follows_the_one_before(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "frames"))
    effect = lighter(effect_of(name), frames=8, cells=2, px=64)
    opened = storage.moved(effect, FOLDER, tmp_path) if name in NAMES else effect
    file = tmp_path / "e.tenka"
    storage.save(opened, file)
    edited = replaced(storage.load(file), "light.exposure", 0.25)
    storage.save(edited, file)
    assert storage.load(file) == edited
    code, _, _, rows = command("info", file, "--json")
    assert code == 0 and len(rows[0]["layers"]) == len(edited.layers)
    code, _, _, rows = command("simulate", file, "--json")
    assert code == 0 and {row["layer"] for row in rows} == {layer.id for layer in edited.layers}
    assert command("simulate", file, "--quality", "final", "--frames", "0:1", "--json").code == 0
    assert (
        command("render", file, "--frame", 3, "--picture", tmp_path / "r.png", "--size", "160x100").code == 0
    )
    code, _, _, rows = command("pack", file, "--out", tmp_path / "package", "--json")
    assert code == 0 and [row["element"] for row in rows if "element" in row] == [
        layer.id for layer in packable(edited)
    ]
    code, _, _, rows = command(
        "proof",
        tmp_path / "package",
        "--frame",
        2,
        "--picture",
        tmp_path / "p.png",
        "--size",
        "160x100",
        "--json",
    )
    drawn = sum(rows[0][what] for what in ("quads", "particles", "triangles", "samples"))
    assert code == 0 and drawn > 0
    tiers = edited.tiers or ()
    for tier in tiers[:1]:
        code, _, _, rows = command("gate", file, "--tier", tier.name, "--json")
        counted = {row["layer"] for row in rows if "layer" in row}
        assert code in (0, 1) and counted == {d.name for d in packable(delivered_on(edited, tier.id))}
        assert rows[-1]["not_counted"] == [] and (code == 1) == rows[-1]["over"]
    for layer in edited.layers:
        if layer.HANDS == "points":
            meshes = layer.kind == "liquid" or layer.look.form == "mesh"
            ending = "glb" if meshes else "usdc"
            out = tmp_path / f"{layer.id}.{ending}"
            assert command("export", file, "--out", out, "--layer", layer.id, "--json").code == 0
            assert out.stat().st_size > 100


def test_the_plume_does_not_pulse(tmp_path: Path):
    """Cells are drawn at even moments and played at them: a steady column moves evenly from cell to cell."""
    effect = one_sprite(lighter(effect_of("kiln_plume"), frames=24, voxels=1.6, cells=4))
    store = FrameStore(tmp_path / "frames")
    manifest = pack(effect, FOLDER, store, tmp_path / "package")
    times = np.array(manifest.elements[0].times)
    assert len(times) == 16 and np.ptp(np.diff(times)) < 2e-6  # 24 frames in 16 cells: no whole frames
    package = Package(tmp_path / "package")
    view = whole_view(effect, store, 160)
    shots = [package.draw(float(t - times[0]), view).rgb.astype(float) for t in times]
    steps = np.array([np.abs(b - a).mean() for a, b in zip(shots, shots[1:])])[2:]
    beside = (steps[:-2] + steps[2:]) / 2
    assert np.all(np.abs(steps[1:-1] / beside - 1) < 0.25), steps  # whole frames would be half and twice


def test_a_layer_that_is_hidden_is_in_no_package_and_one_alone_can_be_packed(tmp_path: Path):
    effect = lighter(effect_of("wheel_sparks"), frames=8, cells=2, px=64)
    first = effect.layers[0].model_copy(update={"hidden": True})
    hidden = Effect.model_validate({**dict(effect), "layers": (first, *effect.layers[1:])})
    store = FrameStore(tmp_path / "frames")
    manifest = pack(hidden, FOLDER, store, tmp_path / "a")
    ways = {d.id for d in effect.deliveries_of(first.id)}
    assert {e.id for e in manifest.elements} == {d.id for d in effect.deliveries} - ways
    manifest = pack(effect, FOLDER, store, tmp_path / "b", only=first.id)
    assert [e.id for e in manifest.elements] == [first.id]
