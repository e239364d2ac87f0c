"""Cameras as plain numbers for the drawing kernels: an eye, a frame of directions, a size of picture."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tenka.effect.model import Camera


@dataclass(frozen=True)
class View:
    """A camera and the picture it makes.

    A perspective ray of pixel (px, py) starts at `eye` and runs along forward + x right + y up, with x and
    y in tangents; an orthographic one runs along `forward` and starts at eye + x right + y up, in m.

    Attributes
    ----------
    eye, forward, right, up : (3,) float64; the last three are unit vectors
    half_height : half of the picture's height, as a tangent or in m
    width, height : px
    orthographic : bool
    """

    eye: np.ndarray
    forward: np.ndarray
    right: np.ndarray
    up: np.ndarray
    half_height: float
    width: int
    height: int
    orthographic: bool = False

    @property
    def half_width(self) -> float:
        return self.half_height * self.width / self.height

    def sized(self, width: int, height: int) -> View:
        return View(
            self.eye,
            self.forward,
            self.right,
            self.up,
            self.half_height,
            max(1, width),
            max(1, height),
            self.orthographic,
        )

    def packed(self) -> np.ndarray:
        """All of it as 16 float32 for kernels."""
        return np.array(
            [
                *self.eye,
                *self.forward,
                *self.right,
                *self.up,
                self.half_width,
                self.half_height,
                1.0 if self.orthographic else 0.0,
                0.0,
            ],
            np.float32,
        )

    def project(self, points: np.ndarray) -> np.ndarray:
        """Pixel x, pixel y (down) and depth along `forward` of (n, 3) points, as (n, 3)."""
        d = np.asarray(points, np.float64) - self.eye
        depth = d @ self.forward
        scale = np.ones_like(depth) if self.orthographic else np.where(np.abs(depth) < 1e-9, 1e-9, depth)
        x = (d @ self.right) / scale / self.half_width
        y = (d @ self.up) / scale / self.half_height
        return np.stack([(x + 1) * 0.5 * self.width, (1 - y) * 0.5 * self.height, depth], axis=1)

    def sees(self, points: np.ndarray, radius: np.ndarray) -> np.ndarray:
        """Which of (n, 3) points are in the picture, at least in part; `radius` (n,) m."""
        at = self.project(points)
        away = 1.0 if self.orthographic else np.maximum(at[:, 2], 1e-6)
        pad = radius / away / self.half_height * self.height / 2
        return (
            (at[:, 2] > 0)
            & (at[:, 0] > -pad)
            & (at[:, 0] < self.width + pad)
            & (at[:, 1] > -pad)
            & (at[:, 1] < self.height + pad)
        )

    def ray(self, px: float, py: float) -> tuple[np.ndarray, np.ndarray]:
        """Start and unit direction of the ray through a pixel."""
        x = (2 * px / self.width - 1) * self.half_width
        y = (1 - 2 * py / self.height) * self.half_height
        if self.orthographic:
            return self.eye + x * self.right + y * self.up, self.forward
        d = self.forward + x * self.right + y * self.up
        return self.eye, d / np.linalg.norm(d)


def frame_of(heading_degrees: float, pitch_degrees: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Forward, right and up of a camera that stands at a heading and height and looks at the centre."""
    a, p = math.radians(heading_degrees), math.radians(pitch_degrees)
    forward = -np.array([math.cos(a) * math.cos(p), math.sin(a) * math.cos(p), math.sin(p)])
    right = np.array([-math.sin(a), math.cos(a), 0.0])
    return forward, right, np.cross(right, forward)


def view_of(camera: Camera, width: int, height: int) -> View:
    """The view of an effect's camera: it stands at heading and pitch, `distance` from its target."""
    forward, right, up = frame_of(camera.heading, camera.pitch)
    eye = np.asarray(camera.target) - camera.distance * forward
    return View(
        eye, forward, right, up, math.tan(math.radians(camera.fov) / 2), max(1, width), max(1, height)
    )


def side_view(low: np.ndarray, high: np.ndarray, heading: float, width: int, height: int) -> View:
    """An orthographic view that holds a box whole, from a heading, level; pixels are square."""
    forward, right, up = frame_of(heading, 0.0)
    centre = (low + high) / 2
    corners = (
        np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        - centre
    )
    wide, tall, deep = (float(np.abs(corners @ d).max()) for d in (right, up, forward))
    half = max(tall, wide * height / width)
    return View(centre - forward * (deep + 1.0), forward, right, up, half, width, height, True)


def sun_direction(heading_degrees: float, height_degrees: float) -> np.ndarray:
    """Unit vector towards the sun."""
    a, h = math.radians(heading_degrees), math.radians(height_degrees)
    return np.array([math.cos(a) * math.cos(h), math.sin(a) * math.cos(h), math.sin(h)])
