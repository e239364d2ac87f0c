"""Calibration: made-up devices are found again from noisy times, and a table that is none is refused."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from command import command

from tenka.base.errors import BadInput
from tenka.budget.calibrating import COLUMNS, FLOPS, Row, calibrate, fitted, read_rows, write_device
from tenka.budget.devices import device, load_device, read_again
from tenka.effect.model import ROUTES

STILL = {"smoke": 0.9, "sparks": 0.4, "stack": 1.3}
DEVICES = {
    "bound by fill": (0.8, 900.0, 60.0),
    "bound by arithmetic": (30.0, 40.0, 400.0),
    "bound by memory": (40.0, 4000.0, 9.0),
    "by each in turn": (3.0, 90.0, 40.0),
}


def made_up(fill: float, flop: float, band: float, call_us: float, part_us: float, noise: float, seed: int):
    """Times of a device by a roofline written out here: pixels of 8 bytes, blended, with depth read."""
    chance, rows = np.random.default_rng(seed), []
    for element, flops in (("smoke", 96.0), ("sparks", 16.0), ("stack", 34.0)):
        for step in (0, 1, 2, 4, 8, 16, 32, 64):
            covered = step * 21_000.0 * (1.0 if element != "sparks" else 0.05)
            passes = (
                covered * 2.0 / (fill * 1e6),  # twice as wide as what a device's rate is stated for
                covered * flops / (flop * 1e6),
                covered * 20.0 / (band * 1e6),
            )
            ms = max(passes) + step * part_us / 1e3 + (call_us / 1e3 if step else 0.0) + STILL[element]
            rows.append(Row(element, "x", step, covered, flops, ms * (1.0 + noise * chance.normal())))
    return rows


@pytest.mark.parametrize("which", DEVICES)
@pytest.mark.parametrize("noise", [0.0, 0.03])
def test_a_made_up_device_is_found_again(which: str, noise: float):
    fill, flop, band = DEVICES[which]
    truth = made_up(fill, flop, band, 12.0, 0.4, 0.0, 1)
    fit = fitted(made_up(fill, flop, band, 12.0, 0.4, noise, 2), device("hearth"), "x", "X", "a test")
    off = np.abs(fit.predicted - [r.ms for r in truth]) / [r.ms for r in truth]
    assert off.mean() < (0.01 if noise == 0 else 0.04) and off.max() < 0.15
    # what drawing alone takes by the profile, as the ledger counts it
    for row in (r for r in made_up(fill, flop, band, 0.0, 0.0, 0.0, 3) if r.covered > 6e5):
        d = fit.device
        passes = (
            row.covered * 2.0 / d.fill_gpixel_s,
            row.covered * row.flops / d.arithmetic_gflop_s,
            row.covered * 20.0 / d.bandwidth_gb_s,
        )
        assert max(passes) / 1e6 == pytest.approx(row.ms - STILL[row.element], rel=0.15)


def table_of(rows: list[Row]) -> str:
    lines = [",".join(COLUMNS)]
    lines += [f"{r.element},flipbook,count,1,{r.parts:g},{r.covered:.0f},640,360,{r.ms:.5f}" for r in rows]
    return "\n".join(lines) + "\n"


def test_a_table_becomes_a_profile_that_the_ledger_names(tmp_path: Path):
    rows = [r for r in made_up(0.8, 900.0, 60.0, 12.0, 0.4, 0.02, 4) if r.element == "smoke"]
    file = tmp_path / "measured.csv"
    file.write_text(table_of(rows))
    fit = calibrate(file, device("hearth"), "rig-of-a-test", "Rig")
    assert fit.off < 0.05 and fit.off_of("smoke") == pytest.approx(fit.off)
    assert fit.device.calibrated.startswith("measured.csv") and "off by" in fit.device.calibrated
    assert fit.device.effects_memory_mb == device("hearth").effects_memory_mb
    place = write_device(fit.device)
    try:
        assert load_device(place) == fit.device == device("rig-of-a-test")
    finally:
        place.unlink()
        read_again()
    run = command("calibrate", "rig", file, "--out", tmp_path / "out", "--json")
    assert run.code == 0 and run.rows[0]["element"] == "smoke" and run.rows[-1]["off"] < 0.05
    assert json.loads((tmp_path / "out" / "rig.json").read_text())["id"] == "rig"
    assert command("calibrate", "Not good", file).code == 2


@pytest.mark.parametrize(
    "text",
    [
        "",
        "a,b\n1,2\n",
        ",".join(COLUMNS) + "\nsmoke,flipbook,count,1,1,many,6,4,1\n",
        ",".join(COLUMNS) + "\n" + "smoke,flipbook,count,1,1,-5,6,4,1\n" * 9,
        ",".join(COLUMNS) + "\n" + "smoke,flipbook,count,1,1,5,6,4,1\n" * 3,
    ],
)
def test_what_is_no_such_table_is_one_sentence(tmp_path: Path, text: str):
    file = tmp_path / "t.csv"
    file.write_text(text)
    with pytest.raises(BadInput):
        read_rows(file)


def test_every_route_has_its_operations():
    assert set(FLOPS) | {"grid", "livewater"} == set(ROUTES)  # which a page does not play
