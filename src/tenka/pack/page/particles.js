"use strict";
// Particles from rows of numbers: soft sprites, discs and streaks, drawn as capsules between head and tail.
const speck = program(`layout(location=0) in vec4 head; layout(location=1) in vec4 light; layout(location=2) in vec3 way;
uniform vec2 size; uniform float pointy; flat out vec2 a, b; flat out float radius, deep; flat out vec4 tint; out vec2 at;
vec3 px(vec3 p) { vec3 d = p - eye; float z = dot(d, forward); return vec3((dot(d, right) / z / halfs.x + 1.0) * size.x * 0.5, (1.0 - dot(d, up) / z / halfs.y) * size.y * 0.5, z); }
void main() {
  vec3 h = px(head.xyz), t = px(head.xyz + way); if (t.z < 0.05) t = h;
  float r = 0.5 * head.w / h.z / halfs.y * size.y * 0.5, share = light.a, least = 0.6;
  if (pointy > 0.5) r = least;
  else if (r < least) { float l = distance(h.xy, t.xy); share *= min(1.0, max(0.0, (3.14159265 * r * r + 2.0 * r * l) / (3.14159265 * least * least + 2.0 * least * l))); r = least; }
  a = h.xy; b = t.xy; radius = r; deep = h.z; tint = vec4(light.rgb, share);
  vec2 along = b - a; float long_ = length(along); along = long_ > 1e-3 ? along / long_ : vec2(1.0, 0.0);
  vec2 c = vec2(gl_VertexID & 1, gl_VertexID >> 1) * 2.0 - 1.0, across = vec2(-along.y, along.x);
  at = (c.x < 0.0 ? a - along * (r + 1.0) : b + along * (r + 1.0)) + across * c.y * (r + 1.0);
  gl_Position = h.z < 0.05 ? vec4(2.0, 2.0, 0.0, 1.0) : vec4(at.x / size.x * 2.0 - 1.0, 1.0 - at.y / size.y * 2.0, 0.0, 1.0);
}`, `
flat in vec2 a, b; flat in float radius, deep; flat in vec4 tint; in vec2 at; layout(location=0) out vec4 o;
uniform sampler2D depths; uniform float softness, opaque; uniform int heat, kind;
void main() {
  if (metres(texelFetch(depths, ivec2(gl_FragCoord.xy), 0).r) < deep) discard;
  vec2 u = b - a, p = at - a; float long2 = dot(u, u), s = long2 > 1e-6 ? clamp(dot(p, u) / long2, 0.0, 1.0) : 0.0, d = distance(p, s * u), cover, lit = 1.0;
  // kinds: 0 a disc, 1 a soft sprite or streak, 2 a part of a ribbon, 3 a part of a tube
  if (kind == 1 || kind == 2) { float e = clamp((radius + 0.5 - d) / max(softness * radius, 1.0), 0.0, 1.0); cover = e * e * (3.0 - 2.0 * e) * (kind == 1 ? 1.0 - 0.75 * s : 1.0); }
  else { cover = clamp(radius + 0.5 - d, 0.0, 1.0); if (kind == 3) lit = 0.35 + 0.75 * sqrt(max(1.0 - pow(d / (radius + 0.5), 2.0), 0.0)); }
  if (cover <= 0.0) discard;
  o = heat == 1 ? vec4(1.0, 0.0, 0.0, 0.0) : vec4(tint.rgb * tint.a * lit, tint.a * opaque) * cover;
}`);
const speckArray = gl.createVertexArray(), speckBuffer = gl.createBuffer();
gl.bindVertexArray(speckArray); gl.bindBuffer(gl.ARRAY_BUFFER, speckBuffer);
[[0, 4, 0], [1, 4, 16], [2, 3, 32]].forEach(([n, size, at]) => { gl.enableVertexAttribArray(n); gl.vertexAttribPointer(n, size, gl.FLOAT, false, 44, at); gl.vertexAttribDivisor(n, 1); });
gl.bindVertexArray(null);
function speckRows(h, time) {
  // what is in both moments is mixed; what is in one alone is there while that is nearer
  const at = placeIn(h.times, time); if (!at) return [];
  const [n, f] = at, after = Math.min(n + 1, h.times.length - 1), wide = h.columns * 11, found = [];
  for (let c = 0; c < h.columns; c++) {
    const a = n * wide + c * 11, b = after * wide + c * 11, both = h.rows[a + 3] > 0 && h.rows[b + 3] > 0, near = f < 0.5 ? a : b;
    if (!both && h.rows[near + 3] <= 0) continue;
    const row = new Float32Array(11);
    for (let k = 0; k < 11; k++) row[k] = both ? (1 - f) * h.rows[a + k] + f * h.rows[b + k] : h.rows[near + k];
    row.column = c; found.push(row);
  }
  return found;
}
// Births and a law: dv/dt = g + o (b - k v), exact within a step; see READ-ME.txt.
const BORN = 13, floatsOf = text => new Float32Array(Uint8Array.from(atob(text), c => c.charCodeAt(0)).buffer);
function field(data) {
  if (!data) return null;
  const [nx, ny, nz] = data.shape, values = halvesOf(data.values), size = nx * ny * nz * 4, out = [0, 0, 0, 0];
  return { cell: data.cell, at(p, time) {
    let m = 0; while (m + 1 < data.times.length && data.times[m + 1] <= time) m++;
    const after = Math.min(m + 1, data.times.length - 1), span = data.times[after] - data.times[m], part = span > 0 ? Math.min(Math.max((time - data.times[m]) / span, 0), 1) : 0;
    const low = [], f = []; [nx, ny, nz].forEach((n, a) => { const u = Math.min(Math.max((p[a] - data.low[a]) / data.cell - 0.5, 0), n - 1); low[a] = Math.min(Math.floor(u), Math.max(n - 2, 0)); f[a] = u - low[a]; });
    out.fill(0);
    for (let k = 0; k < 16; k++) {
      const x = k & 1, y = k >> 1 & 1, z = k >> 2 & 1, t = k >> 3, w = (x ? f[0] : 1 - f[0]) * (y ? f[1] : 1 - f[1]) * (z ? f[2] : 1 - f[2]) * (t ? part : 1 - part); if (w <= 0) continue;
      const o = (t ? after : m) * size + ((Math.min(low[0] + x, nx - 1) * ny + Math.min(low[1] + y, ny - 1)) * nz + Math.min(low[2] + z, nz - 1)) * 4;
      for (let c = 0; c < 4; c++) out[c] += w * values[o + c];
    }
    return out;
  } };
}
function flown(a, k, p, v, r) {
  const x = k * r, gone = Math.abs(x) < 1e-4 ? r * (1 - x / 2) : -Math.expm1(-x) / k, fallen = Math.abs(x) < 1e-4 ? r * r * (0.5 - x / 6) : (r - gone) / k, e = Math.exp(-x);
  return [p.map((q, c) => q + gone * v[c] + fallen * a[c]), v.map((q, c) => e * q + gone * a[c])];
}
const rubbed = (v, loss) => { const l = Math.hypot(...v); return mul(v, l > 1e-9 ? Math.max(l - loss, 0) / l : 0); };
const RESPONSE = { bounce: 0, stick: 1, die: 2 };
class Lawful {
  constructor(e, data) {
    this.law = e.law; this.first = e.times[0]; this.last = e.times[e.times.length - 1]; this.times = data.times; [this.push, this.stops, this.shade] = ["push", "stops", "shade"].map(name => field(data.fields[name]));
    const rows = floatsOf(data.births); this.over = floatsOf(data.over); this.born = [];
    for (let n = 0; n < this.law.births; n++) { const r = rows.subarray(n * BORN, n * BORN + BORN); this.born.push({ place: [...r.subarray(0, 3)], speed: [...r.subarray(3, 6)], born: r[6], life: r[7], until: r[8], width: r[9], light: r[10], own: r[11], chance: r[12] }); }
    this.restart();
  }
  restart() { this.time = this.first; for (const b of this.born) { b.p = b.place; b.v = b.speed; b.state = 0; } }
  distance(p, radius) {
    let d = this.law.ground ? p[2] - radius : Infinity;
    return this.stops ? Math.min(d, this.stops.at(p, 0)[0] - radius) : d;
  }
  surface(p, radius) {
    const g = this.law.ground; let d = g ? p[2] - radius : Infinity, away = [0, 0, 1], traits = g ? [g.bounce, g.friction, RESPONSE[g.response]] : [0, 0, 0];
    if (this.stops) {
      const held = [...this.stops.at(p, 0)];
      if (held[0] - radius < d) {
        const step = 0.5 * this.stops.cell; d = held[0] - radius; traits = [held[1], held[2], Math.round(held[3])];
        away = [0, 1, 2].map(a => { const q = [...p], w = [...p]; q[a] += step; w[a] -= step; return this.stops.at(q, 0)[0] - this.stops.at(w, 0)[0]; });
        away = mul(away, 1 / Math.max(Math.hypot(...away), 1e-9));
      }
    }
    return [d, away, traits];
  }
  step(t1) {
    const t0 = this.time, g = [0, 0, -this.law.gravity];
    for (const b of this.born) {
      const since = Math.max(b.born, this.first, t0), r = Math.min(b.born + b.until, t1) - since;
      if (r <= 0 || b.state) continue;
      const felt = this.push.at(add(b.p, mul(b.v, 0.5 * r)), 0.5 * (t0 + t1)), a = g.map((q, c) => q + b.own * felt[c]);
      this.meet(b, a, b.own * felt[3], r, b.width * this.law.thick);
    }
    this.time = t1;
  }
  meet(b, a, k, left, radius) {
    let x = b.p, v = b.v, [end, speed] = flown(a, k, x, v, left);
    for (let n = 0; n < 4 && this.distance(end, radius) < 0; n++) {
      let low = 0, high = left;
      for (let h = 0; h < 12; h++) { const half = 0.5 * (low + high); if (this.distance(flown(a, k, x, v, half)[0], radius) < 0) high = half; else low = half; }
      [x, v] = flown(a, k, x, v, low); left -= low;
      const [far, away, traits] = this.surface(x, radius); x = add(x, mul(away, Math.max(-far, 0)));
      const into = dot(v, away), slide = add(v, mul(away, -into)), bounced = traits[2] === 0 ? -traits[0] * into : 0;
      if (traits[2] === 2) b.state = 2;
      if (traits[2] === 1) { b.state = 1; end = x; speed = [0, 0, 0]; break; }
      if (bounced >= 0.02 && into < 0) {
        v = add(rubbed(slide, traits[1] * (bounced - into)), mul(away, bounced)); x = add(x, mul(away, 1e-5));
        [end, speed] = flown(a, k, x, v, left); continue;
      }
      if (traits[2] === 2) break;
      const load = add(a, mul(v, -k)), press = Math.max(-dot(load, away), 0), along = add(load, mul(away, -dot(load, away)));
      const was = rubbed(slide, traits[1] * Math.max(-into, 0)); speed = rubbed(add(was, mul(along, left)), traits[1] * press * left);
      end = add(x, mul(add(was, speed), 0.5 * left)); const deep = this.surface(end, radius); end = add(end, mul(deep[1], Math.max(-deep[0], 0)));
      break;
    }
    b.p = end; b.v = speed;
  }
  of(share, row, c) { const x = Math.min(Math.max(share, 0), 1) * 63, n = Math.min(Math.floor(x), 62), f = x - n, o = (row * 64 + n) * 4 + c; return (1 - f) * this.over[o] + f * this.over[o + 4]; }
  rows(time) {
    if (time < this.first - 1e-9 || time > this.last + 1e-9) return [];
    // moments are steps from the first on; between two what is in both is mixed
    const law = this.law, number = Math.floor((time - this.first) / law.step + 1e-6), from = this.first + number * law.step;
    if (this.time > from + 1e-9) this.restart();
    while (this.time < from - 1e-9) this.step(Math.min(this.time + law.step, from));
    const found = [], past = time - from;
    for (const b of this.born) {
      if (Math.max(b.born, this.first) > time + 1e-9 || time >= b.born + b.until - 1e-9 || b.state === 2) continue;
      const begun = Math.max(b.born, this.first, from), p = b.state ? b.p : add(b.p, mul(b.v, time - begun)), age = time - b.born, share = age / Math.max(b.life, 1e-6), lit = law.light_span > 0 ? age / law.light_span : share;
      const there = this.shade ? this.shade.at(p, from) : [1, 1, 1], width = b.width * this.of(share, 1, 0), tail = -(law.streak + law.stretch * width), row = new Float32Array(11);
      row.set([...p, width, ...[0, 1, 2].map(c => there[c] * b.light * this.of(lit, 0, c)), this.of(share, 0, 3), ...mul(b.v, tail)]); row.chance = b.chance; found.push(row);
    }
    return found;
  }
}
ROUTES.particles = {
  ladder: ["share", [0, 0.125, 0.25, 0.5, 1]],
  async load(e, data) { return e.law ? new Lawful(e, data) : { times: data.times, columns: data.columns, rows: halvesOf(data.rows), chance: data.chance }; },
  parts(e, h, player, time, carriers, v) {
    const found = [], perM = canvas.height * 0.5 / v.tall;
    for (const carrier of carriers) for (const given of e.law ? h.rows(time) : speckRows(h, time)) {
      if ((e.law ? given.chance : h.chance[given.column]) >= player.share) continue;
      const row = Float32Array.from(given); for (let k = 0; k < 3; k++) row[k] += carrier[k];
      const depth = dot(add([row[0], row[1], row[2]], mul(v.eye, -1)), v.forward); if (depth < 0.05) continue;
      row[3] *= player.width; for (let k = 4; k < 7; k++) row[k] *= player.brightness; row[7] *= player.opacity; for (let k = 8; k < 11; k++) row[k] *= player.width;
      const wide = Math.max(row[3] * perM / depth, 1.2), long_ = Math.hypot(row[8], row[9], row[10]) * perM / depth;
      found.push({ depth, row, px: 0.785 * wide * wide + wide * long_ });
    }
    return found;
  },
  paint(e, h, player, list, v, heat) { paintSpecks(e, list, v, heat, e.form === "soft" ? 1 : 0, e.form === "point"); },
};
function paintSpecks(e, list, v, heat, kind, pointy) {
  use(speck, v); gl.bindVertexArray(speckArray); gl.uniform2f(speck.at("size"), canvas.width, canvas.height); gl.uniform1i(speck.at("heat"), heat ? 1 : 0);
  gl.uniform1f(speck.at("pointy"), pointy ? 1 : 0); gl.uniform1f(speck.at("softness"), e.softness); gl.uniform1f(speck.at("opaque"), e.opaque); gl.uniform1i(speck.at("kind"), kind);
  bind(4, targets.depth, speck.at("depths"));
  const data = new Float32Array(list.length * 11); list.forEach((x, n) => data.set(x.row, n * 11));
  gl.bindBuffer(gl.ARRAY_BUFFER, speckBuffer); gl.bufferData(gl.ARRAY_BUFFER, data, gl.STREAM_DRAW);
  gl.drawArraysInstanced(gl.TRIANGLE_STRIP, 0, 4, list.length);
}
