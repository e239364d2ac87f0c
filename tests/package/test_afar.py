"""Fewer sprites far away: how many are left, that none pops, and what it saves."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from build import element_of, small_effect

from bench.browser import NAME, picture
from tenka.budget.cost import ledger
from tenka.cache.store import FrameStore
from tenka.effect.document import on_tier, replaced
from tenka.effect.model import Player
from tenka.pack.packing import pack
from tenka.proof.elements.flipbook import left_afar, sprites
from tenka.proof.engine import Package, package_view
from tenka.scene.cameras import view_of

PLAYER = "deliveries.puff.route.player"
FAR = Player(count=24, far_share=0.25, far_from=10.0, far_to=50.0)


def test_what_is_left_adds_up_to_the_share_at_every_distance():
    away = np.linspace(0.0, 80.0, 161)
    left = left_afar(FAR, away)
    share = np.interp(away, [10.0, 50.0], [1.0, 0.25])
    np.testing.assert_allclose(left.sum(axis=1), 24 * share, atol=1e-9)
    assert (left[0] == 1).all() and np.isin(left[-1], (0.0, 1.0)).all() and left[-1].sum() == 6


def test_none_pops_and_ages_stay_spread():
    away = np.linspace(0.0, 60.0, 6001)
    left = left_afar(FAR, away)
    per_metre = 24 * 0.75 / 40.0
    assert np.abs(np.diff(left, axis=0)).max() <= per_metre * 0.01 + 1e-9
    slots = np.flatnonzero(left[-1])
    assert np.diff(slots).max() <= 8  # six of 24, which would be 4 apart at best


def test_far_sprites_are_those_of_near_by_with_less_opacity():
    element = element_of(small_effect())
    near = sprites(element, FAR, 30.0, away=np.array([0.0]))
    far = sprites(element, FAR, 30.0, away=np.array([29.0]))
    assert len(near.age) == 24 > len(far.age) >= 24 * 0.64
    for age, opacity in zip(far.age, far.opacity):
        n = int(np.argmin(np.abs(near.age - age)))
        assert near.age[n] == pytest.approx(age) and opacity <= near.opacity[n] + 1e-9


def test_the_ledger_counts_fewer_and_the_page_draws_them(tmp_path: Path):
    effect = replaced(small_effect(props=()), f"{PLAYER}.count", 12)
    fewer = replaced(replaced(effect, f"{PLAYER}.far_share", 0.25), f"{PLAYER}.far_from", 1.0)
    fewer = replaced(fewer, f"{PLAYER}.far_to", 2.0)
    lines = [ledger(e, "mid").lines[0] for e in (effect, fewer)]
    played = on_tier(fewer, "mid").delivery("puff").route.player
    left = (left_afar(played, np.array([6.0])) > 0).sum() / played.count
    assert left < 0.5 and lines[1].covered == pytest.approx(left * lines[0].covered, rel=0.15)
    pack(fewer, None, FrameStore(tmp_path / "f"), tmp_path / "p")
    package = Package(tmp_path / "p")
    camera = package.camera.model_copy(update={"distance": 12.0})
    assert package.draw(9.0, view_of(camera, 160, 100)).counts.quads == 3
    if NAME is None:
        return
    from PIL import Image

    shots = []
    for words in ("t=-1", "t=5.3"):
        out = tmp_path / "page.png"
        picture(tmp_path / "p" / "play.html", f"{words}&w=320&h=200", (320, 200), out)
        with Image.open(out) as image:
            shots.append(np.asarray(image.convert("RGB"))[:200, :320].astype(int))
    view = package_view(package, 320, 200)
    wanted = package.draw(5.3, view).rgb.astype(int) - package.draw(-1.0, view).rgb
    seen = np.abs(wanted).max(axis=2) > 8
    assert seen.mean() > 0.005
    made = shots[1] - shots[0]
    assert np.abs(made - wanted)[seen].mean() / np.abs(wanted)[seen].mean() < 0.12
