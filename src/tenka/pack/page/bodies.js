"use strict";
// Bodies: one mesh of all pieces; a texture tells where each stands and how it is turned at each moment.
const STANDS = `layout(location=0) in vec3 place; layout(location=1) in vec3 colour; layout(location=2) in float which;
uniform sampler2D stands; uniform int first, after; uniform float share; uniform vec3 carrier;
vec4 stand() {
  int c = int(which) * 2; vec4 a = texelFetch(stands, ivec2(c, first), 0), b = texelFetch(stands, ivec2(c, after), 0);
  vec4 p = a.w > 1e-6 && b.w > 1e-6 ? mix(a, b, share) : share < 0.5 ? a : b;
  vec4 q = normalize(mix(texelFetch(stands, ivec2(c + 1, first), 0), texelFetch(stands, ivec2(c + 1, after), 0), share));
  return vec4(p.xyz + carrier + p.w * (place + 2.0 * cross(q.xyz, cross(q.xyz, place) + q.w * place)), p.w);
}
`;
const piece = program(STANDS + `out vec3 at, tint;
void main() { vec4 s = stand(); at = s.xyz; tint = colour; gl_Position = s.w > 1e-6 ? clip(at) : vec4(2.0, 2.0, 2.0, 1.0); }`, LIT + BURIED + `
in vec3 at, tint; layout(location=0) out vec4 o;
void main() { if (buried(at)) discard; vec3 n = normalize(cross(dFdx(at), dFdy(at))); if (dot(n, at - eye) > 0.0) n = -n; o = vec4(lit(at, n, tint * tone(at, n, false)) * expose, 1.0); }`);
const pieceCast = program(CASTING + STANDS + `
void main() { vec4 s = stand(); gl_Position = s.w > 1e-6 ? seenBy(s.xyz) : vec4(2.0, 2.0, 2.0, 1.0); }`, `void main() {}`);
function pieces(p, h, time, carriers) {
  const at = h && placeIn(h.times, time); if (!at) return;
  bind(0, h.t, p.at("stands")); gl.bindVertexArray(h.array);
  gl.uniform1i(p.at("first"), at[0]); gl.uniform1i(p.at("after"), Math.min(at[0] + 1, h.times.length - 1)); gl.uniform1f(p.at("share"), at[1]);
  for (const carrier of carriers) { gl.uniform3fv(p.at("carrier"), carrier); gl.drawArrays(gl.TRIANGLES, 0, h.count); }
}
function loadTake(data) {
  if (!data.places) return null;
  const array = gl.createVertexArray(), places = floats(data.places); gl.bindVertexArray(array);
  [[places, 3], [floats(data.colours), 3], [floats(data.pieces), 1]].forEach(([values, size], n) => { gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer()); gl.bufferData(gl.ARRAY_BUFFER, values, gl.STATIC_DRAW); gl.enableVertexAttribArray(n); gl.vertexAttribPointer(n, size, gl.FLOAT, false, 0, 0); });
  const t = gl.createTexture(); gl.bindTexture(gl.TEXTURE_2D, t);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, data.columns * 2, data.times.length, 0, gl.RGBA, gl.FLOAT, floats(data.rows));
  for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, k, gl.NEAREST);
  return { array, t, times: data.times, count: places.length / 3 };
}
ROUTES.bodies = {
  async load(e, data) { return data.takes.map(loadTake); },
  standing(e, h, time, carriers, v) { use(piece, v); useLight(piece, time); pieces(piece, h[number % h.length], time, carriers); },
  casts(e, h, time, carriers, v) { use(pieceCast, v); useCast(pieceCast); pieces(pieceCast, h[number % h.length], time, carriers); },
};
