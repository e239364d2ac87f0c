"""Batches: every effect of a folder on every tier, whatever becomes of the others."""

from __future__ import annotations

import json
import re
from pathlib import Path

import numpy as np
import pytest
from build import small_effect
from command import command
from PIL import Image

from tenka.effect import storage
from tenka.effect.model import Tier


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("TENKA_FRAMES", str(tmp_path / "store"))
    place = tmp_path / "effects"
    (place / "yard").mkdir(parents=True)
    (place / ".old").mkdir()
    good = small_effect(name="Good <puff>")
    storage.save(good, place / "good.tenka")
    (place / ".old" / "hidden.tenka").write_text("{")
    (place / "broken.tenka").write_text("{")
    storage.save(small_effect(tiers=(), name="Bare"), place / "yard" / "bare.tenka")
    dear = Tier(id="low", name="Low", device="satchel", distance=6.0, width=320, height=180, ms=0.8, mb=0.001)
    storage.save(small_effect(tiers=(dear,), name="Dear"), place / "yard" / "dear.tenka")
    return place


def test_a_batch_packs_and_weighs_all_that_can_be_and_goes_on_after_what_cannot(folder: Path, tmp_path: Path):
    out = tmp_path / "out"
    run = command("batch", folder, "--out", out, "--json")
    assert run.code == 1
    rows = {(r["file"], r["tier"]): r for r in run.rows if "file" in r}
    assert set(rows) == {
        ("broken", ""),
        ("good", "low"),
        ("good", "mid"),
        ("yard/bare", ""),
        ("yard/dear", "low"),
    }
    assert run.rows[-1] == {"failed": 3, "of": 5}
    assert "has no tier" in rows["yard/bare", ""]["fault"] and rows["broken", ""]["fault"]
    assert rows["yard/dear", "low"]["over"] and not rows["yard/dear", "low"]["fault"]
    for tier in ("low", "mid"):
        row = rows["good", tier]
        gate = command("gate", folder / "good.tenka", "--tier", tier, "--json")
        assert (row["ms"], row["mb"]) == (gate.rows[-1]["ms"], gate.rows[-1]["mb"])  # one ledger for both
        assert gate.code == 0 and not row["over"]
        package = out / row["package"]
        assert (package / "manifest.json").is_file()
        assert row["bytes"] == sum(f.stat().st_size for f in package.iterdir())
        for picture in (row["stage"], row["proof"]):
            shown = np.asarray(Image.open(out / picture))
            assert shown.shape == (300, 480, 3) and shown.std() > 2.0
    told = json.loads((out / "batch.json").read_text())
    assert told["failed"] == 3 and told["rows"] == [r for r in run.rows if "file" in r]
    page = (out / "batch.html").read_text()
    assert "Good &lt;puff&gt;" in page and "<puff>" not in page
    linked = re.findall(r'(?:src|href)="([^"#]+)"', page)
    assert len(linked) >= 8 and all((out / link).is_file() for link in linked)


def test_a_batch_of_one_tier_that_is_well_ends_with_0_and_can_be_made_again(folder: Path, tmp_path: Path):
    for name in ("broken.tenka", "yard/bare.tenka", "yard/dear.tenka"):
        (folder / name).unlink()
    out = folder / "built"  # where it writes lies in what it reads
    for _ in range(2):
        run = command("batch", folder, "--tier", "Mid", "--out", out, "--likeness", "--json")
        assert run.code == 0, run.err
        assert [r["file"] for r in run.rows if "file" in r] == ["good"]
        assert 0.0 < run.rows[0]["like"]["flip"] < 0.5
    missing = command("batch", folder, "--tier", "High", "--out", out, "--json")
    assert missing.code == 1 and "no tier is called 'High'" in missing.rows[0]["fault"]


def test_a_batch_writes_over_nothing_that_is_not_its_own(folder: Path, tmp_path: Path):
    out = tmp_path / "out"
    out.mkdir()
    (out / "batch.html").write_text("somebody's")
    run = command("batch", folder, "--out", out)
    assert run.code == 2 and (out / "batch.html").read_text() == "somebody's"
    assert sorted(p.name for p in out.iterdir()) == ["batch.html"]
    (out / "batch.html").unlink()
    (out / "good" / "low").mkdir(parents=True)
    (out / "good" / "low" / "letters.txt").write_text("somebody's")
    run = command("batch", folder, "--tier", "Low", "--out", out, "--json")
    row = next(r for r in run.rows if r.get("file") == "good")
    assert row["fault"] and (out / "good" / "low" / "letters.txt").read_text() == "somebody's"


def test_a_folder_without_effects_is_refused(tmp_path: Path):
    for place in (tmp_path, tmp_path / "nowhere"):
        run = command("batch", place, "--out", tmp_path / "out")
        assert run.code == 2 and len(run.err.strip().splitlines()) == 1
        assert not (tmp_path / "out").exists()
