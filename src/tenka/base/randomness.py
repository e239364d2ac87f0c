"""Counter-based randomness: a number is a hash of what it is for, never of when it was asked for.

Results therefore do not depend on threads, batches or sub-steps. The mixer is the 32-bit finaliser
"lowbias32" (C. Wellons, 2018), applied to each word in turn.
"""

from __future__ import annotations

import hashlib

import numpy as np

from tenka.base.jit import kernel


@kernel
def mix(h):
    """Scramble a 32-bit word so that each input bit flips about half of the output bits."""
    h = np.uint32(h)
    h ^= h >> np.uint32(16)
    h = np.uint32(h * np.uint32(0x7FEB352D))
    h ^= h >> np.uint32(15)
    h = np.uint32(h * np.uint32(0x846CA68B))
    h ^= h >> np.uint32(16)
    return h


@kernel
def hash4(seed, a, b, c):
    """Hash of four integers, a uint32."""
    h = mix(np.uint32(seed) + np.uint32(0x9E3779B9))
    h = mix(h ^ mix(np.uint32(a) + np.uint32(0x85EBCA6B)))
    h = mix(h ^ mix(np.uint32(b) + np.uint32(0xC2B2AE35)))
    return mix(h ^ mix(np.uint32(c) + np.uint32(0x27D4EB2F)))


@kernel
def unit4(seed, a, b, c):
    """Hash of four integers as a float32 in [0, 1)."""
    return np.float32(hash4(seed, a, b, c) >> np.uint32(8)) * np.float32(1.0 / 16777216.0)


def unit_array(seed: int, *counters: np.ndarray | int) -> np.ndarray:
    """Hash of up to three broadcast integer arrays, as float32 in [0, 1): the array form of `unit4`."""
    words = [np.asarray(c).astype(np.int64).astype(np.uint32) for c in counters]
    while len(words) < 3:
        words.append(np.uint32(0))
    with np.errstate(over="ignore"):
        h = _mix_array(np.asarray(seed, np.int64).astype(np.uint32) + np.uint32(0x9E3779B9))
        for word, salt in zip(words, (0x85EBCA6B, 0xC2B2AE35, 0x27D4EB2F), strict=True):
            h = _mix_array(h ^ _mix_array(word + np.uint32(salt)))
    return (h >> np.uint32(8)).astype(np.float32) * np.float32(1.0 / 16777216.0)


def _mix_array(h: np.ndarray) -> np.ndarray:
    h = h ^ (h >> np.uint32(16))
    h = h * np.uint32(0x7FEB352D)
    h = h ^ (h >> np.uint32(15))
    h = h * np.uint32(0x846CA68B)
    return h ^ (h >> np.uint32(16))


def stable_seed(*parts: object) -> int:
    """A 31-bit seed from names and numbers, the same in every process."""
    digest = hashlib.blake2b("/".join(map(str, parts)).encode(), digest_size=4).digest()
    return int.from_bytes(digest, "little") & 0x7FFFFFFF
