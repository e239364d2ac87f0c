"use strict";
// Volumes: coarse grids whose voxels hold how much light a metre scatters, how much it gives off, and how much it
// hides, marched from the front.
const fog = program(`void main() { vec2 q = vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0; gl_Position = vec4(q, 0.0, 1.0); }`, `
precision highp sampler3D;
uniform sampler3D first, after, firstGlow, afterGlow; uniform sampler2D depths; uniform vec2 size; uniform vec3 corner, carrier; uniform vec3 axes[3];
uniform float share, gives, glows, hides, density, glow; uniform int samples, heat; layout(location=0) out vec4 o;
void main() {
  vec2 q = gl_FragCoord.xy / size * 2.0 - 1.0; vec3 d = forward + q.x * halfs.x * right + q.y * halfs.y * up;
  float far = metres(texelFetch(depths, ivec2(gl_FragCoord.xy), 0).r);
  vec3 from = eye - carrier - corner, a, b;
  for (int k = 0; k < 3; k++) { float l = dot(axes[k], axes[k]); a[k] = dot(from, axes[k]) / l; b[k] = dot(d, axes[k]) / l; }
  vec3 inv = 1.0 / (b + step(abs(b), vec3(1e-9)) * 1e-9), t0 = -a * inv, t1 = (1.0 - a) * inv, low = min(t0, t1), high = max(t0, t1);
  float start = max(max(low.x, low.y), max(low.z, 0.05)), end = min(min(high.x, high.y), min(high.z, far));
  if (end <= start) discard;
  float whole = length(axes[0] + axes[1] + axes[2]), n = max(1.0, ceil(float(samples) * (end - start) * length(d) / whole)), dt = (end - start) / n, m = dt * length(d), through = 1.0;
  vec3 light = vec3(0.0);
  for (float k = 0.0; k < n; k += 1.0) {
    vec3 p = a + (start + (k + 0.5) * dt) * b;
    vec4 v = mix(texture(first, p), texture(after, p), share); vec3 f = mix(texture(firstGlow, p), texture(afterGlow, p), share).rgb; v *= v; f *= f;
    float s = v.a * hides * density, part = s * m > 1e-4 ? (1.0 - exp(-s * m)) / s : m;
    light += through * part * (v.rgb * gives * density + f * glows * glow); through *= exp(-s * m);
    if (through < 0.003) break;
  }
  o = heat == 1 ? vec4(through < 0.996 ? 1.0 : 0.0, 0.0, 0.0, 0.0) : vec4(light, 1.0 - through);
}`);
async function grid(text, [w, h, d]) {
  const packed = new Blob([Uint8Array.from(atob(text), c => c.charCodeAt(0))]).stream().pipeThrough(new DecompressionStream("deflate"));
  const bytes = new Uint8Array(await new Response(packed).arrayBuffer());
  const t = gl.createTexture(); gl.bindTexture(gl.TEXTURE_3D, t); gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
  gl.texImage3D(gl.TEXTURE_3D, 0, gl.RGBA8, w, h, d, 0, gl.RGBA, gl.UNSIGNED_BYTE, bytes);
  for (const k of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T, gl.TEXTURE_WRAP_R]) gl.texParameteri(gl.TEXTURE_3D, k, gl.CLAMP_TO_EDGE);
  for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_3D, k, gl.LINEAR);
  return t;
}
const dark = gl.createTexture(); gl.bindTexture(gl.TEXTURE_3D, dark);
gl.texImage3D(gl.TEXTURE_3D, 0, gl.RGBA8, 1, 1, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4)); gl.texParameteri(gl.TEXTURE_3D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
function bind3(unit_, t, place) { gl.activeTexture(gl.TEXTURE0 + unit_); gl.bindTexture(gl.TEXTURE_3D, t); gl.uniform1i(place, unit_); }
ROUTES.volume = {
  ladder: ["samples", [8, 16, 32, 64, 128]],
  async load(e, data) { return { ...data, grids: await Promise.all(data.grids.map(g => grid(g, data.shape))), glowing: await Promise.all(data.glowing.map(g => grid(g, data.shape))) }; },
  parts(e, h, player, time, carriers, v) {
    const at = placeIn(h.times, Math.min(time, time <= e.times[e.times.length - 1] + 1e-6 ? h.times[h.times.length - 1] : time)); if (!at) return [];
    const middle = add(h.corner, mul(add(add(h.axes[0], h.axes[1]), h.axes[2]), 0.5)), perM = canvas.height * 0.5 / v.tall;
    return carriers.map(carrier => { const depth = dot(add(add(middle, carrier), mul(v.eye, -1)), v.forward), s = perM / Math.max(depth, 0.1);
      return { depth, at, carrier, px: Math.min(canvas.width * canvas.height, Math.hypot(...h.axes[0]) * Math.hypot(...h.axes[1]) * s * s) }; });
  },
  paint(e, h, player, list, v, heat) {
    use(fog, v); gl.bindVertexArray(bare); gl.uniform2f(fog.at("size"), canvas.width, canvas.height); gl.uniform1i(fog.at("heat"), heat ? 1 : 0); bind(4, targets.depth, fog.at("depths"));
    gl.uniform3fv(fog.at("corner"), h.corner); gl.uniform3fv(fog.at("axes"), h.axes.flat()); gl.uniform1f(fog.at("gives"), h.gives); gl.uniform1f(fog.at("glows"), h.glows); gl.uniform1f(fog.at("hides"), h.hides);
    gl.uniform1f(fog.at("density"), player.density); gl.uniform1f(fog.at("glow"), player.glow); gl.uniform1i(fog.at("samples"), player.samples);
    for (const { at: [n, f], carrier } of list) {
      const after = Math.min(n + 1, h.times.length - 1);
      bind3(0, h.grids[n], fog.at("first")); bind3(1, h.grids[after], fog.at("after")); bind3(2, h.glowing[n] ?? dark, fog.at("firstGlow")); bind3(3, h.glowing[after] ?? dark, fog.at("afterGlow"));
      gl.uniform1f(fog.at("share"), f); gl.uniform3fv(fog.at("carrier"), carrier); gl.drawArrays(gl.TRIANGLES, 0, 3);
    }
  },
};
