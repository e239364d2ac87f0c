"""Kiln Quay: the invented game whose effects the demo data shows."""

from pathlib import Path

FOLDER = Path(__file__).parent
PLUME = FOLDER / "kiln_plume.tenka"
EFFECTS = tuple(sorted(FOLDER.glob("*.tenka")))
