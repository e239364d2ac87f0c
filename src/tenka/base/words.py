"""Numbers in sentences: grouped, with the right plural."""

from __future__ import annotations


def counted(n: int, one: str, many: str = "") -> str:
    """So many of something: `1 frame`, `1,240 frames`; `many` where its plural is not made by an s."""
    return f"{n:,} {one if n == 1 else many or one + 's'}"


def singular(many: str) -> str:
    """One of what a plural that ends in s names."""
    return many.removesuffix("s")


def span(seconds: float) -> str:
    """A time in the unit that suits it."""
    return f"{seconds:.0f} s" if seconds < 100 else f"{seconds / 60:.0f} min"


def size_of(count: float) -> str:
    """Bytes of a file, in the unit that suits them."""
    if count > 9.99e8:
        return f"{count / 1e9:,.2f} GB"
    return f"{count / 1e6:,.1f} MB" if count > 1e5 else f"{count / 1e3:.1f} kB"


def memory(count: float) -> str:
    """So many bytes, in the unit that suits them."""
    return f"{count / 1e9:.1f} GB" if count > 9e8 else f"{count / 1e6:,.0f} MB"
