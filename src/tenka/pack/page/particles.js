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
ROUTES.particles = {
  ladder: ["share", [0, 0.125, 0.25, 0.5, 1]],
  async load(e, data) { return { times: data.times, columns: data.columns, rows: halvesOf(data.rows), chance: data.chance }; },
  parts(e, h, player, time, carriers, v) {
    const found = [], perM = canvas.height * 0.5 / v.tall;
    for (const carrier of carriers) for (const given of speckRows(h, time)) {
      if (h.chance[given.column] >= player.share) continue;
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
