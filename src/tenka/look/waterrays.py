"""What rays that meet a water look for: its surface, places in the picture, the basin's own bed."""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel
from tenka.look.heaven import tone_at
from tenka.look.shadows import lit
from tenka.look.wet import cover_at, height_at

ZERO = np.float32(0.0)
ONE = np.float32(1.0)
HALF = np.float32(0.5)
TWO = np.float32(2.0)
PI = np.float32(np.pi)
FAR = np.float32(1e6)
MOST_STEPS = 700
EDGE = np.float32(0.05)  # m over which the walls' shadow begins
SKY_SHARE = np.float32(0.6)  # of the sky's light, that what lies level throws back: as props have it


@kernel
def seen_at(view, x, y, z, width, height):
    """Pixel across and down of a place, and its depth; below 0 where it is not in the picture."""
    rx, ry, rz = x - view[0], y - view[1], z - view[2]
    deep = rx * view[3] + ry * view[4] + rz * view[5]
    over = ONE if view[14] > HALF else ONE / max(deep, np.float32(1e-4))
    u = (rx * view[6] + ry * view[7] + rz * view[8]) * over / view[12]
    v = (rx * view[9] + ry * view[10] + rz * view[11]) * over / view[13]
    if deep <= ZERO or abs(u) >= ONE or abs(v) >= ONE:
        return -1, -1, deep
    i, j = np.int64((u + ONE) * HALF * np.float32(width)), np.int64((ONE - v) * HALF * np.float32(height))
    return min(max(i, 0), width - 1), min(max(j, 0), height - 1), deep


@kernel
def surface_hit(o, d, start, end, fields, place, wide, out):
    """Where a ray first meets water; True when it does, and how far that is in out[0]."""
    cell = place[2]
    flat = np.sqrt(d[0] * d[0] + d[1] * d[1])
    pace = max(cell * np.float32(0.9), wide) / max(flat, np.float32(1e-5))
    pace = min(
        pace,
        max((place[4] - place[3]) / max(abs(d[2]), np.float32(1e-5)) / np.float32(6.0), np.float32(1e-3)),
    )
    pace = max(pace, (end - start) / np.float32(MOST_STEPS))
    before, above, t = start, FAR, start
    for k in range(MOST_STEPS + 2):
        u = (o[0] + t * d[0] - place[0]) / cell - HALF
        v = (o[1] + t * d[1] - place[1]) / cell - HALF
        h, w = height_at(fields, u, v)
        off = o[2] + t * d[2] - h
        if off <= ZERO and w > HALF and cover_at(fields, u, v, 3) < HALF:
            if k > 0 and above < FAR:
                low, high, la, ha = before, t, above, off
                for _ in range(4):
                    t = low + (high - low) * la / max(la - ha, np.float32(1e-9))
                    u = (o[0] + t * d[0] - place[0]) / cell - HALF
                    v = (o[1] + t * d[1] - place[1]) / cell - HALF
                    h, w = height_at(fields, u, v)
                    off = o[2] + t * d[2] - h
                    if off > ZERO:
                        low, la = t, off
                    else:
                        high, ha = t, off
            out[0] = t
            return True
        before, above = t, (off if off > ZERO else FAR)
        if t >= end:
            break
        t = min(t + pace, end)
    return False


@kernel
def over_walls(x, y, z, rect, towards):
    """How much of the sun comes over the walls of a basin that is sunk into the ground, to a place in it."""
    t = FAR
    for axis in range(2):
        p = x if axis == 0 else y
        if towards[axis] > np.float32(1e-5):
            t = min(t, (rect[axis + 2] - p) / towards[axis])
        elif towards[axis] < np.float32(-1e-5):
            t = min(t, (rect[axis] - p) / towards[axis])
    return min(max(ZERO, (z + t * towards[2]) / EDGE + HALF), ONE)


@kernel
def bed_light(x, y, z, nz, look, tile, towards, sun, sky, shadow_view, shadow, texel, rect, out):
    """Light that stays and sunlight that the basin's own floor (nz 1) or walls (nz 0) throw back, into
    out[0:6]."""
    tone = tone_at(tile, x + z, y + z)
    off = np.float32(0.012) + np.float32(1.5) * texel
    facing = (towards[2] if nz > HALF else np.float32(0.35)) / PI
    facing *= lit(x, y, z + off, shadow_view, shadow, np.float32(0.02) + texel)
    facing *= over_walls(x, y, z, rect, towards)
    open_ = SKY_SHARE * (ONE if nz > HALF else HALF)
    for c in range(3):
        own = look[17 + c] * tone
        out[c], out[3 + c] = own * sky[c] * open_, own * sun[c] * facing


@kernel
def put(i0, j0, share, deep, depth, seen, white, look, outs, cut):
    """What a ray found, into the pixels that it stands for and that nothing nearer hides."""
    out_still, out_direct, out_reply, out_depth = outs
    height, width = depth.shape
    for b in range(j0, min(j0 + share, height)):
        for a in range(i0, min(i0 + share, width)):
            if depth[b, a] < deep and not cut:
                continue
            out_depth[b, a] = deep
            for c in range(3):
                out_still[b, a, c], out_direct[b, a, c] = seen[c], seen[3 + c]
                out_reply[b, a, c] = white * look[11 + c]


@kernel
def margin(o, d, stops, i0, j0, i, j, share, look, fields, place, face, outs):
    """What stands just over the water is dark with it."""
    out_still, out_direct = outs[0], outs[1]
    height, width = face.shape
    if look[15] <= ZERO or face[j, i] < 0 or stops >= FAR:
        return
    u = (o[0] + stops * d[0] - place[0]) / place[2] - HALF
    v = (o[1] + stops * d[1] - place[1]) / place[2] - HALF
    if u < -ONE or v < -ONE or u > np.float32(fields.shape[0]) or v > np.float32(fields.shape[1]):
        return
    h, w = height_at(fields, u, v)
    over = (o[2] + stops * d[2] - h) / look[15]
    if w < np.float32(0.3) or over < ZERO or over > ONE:
        return
    dark = ONE - np.float32(0.45) * (ONE - over * over * (np.float32(3.0) - TWO * over))
    for b in range(j0, min(j0 + share, height)):
        for a in range(i0, min(i0 + share, width)):
            if face[b, a] == face[j, i]:
                for c in range(3):
                    out_still[b, a, c] *= dark
                    out_direct[b, a, c] *= dark
