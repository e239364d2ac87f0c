"""Simulated frames on disk, by key."""
