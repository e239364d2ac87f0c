"""Packages: written, read back by other readers, played, and weighed."""

from __future__ import annotations

import io
import json
import shutil
import subprocess
import sys
from pathlib import Path

import jsonschema
import numpy as np
import pytest
import trimesh
from build import element_of, layout_of, small_effect, with_layer
from command import command
from PIL import Image
from players import quad

from tenka.base.errors import BadInput, Cancelled, TooLarge
from tenka.base.jobs import Progress
from tenka.base.srgb import from_srgb
from tenka.budget.cost import ledger
from tenka.budget.devices import SHIPPED, device, devices, load_device
from tenka.budget.lines import BLOCKS, mip_sizes, texture_bytes
from tenka.budget.routes.flipbook import FLOPS, flipbook_line, mean_cover, viewing_of
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.document import replaced, with_own
from tenka.effect.model import Delivery, Effect
from tenka.look.sprites import WHOLE, count_layers
from tenka.pack.amiss import lost_flames
from tenka.pack.flipbook import draw_cell
from tenka.pack.layout import content_view
from tenka.pack.packing import pack
from tenka.package import manifest as form
from tenka.package.atlas import load_atlas
from tenka.proof.elements.flipbook import quads, sprites
from tenka.proof.engine import Package, package_view, spread_copies
from tenka.run.driver import frame_between
from tenka.run.plans import Plan
from tenka.scene.files import load
from tenka.scene.glb import camera_from, to_bytes
from tenka.scene.meshes import box

BOOK = "deliveries.puff.route"
DOCS = Path(__file__).parent.parent.parent / "docs"


def files(folder: Path) -> dict[str, bytes]:
    return {p.name: p.read_bytes() for p in sorted(folder.iterdir())}


# --- the package ----------------------------------------------------------------------------------


def test_the_manifest_validates_against_the_published_schema(packed: Path):
    published = json.loads((DOCS / "package-schema.json").read_text())
    assert published == json.loads(json.dumps(form.schema())), "run tools/docs.py"
    jsonschema.validate(json.loads((packed / "manifest.json").read_text()), published)
    jsonschema.Draft202012Validator.check_schema(published)


def test_another_reader_opens_the_atlas_at_the_size_that_was_set(packed: Path):
    with Image.open(packed / "puff_colour.png") as image:
        assert (image.size, image.mode) == ((128, 192), "RGBA")
    with Image.open(packed / "puff_temperature.png") as image:
        assert (image.size, image.mode) == ((128, 192), "L")


def test_another_reader_opens_the_set(packed: Path):
    scene = trimesh.load(packed / "set.glb", force="scene")
    extent = scene.bounds[1] - scene.bounds[0]
    assert extent == pytest.approx((0.6, 0.2, 0.6), abs=1e-5)  # glTF is Y up
    assert camera_from(packed / "set.glb") == small_effect().camera


def test_a_second_pack_of_the_unchanged_effect_gives_the_same_bytes(packed: Path, tmp_path: Path):
    pack(small_effect(), None, FrameStore(tmp_path / "frames"), tmp_path / "again")
    assert files(tmp_path / "again") == files(packed)


def test_frames_stand_in_order_from_the_top_left(packed: Path):
    """Each cell is the frame that the manifest says, drawn alone."""
    effect = small_effect()
    element = form.read(packed).elements[0]
    with Image.open(packed / element.colour.file) as image:
        atlas = np.asarray(image).astype(int)
    plan, store = Plan.of(effect), FrameStore(packed.parent / "frames")
    wide, tall = element.cell
    layer, laid = effect.layers[0], layout_of(effect)
    for index, time in enumerate(laid.times):
        assert element.times[index] == pytest.approx(time, abs=1e-6)
        frame = frame_between(plan, store, time, Progress())
        size = (wide - 4, tall - 4)
        alpha = draw_cell(effect, effect.deliveries[0], {layer.id: frame}, time, laid, size)[..., 3]
        row, column = divmod(index, element.columns)
        cell = atlas[row * tall : (row + 1) * tall, column * wide : (column + 1) * wide, 3]
        np.testing.assert_allclose(cell[2:-2, 2:-2], alpha * 255, atol=1.0)
        assert cell[:2].max() == 0 and cell[:, -2:].max() == 0


def test_size_and_pivot_put_the_source_where_it_stands():
    effect = small_effect()
    plan = layout_of(effect)
    view = content_view(plan, effect.deliveries[0].route, *plan.content)
    x, y, _ = view.project(np.array([[0.0, 0.0, 0.1]]))[0]  # the source's foot
    assert plan.attach == pytest.approx((0.0, 0.0, 0.1))
    assert plan.pivot == pytest.approx((x / plan.content[0], 1 - y / plan.content[1]))
    assert plan.size[0] / plan.content[0] == pytest.approx(plan.size[1] / plan.content[1])
    assert min(plan.size) == pytest.approx(2.0, rel=0.02)


def test_straight_and_premultiplied_colour_say_the_same(tmp_path: Path):
    store = FrameStore(tmp_path / "frames")
    both = []
    for name in ("premultiplied", "straight"):
        effect = replaced(replaced(small_effect(), f"{BOOK}.alpha_form", name), "light.exposure", -1.5)
        manifest = pack(effect, None, store, tmp_path / name)
        assert manifest.elements[0].colour.alpha == name
        both.append(load_atlas(tmp_path / name, manifest.elements[0]).levels[0])
    np.testing.assert_allclose(both[0], both[1], atol=0.012)


@pytest.mark.parametrize("second", ("none", "emission", "temperature"))
def test_the_second_atlas_is_what_was_asked_for(second: str, tmp_path: Path):
    effect = replaced(small_effect(), f"{BOOK}.second", second)
    effect = replaced(effect, "layers.puff.sources.source.temperature", 1500.0)
    element = pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p").elements[0]
    if second == "none":
        assert element.second is None and len(files(tmp_path / "p")) == 6
        return
    assert element.second is not None and element.second.holds == second
    with Image.open(tmp_path / "p" / element.second.file) as image:
        data = np.asarray(image)
    assert data.max() == 255
    if second == "temperature":
        assert 300 < element.second.scale <= 1500 and len(element.second.black_body) == 33
    else:
        light = from_srgb(data / 255.0) * element.second.scale
        assert light[..., 0].sum() > 2 * light[..., 1].sum() > 0


def test_flames_that_a_flipbook_of_heat_loses_are_told_with_a_mend():
    effect = small_effect()
    burning = replaced(effect, "layers.puff.fire.burns", True)
    for one, second, told in (
        (effect, "temperature", 0),
        (burning, "as needed", 0),
        (burning, "temperature", 1),
    ):
        found = lost_flames(replaced(one, f"{BOOK}.second", second))
        assert len(found) == told
    assert found[0].mended is not None and not lost_flames(found[0].mended)
    assert "Puff" in found[0].text and lost_flames(replaced(burning, f"{BOOK}.second", second), "other") == []


def test_a_cancelled_pack_leaves_the_earlier_package_whole(packed: Path, tmp_path: Path):
    shutil.copytree(packed, tmp_path / "package")
    before = files(tmp_path / "package")
    progress = Progress()
    effect = replaced(small_effect(), "layers.puff.look.extinction", 20.0)
    with pytest.raises(Cancelled):
        pack(
            effect,
            None,
            FrameStore(tmp_path / "f"),
            tmp_path / "package",
            progress,
            drawn=lambda _l, n, _c: progress.cancel() if n == 2 else None,
        )
    assert files(tmp_path / "package") == before
    assert sorted(p.name for p in tmp_path.iterdir()) == ["f", "package"]


def test_a_killed_export_leaves_the_earlier_package_whole(packed: Path, tmp_path: Path):
    shutil.copytree(packed, tmp_path / "package")
    before = files(tmp_path / "package")
    storage.save(replaced(small_effect(), "layers.puff.look.extinction", 20.0), tmp_path / "e.tenka")
    code = (
        "import sys, os, signal\nfrom pathlib import Path\nfrom tenka.cache.store import "
        "FrameStore\nfrom tenka.effect import storage\n"
        "from tenka.pack.packing import pack\nwhere = Path(sys.argv[1])\n"
        "stop = lambda _l, n, _c: os.kill(os.getpid(), signal.SIGKILL) if n == 3 else None\n"
        "pack(storage.load(where / 'e.tenka'), None, FrameStore(where / 'f'), where / 'package', "
        "drawn=stop)\n"
    )
    assert subprocess.run([sys.executable, "-c", code, str(tmp_path)]).returncode == -9
    assert files(tmp_path / "package") == before and form.read(tmp_path / "package")
    pack(small_effect(), None, FrameStore(tmp_path / "f"), tmp_path / "package")
    assert files(tmp_path / "package") == before and not list(tmp_path.glob(".package*"))


def test_a_layout_without_pixels_or_an_absurd_atlas_is_one_sentence(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
):
    with pytest.raises(BadInput, match=r"leave .* px for each"):
        layout_of(replaced(small_effect(), f"{BOOK}.columns", 32))
    monkeypatch.setattr("tenka.pack.packing.free_bytes", lambda: 1000)
    with pytest.raises(TooLarge, match="GB of memory"):
        pack(small_effect(), None, FrameStore(tmp_path), tmp_path / "p")


def test_an_unwritable_target_is_one_sentence(tmp_path: Path):
    (tmp_path / "file").write_text("mine")
    with pytest.raises(BadInput, match="cannot be written"):
        pack(small_effect(), None, FrameStore(tmp_path / "f"), tmp_path / "file" / "package")
    assert (tmp_path / "file").read_text() == "mine"


@pytest.mark.parametrize(
    "harm,words",
    (
        ("manifest", "not a package"),
        ("json", "broken off or not JSON"),
        ("version", "later Tenka"),
        ("atlas", "not in the package"),
        ("png", "not an image"),
        ("size", "as the manifest says"),
        ("glb", "not a GLB"),
        ("outside", "not in the package"),
        ("field", "greater than 0"),
    ),
)
def test_a_bad_package_is_one_sentence(harm: str, words: str, packed: Path, tmp_path: Path):
    folder = tmp_path / "p"
    shutil.copytree(packed, folder)
    tree = json.loads((folder / "manifest.json").read_text())
    if harm == "manifest":
        (folder / "manifest.json").unlink()
    elif harm == "json":
        (folder / "manifest.json").write_bytes((folder / "manifest.json").read_bytes()[:300])
    elif harm == "atlas":
        (folder / "puff_colour.png").unlink()
    elif harm == "png":
        (folder / "puff_colour.png").write_bytes((folder / "puff_colour.png").read_bytes()[:200])
    elif harm == "size":
        Image.new("RGBA", (64, 64)).save(folder / "puff_colour.png")
    elif harm == "glb":
        (folder / "set.glb").write_bytes(b"glTF" + bytes(40))
    else:
        if harm == "version":
            tree["format_version"] = 9
        elif harm == "outside":
            tree["set"]["file"] = "../e.tenka"
        elif harm == "field":
            tree["elements"][0]["width"] = 0
        (folder / "manifest.json").write_text(json.dumps(tree))
    with pytest.raises(BadInput, match=words) as caught:
        Package(folder)
    assert "\n" not in str(caught.value)


# --- meshes ---------------------------------------------------------------------------------------


def test_a_mesh_goes_to_glb_and_comes_back(tmp_path: Path):
    mesh = box((1.0, 2.0, 3.0), (0.5, 0.25, 0.125))
    (tmp_path / "m.glb").write_bytes(to_bytes({"m": mesh}))
    again = load(tmp_path / "m.glb")
    assert again.bounds[0] == pytest.approx(mesh.bounds[0]) and again.bounds[1] == pytest.approx(
        mesh.bounds[1]
    )
    np.testing.assert_allclose(again.colours, mesh.colours, atol=2 / 255)


@pytest.mark.parametrize(
    "name,data,words",
    (
        ("m.txt", b"", "not a mesh format"),
        ("none.obj", None, "cannot be read"),
        ("m.glb", b"glTF", "not a GLB"),
        ("m.obj", b"v 1 2 3\n", "no triangles"),
        ("m.stl", bytes(100), "not a mesh|no triangles"),
        ("n.obj", b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not numbers|not a mesh|no triangles"),
    ),
)
def test_a_bad_mesh_is_one_sentence(name: str, data: bytes | None, words: str, tmp_path: Path):
    if data is not None:
        (tmp_path / name).write_bytes(data)
    with pytest.raises(BadInput, match=words):
        load(tmp_path / name)


# --- playing --------------------------------------------------------------------------------------


def element(effect: Effect | None = None) -> form.Flipbook:
    effect = effect or small_effect()
    return element_of(effect)


def test_the_first_age_is_zero_and_births_are_spread_over_a_life():
    e = element()
    assert sprites(e, e.player, 0.0).age == pytest.approx([0.0])
    grown = [len(sprites(e, e.player, t).age) for t in (0.0, 0.2, 0.4, 0.7)]
    assert grown == [1, 1, 2, 3]


def test_ages_never_leave_the_life_and_turn_over():
    e = element()
    for t in np.linspace(0, 20, 200):
        s = sprites(e, e.player, float(t))
        assert (s.age >= 0).all() and (s.age < 1).all()


def test_sprites_do_not_pop_at_the_end_of_their_life():
    e = element()
    late = [s for t in np.linspace(5, 9, 400) for s in [sprites(e, e.player, float(t))]]
    ages, shown = np.concatenate([s.age for s in late]), np.concatenate([s.opacity for s in late])
    assert shown[ages > 0.99].max() < 0.05 and shown.max() > 0.9


def test_spreads_are_as_wide_as_set():
    player = element().player.model_copy(
        update={"count": 1500, "size_spread": 0.3, "rotation": 40.0, "scatter": 0.5, "life_spread": 0.0}
    )
    s = sprites(element(), player, 7.77)
    scale = s.size[:, 0] / element().size[0]
    assert (
        scale.min() >= 0.7 and scale.max() <= 1.3 and scale.std() == pytest.approx(0.3 / np.sqrt(3), rel=0.1)
    )
    assert np.abs(s.turn).max() <= np.radians(40) and np.abs(s.turn).max() > np.radians(35)
    away = np.linalg.norm(s.place - np.array(element().attach), axis=1)
    assert away.max() <= 0.5 and (away < 0.25).mean() == pytest.approx(0.25, abs=0.04)  # even over the disc


def test_the_pivot_stays_where_the_effect_is_attached(packed: Path):
    package = Package(packed)
    view = package_view(package, 400, 300)
    player = package.elements[0].player.model_copy(
        update={"scatter": 0.0, "rotation": 30.0, "size_spread": 0.4}
    )
    for q in quads(package.elements[0], player, 3.3, view):
        u, v = (2 * p - 1 for p in package.elements[0].pivot)
        x = q[0] + u * q[4] * q[2] + v * q[5] * q[3]
        y = q[1] + u * q[4] * q[3] - v * q[5] * q[2]
        want = view.project(np.array([package.elements[0].attach]))[0]
        assert (x, y) == pytest.approx((want[0], want[1]), abs=0.05)


def brute_force(table: np.ndarray, width: int, height: int) -> np.ndarray:
    """Layers per pixel by four half-planes of each quad's corners, one quad at a time."""
    y, x = np.mgrid[0:height, 0:width] + 0.5
    layers = np.zeros((height, width), int)
    for q in table.astype(np.float64):
        across, along = np.array([q[2], q[3]]) * q[4], np.array([q[3], -q[2]]) * q[5]
        corners = [
            np.array([q[0], q[1]]) + a * across + b * along for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))
        ]
        sides = []
        for a, b in zip(corners, corners[1:] + corners[:1]):
            sides.append((b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0]))
        layers += np.all([s >= 0 for s in sides], axis=0) | np.all([s <= 0 for s in sides], axis=0)
    return layers


def test_the_ledgers_overdraw_equals_a_brute_force_count():
    effect = small_effect()
    effect = replaced(replaced(effect, f"{BOOK}.player.rotation", 25.0), f"{BOOK}.player.scatter", 0.4)
    tier, e = effect.tiers[1], element(effect)
    view = viewing_of(tier, e)
    covered, pixels, _ = mean_cover(e, e.player, view)
    counts = [
        brute_force(quads(e, e.player, (4 + k / 8) * e.player.life, view), tier.width, tier.height)
        for k in range(8)
    ]
    assert covered == pytest.approx(np.mean([c.sum() for c in counts]), rel=1e-4)
    assert pixels == pytest.approx(np.mean([(c > 0).sum() for c in counts]), rel=1e-4)
    line = flipbook_line(effect.deliveries[0].name, e, tier, device(tier.device))
    assert line.overdraw == pytest.approx(
        np.mean([c.sum() for c in counts]) / np.mean([(c > 0).sum() for c in counts]), rel=1e-4
    )


def test_proof_counts_what_it_draws(packed: Path):
    package = Package(packed)
    view = package_view(package, 240, 160)
    drawn = package.draw(3.0, view)
    layers = brute_force(quads(package.elements[0], package.elements[0].player, 3.0, view), 240, 160)
    assert drawn.counts.covered == layers.sum() and drawn.counts.most == layers.max()
    assert drawn.counts.overdraw == pytest.approx(layers.sum() / (layers > 0).sum())
    total = sum(-(-h // 4) * -(-w // 4) for w, h in [(128, 192)])
    assert 0 < drawn.counts.texture_bytes <= 2 * total * 16


def test_proof_shows_the_sprites_and_heat_shows_their_layers(packed: Path):
    package = Package(packed)
    view = package_view(package, 200, 150)
    before, after = package.draw(0.0, view).rgb.astype(int), package.draw(3.0, view).rgb.astype(int)
    heat = package.draw(3.0, view, heat=True)
    assert np.abs(after - before).max() > 25
    assert heat.rgb[heat.layers == 0].max() < 60 and heat.rgb[heat.layers >= 2].max(axis=1).mean() > 120


def test_soft_edges_fade_a_sprite_against_the_ground(packed: Path):
    package = Package(packed)
    view = package_view(package, 200, 150)
    hard = package.draw(3.0, view, (package.elements[0].player.model_copy(update={"soft_edge": 0.0}),))
    soft = package.draw(3.0, view, (package.elements[0].player.model_copy(update={"soft_edge": 30.0}),))
    none = package.draw(
        3.0, view, (package.elements[0].player.model_copy(update={"count": 1, "scale": 0.02}),)
    )
    change = lambda p: np.abs(p.rgb.astype(int) - none.rgb).sum()  # noqa: E731
    assert 0 < change(soft) < 0.8 * change(hard)


def test_levers_are_held_to_their_range_and_change_the_count(packed: Path):
    package = Package(packed)
    counts = [package.players(levers)[0].count for levers in ({"sprites": 99.0}, {"sprites": 2.4}, None)]
    assert counts == [12, 2, 3]


def test_copies_stand_side_by_side():
    offsets = spread_copies(4, 2.0, np.array([1.0, 0, 0]))
    assert sorted(offsets[:, 0]) == [-2.0, 0.0, 2.0, 4.0]
    e = element()
    assert len(sprites(e, e.player, 9.0, offsets).age) == 12


# --- cost -----------------------------------------------------------------------------------------


def real_chain(width: int, height: int) -> int:
    """Bytes of a BC3 mip chain as another writer compresses each level."""
    total = 0
    for w, h in mip_sizes(width, height):
        out = io.BytesIO()
        Image.new("RGBA", (w, h), (10, 20, 30, 40)).save(out, "DDS", pixel_format="DXT5")
        total += len(out.getvalue()) - 128
    return total


@pytest.mark.parametrize("width,height", ((64, 64), (128, 192), (100, 60), (8, 2)))
def test_memory_equals_a_real_block_compressed_mip_chain(width: int, height: int):
    assert texture_bytes(width, height, "bc3") == real_chain(width, height)


@pytest.mark.parametrize("form_,bits", (("bc1", 4), ("bc7", 8), ("astc8x8", 2), ("rgba8", 32)))
def test_bits_per_texel_are_those_of_the_format(form_: str, bits: float):
    bw, bh, size = BLOCKS[form_]
    assert size * 8 / (bw * bh) == bits
    assert texture_bytes(4096, 4096, form_) == pytest.approx(4096 * 4096 * bits / 8 * 4 / 3, rel=1e-3)  # type: ignore[arg-type]


UNUSED = ("motion", "light maps", "further atlas")


def test_the_ledger_adds_up_from_its_terms():
    effect = small_effect()
    book = ledger(effect, "low")
    line = book.lines[0]
    terms = {t.name: t.value for t in line.terms}
    assert line.ms == pytest.approx(max(terms["fill"], terms["arithmetic"], terms["memory"]) + terms["calls"])
    assert line.update_ms == terms["update"] and book.update_ms == line.update_ms
    assert book.mb == pytest.approx(terms["colour atlas"] + terms["second atlas"])
    d = device("satchel")
    assert terms["fill"] == pytest.approx(terms["covered"] * 1e6 / d.fill_gpixel_s / 1e9 * 1e3)
    assert terms["arithmetic"] == pytest.approx(
        terms["covered"]
        * 1e6
        * (sum(FLOPS.values()) + FLOPS["second atlas"] - sum(FLOPS[k] for k in UNUSED))
        / d.arithmetic_gflop_s
        / 1e9
        * 1e3
    )


@pytest.mark.parametrize(
    "path,value,grows",
    ((f"{BOOK}.player.scale", 1.6, "ms"), (f"{BOOK}.width", 512, "mb"), ("tiers.mid.copies", 4, "ms")),
)
def test_a_dearer_choice_costs_more(path: str, value: float, grows: str):
    cheap, dear = ledger(small_effect(), "mid"), ledger(replaced(small_effect(), path, value), "mid")
    assert getattr(dear, grows) > 1.3 * getattr(cheap, grows)


def test_levers_change_what_a_tier_costs():
    low, mid = ledger(small_effect(), "low"), ledger(small_effect(), "mid")
    assert low.lines[0].covered < mid.lines[0].covered
    assert ledger(with_layer(small_effect(), hidden=True), "mid").ms == 0


def test_an_atlas_larger_than_the_device_takes_is_over_budget():
    book = ledger(replaced(small_effect(), f"{BOOK}.width", 8192), "low")
    assert book.over and "larger than Satchel takes" in book.problems[0]


def test_shipped_profiles_are_whole_and_a_bad_one_is_one_sentence(tmp_path: Path):
    assert set(devices()) >= {"satchel", "hearth", "tower"}
    tree = json.loads((SHIPPED / "tower.json").read_text())
    (tmp_path / "d.json").write_text(json.dumps({**tree, "fill_gpixel_s": -1}))
    with pytest.raises(BadInput, match="fill_gpixel_s"):
        load_device(tmp_path / "d.json")
    with pytest.raises(BadInput, match="no device profile"):
        device("lantern")


def test_layers_are_counted_on_the_picture_only():
    layers = np.zeros((10, 10), np.int32)
    count_layers(quad(0, 0, 1, 0, 3, 3, 1, 0, 0, 0, 1, 1, 1, 1, 1, 1), WHOLE, layers)
    assert layers.sum() == 9 and layers[:3, :3].all()


def test_every_tier_is_packed_by_one_command_and_one_delivery_alone(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
):
    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "frames"))
    effect = with_own(small_effect(), "low", f"{BOOK}.width", 64)
    more = Delivery(id="far", name="Far", of=("puff",), route=effect.deliveries[0].route)
    effect = effect.model_copy(update={"deliveries": (*effect.deliveries, more)})
    effect = replaced(effect, "tiers.low.without", ("far",))
    file = tmp_path / "e.tenka"
    storage.save(effect, file)
    run = command("pack", file, "--out", tmp_path / "all", "--tier", "all", "--json")
    assert run.code == 0
    rows = [row for row in run.rows if "element" in row]  # not what is remarked on them
    told = {(row["tier"], row["element"]): row for row in rows}
    assert set(told) == {("low", "puff"), ("mid", "puff"), ("mid", "far")}
    assert told["low", "puff"]["textures"][0] == [64, 192] and told["mid", "puff"]["textures"][0] == [
        128,
        192,
    ]
    assert all(row["route"] == "flipbook" and row["layers"] == ["Puff"] for row in rows)
    for row in rows:
        held = [Path(row["folder"]) / name for name in row["files"]]
        assert row["bytes"] == sum(f.stat().st_size for f in held) > 0
    # what is taken over from another tier is what would have been drawn
    alone = command("pack", file, "--out", tmp_path / "mid", "--tier", "mid", "--json")
    assert alone.code == 0 and files(tmp_path / "mid") == files(tmp_path / "all" / "mid")
    run = command("pack", file, "--out", tmp_path / "high", "--tier", "all", "--only", "puff", "--json")
    assert run.code == 0 and {row["tier"] for row in run.rows} == {"low", "mid"}
    run = command("pack", file, "--out", tmp_path / "one", "--only", "far", "--json")
    assert run.code == 0 and [row["element"] for row in run.rows if "element" in row] == ["far"]
    run = command("pack", file, "--out", tmp_path / "none", "--only", "nothing")
    assert run.code != 0 and not (tmp_path / "none").exists()


def test_a_package_of_the_first_version_is_read(packed: Path, tmp_path: Path):
    shutil.copytree(packed, tmp_path / "old")
    tree = json.loads((tmp_path / "old" / form.MANIFEST).read_text())
    for element in tree["elements"]:
        element["kind"] = element.pop("route")
        element.pop("layers")
    tree["format_version"] = 1
    (tmp_path / "old" / form.MANIFEST).write_text(json.dumps(tree))
    found = form.read(tmp_path / "old")
    assert found.elements[0].layers == ("Puff",) and form.is_ours(tmp_path / "old")


def test_the_gate_fails_for_what_has_no_delivery_unless_told_to_accept_it(tmp_path: Path):
    file = tmp_path / "e.tenka"
    roomy = replaced(replaced(small_effect(), "tiers.mid.ms", 500.0), "tiers.mid.mb", 500.0)
    storage.save(roomy, file)
    assert command("gate", file, "--tier", "mid").code == 0
    storage.save(roomy.model_copy(update={"deliveries": (), "levers": ()}), file)
    run = command("gate", file, "--tier", "mid", "--json")
    assert run.code == 1 and "Puff" in run.rows[-1]["not_counted"][0]
    assert command("gate", file, "--tier", "mid", "--accept-uncounted").code == 0
    run = command("pack", file, "--out", tmp_path / "none")
    assert run.code != 0 and "delivered" in run.err and not (tmp_path / "none").exists()
