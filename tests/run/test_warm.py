"""Compiling in parts: what each waits for, and what an effect needs first."""

from __future__ import annotations

from tenka.budget.warm import PARTS, first_parts, next_part
from tenka.demo import FOLDER, PLUME
from tenka.effect import storage
from tenka.effect.model import Effect, ParticleLayer


def test_every_part_comes_after_what_it_waits_for():
    left, done = list(PARTS), []
    while left:
        part = next_part(left, ())
        assert part is not None and part not in left
        assert set(PARTS[part].after) <= set(done)
        done.append(part)
    assert sorted(done) == sorted(PARTS)


def test_a_part_waits_for_one_that_is_running():
    left = ["delivery", "points"]
    assert next_part(left, ["cloud"]) is None
    assert left == ["delivery", "points"]
    assert next_part(left, ["flow"]) == "delivery"


def test_a_plain_plume_needs_less_than_a_burning_one():
    assert set(first_parts(storage.load(PLUME))) == {"push", "flow", "cloud", "set"}
    burning = first_parts(storage.load(FOLDER / "furnace_mouth.tenka"))
    assert {"push", "flow", "cloud", "set", "more gas"} <= set(burning)


def test_particles_need_no_run_of_a_gas():
    assert first_parts(Effect()) == ["set"]
    dust = first_parts(Effect(layers=(ParticleLayer(id="p", name="P"),)))
    assert "points" in dust and "flow" not in dust and "more gas" not in dust
    for part in dust:
        assert set(PARTS[part].after) <= set(dust)
