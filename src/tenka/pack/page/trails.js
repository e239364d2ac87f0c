"use strict";
// Trails: from each head back through where it was, in straight parts of a cubic.
ROUTES.trails = {
  ladder: ["length", [0, 0.25, 0.5, 1]],
  async load(e, data) { return { times: data.times, columns: data.columns, rows: halvesOf(data.rows) }; },
  parts(e, h, player, time, carriers, v) {
    const at = placeIn(h.times, time), seconds = e.seconds * player.length, found = [], perM = canvas.height * 0.5 / v.tall;
    if (!at || seconds <= 1e-6) return found;
    const row = (n, c) => h.rows.subarray((n * h.columns + c) * 12, (n * h.columns + c) * 12 + 12);
    const cubic = (a, b, u, w, s) => [0, 1, 2].map(k => { const q = s * s, z = q * s; return (2 * z - 3 * q + 1) * a[k] + (z - 2 * q + s) * u[k] + (3 * q - 2 * z) * b[k] + (z - q) * w[k]; });
    const over = (t, x) => { const n = Math.min(Math.floor(x * 16), 15), f = x * 16 - n; return (1 - f) * t[n] + f * t[n + 1]; };
    for (let c = 0; c < h.columns; c++) {
      const [n, f] = at, a = row(n, c), b = row(Math.min(n + 1, h.times.length - 1), c); let head = f < 0.5 ? a : b;
      if (f <= 1e-6) head = a;
      else if (a[3] > 0 && b[3] > 0) { const span = h.times[n + 1] - h.times[n]; head = a.map((x, k) => (1 - f) * x + f * b[k]); head.set(cubic(a, b, [8, 9, 10].map(k => a[k] * span), [8, 9, 10].map(k => b[k] * span), f)); }
      if (head[3] <= 0) continue;
      let newer = head, tNewer = time;
      for (let m = f > 1e-6 ? n : n - 1; m >= -1; m--) {
        const older = m >= 0 ? row(m, c) : null, there = older && older[3] > 0, born = Math.min(Math.max(tNewer - newer[11], tNewer - 0.5), tNewer), since = there ? h.times[m] : born, span = tNewer - since;
        const w = [8, 9, 10].map(k => newer[k] * span), start = there ? older : [0, 1, 2].map(k => newer[k] - w[k]), u = there ? [8, 9, 10].map(k => older[k] * span) : w;
        for (let k = 0; k < 3 && span > 1e-6; k++) {
          const s0 = 1 - k / 3, s1 = 1 - (k + 1) / 3, along = (time - (since + span * (s0 + s1) / 2)) / seconds; if (along >= 1) continue;
          const p = cubic(start, newer, u, w, s0), q = cubic(start, newer, u, w, s1), wide = head[3] * over(e.width_over, along) * player.width;
          for (const carrier of carriers) {
            const place = add(p, carrier), depth = dot(add(place, mul(v.eye, -1)), v.forward); if (depth < 0.05) continue;
            found.push({ depth, px: wide * Math.hypot(q[0] - p[0], q[1] - p[1], q[2] - p[2]) * (perM / depth) ** 2,
              row: [...place, wide, head[4] * player.brightness, head[5] * player.brightness, head[6] * player.brightness, head[7] * over(e.opacity_over, along) * player.opacity, q[0] - p[0], q[1] - p[1], q[2] - p[2]] });
          }
        }
        if (!there || time - h.times[m] >= seconds) break;
        newer = older; tNewer = h.times[m];
      }
    }
    return found;
  },
  paint(e, h, player, list, v, heat) { paintSpecks(e, list, v, heat, e.form === "tube" ? 3 : 2, false); },
};
