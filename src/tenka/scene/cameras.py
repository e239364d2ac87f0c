"""Cameras as plain numbers for the drawing kernels: an eye, a frame of directions, a size of picture."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from tenka.effect.cameras import SceneCamera
from tenka.effect.courses import Course, Key, Keys, value_at, with_key
from tenka.effect.model import Camera, Prop
from tenka.scene.poses import along, pose_at


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

    @property
    def back(self) -> View:
        """The other way from the same eye."""
        return replace(self, forward=-self.forward, right=-self.right)

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
    if camera.roll:
        a = math.radians(camera.roll)
        right, up = math.cos(a) * right + math.sin(a) * up, math.cos(a) * up - math.sin(a) * right
    eye = np.asarray(camera.target) - camera.distance * forward
    return View(
        eye, forward, right, up, math.tan(math.radians(camera.fov) / 2), max(1, width), max(1, height)
    )


def camera_at(camera: SceneCamera, props: tuple[Prop, ...], t: float) -> Camera:
    """What a camera of the effect sees at `t` s."""
    pose = pose_at(camera, props, t)
    forward, up = pose.turn[:, 0], pose.turn[:, 2]
    heading = math.degrees(math.atan2(-forward[1], -forward[0]))
    pitch = math.degrees(math.asin(min(1.0, max(-1.0, -forward[2]))))
    _, right, level = frame_of(heading, pitch)
    roll = math.degrees(math.atan2(-float(up @ right), float(up @ level))) + value_at(camera.lean, t)
    return Camera(
        target=(float(pose.origin[0]), float(pose.origin[1]), float(pose.origin[2])),
        distance=min(max(value_at(camera.away, t), 0.02), 9e4),
        heading=heading,
        pitch=min(89.0, max(-89.0, pitch)),
        fov=min(max(value_at(camera.opens, t), 1.1), 149.0),
        roll=(roll + 180.0) % 360.0 - 180.0,
        aperture=min(max(value_at(camera.aperture, t), 0.0), 2.0),
        sharp=min(max(value_at(camera.sharp_at, t), 0.0), 1e5),
    )


def set_to(
    camera: SceneCamera, seen: Camera, props: tuple[Prop, ...], t: float, key: bool = False
) -> SceneCamera:
    """A camera of the effect that sees at `t` what another does.

    Parameters
    ----------
    key : by keys at `t`, so that it sees at other times what it saw before; else at all times, and its
        courses go
    """
    bare = camera.model_copy(update={"position": (0.0, 0.0, 0.0), "path": (), **_ZERO})
    outer = pose_at(bare, props, t)  # of what carries it
    place = outer.to_own(np.asarray(seen.target, float)[None])[0]
    forward = frame_of(seen.heading, seen.pitch)[0] @ outer.turn
    turn = math.degrees(math.atan2(forward[1], forward[0]))
    tilt = math.degrees(math.asin(min(1.0, max(-1.0, -forward[2]))))
    at = place if not camera.path else place - pose_place(camera, t)
    values = {"turn": turn, "tilt": tilt, "away": seen.distance, "opens": seen.fov, "lean": seen.roll}
    if not key:
        still: dict[str, Any] = {name: round(value, 4) for name, value in values.items()}
        x, y, z = (round(float(v), 4) for v in place)
        return camera.model_copy(update={**_ZERO, **still, "position": (x, y, z), "path": ()})
    values |= {f"shift_{axis}": float(at[n] - camera.position[n]) for n, axis in enumerate("xyz")}
    keyed = {}
    for name, value in values.items():
        old = getattr(camera, name)
        if name in ("turn", "lean"):  # the short way round
            value += 360.0 * round((value_at(old, t) - value) / 360.0)
        if not isinstance(old, Keys) and abs(value_at(old, t) - value) < 1e-4 and not isinstance(old, Course):
            continue  # what does not change needs no keys
        keys = old if isinstance(old, Keys) else Keys(keys=(Key(t=0.0, v=value_at(old, 0.0)),))
        keyed[name] = with_key(keys, round(t, 4), round(value, 4))
    return camera.model_copy(update=keyed)


_ZERO = {"turn": 0.0, "tilt": 0.0, "shift_x": 0.0, "shift_y": 0.0, "shift_z": 0.0}


def pose_place(camera: SceneCamera, t: float) -> np.ndarray:
    """Where its path has it at `t`, from its position, (3,) m."""
    return along(camera.path, value_at(camera.travel, t))[0]


def through_lens(view: View, camera: Camera, count: int) -> list[View]:
    """Views from places over a camera's lens, all of which see alike what is sharp: their mean is soft
    before and behind it. One, of a lens without width.

    The places lie in a spiral of equal areas (Vogel 1979).
    """
    if camera.aperture <= 0 or count < 2:
        return [view]
    far = camera.sharp if camera.sharp > 0 else camera.distance
    sharp = view.eye + far * view.forward
    found = []
    for n in range(count):
        r = 0.5 * camera.aperture * math.sqrt((n + 0.5) / count)
        a = n * math.pi * (3.0 - math.sqrt(5.0))
        eye = view.eye + r * (math.cos(a) * view.right + math.sin(a) * view.up)
        forward = (sharp - eye) / np.linalg.norm(sharp - eye)
        right = np.cross(forward, view.up)
        right /= np.linalg.norm(right)
        found.append(replace(view, eye=eye, forward=forward, right=right, up=np.cross(right, forward)))
    return found


def side_view(
    low: np.ndarray, high: np.ndarray, heading: float, width: int, height: int, pitch: float = 0.0
) -> View:
    """An orthographic view that holds a box whole, from a heading and from above; pixels are square."""
    forward, right, up = frame_of(heading, pitch)
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
