"""Particles and pieces: birth, motion, contact, bodies."""
