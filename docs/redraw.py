"""Redraws a sprite's frame at its age, and tells its path, from a package's manifest and pictures alone.

    python docs/redraw.py PACKAGE ELEMENT SPRITE TIME OUT.png

Prints where the sprite stands, how large and how opaque it is, and writes its frame as straight RGBA.
"""

import hashlib
import json
import sys
from pathlib import Path

import numpy as np
from PIL import Image


def mix(h):
    h = ((h ^ (h >> 16)) * 0x7FEB352D) & 0xFFFFFFFF
    h = ((h ^ (h >> 15)) * 0x846CA68B) & 0xFFFFFFFF
    return h ^ (h >> 16)


def chance(seed, *words):
    """A number from 0 to 1 that is a hash of what it is for."""
    h = mix((seed + 0x9E3779B9) & 0xFFFFFFFF)
    for word, salt in zip((*words, 0, 0)[:3], (0x85EBCA6B, 0xC2B2AE35, 0x27D4EB2F)):
        h = mix(h ^ mix((word + salt) & 0xFFFFFFFF))
    return (h >> 8) / 16777216


def over(ramp, age):
    """A ramp of values over life, straight between its stops."""
    return np.interp(age, [s["at"] for s in ramp["stops"]], [s["value"] for s in ramp["stops"]])


def sprite(e, slot, time):
    """Age as a share of the life, place (m), size (m), turn (degrees) and opacity of a sprite, or None."""
    p, digest = e["player"], hashlib.blake2b(f"player/{e['id']}".encode(), digest_size=4).digest()
    seed = int.from_bytes(digest, "little") & 0x7FFFFFFF
    life = p["life"] * (1 + p["life_spread"] * (2 * chance(seed, 0, slot, 1) - 1))
    lived = (time - slot / p["count"] * p["life"]) / life
    if lived < 0:
        return None
    age, own = lived % 1, slot + 65536 * (int(lived) + 1)
    size = p["scale"] * (1 + p["size_spread"] * (2 * chance(seed + 2, 0, own) - 1)) * np.array(e["size"])
    size[1] *= p["tall"]
    way, far = 2 * np.pi * chance(seed + 3, 0, own), p["scatter"] * chance(seed + 4, 0, own) ** 0.5
    place = (
        np.array(e["attach"]) + [far * np.cos(way), far * np.sin(way), 0] + age * life * np.array(p["drift"])
    )
    on = (slot * 0.6180339887498949 + 0.5) % 1 - 0.5 + (chance(seed + 10, 0, own) - 0.5) / p["count"]
    place = place + np.array(p["along"]) * min(max(on, -0.5), 0.5)
    t, k = age * life, max(p["drag"], 1e-6)
    gone = (1 - np.exp(-k * t)) / k
    up = 1 - chance(seed + 7, 0, own) * (1 - np.cos(np.radians(p["cone"])))
    flat, turn = (1 - up * up) ** 0.5, 2 * np.pi * chance(seed + 8, 0, own)
    place = place + p["speed"] * gone * np.array([flat * np.cos(turn), flat * np.sin(turn), up])
    place[2] -= p["gravity"] * ((t - gone) / k if p["drag"] > 1e-3 else 0.5 * t * t)
    turned, opacity = p["rotation"] * (2 * chance(seed + 5, 0, own) - 1), over(p["alpha"], age)
    variant = min(int(chance(seed + 9, 0, own) * e["variants"]), e["variants"] - 1)
    return age, place, size * over(p["size_over"], age), turned, opacity, variant


def frame(folder, e, age, variant):
    """The nearest frame of a variant at an age, (h, w, 4) uint8, as it lies in the atlas."""
    t = e["times"]
    end = t[0] + e["period"] if e["period"] else t[-1]
    through = over(e["player"]["frames_over"], age)
    n = variant * len(t) + int(np.argmin(np.abs(np.array(t) - (t[0] + through * (end - t[0])))))
    wide, tall, pad = e["width"] // e["columns"], e["height"] // e["rows"], e["padding"]
    x, y = n % e["columns"] * wide + pad, n // e["columns"] * tall + pad
    return np.asarray(Image.open(folder / e["colour"]["file"]))[
        y : y + tall - 2 * pad, x : x + wide - 2 * pad
    ]


if __name__ == "__main__":
    where, id_, slot, at, out = (
        Path(sys.argv[1]),
        sys.argv[2],
        int(sys.argv[3]),
        float(sys.argv[4]),
        sys.argv[5],
    )
    element = next(x for x in json.loads((where / "manifest.json").read_text())["elements"] if x["id"] == id_)
    found = sprite(element, slot, at)
    print(
        "not born yet"
        if found is None
        else "age {:.4f}, at {}, {} m, turned {:.2f}, opacity {:.4f}, variant {}".format(*found)
    )
    if found is not None:
        Image.fromarray(frame(where, element, found[0], found[5])).save(out)
