"""The `tenka` command: a thin skin over the core.

With --json each command prints one JSON object per line on standard output and nothing else there; progress
goes to standard error. Exit 0: done; 1: a check failed; 2: bad input, said in one sentence.
"""

from __future__ import annotations

import errno
import os
import sys
import traceback

import typer

from tenka.base.errors import Cancelled, TenkaError
from tenka.base.files import reason
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


CLOSED = 141  # whoever read the output has gone: no check has failed


def main() -> None:
    """Entry point: turns failures into one sentence and an exit code; `--debug` shows where one came from."""
    debug = "--debug" in sys.argv
    if debug:
        sys.argv.remove("--debug")
    stop_on_interrupt()
    code = _outcome(debug)
    for sentence in _asides():
        print(sentence, file=sys.stderr)
    sys.exit(_flushed(code))


def _outcome(debug: bool) -> int:
    """Run the command that was asked for, and tell its exit code."""
    try:
        code = app(standalone_mode=False)
        return code if isinstance(code, int) else 0
    except Cancelled:
        print("Stopped.", file=sys.stderr)
        return 130
    except KeyboardInterrupt:
        print("Stopped; only whole files were left.", file=sys.stderr)
        return 130
    except TenkaError as error:
        print(str(error), file=sys.stderr)
        return 2
    except (typer.Exit, SystemExit) as leave:
        if type(sys.stdout).__name__ == "PacifyFlushWrapper":  # the command line's library met a closed pipe
            return CLOSED
        return int(getattr(leave, "exit_code", getattr(leave, "code", 0)) or 0)
    except BrokenPipeError:
        return CLOSED
    except Exception as error:
        # usage errors of the command line's own library
        if hasattr(error, "format_message"):
            print(error.format_message(), file=sys.stderr)
        else:
            _last(error, debug)
        return 2


def _asides() -> tuple[str, ...]:
    """What was set aside on the way, where the command read device profiles."""
    devices = sys.modules.get("tenka.budget.devices")
    return devices.set_aside() if devices is not None else ()


def _flushed(code: int) -> int:
    """The exit code once all that was printed has gone where it goes."""
    try:
        sys.stdout.flush()
        return code
    except OSError as error:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        if isinstance(error, BrokenPipeError):
            return CLOSED
        if code == 0:
            print(f"What was found cannot be printed ({reason(error)}).", file=sys.stderr)
        return code or 2


def _last(error: Exception, debug: bool) -> None:
    """What nobody expected: one sentence, and the rest with --debug."""
    if debug:
        traceback.print_exception(error)
    if isinstance(error, OSError) and error.errno == errno.ENOSPC:
        print(f"What was found cannot be written ({reason(error)}).", file=sys.stderr)
    elif isinstance(error, MemoryError):
        print("There is not enough memory for this.", file=sys.stderr)
    else:
        what = str(error).splitlines()[0][:200] if str(error) else ""
        print(
            f"Something in Tenka failed ({type(error).__name__}{': ' + what if what else ''}). "
            "With --debug before the command it says where.",
            file=sys.stderr,
        )
