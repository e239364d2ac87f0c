"""The terminal, as a command of its own: what it prints, writes and exits with."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from xml.etree import ElementTree

import pytest
from build import small_effect, small_layer
from command import command
from PIL import Image

from tenka.effect import storage
from tenka.effect.additions import LAYERS, with_new_layer, with_trail
from tenka.effect.document import replaced


@pytest.fixture(scope="module")
def file(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    path = tmp_path_factory.mktemp("cli") / "small.tenka"
    storage.save(small_effect(), path)
    with pytest.MonkeyPatch.context() as patch:  # frames that no other test has made
        patch.setenv("TENKA_FRAMES", str(path.parent / "frames"))
        yield path


def test_simulate_render_pack_and_proof_follow_one_another(file: Path):
    done = command("simulate", file, "--json")
    assert done.code == 0
    found = done.rows
    assert [r["frame"] for r in found[:-1]] == list(range(12)) and found[-1]["simulated"] == 12
    assert found[-1]["voxels"] == [10, 10, 10] and found[-1]["steps_per_second"] > 0
    assert command("simulate", file, "--json").rows[-1]["reused"] == 12

    picture = file.parent / "frame.png"
    done = command("render", file, "--frame", 8, "--picture", picture, "--size", "160x100")
    assert done.code == 0 and "Drew frame 8" in done.out
    with Image.open(picture) as image:
        assert image.size == (160, 100)

    done = command("pack", file, "--out", file.parent / "out", "--tier", "Low", "--json")
    assert done.code == 0 and done.rows[0]["frames"] == 6
    assert (
        json.loads((file.parent / "out" / "manifest.json").read_text())["elements"][0]["player"]["count"] == 2
    )

    done = command(
        "proof",
        file.parent / "out",
        "--frame",
        60,
        "--picture",
        file.parent / "proof.png",
        "--size",
        "160x100",
        "--json",
        "--heat",
    )
    assert done.code == 0 and done.rows[0]["quads"] == 2 and (file.parent / "proof.png").exists()


def test_layers_of_particles_are_simulated_drawn_told_and_written(file: Path):
    blast = file.parent / "blast.tenka"
    base = small_effect()
    effect = with_trail(with_new_layer(base, LAYERS["Debris"](base))[0], "debris")[0]
    storage.save(effect, blast)
    done = command("simulate", blast, "--json")
    assert done.code == 0
    found = done.rows
    assert {r["layer"] for r in found} == {"debris", "puff"} and sum("alive" in r for r in found) == 12
    out = file.parent / "bits.glb"
    done = command("export", blast, "--out", out, "--cull", 50, "--json")
    assert done.code == 0 and done.rows[0]["most"] == 40 and out.exists()
    done = command("render", blast, "--frame", 6, "--picture", file.parent / "blast.png", "--size", "160x100")
    assert done.code == 0 and (file.parent / "blast.png").exists()
    assert "Debris (debris): at most 40 at once" in command("info", blast).out
    done = command("export", file, "--out", out)
    assert done.code == 2 and "no layer of particles, debris or liquid" in done.err


def test_budget_prints_every_tier_with_the_terms_behind_it(file: Path):
    found = command("budget", file, "--json").rows
    assert [r["tier"] for r in found] == ["low", "low", "mid", "mid"]
    assert found[0]["terms"]["covered"][1] == "Mpx" and found[1]["over"] is False
    assert "GFLOP/s" in command("budget", file, "--tier", "mid").out


def test_the_gate_exits_by_the_budget(file: Path):
    assert command("gate", file, "--tier", "Low").code == 0
    tight = file.parent / "tight.tenka"
    storage.save(replaced(small_effect(), "tiers.low.mb", 0.001), tight)
    done = command("gate", tight, "--tier", "low")
    assert done.code == 1 and "over budget" in done.out


def test_info_says_what_the_effect_holds(file: Path):
    found = command("info", file, "--json").rows[0]
    assert (
        found["frames"] == 12
        and found["layers"][0]["voxels"] == [10, 10, 10]
        and found["layers"][0]["memory_bytes"] > 0
    )


@pytest.mark.parametrize(
    "words,said",
    (
        (("info", "none.tenka"), "none.tenka: cannot be read"),
        (("simulate", "{file}", "--frames", "5:99"), "not all in the effect"),
        (("simulate", "{file}", "--frames", "x"), "is not a span"),
        (("simulate", "{file}", "--quality", "best"), "is not a quality"),
        (("simulate", "{file}", "--layer", "fog"), "no layer is called 'fog'"),
        (
            ("render", "{file}", "--frame", "0", "--picture", "{folder}/x.png", "--size", "99999x9"),
            "99999 x 9 px",
        ),
        (
            ("render", "{file}", "--frame", "0", "--picture", "{folder}/no/such/x.png", "--size", "32x32"),
            "cannot be written",
        ),
        (("gate", "{file}", "--tier", "none"), "no tier is called 'none'"),
        (("proof", "{folder}", "--frame", "0", "--picture", "x.png"), "is not a package"),
        (("pack", "{file}", "--out", "{file}/inner"), "cannot be written"),
        (("simulate",), "Missing"),
    ),
)
def test_bad_input_is_one_sentence_and_exit_two(words: tuple[str, ...], said: str, file: Path):
    done = command(*(w.format(file=file, folder=file.parent) for w in words))
    assert done.code == 2 and said in done.err and done.out == ""
    assert "Traceback" not in done.err


def test_what_nobody_expected_is_one_sentence_and_the_rest_is_shown_when_asked(
    file: Path, monkeypatch: pytest.MonkeyPatch
):
    def wrong(*_: object) -> None:
        raise ZeroDivisionError("the moon is full\nand more")

    monkeypatch.setattr("tenka.effect.storage.load", wrong)
    done = command("info", file)
    assert done.code == 2 and done.out == "" and done.err.count("\n") == 1 and "the moon is full" in done.err
    done = command("info", file, "--debug")
    assert done.code == 2 and "Traceback" in done.err and "in wrong" in done.err


def test_ctrl_c_leaves_whole_files_only(file: Path, tmp_path: Path):
    long = tmp_path / "long.tenka"
    storage.save(small_effect(seconds=60.0, seed=77, layers=(small_layer(voxel=0.06),)), long)
    process = subprocess.Popen(
        [sys.executable, "-m", "tenka.cli", "simulate", str(long), "--json"],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    assert process.stdout is not None
    for _ in range(5):
        process.stdout.readline()
    begun = time.monotonic()
    process.send_signal(signal.SIGINT)
    process.communicate(timeout=30)
    assert process.returncode == 130 and time.monotonic() - begun < 10
    cache = Path(os.environ["XDG_CACHE_HOME"]) / "tenka" / "frames"
    assert not list(cache.glob(".*.part"))
    assert command("simulate", long, "--frames", "0:3", "--json").rows[-1]["reused"] == 4


def test_an_interrupt_that_python_drops_still_stops_the_work():
    """What is raised while an object is tidied away is only printed; the work must end all the same."""
    words = """
import signal, sys
from tenka.base.errors import Cancelled
from tenka.base.jobs import Progress, stop_on_interrupt
class Tidied:
    def __del__(self):
        signal.raise_signal(signal.SIGINT)
stop_on_interrupt()
Tidied()
try:
    Progress().check()
except Cancelled:
    sys.exit(130)
"""
    done = subprocess.run([sys.executable, "-c", words], capture_output=True, text=True)
    assert done.returncode == 130 and "KeyboardInterrupt" in done.stderr


def test_without_a_display_the_way_out_is_named(file: Path):
    env = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    done = subprocess.run(
        [sys.executable, "-m", "tenka.cli", "open", str(file)], capture_output=True, text=True, env=env
    )
    assert done.returncode == 2 and "--picture OUT.png" in done.stderr


def test_the_window_is_drawn_to_a_picture_with_no_display(file: Path, tmp_path: Path):
    env = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY")}
    words = ["open", str(file), "--picture", str(tmp_path / "w.png"), "--size", "1280x800"]
    done = subprocess.run(
        [sys.executable, "-m", "tenka.cli", *words], capture_output=True, text=True, env=env, timeout=200
    )
    assert done.returncode == 0, done.stderr
    with Image.open(tmp_path / "w.png") as image:
        assert image.size == (1280, 800) and len(image.convert("RGB").getcolors(1 << 20) or []) > 500


def test_without_an_effect_the_start_page_is_drawn_and_nothing_is_compiled_for_it(tmp_path: Path):
    env = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY")}
    env["XDG_CACHE_HOME"] = str(tmp_path / "cache")
    words = ["open", "--picture", str(tmp_path / "w.png"), "--size", "1280x800"]
    done = subprocess.run(
        [sys.executable, "-m", "tenka.cli", *words], capture_output=True, text=True, env=env, timeout=100
    )
    assert done.returncode == 0 and "Compiling" not in done.stderr, done.stderr
    with Image.open(tmp_path / "w.png") as image:  # pictures of effects, and not a stage of one
        colours = image.convert("RGB").crop((110, 380, 900, 500)).getcolors(1 << 20) or []
    assert len(colours) > 2000


def test_a_desktop_entry_comes_and_goes_and_touches_nothing_else(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
):
    (tmp_path / "applications").mkdir()
    other = tmp_path / "applications" / "other.desktop"
    other.write_text("[Desktop Entry]\n")
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    done = command("install")
    assert done.code == 0 and "are there" in done.out
    entry = (tmp_path / "applications" / "tenka.desktop").read_text()
    assert "MimeType=application/x-tenka-effect;" in entry and "Exec=" in entry and "%f" in entry
    kind = ElementTree.parse(tmp_path / "mime" / "packages" / "tenka.xml").getroot()
    assert kind[0].attrib["type"] == "application/x-tenka-effect"
    icon = ElementTree.parse(tmp_path / "icons" / "hicolor" / "scalable" / "apps" / "tenka.svg").getroot()
    assert icon.attrib["viewBox"] == "0 0 128 128"
    assert "are gone" in command("install", "--remove").out
    left = [f.name for f in tmp_path.rglob("tenka.*") if f.is_file()]
    assert left == [] and other.exists()


def test_a_heap_is_dropped_and_lines_are_written(tmp_path: Path):
    effect = small_effect()
    prop = effect.props[0].model_copy(update={"copies": 4, "size": (0.3, 0.2, 0.2)})
    file = tmp_path / "heap.tenka"
    storage.save(effect.model_copy(update={"props": (prop,)}), file)
    done = command("heap", file, "--prop", prop.id, "--json")
    assert done.code == 0 and done.rows[-1]["copies"] == 4
    assert len(storage.load(file).props[0].lies) == 4
    done = command("heap", file, "--prop", "nothing")
    assert done.code == 2 and "not in the effect" in done.err
    lines = tmp_path / "lines.csv"
    done = command("paths", file, "--frame", 6, "--out", lines, "--value", "speed", "--after", 0.2)
    assert done.code == 0, done.err
    rows = lines.read_text().splitlines()
    assert rows[0] == "line,time (s),x (m),y (m),z (m),speed (m/s)" and len(rows) > 100
    done = command("paths", file, "--frame", 6, "--out", lines, "--where", "zeal")
    assert done.code == 2 and "no field is called 'zeal'" in done.err
    done = command("paths", file, "--frame", 6, "--out", lines, "--at", "1,2")
    assert done.code == 2 and "is not usable" in done.err
