"""Benchmarks: `python -m bench [NAME] [--json]`."""
