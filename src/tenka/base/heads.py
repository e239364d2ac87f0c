"""What the heads of files announce, held against what the files hold, before any reader believes them."""

from __future__ import annotations

import re

from tenka.base.errors import BadInput

MOST_PROPERTIES = 256


def check_ply(data: bytes) -> None:
    """Refuse a PLY file whose head is broken, or announces more rows than the file has bytes.

    Raises
    ------
    BadInput
    """
    head = data[: 1 << 16].partition(b"end_header")[0]
    try:
        text = head.decode("ascii")
    except UnicodeDecodeError:
        raise BadInput("has a head that is not a PLY file's") from None
    counts = [int(c) for c in re.findall(r"^element\s+\S+\s+(\d{1,15})\s*$", text, re.MULTILINE)]
    if not text.startswith("ply") or len(counts) != len(re.findall(r"^element\b", text, re.MULTILINE)):
        raise BadInput("has a head that is not a PLY file's")
    if len(re.findall(r"^property\b", text, re.MULTILINE)) > MOST_PROPERTIES or sum(counts) > len(data):
        raise BadInput(f"announces {sum(counts):,} rows, which it does not hold")
