"""Tenka: a bench for real-time effects, with the cost beside the look."""

__version__ = "0.1.0"
