"""Numbers in sentences."""

from __future__ import annotations

from tenka.base.words import counted, memory, singular, span


def test_numbers_are_grouped_and_plurals_right() -> None:
    assert counted(1, "frame") == "1 frame" and counted(0, "frame") == "0 frames"
    assert counted(12_400, "birth") == "12,400 births"
    assert counted(1, "copy", "copies") == "1 copy" and counted(2, "copy", "copies") == "2 copies"
    assert singular("sparks") == "spark"


def test_times_and_memory_are_told_in_units_that_suit_them() -> None:
    assert span(7.4) == "7 s" and span(99.4) == "99 s" and span(150) == "2 min"
    assert memory(4.2e6) == "4 MB" and memory(1.34e9) == "1.3 GB"
