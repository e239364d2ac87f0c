"""What a shell and a studio's build ask of the terminal, beyond what each command does."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from pathlib import Path

import pytest
from build import small_effect
from command import command
from routes import many_ways

from tenka import __version__
from tenka.budget import devices
from tenka.effect import storage
from tenka.effect.document import on_tier


@pytest.fixture(scope="module")
def file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("terminal") / "small.tenka"
    storage.save(small_effect(), path)
    return path


def shell(line: str, file: Path) -> tuple[int, str]:
    """A line of a shell in which TENKA and FILE stand for what they are: its exit code, and what it said."""
    words = line.replace("TENKA", f"{sys.executable} -m tenka.cli").replace("FILE", str(file))
    done = subprocess.run(["bash", "-c", words], capture_output=True, text=True, timeout=120)
    return done.returncode, done.stderr


def test_a_full_disk_where_output_goes_is_one_sentence(file: Path):
    code, said = shell("TENKA info FILE > /dev/full", file)
    assert code == 2 and said.count("\n") == 1 and "no space left" in said


def test_a_reader_that_has_gone_is_no_failed_check(file: Path):
    code, said = shell("TENKA info FILE | true; exit ${PIPESTATUS[0]}", file)
    assert code in (0, 141) and "Traceback" not in said


def test_open_ends_where_there_is_no_file(tmp_path: Path):
    begun = time.monotonic()
    done = command("open", tmp_path / "nofile")
    assert done.code == 2 and "is not there" in done.err and time.monotonic() - begun < 10


def test_the_version_is_an_option_too():
    assert command("--version").out.strip() == __version__


@pytest.mark.parametrize(
    "words",
    (
        ("export", "FILE", "--out", "OUT.ply", "--cull", "nan"),
        ("export", "FILE", "--out", "OUT.ply", "--cull", "inf"),
        ("sweep", "FILE", "--tier", "low", "--set", "deliveries.puff.route.width=32,64", "--sides", "nan"),
        ("sweep", "FILE", "--tier", "low", "--set", "deliveries.puff.route.width=32", "--sides", "1e999"),
        ("routes", "FILE", "--distances", "nan"),
        ("budget", "FILE", "--triggers", "0,nan"),
        ("steps", "FILE", "--frames", "nan"),
        (
            *("sweep", "FILE", "--tier", "low", "--set", "deliveries.puff.route.width=32"),
            *("--scheduler", "x y z"),
        ),
    ),
)
def test_a_number_that_is_none_or_an_address_that_is_none_is_refused_at_once(
    words: tuple[str, ...], file: Path, tmp_path: Path
):
    begun = time.monotonic()
    done = command(*(w.replace("FILE", str(file)).replace("OUT", str(tmp_path / "out")) for w in words))
    assert done.code == 2 and done.err.count("\n") == 1 and "Something in Tenka" not in done.err
    assert time.monotonic() - begun < 20


def test_json_names_deliveries_and_tiers_by_id_and_by_name(file: Path):
    for name in ("Low", "low", "LOW"):
        rows = command("budget", file, "--tier", name, "--json").rows
        assert rows[0]["id"] == "puff" and rows[0]["name"] == small_effect().deliveries[0].name
        assert {row["tier"] for row in rows} == {"low"} and {row["tier_name"] for row in rows} == {"Low"}
    gate = command("gate", file, "--tier", "Low", "--json").rows
    assert gate[0]["id"] == "puff" and gate[-1]["tier"] == "low"


def test_a_delivery_is_packed_alone_by_its_id_and_by_its_name(file: Path, tmp_path: Path):
    delivery = small_effect().deliveries[0]
    for n, only in enumerate((delivery.id, delivery.name, delivery.name.upper())):
        done = command("pack", file, "--out", tmp_path / str(n), "--tier", "LOW", "--only", only, "--json")
        assert done.code == 0 and [r["element"] for r in done.rows if "element" in r] == [delivery.id]
        assert done.rows[0]["tier"] == "low"


def test_what_is_seen_and_not_in_the_package_is_in_json_and_fails(tmp_path: Path):
    effect = many_ways()
    kept = tuple(layer for layer in effect.layers if layer.kind in ("gas", "particles"))
    book = tuple(d for d in effect.deliveries if d.id == "book")
    effect = effect.model_copy(update={"layers": kept, "deliveries": book, "seconds": 0.1})
    path = tmp_path / "two.tenka"
    storage.save(on_tier(effect, effect.tiers[0].id), path)
    done = command("pack", path, "--out", tmp_path / "out", "--json")
    assert done.code == 1 and {x["id"] for x in done.rows[-1]["left_out"]} == {
        layer.id for layer in kept if layer.kind == "particles"
    }
    assert command("pack", path, "--out", tmp_path / "out", "--accept-left-out").code == 0


def test_a_broken_profile_of_a_studio_is_set_aside_and_told_and_the_others_serve(
    file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
):
    own = json.loads((devices.SHIPPED / "hearth.json").read_text()) | {"id": "lantern", "name": "Lantern"}
    (tmp_path / "a.json").write_text('{"id": 1')
    (tmp_path / "b.json").write_text(json.dumps(own))
    (tmp_path / "c.json").write_text(json.dumps(own | {"id": "spent", "fill_gpixel_s": -1}))
    monkeypatch.setattr("tenka.budget.devices.own_profiles", lambda: tmp_path)
    devices.read_again()
    try:
        assert "lantern" in devices.devices() and "hearth" in devices.devices()
        done = command("budget", file, "--tier", "low", "--json")
        assert done.code == 0 and len(done.rows) >= 2
        assert done.err.count("was set aside") == 2 and "a.json" in done.err and "c.json" in done.err
    finally:
        monkeypatch.undo()
        devices.read_again()
