"""What a batch found, as JSON and as one page with pictures."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict
from html import escape
from pathlib import Path
from urllib.parse import quote

from tenka.base.errors import BadInput
from tenka.base.files import write_atomic
from tenka.base.words import counted, span
from tenka.board.batch import Weighed
from tenka.package.manifest import PAGE

SUMMARY, SUMMARY_PAGE = "batch.json", "batch.html"
MARK = "Tenka batch"

STYLE = """
body { margin: 24px auto; max-width: 1520px; padding: 0 16px; background: #1d1f20; color: #e6e4de;
  font: 14px/1.5 "IBM Plex Sans", system-ui, sans-serif; }
h1 { font-size: 20px; font-weight: 600; margin: 0 0 4px; }
h2 { font-size: 16px; font-weight: 600; margin: 28px 0 6px; }
p, td.why { color: #a9a79f; }
table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; }
th { text-align: left; font-weight: 400; color: #a9a79f; border-bottom: 1px solid #4a4e50; }
th, td { padding: 4px 14px 4px 0; vertical-align: top; }
td.number, th.number { text-align: right; }
.over, .failed, .not { color: #e0ab45; }
.within { color: #5cb8a5; }
a { color: inherit; }
td.why { text-align: left; }
.pictures { display: grid; grid-template-columns: repeat(4, 1fr); gap: 14px; }
figure { margin: 0; }
figure img { display: block; width: 100%; aspect-ratio: 8 / 5; border-radius: 4px; background: #141516; }
figcaption { color: #a9a79f; font-size: 13px; margin-top: 3px; }
"""


def check_place(out: Path) -> None:
    """Refuse to write over what another program wrote.

    Raises
    ------
    BadInput
    """
    for name in (SUMMARY, SUMMARY_PAGE):
        try:
            if MARK not in (out / name).read_text(errors="replace"):
                raise BadInput("is there, and not of a batch", "another folder", out / name)
        except FileNotFoundError:
            continue
        except OSError as error:
            raise BadInput("cannot be read", "a folder that can be", out) from error


def write_summary(found: Sequence[Weighed], out: Path, accept_uncounted: bool) -> None:
    """Write both, whole.

    Raises
    ------
    BadInput
    """
    failed = [w for w in found if w.failed(accept_uncounted)]
    told = {"written_by": MARK, "failed": len(failed), "rows": [asdict(w) for w in found]}
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput("cannot be made", "a folder that you may write to", out) from error
    write_atomic(out / SUMMARY, json.dumps(told, indent=1).encode())
    write_atomic(out / SUMMARY_PAGE, page(found, accept_uncounted).encode())


def page(found: Sequence[Weighed], accept_uncounted: bool) -> str:
    """A table of all, then the pictures of each effect beside each other."""
    failed = sum(w.failed(accept_uncounted) for w in found)
    by_file: dict[str, list[Weighed]] = {}
    for w in found:
        by_file.setdefault(w.file, []).append(w)
    seconds = span(sum(w.seconds for w in found))
    head = f"{counted(len(by_file), 'effect')}, {counted(len(found), 'package')} asked for, in {seconds}; "
    head += f"{failed} would hold a build up." if failed else "none would hold a build up."
    columns = ["Effect", "Tier", "Drawing", "Updating", "Memory", "FLIP", "Package", "Took", ""]
    if not any(w.like for w in found):
        columns.remove("FLIP")
    numbers = {"Drawing", "Updating", "Memory", "FLIP", "Package", "Took"}
    heads = "".join(f"<th{' class=number' if c in numbers else ''}>{c}</th>" for c in columns)
    rows = "".join(_row(w, "FLIP" in columns) for w in found)
    shown = "".join(_shown(file, rows) for file, rows in by_file.items())
    return (
        f'<!doctype html>\n<html lang="en"><meta charset="utf-8"><title>{MARK}</title><style>{STYLE}</style>'
        f"\n<h1>{MARK}</h1><p>{head}</p>\n<table><tr>{heads}</tr>{rows}</table>{shown}</html>\n"
    )


def _row(w: Weighed, with_like: bool) -> str:
    anchor = f'<a href="#{quote(w.file)}">{escape(w.effect)}</a>'
    if w.fault:
        cells = f'<td colspan="{6 if with_like else 5}" class="why">{escape(w.fault)}</td>'
    else:
        like = f"<td class=number>{w.like.flip:.4f}</td>" if w.like else "<td></td>"
        cells = (
            f"<td class=number>{w.ms:.3f} of {w.budget_ms:g} ms</td>"
            f"<td class=number>{w.update_ms:.3f} ms</td>"
            f"<td class=number>{w.mb:.2f} of {w.budget_mb:g} MB</td>{like if with_like else ''}"
            f"<td class=number>{w.bytes / 1e6:.1f} MB</td><td class=number>{span(w.seconds)}</td>"
        )
    more = " ".join((*w.problems, *w.uncounted))
    mark = f'<td class="{w.told.split()[0]}">{w.told}{": " if more else ""}{escape(more)}</td>'
    return f"<tr><td>{anchor}</td><td>{escape(w.tier_name or w.tier)}</td>{cells}{mark}</tr>\n"


def _shown(file: str, rows: Sequence[Weighed]) -> str:
    there = [w for w in rows if w.proof]
    if not there:
        return f'<h2 id="{escape(quote(file))}">{escape(rows[0].effect)}</h2><p>No picture.</p>'
    figures = _figure(there[0].stage, "on the stage")
    for w in there:
        link = f'<a href="{quote(w.package)}/{PAGE}">{escape(w.tier_name or w.tier)}, as a game plays it</a>'
        figures += _figure(w.proof, f"{link}: {w.ms:.3f} ms, {w.mb:.2f} MB")
    remarks = " ".join(dict.fromkeys(f"{r.rstrip('.')}." for w in there for r in w.remarks))
    return (
        f'\n<h2 id="{escape(quote(file))}">{escape(rows[0].effect)}</h2>'
        f'<div class="pictures">{figures}</div>' + (f"<p>{escape(remarks)}</p>" if remarks else "")
    )


def _figure(picture: str, told: str) -> str:
    return f'<figure><img src="{quote(picture)}" alt=""><figcaption>{told}</figcaption></figure>'
