"""The `tenka` command: a thin skin over the core.

With --json each command prints one JSON object per line on standard output and nothing else there; progress
goes to standard error. Exit 0: done; 1: a check failed; 2: bad input, said in one sentence.
"""

from __future__ import annotations

import os
import sys
import traceback

import typer

from tenka.base.errors import Cancelled, TenkaError
from tenka.base.jobs import stop_on_interrupt
from tenka.cli import (
    batching,
    calibrating,
    delivering,
    filming,
    installing,
    keeping,
    routing,
    scening,
    simulating,
    stepping,
    sweeping,
    window,
)
from tenka.cli.common import app

__all__ = [
    "app",
    "batching",
    "calibrating",
    "delivering",
    "filming",
    "installing",
    "keeping",
    "main",
    "routing",
    "scening",
    "simulating",
    "stepping",
    "sweeping",
    "window",
]


def main() -> None:
    """Entry point: turns failures into one sentence and an exit code; `--debug` shows where one came from."""
    debug = "--debug" in sys.argv
    if debug:
        sys.argv.remove("--debug")
    stop_on_interrupt()
    try:
        code = app(standalone_mode=False)
        sys.exit(code if isinstance(code, int) else 0)
    except Cancelled:
        print("Stopped.", file=sys.stderr)
        sys.exit(130)
    except KeyboardInterrupt:
        print("Stopped; only whole files were left.", file=sys.stderr)
        sys.exit(130)
    except TenkaError as error:
        print(str(error), file=sys.stderr)
        sys.exit(2)
    except (typer.Exit, SystemExit) as leave:
        sys.exit(getattr(leave, "exit_code", getattr(leave, "code", 0)))
    except Exception as error:
        # usage errors of the command line's own library
        if hasattr(error, "format_message"):
            print(error.format_message(), file=sys.stderr)
            sys.exit(2)
        _last(error, debug)


def _last(error: Exception, debug: bool) -> None:
    """What nobody expected: one sentence, and the rest with --debug."""
    if isinstance(error, BrokenPipeError):  # whoever read the output has gone
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(141)
    if debug:
        traceback.print_exception(error)
    if isinstance(error, MemoryError):
        print("There is not enough memory for this.", file=sys.stderr)
    else:
        what = str(error).splitlines()[0][:200] if str(error) else ""
        print(
            f"Something in Tenka failed ({type(error).__name__}{': ' + what if what else ''}). "
            "With --debug before the command it says where.",
            file=sys.stderr,
        )
    sys.exit(2)
