"""An effect whose layers go by every route; the bench's fuzzer has the same."""

from bench.ways import SECONDS, alone, many_ways, packed_alone

__all__ = ["SECONDS", "alone", "many_ways", "packed_alone"]
