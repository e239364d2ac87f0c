"""`python -m bench.jobs [NUMBER ...] [--small] [--out FOLDER]`: does jobs, measures what they come to, and
writes the table of docs/jobs.md from what is known of all."""

from __future__ import annotations

import argparse
import json
import os
import sys
import tempfile
import traceback
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QApplication

from bench.jobs import Job, jobs, recipes
from bench.jobs.hand import Hand
from bench.jobs.measuring import KNOWN, measured, table
from tenka.app import theme
from tenka.app.state import State
from tenka.app.window import Window
from tenka.base import threads
from tenka.base.memory import settle_memory
from tenka.cache.store import FrameStore

TABLE = Path(__file__).resolve().parents[2] / "docs" / "jobs.md"


def keep(number: int, row: dict[str, object], picture: Path) -> None:
    """Keep what a job came to, in the table and in the guide."""
    known = json.loads(KNOWN.read_text()) if KNOWN.is_file() else {}
    known[str(number)] = known.get(str(number), {}) | row
    KNOWN.write_text(json.dumps(known, indent=1, sort_keys=True) + "\n")
    if picture.is_file():
        recipes.picture(picture, str(row["name"]))
    TABLE.write_text(table(known))
    recipes.PAGE.write_text(recipes.page(known))


def run(job: Job, app: QApplication, out: Path, small: bool, dry: bool = False) -> None:
    """Do a job in a window of its own, and keep what it came to."""
    out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as spare:
        window = Window(State(FrameStore(), Path(spare)))
        window.ask_before_closing = lambda: "drop"
        window.resize(1280, 800)
        window.show()
        hand = Hand(window, out / f"{job.name}.tenka", small, dry)
        try:
            job.do(hand)
            if dry:
                row = {"name": job.name, "steps": hand.steps}
            else:
                row = measured(job, hand, job.holds(hand), out)
        finally:
            window.grab().save(str(out / f"{job.name}-window.png"))
            window.close()
            window.deleteLater()
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        print(json.dumps(row), flush=True)
        if not small:
            keep(job.number, row, out / f"{job.name}-{job.picture}.png")


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("numbers", nargs="*", type=int)
    parser.add_argument("--small", action="store_true")
    parser.add_argument(
        "--steps", action="store_true", help="tell the steps alone, for the guide: nothing is simulated"
    )
    parser.add_argument("--out", type=Path, default=Path(tempfile.gettempdir()) / "tenka-jobs")
    args = parser.parse_args()
    threads.prepare()
    settle_memory()
    app = QApplication(["tenka"])
    theme.apply(app)
    failed = 0
    for number, job in sorted(jobs().items()):
        if not args.numbers or number in args.numbers:
            print(f"{number} {job.title}", flush=True)
            try:
                run(job, app, args.out.resolve(), args.small, args.steps)
            except Exception:
                traceback.print_exc()
                failed += 1
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
