"""The tempo: rows of layers over time, the course drawer, final runs."""
