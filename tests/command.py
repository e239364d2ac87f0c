"""Commands of the terminal, run in this process: starting one of their own takes a second and more."""

from __future__ import annotations

import contextlib
import io
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


def command(*words: object) -> Run:
    """A command as the terminal runs it."""
    out, err = io.StringIO(), io.StringIO()
    with pytest.MonkeyPatch.context() as patch, pytest.raises(SystemExit) as left:
        patch.setattr("sys.argv", ["tenka", *map(str, words)])
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            cli.main()
    code = left.value.code
    rows = [json.loads(row) for row in out.getvalue().splitlines() if row[:1] == "{"]
    return Run(
        code if isinstance(code, int) else 0 if code is None else 1, out.getvalue(), err.getvalue(), rows
    )
