"""Sprites that turn about the vertical alone: planes in the world, and where a picture has them."""

from __future__ import annotations

import math

import numpy as np

from tenka.look.sprites import COS, DEPTH, HALF_TALL, HALF_WIDE, PLANE, SIN, STANDS, X, Y
from tenka.package.elements.flipbook import Flipbook
from tenka.scene.cameras import View

NEAREST = 0.05  # m
LEAST = 1e-3  # how far from edge-on a plane is seen


def axes_of(place: np.ndarray, turn: np.ndarray, lean: float, view: View) -> tuple[np.ndarray, np.ndarray]:
    """Unit directions across and up sprites that turn to the eye about the vertical, (n, 3) each.

    Parameters
    ----------
    place : (n, 3) of their pivots, m
    turn : (n,) in their own plane, radians
    lean : of all, as steeply as their frames were looked down on, radians
    """
    to = np.tile(view.forward, (len(place), 1)) if view.orthographic else place - view.eye
    to = to * (1.0, 1.0, 0.0)
    above = np.linalg.norm(to, axis=1) < 1e-6  # the eye is right above: what is up in the picture is away
    to[above] = view.up * (1.0, 1.0, 0.0)
    to = to / np.maximum(np.linalg.norm(to, axis=1, keepdims=True), 1e-9)
    across = np.stack([to[:, 1], -to[:, 0], np.zeros(len(to))], axis=1)
    up = math.sin(lean) * to + (0.0, 0.0, math.cos(lean))
    cos, sin = np.cos(turn)[:, None], np.sin(turn)[:, None]
    return cos * across + sin * up, cos * up - sin * across


def stood(
    table: np.ndarray,
    element: Flipbook,
    place: np.ndarray,
    size: np.ndarray,
    turn: np.ndarray,
    nearer: float,
    view: View,
) -> np.ndarray:
    """The same quads as planes that stand; what is seen from its edge, or behind the eye, is left out.

    Parameters
    ----------
    table : of quads that face the picture, see tenka.look.sprites
    place : (n, 3) of their pivots, m
    size : (n, 2) m; turn : (n,) radians
    """
    across, up = axes_of(place, turn, math.radians(element.pitch), view)
    off = (0.5 - np.asarray(element.pivot)) * size
    centre = place + off[:, :1] * across + off[:, 1:] * up
    normal, away = np.cross(across, up), centre - view.eye
    deep, faced = away @ view.forward, (normal * away).sum(axis=1)
    lines = normal @ view.forward if view.orthographic else faced / np.linalg.norm(away, axis=1)
    kept = (deep > NEAREST) & (np.abs(lines) > LEAST)
    table, across, up, size, centre = table[kept].copy(), across[kept], up[kept], size[kept], centre[kept]
    normal, away, deep, faced = normal[kept], away[kept], deep[kept], faced[kept]
    half = 0.5 * size
    signs = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)])
    corners = centre[:, None] + (signs * half[:, None])[..., :1] * across[:, None]
    corners = corners + (signs * half[:, None])[..., 1:] * up[:, None]
    at = view.project(corners.reshape(-1, 3)).reshape(-1, 4, 3)
    low, high = at[..., :2].min(axis=1), at[..., :2].max(axis=1)
    cut = (at[..., 2] < NEAREST).any(axis=1) & (not view.orthographic)  # some of it is behind the eye
    low[cut], high[cut] = (0.0, 0.0), (view.width, view.height)
    middle = 0.5 * (low + high)
    table[:, [X, Y]], table[:, [HALF_WIDE, HALF_TALL]] = middle, 0.5 * (high - low)
    table[:, COS], table[:, SIN] = 1.0, 0.0
    table[:, STANDS], table[:, DEPTH] = deep, np.maximum(deep - nearer, NEAREST)
    table[:, PLANE:] = _planes(across / half[:, :1], up / half[:, 1:], normal, away, middle, view)
    order = np.argsort(-table[:, DEPTH], kind="stable")
    found: np.ndarray = table[order]
    return found


def _planes(
    across: np.ndarray, up: np.ndarray, normal: np.ndarray, away: np.ndarray, middle: np.ndarray, view: View
) -> np.ndarray:
    """Rows that lead from px to places of planes, see `tenka.look.sprites`, (n, 12).

    A pixel's ray runs along a direction that is linear in its place, and meets the plane where both agree on
    the way along the normal.

    Parameters
    ----------
    across, up : (n, 3) directions of planes over half of their sides, 1/m
    away : (n, 3) of their centres from the eye, m
    middle : (n, 2) px from which on places are told
    """
    wide, tall = view.half_width, view.half_height
    x, y = 2.0 * wide / view.width * view.right, -2.0 * tall / view.height * view.up
    still = -wide * view.right + tall * view.up  # at px (0, 0)
    base = still + middle[:, :1] * x + middle[:, 1:] * y

    def along(way: np.ndarray, start: np.ndarray) -> np.ndarray:
        """A direction times what each px adds, and times where it starts, (n, 3)."""
        return np.stack([way @ x, way @ y, (way * start).sum(axis=1)], axis=1)

    faced = (normal * away).sum(axis=1, keepdims=True)
    if view.orthographic:  # rays run along `forward` from places that are linear in px
        straight = (normal @ view.forward)[:, None]
        deep = (faced * (0.0, 0.0, 1.0) - along(normal, base)) / straight
        rows = [
            along(way, base)
            + (way @ view.forward)[:, None] * deep
            - (way * away).sum(axis=1, keepdims=True) * (0.0, 0.0, 1.0)
            for way in (across, up)
        ]
        return np.concatenate([*rows, np.tile((0.0, 0.0, 1.0), (len(away), 1)), deep], axis=1)
    start = base + view.forward
    share = along(normal, start) / faced  # one over the depth
    rows = [along(way, start) - (way * away).sum(axis=1, keepdims=True) * share for way in (across, up)]
    return np.concatenate([*rows, share, np.tile((0.0, 0.0, 1.0), (len(away), 1))], axis=1)
