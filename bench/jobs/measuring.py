"""What a job came to: its gestures and minutes, what it takes on each tier, how alike stage, Proof and page
are, and pictures of the three."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from bench import browser
from bench.jobs import Job
from bench.jobs.hand import Hand
from tenka.base.jobs import Progress
from tenka.board.sweeping import Bench, measure_all
from tenka.look.flip import flip_error
from tenka.pack.film import Film, pictures
from tenka.package.manifest import PAGE
from tenka.proof.engine import Package, package_view

KNOWN = Path(__file__).with_name("known.json")
SIZE = (960, 600)
PASSES = 16
TIERS = ("Low", "Mid", "High")


def measured(job: Job, hand: Hand, told: dict[str, str], out: Path) -> dict[str, Any]:
    """A row of the table; pictures go to `out`."""
    minutes = (time.monotonic() - hand.begun) / 60
    state = hand.state
    hand.until(lambda: len(state.ledgers) == len(state.effect.tiers), "the ledger", 120)
    costs = {
        t.name: [state.ledgers[t.id].ms, state.ledgers[t.id].mb, state.ledgers[t.id].over]
        for t in state.effect.tiers
    }
    row: dict[str, Any] = {
        "title": job.title,
        "name": job.name,
        "steps": hand.steps,
        "gestures": hand.count,
        "minutes": minutes,
        "costs": costs,
        "told": told,
        "mended": job.mended,
    }
    if hand.packages:
        row |= likeness(hand, out / job.name)
    return row


def likeness(hand: Hand, begin: Path) -> dict[str, Any]:
    """FLIP between stage and Proof as the board measures it, and between Proof and page."""
    effect, folder, store = hand.effect, hand.state.folder, hand.state.store
    found: dict[str, Any] = {}
    tier = hand.state.tier_id or effect.tiers[0].id
    bench = Bench(effect, tier, folder, store, Progress())
    tried = next(measure_all(bench, [({}, effect, bench.book(effect))]))
    found["stage"] = tried.likeness.flip if not tried.fault else tried.fault
    index = hand.moment if hand.moment is not None else effect.frames // 2
    film = Film(*SIZE, passes=PASSES)
    for picture in pictures(effect, folder, store, film, (index, index), Progress()):
        Image.fromarray(picture.rgb).save(begin.with_name(f"{begin.name}-stage.png"))
    tiers = [t.id for t in effect.tiers]
    package = Package(hand.packages[tiers.index(tier) if len(hand.packages) == len(tiers) else -1])
    first = min(e.times[0] for e in package.elements)
    t = max(0.0, index / effect.rate - first)
    proof = package.draw(t, package_view(package, *SIZE, effect.camera)).rgb
    Image.fromarray(proof).save(begin.with_name(f"{begin.name}-proof.png"))
    if browser.NAME is not None:
        page = begin.with_name(f"{begin.name}-page.png")
        browser.picture(package.folder / PAGE, f"t={t}&w={SIZE[0]}&h={SIZE[1]}", SIZE, page)
        with Image.open(page) as image:
            shown = np.asarray(image.convert("RGB"))[: SIZE[1], : SIZE[0]]
        found["page"] = float(flip_error(proof, shown))
    return found


def table(known: dict[str, Any]) -> str:
    """docs/jobs.md."""
    lines = [
        "# Whole jobs",
        "",
        "Written by `python -m bench.jobs`, which does each in the real window, off-screen, from *New* to a "
        "package; `tests/jobs` does them in small. Gestures: a click, a drag, a value typed, keys pressed "
        "together or a file dropped are one, a choice from a menu or list two; a view is set at once and "
        "counted as three drags, entries of lists are chosen by their signal, and the system's dialogs "
        "answer by themselves. Minutes hold the machine's own (two cores): simulating, packing. Cost is "
        "drawing ms and MB, on Low, Mid and High; **over** is over that tier's budget. FLIP (0 is the same): "
        "the package as played against the stage, as the board measures it; and the page in a browser "
        "against Proof, whole pictures, set and ground too.",
        "",
        "| | job | gestures | min | Low | Mid | High | stage | page |",
        "| --- | --- | --- | --- | --- | --- | --- | --- | --- |",
    ]
    rows = sorted(((n, row) for n, row in known.items() if "costs" in row), key=lambda item: int(item[0]))
    for number, row in rows:
        costs = [
            f"{ms:.2f} / {mb:.1f}{' **over**' if over else ''}"
            for ms, mb, over in (row["costs"][name] for name in TIERS)
        ]
        alike = [
            f"{row[name]:.3f}" if isinstance(row.get(name), float) else str(row.get(name, "-"))
            for name in ("stage", "page")
        ]
        cells = [number, row["title"], str(row["gestures"]), f"{row['minutes']:.1f}", *costs, *alike]
        lines.append(f"| {' | '.join(cells)} |")
    lines += ["", "## What was measured, and what was mended on the way", ""]
    for number, row in rows:
        lines.append(f"**{number}. {row['title']}**  ")
        lines += [f"{name}: {what}  " for name, what in row["told"].items()]
        lines += [f"Mended: {row['mended']}", ""]
    return "\n".join(lines)
