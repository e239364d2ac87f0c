"""The guide's page of whole jobs: each with its picture, and what the hand did, step by step."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PIL import Image

from tenka.app.guide import FOLDER

PAGE = FOLDER / "jobs.md"
SIZE = (448, 280)


def page(known: dict[str, Any]) -> str:
    """The page, from what is known of all jobs."""
    lines = [
        "# Whole jobs",
        "",
        "Twenty effects from an empty window to packages for three tiers, as they were made: each line is "
        "what is clicked, typed or chosen, in order. Some of them are among the effects of Kiln Quay on the "
        "start page.",
        "",
    ]
    for _, row in sorted(known.items(), key=lambda item: int(item[0])):
        if not row.get("steps"):
            continue
        lines += [f"## {row['title']}", ""]
        if (FOLDER / "pictures" / f"job_{row['name']}.png").is_file():
            lines += [f"![{row['title']}](pictures/job_{row['name']}.png)", ""]
        lines += [f"{n}. {_ended(step)}" for n, step in enumerate(row["steps"], start=1)]
        lines.append("")
    return "\n".join(lines)


def _ended(step: str) -> str:
    """A step as a sentence."""
    return step if step.endswith("…*") else f"{step}."


def picture(drawn: Path, name: str) -> None:
    """The page's picture of a job, from one that was drawn."""
    with Image.open(drawn) as image:
        small = image.convert("RGB").resize(SIZE, Image.Resampling.LANCZOS)
    small.quantize(160).save(FOLDER / "pictures" / f"job_{name}.png", optimize=True)
