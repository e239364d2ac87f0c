"""Commands of the terminal, run in this process."""

from __future__ import annotations

import json
from typing import NamedTuple

import pytest

from tenka import cli


class Run(NamedTuple):
    """How a command ended: its exit code, what it printed, what it said, and the objects among the first."""

    code: int
    out: str
    err: str
    rows: list[dict]


def command(capsys: pytest.CaptureFixture[str], *words: object) -> Run:
    """A command as the terminal runs it."""
    capsys.readouterr()
    with pytest.MonkeyPatch.context() as patch, pytest.raises(SystemExit) as left:
        patch.setattr("sys.argv", ["tenka", *map(str, words)])
        cli.main()
    out, err = capsys.readouterr()
    code = left.value.code
    rows = [json.loads(row) for row in out.splitlines() if row[:1] == "{"]
    return Run(code if isinstance(code, int) else 0 if code is None else 1, out, err, rows)
