"""Final runs: finer, held to the preview's motion, resumed after a kill."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from build import centres, closed, frame_of, small_effect, small_layer, with_layer
from scipy import ndimage

from tenka.base.jobs import Progress
from tenka.cache.store import FrameStore
from tenka.effect import storage
from tenka.effect.model import DomainBox, Effect, Quality
from tenka.gas.grid import GasState, Workspace
from tenka.gas.guide import Guide, _lack, hold
from tenka.run.driver import simulate
from tenka.run.frames import drift, wander
from tenka.run.plans import Plan


def wavering(guidance: float, detail: int = 2, wisps: float = 0.0) -> Effect:
    """A small plume long enough to go another way at another resolution."""
    layer = small_layer(0.2)
    domain = DomainBox(origin=(-1, -1, 0), size=(2, 2, 3), voxel=0.2, run_up=0.5)
    return with_layer(
        small_effect(seconds=1.0, props=()),
        domain=domain,
        sources=layer.sources,
        quality=Quality(detail=detail, guidance=guidance, wisps=wisps),
    )


def drifts(effect: Effect, folder: Path) -> list[float]:
    store = FrameStore(folder)
    preview, final = Plan.of(effect), Plan.of(effect, final=True)
    simulate(preview, store, Progress())
    simulate(final, store, Progress())
    found = []
    for f in range(4, effect.frames, 4):
        a, b = store.get_frame(preview.name(f)), store.get_frame(final.name(f))
        assert (
            a is not None
            and b is not None
            and b.density.dtype == np.float32
            and b.shape == tuple(2 * n for n in a.shape)
        )
        found.append(drift(a, b, 2))
    return found


def test_a_guided_final_run_stays_with_its_preview_and_an_unguided_one_does_not(tmp_path: Path):
    held, free = drifts(wavering(20.0), tmp_path / "held"), drifts(wavering(0.0), tmp_path / "free")
    assert (
        max(held) < 0.25 and held[-1] < 0.5 * free[-1] and free[-1] > 1.15 * free[0]
    )  # one keeps near, the other drifts away


def test_a_final_frame_says_how_far_it_is_from_its_preview(tmp_path: Path):
    effect = wavering(20.0)
    store = FrameStore(tmp_path)
    preview, final = Plan.of(effect), Plan.of(effect, final=True)
    simulate(preview, store, Progress(), (0, 12))
    simulate(final, store, Progress(), (0, 12))
    a, b = store.get_frame(preview.name(12)), store.get_frame(final.name(12))
    assert a is not None and b is not None
    assert b.meta["drift"] == pytest.approx(drift(a, b, 2), rel=1e-3)  # the preview is kept in halves
    assert b.meta["wander"] == pytest.approx(wander(a, b), abs=1e-3) and 0 < b.meta["wander"] < 0.2


def test_a_shifted_puff_has_wandered_by_its_shift():
    density = np.zeros((8, 8, 8))
    density[2:4, 3:5, 3:5] = 1.0
    there = frame_of(np.roll(density, 2, axis=0), 0.25)
    assert (
        wander(frame_of(density, 0.25), there) == pytest.approx(0.5)
        and wander(there, frame_of(density * 0, 0.25)) == 0.0
    )


def test_drift_is_nothing_for_the_same_gas_and_all_of_it_for_none():
    rng = np.random.default_rng(0)
    coarse = frame_of(rng.random((6, 5, 4)), 0.2)
    fine = frame_of(np.repeat(np.repeat(np.repeat(coarse.density, 2, 0), 2, 1), 2, 2), 0.1)
    assert drift(coarse, fine, 2) == pytest.approx(0.0, abs=1e-6)
    assert drift(coarse, frame_of(np.zeros((12, 10, 8)), 0.1), 2) == pytest.approx(1.0)


def test_what_only_the_final_run_sees_leaves_the_preview_alone():
    effect = wavering(10.0)
    other = wavering(25.0)
    assert Plan.of(effect).keys == Plan.of(other).keys
    assert Plan.of(effect, final=True).keys != Plan.of(other, final=True).keys
    plain = wavering(10.0, detail=1)
    assert (
        Plan.of(plain, final=True).keys == Plan.of(plain).keys and Plan.of(plain, final=True).preview is None
    )


def test_a_final_run_that_is_killed_resumes_to_the_same_bytes(tmp_path: Path):
    """Kill -9 in the middle; the next run goes on from the last checkpoint."""
    file = tmp_path / "effect.tenka"
    storage.save(wavering(10.0), file)
    environment = {**os.environ, "XDG_CACHE_HOME": str(tmp_path / "cache")}
    command = [sys.executable, "-m", "tenka.cli", "simulate", str(file), "--quality", "final", "--json"]
    running = subprocess.Popen(
        command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    )
    assert running.stdout is not None
    for line in running.stdout:
        if '"frame": 14,' in line:
            break
    running.send_signal(signal.SIGKILL)
    running.wait()
    plan = Plan.of(storage.load(file), None, tmp_path, final=True)
    broken = FrameStore(tmp_path / "cache" / "tenka" / "frames")
    made = sum(plan.stored(broken))
    assert 15 <= made < plan.effect.frames
    start = time.monotonic()
    again = subprocess.run(command, env=environment, capture_output=True, text=True, check=True)
    assert (
        f'"simulated": {plan.effect.frames - made}' in again.stdout.splitlines()[-1]
        and time.monotonic() > start
    )
    whole = FrameStore(tmp_path / "whole")
    simulate(plan, whole, Progress())
    for f in (12, made, plan.effect.frames - 1):
        name = plan.name(f)
        a, b = (FrameStore(s.folder).get_frame(name, velocity=True) for s in (whole, broken))
        assert a is not None and b is not None
        for field in ("density", "temperature", "velocity"):
            assert getattr(a, field).tobytes() == getattr(b, field).tobytes()


def test_gas_is_scaled_only_where_there_is_some_of_the_same_sign():
    mean = np.array([1.0, 1.0, 0.0, 2.0, -3.0, 4.0], np.float32)
    target = np.array([1.5, 0.0, 1.0, 20.0, -1.5, -4.0], np.float32)
    np.testing.assert_allclose(_lack(mean, target, 1e-3), [0.5, 0.0, 0.0, 1.0, -0.5, 0.0])


def test_a_held_final_run_keeps_the_previews_amount_of_smoke(tmp_path: Path):
    effect = wavering(20.0)
    store = FrameStore(tmp_path)
    preview, final = Plan.of(effect), Plan.of(effect, final=True)
    simulate(preview, store, Progress())
    simulate(final, store, Progress())
    a, b = (
        [store.get_frame(p.name(f)).meta["mass"] for f in range(8, effect.frames, 4)]
        for p in (preview, final)
    )  # type: ignore[union-attr]
    assert np.abs(np.array(b) / a - 1).max() < 0.12


def test_wisps_are_finer_than_the_preview_and_leave_its_large_motion(tmp_path: Path):
    """What they change is half gone in a mean over three of the preview's voxels, and no middle moves."""
    store, held, moved = FrameStore(tmp_path), [], []
    for wisps in (0.0, 1.0):
        effect = wavering(10.0, wisps=wisps)
        preview, final = Plan.of(effect), Plan.of(effect, final=True)
        simulate(preview, store, Progress())
        simulate(final, store, Progress())
        frames = [store.get_frame(final.name(f)) for f in (12, 16, 20)]
        held.append([f.density.astype(float) for f in frames])  # type: ignore[union-attr]
        moved.append([f.meta["wander"] for f in frames])  # type: ignore[union-attr]
    for plain, torn in zip(*held):
        change = torn - plain
        large = ndimage.uniform_filter(change, 6)
        assert np.abs(change).mean() > 0.08 * plain.mean()
        assert np.abs(large).mean() < 0.5 * np.abs(change).mean()
        assert torn.sum() == pytest.approx(plain.sum(), rel=0.03)
    assert max(moved[1]) < 0.1  # m, half of a voxel of the preview


def test_wisps_are_stirred_by_shear_alone_without_divergence():
    grid = closed((16, 16, 16), 0.1)
    coarse = closed((8, 8, 8), 0.2)
    x, y, z = centres(coarse)
    for shear in (0.0, 2.0):
        led = np.zeros((5, 8, 8, 8), np.float32)
        led[0] = 1.0 + shear * (z - 0.8)
        state, work = GasState.still(grid), Workspace(grid)
        guide = Guide(led, coarse, led, coarse, 0.0, 1.0, 2, 0.0, 1.0, 5)
        hold(state, grid, guide, work, 0.05)
        inner = [f[2:-2, 2:-2, 2:-2] for f in (state.u, state.v, state.w)]
        if shear == 0.0:
            assert not any(f.any() for f in inner)
            continue
        # a wisp is as fast as the speed changes over a coarse voxel; exp(-10 dt) of that is still to come
        speed = np.sqrt(sum((f.astype(float) ** 2).mean() for f in inner))
        assert speed == pytest.approx(shear * 0.2 * (1 - np.exp(-10 * 0.05)), rel=0.3)
        div = np.diff(state.u, axis=0) + np.diff(state.v, axis=1) + np.diff(state.w, axis=2)
        assert np.abs(div).max() < 1e-5
