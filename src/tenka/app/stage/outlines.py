"""Forms as lines: what is seen of a source's or a force's region is what it is."""

from __future__ import annotations

import numpy as np

Lines = list[np.ndarray]
ROUND = np.linspace(0.0, 2.0 * np.pi, 49)


def _ring(radius: float, z: float) -> np.ndarray:
    """A circle about the vertical, of the form's half extent."""
    return np.stack([radius * np.cos(ROUND), radius * np.sin(ROUND), np.full(len(ROUND), z)], axis=1)


def _sides(low: tuple[float, float], high: tuple[float, float]) -> Lines:
    """Four lines from a lower ring to an upper one, each (radius, z)."""
    return [
        np.array([[low[0] * a, low[0] * b, low[1]], [high[0] * a, high[0] * b, high[1]]])
        for a, b in ((1, 0), (0, 1), (-1, 0), (0, -1))
    ]


def _upright(angles: np.ndarray, radius: float, up: float, z: float) -> Lines:
    """Arcs in the two upright planes."""
    across, rise = radius * np.cos(angles), z + up * np.sin(angles)
    nothing = np.zeros(len(angles))
    return [np.stack([across, nothing, rise], axis=1), np.stack([nothing, across, rise], axis=1)]


def outline(shape: str, size: np.ndarray) -> Lines:
    """A form centred on the origin, as lines in its own axes.

    Parameters
    ----------
    shape : sphere, box, cylinder, cone (tip up), torus (flat), capsule (upright)
    size : (3,) extent, m
    """
    half = np.asarray(size, float) / 2
    stretch = np.array([half[0], half[1], 1.0])  # round forms are drawn as if of radius 1, and stretched
    h = half[2]
    if shape == "sphere":
        return [line * half for line in (_ring(1.0, 0.0), *_upright(ROUND, 1.0, 1.0, 0.0))]
    if shape == "cylinder":
        lines = [_ring(1.0, -h), _ring(1.0, h), *_sides((1.0, -h), (1.0, h))]
    elif shape == "cone":
        lines = [_ring(1.0, -h), *_sides((1.0, -h), (0.0, h))]
    elif shape == "torus":
        radius = min(half[0], half[1])
        tube = min(h / radius, 1.0)
        middle = 1.0 - tube
        lines = [_ring(1.0, 0.0), _ring(middle, h), _ring(middle, -h)]
        lines += [_ring(middle - tube, 0.0)] if middle > tube else []
        for side in (-1.0, 1.0):
            for line in _upright(ROUND, tube, h, 0.0):
                moved = line.copy()
                moved[:, 0 if np.ptp(line[:, 0]) > 0 else 1] += side * middle
                lines.append(moved)
    elif shape == "capsule":
        reach = max(h - min(half[0], half[1]), 0.0)
        arc = np.linspace(0.0, np.pi, 25)
        lines = [_ring(1.0, -reach), _ring(1.0, reach), *_sides((1.0, -reach), (1.0, reach))]
        lines += [*_upright(arc, 1.0, h - reach, reach), *_upright(-arc, 1.0, h - reach, -reach)]
    else:
        low, high = -half, half
        corners = [(a, b) for a in (low[0], high[0]) for b in (low[1], high[1])]
        order = [(low[0], low[1]), (high[0], low[1]), (high[0], high[1]), (low[0], high[1]), (low[0], low[1])]
        rings = [np.array([[x, y, z] for x, y in order]) for z in (low[2], high[2])]
        return [*rings, *(np.array([[x, y, low[2]], [x, y, high[2]]]) for x, y in corners)]
    return [line * stretch for line in lines]
