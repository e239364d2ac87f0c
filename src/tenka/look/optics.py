"""What a ray does at a liquid's surface: what it sees mirrored and through it, and the light of both.

Shared by surfaces that are marched through and by meshes.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel
from tenka.look.heaven import behind
from tenka.look.rays import exp_minus
from tenka.look.shadows import lit
from tenka.look.waterrays import FAR, HALF, ONE, PI, SKY_SHARE, TWO, ZERO, seen_at
from tenka.look.wet import foam_at

OUTER_STEPS, GROWS = 18, np.float32(1.36)
MIRROR_STEPS = 16
MOST_GLINT = np.float32(30.0)
LEAST_FACING = np.float32(0.03)


@kernel
def faced(n, d):
    """How far a surface faces a ray, 0 to 1; where it faces away its normal is turned until it does not."""
    facing = -(n[0] * d[0] + n[1] * d[1] + n[2] * d[2])
    if facing < LEAST_FACING:
        lift = LEAST_FACING - facing
        for a in range(3):
            n[a] -= lift * d[a]
        over = ONE / np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
        for a in range(3):
            n[a] *= over
        facing = max(-(n[0] * d[0] + n[1] * d[1] + n[2] * d[2]), LEAST_FACING)
    return facing


@kernel
def mirrored(view, set_, x, y, z, d, n, facing, first, world, out):
    """What is mirrored at a place, into out[0:3]: the set where the picture shows it, else sky or ground."""
    still, direct, depth, _ = set_
    towards, _, _, bounce, heaven, _, _, _ = world
    height, width = depth.shape
    m0, m1, m2 = d[0] + TWO * facing * n[0], d[1] + TWO * facing * n[1], d[2] + TWO * facing * n[2]
    out[0], out[1], out[2] = behind(heaven, np.float32(0.3), m0, m1, m2, towards)
    if m2 < ZERO:
        part = min(-m2 * np.float32(3.0), ONE)
        for c in range(3):
            out[c] += part * (bounce[c] - out[c])
    reach = first
    far = reach
    for _ in range(MIRROR_STEPS):
        a, b, deep = seen_at(view, x + far * m0, y + far * m1, z + far * m2, width, height)
        if a < 0:
            return
        gap = deep - depth[b, a]
        if ZERO < gap < reach * TWO + np.float32(0.05):
            for c in range(3):
                out[c] = still[b, a, c] + direct[b, a, c]
            return
        reach *= GROWS
        far += reach


@kernel
def beyond(view, set_, px, py, pz, f0, f1, f2, near, first, i, j, world, seen):
    """What a ray sees that has left the liquid, into seen[0:6]: the set behind `near`, its depth, or the sky;
    what the picture does not show is taken from its own pixel."""
    still, direct, depth, _ = set_
    towards, _, _, _, heaven, _, _, _ = world
    height, width = depth.shape
    reach = first
    far = reach
    for _ in range(OUTER_STEPS):
        a, b, deep = seen_at(view, px + far * f0, py + far * f1, pz + far * f2, width, height)
        if a < 0:
            break
        if near < depth[b, a] <= deep:
            for c in range(3):
                seen[c], seen[3 + c] = still[b, a, c], direct[b, a, c]
            return
        reach *= GROWS
        far += reach
    if depth[j, i] < FAR:
        for c in range(3):
            seen[c], seen[3 + c] = still[j, i, c], direct[j, i, c]
        return
    seen[0], seen[1], seen[2] = behind(heaven, np.float32(0.3), f0, f1, max(f2, ZERO), towards)
    seen[3], seen[4], seen[5] = ZERO, ZERO, ZERO


@kernel
def whiteness(cover, x, y, z, grain, near):
    """How much foam hides of what lies under it."""
    if cover <= np.float32(0.02):
        return ZERO
    threads = foam_at(cover, x + np.float32(0.7) * z, y - np.float32(0.7) * z, grain, near)
    return max(threads, cover * cover)


@kernel
def toned(x, y, z, d, n, facing, run, white, look, world, mirror, seen):
    """The light of a place, into seen[0:6]: what stays and what the sun gives, from what is seen through it,
    `run` m of it, and what is mirrored there."""
    towards, sun, sky, bounce, _, _, shadow_view, shadow = world
    texel = TWO * shadow_view[12] / np.float32(shadow.shape[0])
    rough = look[8]
    r0 = (look[7] - ONE) / (look[7] + ONE)
    r0 *= r0
    share = r0 + (ONE - r0) * max(ONE - facing, ZERO) ** (
        np.float32(5.0) * np.exp(np.float32(-2.69) * rough)
    ) / (ONE + np.float32(22.7) * rough * np.sqrt(rough))
    sunlit = lit(x, y, z + np.float32(0.02), shadow_view, shadow, np.float32(0.02) + texel)
    hazy = ONE - exp_minus(np.float32(1.5) * look[3] * run)
    inside = min(run, np.float32(0.6) / max(look[3], np.float32(1e-3)))
    against = n[0] * towards[0] + n[1] * towards[1] + n[2] * towards[2]
    lamb = max(against, ZERO) / PI * sunlit
    wrapped = (HALF * against + HALF) / PI * sunlit
    up = HALF + HALF * n[2]
    h0, h1, h2 = towards[0] - d[0], towards[1] - d[1], towards[2] - d[2]
    over = ONE / max(np.sqrt(h0 * h0 + h1 * h1 + h2 * h2), np.float32(1e-6))
    nh = max((n[0] * h0 + n[1] * h1 + n[2] * h2) * over, ZERO)
    alpha = max(rough * rough, np.float32(1.6e-3))
    deno = nh * nh * (alpha * alpha - ONE) + ONE
    hv = max(-(h0 * d[0] + h1 * d[1] + h2 * d[2]) * over, ZERO)
    grazing = (ONE - hv) * (ONE - hv)
    grazing *= grazing * (ONE - hv)
    glint = alpha * alpha / (PI * deno * deno) * (r0 + (ONE - r0) * grazing)
    glint /= np.float32(4.0) * max(facing, np.float32(0.1))
    glint = min(glint, MOST_GLINT) * sunlit * (ONE if towards[2] > ZERO else ZERO) * look[9]
    for c in range(3):
        thin = exp_minus((look[c] + look[3]) * run)
        haze = look[4 + c] * hazy * exp_minus(look[c] * inside)
        through = ONE - share
        sky_on = SKY_SHARE * up * sky[c] + HALF * (ONE - up) * bounce[c]
        clear = through * (thin * seen[c] + haze * sky_on)
        sunny = through * (thin * seen[3 + c] + haze * sun[c] * lamb) + glint * sun[c]
        froth = look[11 + c] * (np.float32(0.75) + np.float32(0.25) * white)
        hides = white * np.float32(0.94)
        seen[c] = (ONE - hides) * (clear + share * look[9] * mirror[c]) + hides * froth * sky_on
        seen[3 + c] = (ONE - hides) * sunny + hides * froth * sun[c] * wrapped
