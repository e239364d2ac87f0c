"""The page in the package: it holds all that it needs, and draws what Proof draws, in a browser."""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from command import command
from PIL import Image
from routes import many_ways

from bench.browser import NAME, asked, picture
from tenka.cache.store import FrameStore
from tenka.effect.document import replaced
from tenka.effect.lights import SceneLight
from tenka.effect.model import Effect, Prop
from tenka.effect.placed import ramp
from tenka.look.flip import flip_error as flip
from tenka.pack.packing import pack
from tenka.package import manifest as form
from tenka.proof.engine import Package, package_view

SIZE = (320, 200)


def page_text(packed: Path) -> str:
    return (packed / form.PAGE).read_text()


def test_the_page_holds_all_data_and_asks_nobody_for_more(packed: Path):
    text = page_text(packed)
    data = json.loads(re.search(r'application/json">(.*?)</script>', text, re.S).group(1))  # type: ignore[union-attr]
    manifest = form.read(packed)
    assert form.Manifest.model_validate(data["manifest"]) == manifest
    assert set(data["images"]) == {name for e in manifest.elements for name in e.files}
    code = text.replace("http://www.w3.org", "")
    assert "http:" not in code and "https:" not in code and " src=" not in code and "import " not in code
    assert {p.name for p in packed.iterdir()} == {form.MANIFEST, *form.NOTES, *manifest.files}
    assert form.is_ours(packed)


def test_the_words_for_the_engine_name_every_file_and_what_its_numbers_mean(packed: Path):
    text = (packed / form.ABOUT).read_text()
    for element in form.read(packed).elements:
        assert all(name in text for name in element.files) and f"{element.size[0]:.3f}" in text
    for name in ("life_spread", "soft_edge", "scatter", "pivot", "padding", "attach"):
        assert name in text
    assert max(len(line) for line in text.splitlines()) < 160


def test_play_tells_where_the_page_is(packed: Path, tmp_path: Path):
    run = command("play", packed, "--no-open", "--json")
    assert run.code == 0 and Path(run.rows[0]["page"]).read_text() == page_text(packed)
    assert command("play", tmp_path, "--no-open").code != 0
    shutil.copytree(packed, tmp_path / "old")
    (tmp_path / "old" / form.PAGE).unlink()
    run = command("play", tmp_path / "old", "--no-open")
    assert run.code != 0 and "earlier Tenka" in run.err


def in_browser(packed: Path, tmp_path: Path, words: str) -> np.ndarray:
    """The page's picture."""
    out = tmp_path / "page.png"
    picture(packed / form.PAGE, f"{words}&w={SIZE[0]}&h={SIZE[1]}", SIZE, out)
    with Image.open(out) as image:
        return np.asarray(image.convert("RGB"))[: SIZE[1], : SIZE[0]]


def strip_of(packed: Path, tmp_path: Path, *times: float) -> list[np.ndarray]:
    """The page's pictures of some times, drawn at once."""
    out, (wide, tall) = tmp_path / "strip.png", SIZE
    words = f"t={','.join(map(str, times))}&w={wide}&h={tall}"
    picture(packed / form.PAGE, words, (wide, tall * len(times)), out)
    with Image.open(out) as image:
        rgb = np.asarray(image.convert("RGB"))
    return [rgb[n * tall : (n + 1) * tall, :wide] for n in range(len(times))]


def bare(**changes: object) -> Effect:
    """The small effect without its set, and warm, so that its second atlas counts."""
    effect = replaced(small_effect(props=()), "layers.puff.sources.source.temperature", 1500.0)
    for path, value in changes.items():
        effect = replaced(effect, path.replace("__", "."), value)
    return effect


ROUTE = "deliveries__puff__route__"
VARIANTS: dict[str, dict[str, object]] = {
    "plain": {
        ROUTE + "second": "none",
        "light__backdrop": "grey",
        ROUTE + "player__tint_over": ramp((0.0, (1.0, 0.4, 0.2)), (0.6, (0.3, 0.6, 1.0))),
        ROUTE + "player__frames_over": ramp((0.0, 0.0), (0.3, 0.8), (1.0, 0.9)),
    },
    "emission": {ROUTE + "second": "emission", "light__backdrop": "sky", "light__exposure": 0.5},
    "heat": {
        ROUTE + "variants": 2,
        ROUTE + "pitch": 20.0,
        ROUTE + "player__stands": "upright",
        ROUTE + "second": "temperature",
        ROUTE + "alpha_form": "straight",
        "light__backdrop": "dark",
    },
    "motion": {
        ROUTE + "motion": True,
        ROUTE + "player__drift": (0.3, 0.0, 0.2),
        ROUTE + "cut_out": "each frame",
        ROUTE + "alpha_floor": 0.02,
    },
}


@pytest.mark.skipif(NAME is None, reason="there is no browser here")
@pytest.mark.parametrize("name", VARIANTS)
def test_the_page_draws_what_proof_draws(name: str, tmp_path: Path):
    out = tmp_path / "package"
    pack(bare(**VARIANTS[name]), None, FrameStore(tmp_path / "frames"), out)
    package = Package(out)
    view = package_view(package, *SIZE)
    bare_page, *pages = (shot.astype(int) for shot in strip_of(out, tmp_path, -1, 0.9, 1.6))
    bare_proof = package.draw(-1.0, view).rgb.astype(int)
    assert flip(bare_page, bare_proof) < 0.05  # the page's ground has no grain, and no shadows
    for time, page in zip((0.9, 1.6), pages):
        proof = package.draw(time, view).rgb.astype(int)
        made, wanted = page - bare_page, proof - bare_proof
        seen = np.abs(wanted).max(axis=2) > 8
        assert seen.mean() > 0.02, "nothing is seen"
        wrong = np.abs(made - wanted)[seen].mean() / np.abs(wanted)[seen].mean()
        assert wrong < 0.08, wrong
        assert np.abs(made[~seen]).mean() < 1.0


@pytest.mark.skipif(NAME is None, reason="there is no browser here")
def test_what_stands_before_a_lamp_casts_its_shadow_on_the_page_as_in_proof(tmp_path: Path):
    post = Prop(id="post", name="Post", shape="box", position=(0.5, 0.2, 0.5), size=(0.3, 0.5, 1.0))
    wall = Prop(id="wall", name="Wall", shape="box", position=(1.6, 0.3, 0.8), size=(0.2, 3.0, 1.6))
    pages, proofs = [], []
    for shadows in (True, False):
        lamp = SceneLight(
            id="lamp", name="Lamp", position=(-0.8, -0.3, 1.2), strength=40.0, wide=0.1, shadows=shadows
        )
        effect = replaced(small_effect(props=(post, wall), lights=(lamp,)), "light.strength", 0.3)
        out = tmp_path / f"package_{shadows}"
        pack(effect, None, FrameStore(tmp_path / "frames"), out)
        package = Package(out)
        pages.append(in_browser(out, tmp_path, "t=-1"))
        proofs.append(package.draw(-1.0, package_view(package, *SIZE)).rgb)
    dark = np.abs(proofs[0].astype(int) - proofs[1]).max(axis=2) > 12
    assert dark.mean() > 0.02, "nothing lies in the lamp's shadow"
    there = np.abs(pages[0].astype(int) - pages[1]).max(axis=2) > 12
    assert (there & dark).sum() > 0.9 * dark.sum() and (there & ~dark).sum() < 0.15 * dark.sum()
    assert flip(pages[0], proofs[0]) < flip(pages[1], proofs[0]) and flip(pages[0], proofs[0]) < 0.05


@pytest.mark.skipif(NAME is None, reason="there is no browser here")
def test_the_page_shows_overdraw_as_heat(packed: Path, tmp_path: Path):
    plain, heat = (in_browser(packed, tmp_path, words).astype(int) for words in ("t=1.5", "t=1.5&heat=1"))
    package = Package(packed)
    layers = package.draw(1.5, package_view(package, *SIZE)).layers
    dark = heat.max(axis=2) < 100
    assert dark[layers == 0].mean() > 0.97 and dark[layers > 0].mean() < 0.1
    assert np.abs(plain - heat).mean() > 5


@pytest.mark.skipif(NAME is None, reason="there is no browser here")
def test_the_page_measures_a_ladder(packed: Path):
    told = asked(packed / form.PAGE, "t=1&measure=1&w=64&h=40", "--dump-dom")
    table = re.search(r'id="csv">(.*?)</pre>', told, re.S)
    assert table is not None
    rows = [line.split(",") for line in table.group(1).split()]
    assert rows[0] == ["element", "route", "setting", "step", "parts", "covered_px", "width", "height", "ms"]
    assert all(row[1:3] == ["flipbook", "count"] and row[3] == row[4] for row in rows[1:])
    counts = [int(row[4]) for row in rows[1:]]
    assert counts == [0, 1, 2, 4, 8, 16, 32, 64] and all(float(row[8]) >= 0 for row in rows[1:])
    covered = [int(row[5]) for row in rows[1:]]
    assert covered == sorted(covered) and covered[0] == 0 < covered[1]


@pytest.mark.skipif(NAME is None, reason="there is no browser here")
@pytest.mark.parametrize(
    "id", ["fog", "slabs", "leaves", "specks", "drift", "tails", "chips", "glow", "haze"]
)
def test_the_page_shows_every_route_as_proof_does(id: str, tmp_path: Path):
    effect = many_ways()
    if id in ("fog", "slabs"):
        effect = replaced(effect, f"deliveries.{id}.route.player.samples", 200)
    if id == "chips":
        effect = replaced(effect, "camera.distance", 0.25 * effect.camera.distance)
    pack(effect, None, FrameStore(tmp_path / "f"), tmp_path / "p", only=id)
    package = Package(tmp_path / "p")
    time = package.elements[0].times[-1] if id != "glow" else 0.4
    proof = package.draw(time, package_view(package, *SIZE)).rgb
    plain = package.draw(900.0, package_view(package, *SIZE)).rgb
    found, bare_ = strip_of(tmp_path / "p", tmp_path, time, 900.0)
    assert flip(plain, proof) > 0.004  # something is seen
    # the set itself differs: contact shade and grain of the ground are not in the page
    assert flip(proof, found) < flip(plain, bare_) + 0.45 * flip(plain, proof), flip(proof, found)


@pytest.mark.skipif(NAME is None, reason="there is no browser here")
def test_the_page_measures_every_route_that_has_steps(tmp_path: Path):
    pack(many_ways(), None, FrameStore(tmp_path / "f"), tmp_path / "p")
    told = asked(tmp_path / "p" / form.PAGE, "t=0.4&measure=1&w=64&h=40", "--dump-dom", patience=60_000)
    table = re.search(r'id="csv">(.*?)</pre>', told, re.S)
    assert table is not None
    rows = [line.split(",") for line in table.group(1).split()][1:]
    steps = {(row[1], row[2]) for row in rows}
    assert {("flipbook", "count"), ("volume", "samples"), ("particles", "share")} <= steps
    specks = [int(row[4]) for row in rows if row[0] == "specks"]
    assert specks == sorted(specks) and specks[0] == 0 < specks[-1]


NASTY = "<!--<script>\u2028</script>&amp;`${x}`"


def test_no_text_of_an_effect_is_taken_for_the_pages_own_code(tmp_path: Path):
    effect = bare(name=NASTY, deliveries__puff__name=NASTY[:40])
    pack(effect, None, FrameStore(tmp_path / "frames"), tmp_path / "package")
    text = page_text(tmp_path / "package")
    data = re.search(r'application/json">(.*?)</script>', text, re.S)
    assert data is not None and "<" not in data.group(1)
    assert json.loads(data.group(1))["manifest"]["effect"] == NASTY
    if NAME is not None:
        plain = in_browser(tmp_path / "package", tmp_path, "t=0.9")
        pack(bare(), None, FrameStore(tmp_path / "frames"), tmp_path / "plain")
        assert np.array_equal(plain, in_browser(tmp_path / "plain", tmp_path, "t=0.9"))


def test_the_page_is_made_for_a_phone_too_and_opens_on_the_tier_it_was_packed_for(tmp_path: Path):
    for tier in ("low", "mid"):
        out = tmp_path / tier
        manifest = pack(small_effect(), None, FrameStore(tmp_path / "frames"), out, tier=tier)
        assert manifest.packed_for == tier
        text = page_text(out)
        assert 'name="viewport" content="width=device-width' in text and "touch-action: none" in text
        assert "min-height: 44px" in text
        if NAME is None:
            continue
        probe = "<script>setInterval(() => document.body.dataset.tier = $('tier').value, 50)"
        (out / "probe.html").write_text(text.replace("</html>", probe + "</script></html>"))
        told = asked(out / "probe.html", "", "--window-size=800,600", "--dump-dom", patience=3000)
        assert f'data-tier="{tier}"' in told
        assert re.search(r"\b(1 part|\d+ parts), ", told) and not re.search(r"\b1 parts", told)


@pytest.mark.skipif(NAME is None, reason="there is no browser here")
def test_one_finger_orbits_two_zoom_and_keys_do_both(packed: Path, tmp_path: Path):
    steps = """<script>
    const now = () => [camera.heading, camera.pitch, camera.distance].map(x => x.toFixed(2));
    const see = name => document.body.dataset[name] = now();
    const touch = (kind, pointerId, clientX, clientY) =>
      canvas.dispatchEvent(new PointerEvent(kind, { pointerId, clientX, clientY, pointerType: "touch" }));
    canvas.setPointerCapture = undefined;
    setTimeout(() => {
      see("begun"); touch("pointerdown", 1, 100, 100); touch("pointermove", 1, 200, 100);
      touch("pointerup", 1, 200, 100); see("one");
      touch("pointerdown", 1, 100, 100); touch("pointerdown", 2, 200, 100);
      touch("pointermove", 2, 300, 100); see("two");
      touch("pointerup", 1, 0, 0); touch("pointerup", 2, 0, 0);
      dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowUp" })); see("key");
    }, 1500);
    </script>"""
    page = tmp_path / "page.html"
    page.write_text(page_text(packed).replace("</html>", steps + "</html>"))
    told = asked(page, "", "--window-size=800,600", "--dump-dom", patience=4000)
    begun, one, two, key = (
        [float(x) for x in re.findall(rf'data-{name}="([^"]*)"', told)[0].split(",")]
        for name in ("begun", "one", "two", "key")
    )
    assert one[0] == pytest.approx(begun[0] - 30.0, abs=0.1) and one[2] == begun[2]
    assert two[2] == pytest.approx(0.5 * one[2], rel=0.01) and two[0] == one[0]
    assert key[1] == pytest.approx(two[1] + 5.0, abs=0.1)
