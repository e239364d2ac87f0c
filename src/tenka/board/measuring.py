"""A variant of what is delivered, packed and played, against the stage's own pictures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tenka.base.jobs import Progress
from tenka.board.likeness import Likeness, likeness, mean_flip
from tenka.board.looking import Looking
from tenka.board.shelf import SHELF
from tenka.budget.cost import packed_lines
from tenka.cache.store import FrameStore
from tenka.effect.catalogue import Settings
from tenka.effect.courses import still
from tenka.effect.document import delivered_on, on_tier
from tenka.effect.model import Effect, Player
from tenka.look.flip import flip_error
from tenka.look.render import Renderer
from tenka.look.shot import gathered, seen, shot_of
from tenka.pack.books import books_of
from tenka.pack.layout import span_of
from tenka.proof.engine import Package
from tenka.run.driver import simulate
from tenka.run.plans import plans_of
from tenka.scene.cameras import View

PLAYED_MOMENTS = 4  # over a life, at which two ways of playing are held against each other
STEADY_LIVES = 3  # after which as many are alive as ever will be

DRAWN = ("blend", "soft_edge", "stands")  # what of a player one sprite alone shows

Rows = Sequence[Sequence[np.ndarray]]


@dataclass(frozen=True)
class Against:
    """The stage's pictures, a row for each of the views, and the same of the set alone."""

    rows: Rows
    bare: Rows

    def changed_as(self, n: int, k: int, shown: np.ndarray, bare: np.ndarray) -> np.ndarray:
        """The stage's set in a view, changed as a game's set is by what it shows: how sets are drawn, and
        whether they move, is not what is measured."""
        found = self.bare[n][k].astype(np.int16) + shown - bare
        picture: np.ndarray = np.clip(found, 0, 255).astype(np.uint8)
        return picture


@dataclass(frozen=True)
class Measured:
    """What was measured of a variant.

    Attributes
    ----------
    picture : (h, w, 3) uint8, its middle one
    ms, mb : what its package takes, counted from what was really written
    """

    likeness: Likeness
    picture: np.ndarray
    ms: float
    mb: float


def on_one_sprite(effect: Effect) -> Effect:
    """The effect with each flipbook played as one sprite that lasts as long as its frames: what is measured
    is how well it was drawn, and not how many a game shows."""
    deliveries = []
    for d in effect.deliveries:
        if d.route.kind == "flipbook":
            first, last = span_of(effect, d)
            player = d.route.player.on_one_sprite(last - first)  # type: ignore[union-attr]
            d = d.model_copy(update={"route": d.route.model_copy(update={"player": player})})
        deliveries.append(d)
    return effect.model_copy(update={"deliveries": tuple(deliveries)})


def players_of(effect: Effect, tier: str) -> dict[str, Player]:
    """How the flipbooks of a tier are played, by delivery, with its levers."""
    return {
        d.id: d.route.player  # type: ignore[union-attr]
        for d in on_tier(effect, tier).deliveries
        if d.route.kind == "flipbook"
    }


def references(
    effect: Effect, folder: Path | None, store: FrameStore, looking: Looking, progress: Progress
) -> Against:
    """The stage's pictures; what is missing is simulated.

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    whole = plans_of(effect, folder)
    plans = {layer.id: whole[layer.id] for layer in seen(effect)}
    for plan in plans.values():
        simulate(plan, store, progress)
    books, _ = books_of(effect, folder)
    hidden = tuple(layer.model_copy(update={"hidden": True}) for layer in effect.layers)
    bare_effect = effect.model_copy(update={"layers": hidden})
    rows = looking.rows(effect)
    progress.begin(len(rows) * len(looking.frames), "Drawing what variants are held against")
    found: tuple[list[list[np.ndarray]], list[list[np.ndarray]]] = ([], [])
    for view, backdrop in rows:
        for row in found:
            row.append([])
        renderer, alone = Renderer(), Renderer()
        for index in looking.frames:
            t = index / effect.rate
            frames, past = gathered(plans, store, index)
            shot = shot_of(effect, frames, folder, t, past=past, books=books)
            light = still(effect.light, t).model_copy(update={"backdrop": backdrop})
            found[0][-1].append(renderer.draw_shot(shot, light, view).rgb)
            bare = shot_of(bare_effect, {}, folder, t)
            found[1][-1].append(alone.draw_shot(bare, light, view).rgb)
            progress.step()
    return Against(*found)


def pictures_of(
    package: Package, effect: Effect, looking: Looking, against: Against, progress: Progress
) -> tuple[Rows, np.ndarray]:
    """What a game would show of a package in each of the views, on the stage's set; and the middle picture of
    the first view as it is."""
    first, rows = min(e.times[0] for e in package.elements), []
    middle = looking.firsts[len(looking.firsts) // 2]
    picture = np.zeros((1, 1, 3), np.uint8)
    for n, (view, backdrop) in enumerate(looking.rows(effect)):
        package.stand_before(backdrop)
        row = []
        for k, f in enumerate(looking.frames):
            progress.check()
            shown = shown_at(package, f / effect.rate - first, view, looking)
            if n == 0 and k == middle:
                picture = shown[0]
            row.append(against.changed_as(n, k, *shown))
        rows.append(row)
    return rows, picture


def shown_at(package: Package, time: float, view: View, looking: Looking) -> tuple[np.ndarray, np.ndarray]:
    """What a game shows of a package at a time, s, and its set alone."""
    shown = package.draw(time, view, held_at=looking.distance).rgb
    return shown, package.draw(time, view, runs=(), held_at=looking.distance).rgb


def played_otherwise(
    package: Package, effect: Effect, looking: Looking, before: dict[str, Player], now: dict[str, Player]
) -> float:
    """FLIP error of what a game shows of a package by the players of now against those of before."""
    both = [id for id in now if id in before]
    before = {id: before[id].model_copy(update={n: getattr(now[id], n) for n in DRAWN}) for id in both}
    changed = [id for id in both if before[id] != now[id]]
    if not changed:
        return 0.0
    life = max(before[id].life for id in changed)
    view, backdrop = looking.rows(effect)[0]
    package.stand_before(backdrop)
    rows = []
    for players in (before, now):
        tried: dict[str, Settings] = {id: players[id] for id in both}
        rows.append(
            [
                package.draw(
                    (STEADY_LIVES + n / PLAYED_MOMENTS) * life,
                    view,
                    package.players(tried=tried),
                    held_at=looking.distance,
                ).rgb
                for n in range(PLAYED_MOMENTS)
            ]
        )
    return mean_flip(rows[:1], rows[1:])


def darkened(
    effect: Effect, tier: str, folder: Path | None, looking: Looking, against: Against, moments: Sequence[int]
) -> float:
    """FLIP error of the effect's own lights that a tier leaves out: the set in the first view, at some of the
    moments, as it is with all of them and as it is then."""
    there = on_tier(effect, tier)
    if there.lights == effect.lights or not moments:
        return 0.0
    hidden = tuple(layer.model_copy(update={"hidden": True}) for layer in effect.layers)
    dark = effect.model_copy(update={"layers": hidden, "lights": there.lights})
    view, backdrop = looking.rows(effect)[0]
    errors = []
    for k in moments:
        t = looking.frames[k] / effect.rate
        light = still(effect.light, t).model_copy(update={"backdrop": backdrop})
        left = Renderer().draw_shot(shot_of(dark, {}, folder, t), light, view).rgb
        errors.append(flip_error(against.bare[0][k], left))
    return float(np.mean(errors))


def measured(
    effect: Effect,
    tier: str,
    folder: Path | None,
    store: FrameStore,
    looking: Looking,
    against: Against,
    progress: Progress,
    before: Effect | None = None,
) -> Measured:
    """How like an effect is as a tier gets it, what that takes, and its middle picture.

    Parameters
    ----------
    before : the effect as it was, when `effect` is a variant of it: what another player changes is measured
        against that

    Raises
    ------
    BadInput, TooLarge, Unstable, Cancelled
    """
    played = on_one_sprite(delivered_on(effect, tier))
    plans = plans_of(effect, folder)
    names = {layer.id: plans[layer.id].name(effect.frames - 1) for layer in seen(effect)}
    package = Package(SHELF.packed(played, folder, store, progress, names))
    rows, picture = pictures_of(package, effect, looking, against, progress)
    like = likeness(against.rows, rows, looking.firsts)
    if before is not None:
        now = players_of(effect, tier)
        error = played_otherwise(package, effect, looking, players_of(before, tier), now)
        like = like.also_played(error)
    like = like.also_played(darkened(effect, tier, folder, looking, against, looking.firsts))
    lines = packed_lines(package.elements, effect, tier)
    ms = max(sum(line.ms for line in lines), sum(line.update_ms for line in lines))
    return Measured(like, picture, ms, sum(line.mb for line in lines))
