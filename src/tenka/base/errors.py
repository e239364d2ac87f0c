"""Errors that a person reads: one sentence each, saying which file, where, and what was expected."""

from __future__ import annotations

import re

MOST_QUOTED = 80  # letters of what somebody else wrote


class TenkaError(Exception):
    """An expected failure. Its text is one clear sentence that can be shown as it is."""


class BadInput(TenkaError):
    """Something read or typed is not usable; whatever was open before is untouched."""

    def __init__(self, what: str, expected: str = "", file: object = None, place: str = "") -> None:
        where = f"{file}" if file is not None else ""
        if place:
            where = f"{where}, {place}" if where else place
        text = f"{where}: {what}" if where else what
        if expected:
            text += f"; expected {expected}"
        text = re.sub(rf"'([^']{{{MOST_QUOTED}}})[^']*'", r"'\1…'", text)
        super().__init__(" ".join(text.split()) + ".")


class TooLarge(TenkaError):
    """A request is refused before it starts, because of the memory it would take."""


class Unstable(TenkaError):
    """A solver produced values that are not finite; the frames before are kept."""


class Cancelled(TenkaError):
    """Work was stopped on request."""

    def __init__(self, text: str = "Stopped on request.") -> None:
        super().__init__(text)
