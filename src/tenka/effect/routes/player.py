"""How the game plays a flipbook: by particles, each of which plays the sequence over its own life."""

from __future__ import annotations

from typing import Literal

from tenka.effect.catalogue import PLAYER, Settings
from tenka.effect.placed import Ramp, Vec3, ramp


class Player(Settings):
    """How the game plays the flipbook: particles, each of which plays the sequence over its own life."""

    count: int = PLAYER.number(
        3,
        "",
        1,
        2000,
        "Sprites alive at once; each is a see-through layer over the others.",
        soft=(1, 24),
        step=1,
        cost="fill",
    )
    life: float = PLAYER.number(
        4.0, "s", 0.05, 60, "Seconds in which one sprite plays the sequence.", soft=(0.5, 8)
    )
    life_spread: float = PLAYER.number(0.1, "", 0, 0.9, "How much lives differ, as a share.", soft=(0, 0.5))
    scale: float = PLAYER.number(
        1.0,
        "",
        0.02,
        20,
        "Size of a sprite against the size it was packed at.",
        soft=(0.3, 2),
        cost="fill",
        label="sprite size",
    )
    tall: float = PLAYER.number(
        1.0,
        "",
        0.05,
        20,
        "Height of a sprite against its width, 1 as it was packed; its pivot stays: flames leap or crouch.",
        soft=(0.5, 2),
        cost="fill",
        label="sprite height",
    )
    size_spread: float = PLAYER.number(
        0.08, "", 0, 0.9, "How much sizes differ, as a share.", soft=(0, 0.5), cost="fill"
    )
    rotation: float = PLAYER.number(
        4.0, "°", 0, 180, "Random turn either way, so that copies do not show.", soft=(0, 30)
    )
    scatter: float = PLAYER.number(0.1, "m", 0, 100, "Radius in which sprites are born.", soft=(0, 2))
    along: Vec3 = PLAYER.number(
        (0.0, 0.0, 0.0),
        "m",
        -1000,
        1000,
        "A line on which sprites are born, end to end; its middle is where they are placed: a hem.",
        soft=(-4, 4),
        step=0.05,
        label="born along",
    )
    drift: Vec3 = PLAYER.number(
        (0.0, 0.0, 0.0), "m/s", -100, 100, "Speed of a sprite after birth.", soft=(-2, 2), step=0.02
    )
    speed: float = PLAYER.number(
        0.0, "m/s", 0, 200, "Speed at birth, upwards within the cone.", soft=(0, 5), label="birth speed"
    )
    cone: float = PLAYER.number(
        20.0,
        "°",
        0,
        180,
        "How far from upright a sprite may set out, by chance; 180 is every way.",
        soft=(0, 90),
        step=1,
        label="birth cone",
    )
    gravity: float = PLAYER.number(
        0.0,
        "m/s²",
        -100,
        100,
        "Pull downwards on sprites; below 0 they rise.",
        soft=(-5, 10),
        label="sprite gravity",
    )
    drag: float = PLAYER.number(
        0.0,
        "1/s",
        0,
        100,
        "How quickly a sprite loses the speed that it set out with.",
        soft=(0, 5),
        label="sprite drag",
    )
    carried: float = PLAYER.number(
        0.0,
        "",
        0,
        1,
        "Share of the speed of what carries the effect that a sprite keeps; with none it stays where it was "
        "born.",
        label="speed kept",
    )
    size_over: Ramp = PLAYER.param(
        ramp((0.0, 1.0), (1.0, 1.0)),
        "Size over a sprite's life, against its own.",
        kind="ramp",
        cost="fill",
        label="size over life",
    )
    alpha: Ramp = PLAYER.param(
        ramp((0.0, 0.0), (0.16, 1.0), (0.6, 0.85), (1.0, 0.0)),
        "Opacity over a sprite's life: up fast, away slowly, never cut off.",
        kind="ramp",
        label="opacity over life",
    )
    brightness: float = PLAYER.number(
        1.0, "", 0, 50, "Light against what was packed.", soft=(0, 3), label="brightness played"
    )
    tint_over: Ramp = PLAYER.param(
        ramp((0.0, (1.0, 1.0, 1.0)), (1.0, (1.0, 1.0, 1.0))),
        "By what colour its light is multiplied over a sprite's life.",
        kind="ramp",
        label="colour over life",
    )
    frames_over: Ramp = PLAYER.param(
        ramp((0.0, 0.0), (1.0, 1.0)),
        "How far through the sequence a sprite is over its life: steep where much happens, level where it "
        "stands.",
        kind="ramp",
        label="sequence over life",
    )
    plays: float = PLAYER.number(
        1.0,
        "",
        0.05,
        50,
        "How often a sprite plays the sequence in its life.",
        soft=(0.5, 8),
        label="plays a life",
    )
    any_start: bool = PLAYER.param(
        False, "Each sprite begins at a frame of its own, by chance.", label="starts anywhere"
    )
    blend: bool = PLAYER.param(
        True, "Blends each frame into the next: smoother for two texture reads.", cost="arithmetic"
    )
    soft_edge: float = PLAYER.number(
        0.6,
        "m",
        0,
        50,
        "Distance to a surface over which a sprite fades instead of cutting it.",
        soft=(0, 2),
        cost="arithmetic",
    )
    nearer: float = PLAYER.number(
        0.0,
        "m",
        0,
        1000,
        "How much nearer to the eye than it stands a sprite is taken to be where it meets things: what burns "
        "does not hide its fire.",
        soft=(0, 3),
        label="drawn nearer by",
    )
    stands: Literal["to the eye", "upright"] = PLAYER.param(
        "to the eye",
        "Sprites turn wholly to the eye; or upright, about the vertical alone, and lean as their frames were "
        "drawn: what is tall keeps its foreshortening from near, below and above.",
    )
    far_share: float = PLAYER.number(
        1.0,
        "",
        0,
        1,
        "Share of the sprites that is left far away; they fade out one after another, so that none pops.",
        cost="fill",
        label="share afar",
    )
    far_from: float = PLAYER.number(
        15.0, "m", 0, 10_000, "Distance from which on sprites fade out.", soft=(2, 100), label="fewer from"
    )
    far_to: float = PLAYER.number(
        60.0,
        "m",
        0,
        10_000,
        "Distance at which no more than the share afar is left.",
        soft=(5, 300),
        label="fewest from",
    )

    def on_one_sprite(self, seconds: float) -> Player:
        """The same, but one sprite alone, which stands still and shows each frame whole at its own time."""
        return self.model_copy(
            update={
                "count": 1,
                "far_share": 1.0,
                "life": max(seconds, 0.05),
                "life_spread": 0.0,
                "scale": 1.0,
                "tall": 1.0,
                "brightness": 1.0,
                "size_spread": 0.0,
                "rotation": 0.0,
                "scatter": 0.0,
                "along": (0.0, 0.0, 0.0),
                "drift": (0.0, 0.0, 0.0),
                "plays": 1.0,
                "any_start": False,
                "speed": 0.0,
                "gravity": 0.0,
                "size_over": ramp((0.0, 1.0), (1.0, 1.0)),
                "alpha": ramp((0.0, 1.0), (1.0, 1.0)),
                "tint_over": ramp((0.0, (1.0, 1.0, 1.0)), (1.0, (1.0, 1.0, 1.0))),
                "frames_over": ramp((0.0, 0.0), (1.0, 1.0)),
            }
        )
