"""Water over the set: what is mirrored in it, what is seen through it, what hangs in it, and its foam.

Each ray looks for the surface, splits there by Fresnel's law (Schlick 1994, with the roughness of Bruneton,
Neyret & Holzschuch 2010), and takes what its two halves see from the picture of the set where that shows it,
else from the sky, or from the basin's own floor and walls. Light that goes through water is swallowed by
Beer's law; the sun's is gathered and thinned by the surface's curvature.
"""

from __future__ import annotations

import numpy as np

from tenka.base.jit import kernel
from tenka.look.heaven import behind
from tenka.look.rays import exp_minus, ray_of
from tenka.look.shadows import lit
from tenka.look.waterrays import (
    FAR,
    HALF,
    ONE,
    PI,
    SKY_SHARE,
    TWO,
    ZERO,
    bed_light,
    margin,
    over_walls,
    put,
    seen_at,
    surface_hit,
)
from tenka.look.wet import cover_at, foam_at, height_at, rippled, slope_of

MIRROR_STEPS, MIRROR_GROWS = 20, np.float32(1.34)
THROUGH = 7  # looks at the set along a ray that goes on under water
GATHERS = np.float32(0.25)  # 1 - 1 / 1.33: how strongly curved water bends the sun
BRIGHTEST = np.float32(1.1)  # of gathered sunlight, as a power of e
MOST_GLINT = np.float32(40.0)


@kernel
def watered_row(p_, view, set_, water, look, floor, world, share, outs):
    """One row of rays; for the parameters see `watered`."""
    still, direct, depth, face = set_
    fields, place, ripples, lost_of = water
    towards, sun, sky, bounce, heaven, tile, shadow_view, shadow = world
    height, width = depth.shape
    nx, ny = fields.shape[0], fields.shape[1]
    cell = place[2]
    x0, y0 = place[0], place[1]
    x1, y1 = x0 + cell * np.float32(nx), y0 + cell * np.float32(ny)
    rect = np.array([x0, y0, x1, y1], np.float32)
    sunk = floor[0] < np.float32(-1e-3)
    own = floor[5] > HALF
    texel = TWO * shadow_view[12] / np.float32(shadow.shape[0])
    j0 = np.int64(p_) * share
    o, d, found = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(1, np.float32)
    seen = np.empty(8, np.float32)
    w4 = np.empty((6, 4), np.float32)
    fine, part3 = np.empty(4, np.float32), np.empty(3, np.float32)
    for i0 in range(0, width, share):
        i, j = min(i0 + share // 2, width - 1), min(j0 + share // 2, height - 1)
        u = (np.float32(i) + HALF) * TWO / np.float32(width) - ONE
        v = ONE - (np.float32(j) + HALF) * TWO / np.float32(height)
        o[0], o[1], o[2], d[0], d[1], d[2] = ray_of(view, u, v)
        straight = max(d[0] * view[3] + d[1] * view[4] + d[2] * view[5], np.float32(1e-6))
        # where the ray is over the basin
        into, away, side = ZERO, FAR, -1
        for axis in range(2):
            low, high = (x0, x1) if axis == 0 else (y0, y1)
            if abs(d[axis]) < np.float32(1e-9):
                if o[axis] < low or o[axis] > high:
                    away = -ONE
                continue
            a, b = (low - o[axis]) / d[axis], (high - o[axis]) / d[axis]
            if min(a, b) > into:
                into, side = min(a, b), axis
            away = min(away, max(a, b))
        if into >= away:
            continue
        stops = min(depth[j, i] / straight, FAR)
        bare = face[j, i] < 0
        if bare and sunk and d[2] < ZERO:  # the ground is open over the basin
            g = -o[2] / d[2]
            if into <= g <= away:
                stops = FAR
        wide = np.float32(2 * share) * view[13] / np.float32(height)
        t_high, t_low = ZERO, FAR
        if abs(d[2]) > np.float32(1e-7):
            a, b = (place[4] - o[2]) / d[2], (place[3] - o[2]) / d[2]
            t_high, t_low = min(a, b), max(a, b)
        elif o[2] > place[4] or o[2] < place[3]:
            t_high = FAR
        start, end = max(into, t_high), min(away, min(t_low, stops))
        hit = False
        if start <= end and o[2] > place[3]:
            near = wide * (ONE if view[14] > HALF else start)
            hit = surface_hit(o, d, start, end, fields, place, near, found)
        if not hit:
            # the basin's own floor and walls, where they are dry
            if not own:
                margin(o, d, stops, i0, j0, i, j, share, look, fields, place, face, outs)
                continue
            t, nz = FAR, ONE
            fall = d[2] - floor[1] * d[0] - floor[2] * d[1]
            if fall < np.float32(-1e-7):
                t = (floor[0] + floor[1] * (o[0] - floor[3]) + floor[2] * (o[1] - floor[4]) - o[2]) / fall
            if sunk and away < t and o[2] + away * d[2] < ZERO:
                t, nz = away, ZERO
            t = max(t, into)
            if t > away or t >= stops - np.float32(2e-3) * stops:
                margin(o, d, stops, i0, j0, i, j, share, look, fields, place, face, outs)
                continue
            x, y, z = o[0] + t * d[0], o[1] + t * d[1], o[2] + t * d[2]
            bed_light(x, y, z, nz, look, tile, towards, sun, sky, shadow_view, shadow, texel, rect, seen)
            h, w = height_at(fields, (x - x0) / cell - HALF, (y - y0) / cell - HALF)
            if nz < HALF and w > HALF and z - h < look[15]:
                for c in range(6):
                    seen[c] *= np.float32(0.55)
            put(i0, j0, share, t * straight, depth, seen, ZERO, look, outs, stops == FAR)
            continue
        t = found[0]
        x, y, z = o[0] + t * d[0], o[1] + t * d[1], o[2] + t * d[2]
        cu, cv = (x - x0) / cell - HALF, (y - y0) / cell - HALF
        sx, sy, bent, _ = slope_of(fields, cu, cv, cell, w4[0], w4[1], w4[2], w4[3], w4[4], w4[5])
        near = wide * (ONE if view[14] > HALF else t)
        rippled(ripples, lost_of, x, y, near / max(abs(d[2]), np.float32(0.08)), fine, part3)
        rx, ry, lost = fine[0], fine[1], fine[3]
        sx, sy = look[16] * sx + rx, look[16] * sy + ry
        entered = (
            t <= start + np.float32(1e-5) and side >= 0 and start == into and z < place[4] - np.float32(2e-3)
        )
        n0, n1, n2 = -sx, -sy, ONE
        if entered:  # through its side, where nothing holds it
            n0, n1, n2 = ZERO, ZERO, ZERO
            if side == 0:
                n0 = -ONE if d[0] > ZERO else ONE
            else:
                n1 = -ONE if d[1] > ZERO else ONE
        over = ONE / np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
        n0, n1, n2 = n0 * over, n1 * over, n2 * over
        facing = -(n0 * d[0] + n1 * d[1] + n2 * d[2])
        if facing < np.float32(0.02):
            lift = np.float32(0.02) - facing
            n0, n1, n2 = n0 - lift * d[0], n1 - lift * d[1], n2 - lift * d[2]
            over = ONE / np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
            n0, n1, n2 = n0 * over, n1 * over, n2 * over
            facing = max(-(n0 * d[0] + n1 * d[1] + n2 * d[2]), np.float32(0.02))
        rough = np.sqrt(look[8] * look[8] + lost)
        r0 = (look[7] - ONE) / (look[7] + ONE)
        r0 *= r0
        mirror = r0 + (ONE - r0) * max(ONE - facing, ZERO) ** (
            np.float32(5.0) * np.exp(np.float32(-2.69) * rough)
        ) / (ONE + np.float32(22.7) * rough * np.sqrt(rough))
        sunlit = lit(x, y, z + np.float32(0.02), shadow_view, shadow, np.float32(0.02) + texel)
        if sunk:
            sunlit *= over_walls(x, y, z, rect, towards)
        # what is mirrored
        m0, m1, m2 = d[0] + TWO * facing * n0, d[1] + TWO * facing * n1, d[2] + TWO * facing * n2
        m2 = max(abs(m2), np.float32(0.01)) if not entered else m2
        over = ONE / np.sqrt(m0 * m0 + m1 * m1 + m2 * m2)
        m0, m1, m2 = m0 * over, m1 * over, m2 * over
        b0, b1, b2 = behind(heaven, np.float32(0.3), m0, m1, m2, towards)
        reach = max(np.float32(0.03), near * np.float32(2.0))
        far = reach
        for _ in range(MIRROR_STEPS):
            a, b, deep = seen_at(view, x + far * m0, y + far * m1, z + far * m2, width, height)
            if a < 0:
                break
            gap = deep - depth[b, a]
            if face[b, a] >= 0 and ZERO < gap < reach * np.float32(2.0) + np.float32(0.05):
                fade = min(
                    np.float32(min(min(a, width - 1 - a), min(b, height - 1 - b)))
                    * np.float32(16.0)
                    / np.float32(height),
                    ONE,
                )
                b0 += fade * (still[b, a, 0] + direct[b, a, 0] - b0)
                b1 += fade * (still[b, a, 1] + direct[b, a, 1] - b1)
                b2 += fade * (still[b, a, 2] + direct[b, a, 2] - b2)
                break
            reach *= MIRROR_GROWS
            far += reach
        # what is seen through it
        eta = ONE / look[7]
        inner = eta * facing - np.sqrt(max(ONE - eta * eta * (ONE - facing * facing), ZERO))
        e0, e1, e2 = eta * d[0] + inner * n0, eta * d[1] + inner * n1, eta * d[2] + inner * n2
        run, upright = FAR, ONE
        fall = e2 - floor[1] * e0 - floor[2] * e1
        if fall < np.float32(-1e-6):
            run = (floor[0] + floor[1] * (x - floor[3]) + floor[2] * (y - floor[4]) - z) / fall
        for axis in range(2):
            e, p, low, high = (e0, x, x0, x1) if axis == 0 else (e1, y, y0, y1)
            if abs(e) > np.float32(1e-7):
                past = max((low - p) / e, (high - p) / e)
                if past < run:
                    run, upright = past, ZERO
        run = max(run, ZERO)
        shown = False
        for k in range(1, THROUGH + 1):
            part = np.float32(k) / np.float32(THROUGH)
            far = run * part * part
            a, b, deep = seen_at(view, x + far * e0, y + far * e1, z + far * e2, width, height)
            if a < 0:
                break
            last = k == THROUGH
            behind_it = depth[b, a] >= t * straight * np.float32(0.995)
            hits = (
                face[b, a] >= 0
                and behind_it
                and depth[b, a] <= deep + (cell + np.float32(0.03) if last else ZERO)
            )
            if hits or (last and behind_it and face[b, a] < 0 and not own):
                run, shown = far, True
                for c in range(3):
                    seen[c], seen[3 + c] = still[b, a, c], direct[b, a, c]
                break
        if not shown and not own and not bare and depth[j, i] < FAR:
            run = max(stops - t, ZERO)
            shown = True
            for c in range(3):
                seen[c], seen[3 + c] = still[j, i, c], direct[j, i, c]
        low_x, low_y, low_z = x + run * e0, y + run * e1, z + run * e2
        if not shown:
            bed_light(
                low_x,
                low_y,
                low_z,
                upright,
                look,
                tile,
                towards,
                sun,
                sky,
                shadow_view,
                shadow,
                texel,
                rect,
                seen,
            )
        below = max(z - low_z, ZERO)
        # the sun's way down: bent towards the vertical, gathered by the surface's curvature over the place
        slant = ONE / np.sqrt(ONE - (ONE - towards[2] * towards[2]) * eta * eta)
        lead = below * slant * eta
        qx, qy = low_x + lead * towards[0], low_y + lead * towards[1]
        _, _, bow, _ = slope_of(
            fields,
            (qx - x0) / cell - HALF,
            (qy - y0) / cell - HALF,
            cell,
            w4[0],
            w4[1],
            w4[2],
            w4[3],
            w4[4],
            w4[5],
        )
        rippled(ripples, lost_of, qx, qy, max(near, np.float32(0.3) * below), fine, part3)
        curl = fine[2]
        spread = GATHERS * below * (bow * look[16] + curl)
        gathered = exp_minus(min(spread, TWO)) if spread > ZERO else ONE / exp_minus(min(-spread, BRIGHTEST))
        # foam
        cover = min(max(ZERO, cover_at(fields, cu, cv, 2) * look[10]), ONE)
        white = foam_at(cover, x, y, look[14], near / max(facing, np.float32(0.15))) if cover > ZERO else ZERO
        # what hangs in it scatters the light of its own surface
        hazy = ONE - exp_minus(np.float32(1.5) * look[3] * run)
        inside = min(run, np.float32(0.6) / max(look[3], np.float32(1e-3)))
        lamb = max(n0 * towards[0] + n1 * towards[1] + n2 * towards[2], ZERO) / PI * sunlit
        up = HALF + HALF * n2
        # the sun mirrored in a rough surface (Walter et al. 2007)
        h0, h1, h2 = towards[0] - d[0], towards[1] - d[1], towards[2] - d[2]
        over = ONE / max(np.sqrt(h0 * h0 + h1 * h1 + h2 * h2), np.float32(1e-6))
        nh = max((n0 * h0 + n1 * h1 + n2 * h2) * over, ZERO)
        alpha = max(rough * rough + lost, np.float32(4e-4))
        deno = nh * nh * (alpha * alpha - ONE) + ONE
        hv = max(-(h0 * d[0] + h1 * d[1] + h2 * d[2]) * over, ZERO)
        grazing = (ONE - hv) * (ONE - hv)
        grazing *= grazing * (ONE - hv)
        glint = (
            alpha
            * alpha
            / (PI * deno * deno)
            * (r0 + (ONE - r0) * grazing)
            / (np.float32(4.0) * max(facing, np.float32(0.1)))
        )
        glint = min(glint, MOST_GLINT) * sunlit * (ONE if towards[2] > ZERO else ZERO) * look[9]
        for c in range(3):
            thin = exp_minus((look[c] + look[3]) * run)
            down = exp_minus((look[c] + look[3]) * below * slant)
            level = exp_minus((look[c] + look[3]) * below)
            haze = look[4 + c] * hazy * exp_minus(look[c] * inside)
            through = ONE - mirror
            sky_on = SKY_SHARE * up * sky[c] + np.float32(0.3) * (ONE - up) * bounce[c]
            clear = through * (thin * level * seen[c] + haze * sky_on)
            mirrored = mirror * look[9] * (b0 if c == 0 else (b1 if c == 1 else b2))
            sunny = through * (thin * down * gathered * seen[3 + c] + haze * sun[c] * lamb) + glint * sun[c]
            froth = look[11 + c] * (np.float32(0.7) + np.float32(0.3) * white)
            hides = white * np.float32(0.94)
            seen[c] = (ONE - hides) * (clear + mirrored) + hides * froth * sky_on
            seen[3 + c] = (ONE - hides) * sunny + hides * froth * sun[c] * (
                np.float32(0.5) * lamb + np.float32(0.5) * towards[2] / PI * sunlit
            )
        put(i0, j0, share, t * straight, depth, seen, white, look, outs, stops == FAR)
