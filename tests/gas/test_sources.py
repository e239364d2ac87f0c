"""Sources on a part of a prop, at its points, shaped by an image or colours, and on a surface that moves by
itself."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import inputs_of, small_effect, with_layer
from PIL import Image

from tenka.base.errors import BadInput
from tenka.demo import FOLDER, canvas
from tenka.effect.model import Collider, Effect, Prop, Source, ramp
from tenka.gas.grid import Grid
from tenka.gas.images import image_file
from tenka.gas.settings import ColliderInput, SourceInput
from tenka.gas.solids import find_solids
from tenka.gas.sources import birth_speed, source_mask
from tenka.run.plans import Plan
from tenka.scene.meshes import at_points, box
from tenka.scene.poses import STILL

CANVAS = Prop(id="cloth", name="Cloth", shape="mesh", file=str(FOLDER / "props" / "canvas.glb"), clip="flap")
GRID = Grid(
    shape=(30, 20, 24),
    voxel=0.1,
    origin=(-1.5, -1.0, 0.3),
    open_low=(True, True, True),
    open_high=(True, True, True),
)


def centres(grid: Grid, cells: np.ndarray) -> np.ndarray:
    return np.asarray(grid.origin) + (cells + 0.5) * grid.voxel


def on_cloth(t: float = 0.0, **changes: object) -> tuple[Source, SourceInput]:
    source = Source(id="s", name="S", shape="surface", prop="cloth", thickness=0.06).model_copy(
        update=changes
    )
    return source, inputs_of(source, CANVAS, t=t)


def test_only_the_named_part_gives():
    heights = {}
    for part in ("damp", "dry", "damp, dry"):
        _, inp = on_cloth(part=part)
        heights[part] = centres(GRID, source_mask(inp, (CANVAS,), GRID, None).cells)[:, 2]
    assert (
        heights["damp"].max() < heights["dry"].max() - 0.2
        and heights["dry"].min() > heights["damp"].min() + 0.5
    )
    assert len(heights["damp, dry"]) > max(len(heights["damp"]), len(heights["dry"]))


def test_joints_are_parts_too_and_unknown_names_are_told():
    name = f"cloth 1-{canvas.CANVAS.rows}"
    _, inp = on_cloth(part=name)
    place = centres(GRID, source_mask(inp, (CANVAS,), GRID, None).cells)
    assert len(place) > 0 and place[:, 0].max() < -0.8 and place[:, 2].max() < 1.2
    _, inp = on_cloth(part="hem")
    with pytest.raises(BadInput, match=r"no part .hem..*damp"):
        source_mask(inp, (CANVAS,), GRID, None)


def test_planes_across_another_axis_cut_it():
    _, inp = on_cloth(part_axis="x", part_high=0.25)
    place = centres(GRID, source_mask(inp, (CANVAS,), GRID, None).cells)
    assert place[:, 0].max() < -canvas.CANVAS.wide / 4 + 0.2
    _, inp = on_cloth(part_low=0.5, part_high=0.5)
    with pytest.raises(BadInput, match="nothing between the planes"):
        source_mask(inp, (CANVAS,), GRID, None)


def test_born_at_points_gives_only_there():
    prop = Prop(id="b", name="B", size=(1.0, 1.0, 1.0), position=(0.0, 0.0, 0.8))
    source = Source(id="s", name="S", shape="surface", prop="b", thickness=0.15, born_at="points")
    mask = source_mask(inputs_of(source, prop), (prop,), GRID, None)
    corners = np.array([[x, y, z] for x in (-0.5, 0.5) for y in (-0.5, 0.5) for z in (0.8, 1.8)])
    away = np.linalg.norm(centres(GRID, mask.cells)[:, None] - corners, axis=2).min(axis=1)
    assert len(mask.cells) and away.max() < 0.25
    assert len(at_points(box((1, 1, 1), (1, 1, 1)), np.arange(12)).face) == 8


def picture(tmp_path: Path) -> Path:
    """Bright on the left, dark on the right, clear in the upper half."""
    pixels = np.zeros((40, 40, 4), np.uint8)
    pixels[:, :20, :3] = 255
    pixels[20:, :, 3] = 255  # row 0 is the top
    Image.fromarray(pixels, "RGBA").save(tmp_path / "mask.png")
    return tmp_path / "mask.png"


def test_an_image_shapes_what_is_given_where(tmp_path: Path):
    source = Source(
        id="s",
        name="S",
        shape="box",
        position=(0, 0, 1),
        size=(2.0, 1.6, 0.4),
        shaped_by="image",
        image=picture(tmp_path).name,
    )
    mask = source_mask(inputs_of(source), (), GRID, tmp_path)
    place = centres(GRID, mask.cells)
    sure = mask.share > 0.9
    assert sure.sum() > 100 and place[sure, 0].max() < 0 and place[sure, 1].max() < 0
    assert mask.share[(place[:, 0] > 0.06) | (place[:, 1] > 0.06)].max(initial=0) < 0.1


def test_a_bad_image_is_one_sentence_and_another_picture_makes_another_key(tmp_path: Path):
    (tmp_path / "noise.png").write_bytes(b"\x89PNG broken")
    for name, words in (("noise.png", "not an image"), ("gone.png", "cannot be read"), ("", "no image")):
        source = Source(id="s", name="S", shape="box", size=(1, 1, 1), shaped_by="image", image=name)
        with pytest.raises(BadInput, match=words):
            source_mask(inputs_of(source), (), GRID, tmp_path)
    effect = small_effect()
    sources = (effect.layer().sources[0].model_copy(update={"shaped_by": "image", "image": "mask.png"}),)
    effect = with_layer(effect, sources=sources)
    assert image_file(sources[0], tmp_path) == picture(tmp_path)
    before = Plan.of(effect, None, tmp_path).keys
    Image.new("L", (4, 4), 200).save(tmp_path / "mask.png")
    assert Plan.of(effect, None, tmp_path).keys != before


def test_dark_colours_of_the_prop_give_less():
    _, plain = on_cloth()
    _, shaped = on_cloth(shaped_by="colours")
    whole, less = source_mask(plain, (CANVAS,), GRID, None), source_mask(shaped, (CANVAS,), GRID, None)
    ratio = less.share / whole.share
    high = centres(GRID, whole.cells)[:, 2] > 2.05
    assert ratio[high].mean() == pytest.approx(
        float(np.dot(canvas.CANVAS.tones[0][1], (0.2126, 0.7152, 0.0722))), abs=0.05
    )
    assert ratio[~high].min() < 0.45


def test_a_flapping_surface_gives_its_own_speed_by_its_ramp():
    _, inp = on_cloth(t=0.4, carried=ramp((0.0, 1.0), (1.0, 1.0)))
    _, later = on_cloth(t=0.4 + 1 / 24, carried=ramp((0.0, 1.0), (1.0, 1.0)))
    mask = source_mask(inp, (CANVAS,), GRID, None)
    speed = birth_speed(inp, mask, GRID)
    assert (
        np.abs(speed).max() > 0.5 and np.abs(speed[:, 0]).max() < 0.2 * np.abs(speed[:, 1]).max()
    )  # it turns about x
    # the cloth's middle moves between the two times as the speed says
    low = centres(GRID, mask.cells)[:, 2] < 1.1
    after = source_mask(later, (CANVAS,), GRID, None)
    moved = centres(GRID, after.cells)[centres(GRID, after.cells)[:, 2] < 1.1].mean(axis=0) - centres(
        GRID, mask.cells
    )[low].mean(axis=0)
    assert moved[1] == pytest.approx(speed[low, 1].mean() / 24, abs=0.03)


def test_a_solid_that_changes_its_form_moves_the_gas_as_its_surface_does():
    collider = Collider(id="c", name="C", prop="cloth", skin=0.08)
    solids = find_solids((ColliderInput(collider, CANVAS, STILL, None, 0.4),), GRID, None, None)
    assert (solids.distance < 0).sum() > 100
    _, inp = on_cloth(t=0.4 - 0.5 / 24, carried=ramp((0.0, 1.0), (1.0, 1.0)), thickness=0.02)
    mask = source_mask(inp, (CANVAS,), GRID, None)
    cloth = birth_speed(inp, mask, GRID)[:, 1]
    i, j, k = mask.cells.T
    beside = 0.5 * (solids.speed[1][i, j, k] + solids.speed[1][i, j + 1, k])
    fast = np.abs(cloth) > 0.5 * np.abs(cloth).max()
    assert (
        np.corrcoef(cloth, beside)[0, 1] > 0.8
        and np.sign(beside[fast]).tolist() == np.sign(cloth[fast]).tolist()
    )


def test_a_clip_is_part_of_a_frames_key():
    effect: Effect = small_effect()
    source = effect.layer().sources[0].model_copy(update={"shape": "surface", "prop": "cloth"})
    effect = with_layer(effect, sources=(source,)).model_copy(update={"props": (CANVAS,)})
    slow = effect.model_copy(update={"props": (CANVAS.model_copy(update={"clip_speed": 0.5}),)})
    assert Plan.of(effect).keys != Plan.of(slow).keys
