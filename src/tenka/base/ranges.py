"""Numbers of files with the range in which they make sense: beyond it squares and sums leave a float's range,
and what is drawn of them is no number."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

LARGEST = 1e9
Real = Annotated[float, Field(ge=-LARGEST, le=LARGEST)]
Count = Annotated[int, Field(ge=1, le=65536)]
"""Cells, texels or tiles along a side."""
