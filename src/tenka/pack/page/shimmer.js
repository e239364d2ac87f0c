"use strict";
// Shimmer: what is behind a sheet is seen beside its place, by an angle times how far behind it is.
const haze = program(`uniform vec2 size, middle, halfs_; out vec2 uv;
void main() { uv = vec2(gl_VertexID & 1, gl_VertexID >> 1); vec2 px = middle + (uv * 2.0 - 1.0) * halfs_; gl_Position = vec4(px.x / size.x * 2.0 - 1.0, 1.0 - px.y / size.y * 2.0, 0.0, 1.0); }`, `
in vec2 uv; layout(location=0) out vec4 o;
uniform sampler2D sheet, depths, behind_; uniform vec2 atlas, frame, size; uniform vec4 cells; uniform float share, deep, scale, tall; uniform int heat;
vec2 at(vec2 cell) { vec2 t = clamp(uv * frame, vec2(0.5), frame - 0.5); return textureLod(sheet, (cell + t) / atlas, 0.0).rg * (255.0 / 127.0) - 1.0; }
void main() {
  float gap = min(metres(texelFetch(depths, ivec2(gl_FragCoord.xy), 0).r) - deep, 40.0);
  if (gap <= 0.0) discard;
  if (heat == 1) { o = vec4(1.0, 0.0, 0.0, 0.0); return; }
  vec2 angle = mix(at(cells.xy), at(cells.zw), share) * scale, px = angle * gap / (2.0 * tall / size.y * (deep + gap));
  o = vec4(textureLod(behind_, (gl_FragCoord.xy + vec2(-px.x, px.y)) / size, 0.0).rgb, 1.0);
}`);
const copied = gl.createTexture(); let copiedSize = "";
ROUTES.shimmer = {
  async load(e) { return { sheet: await texture(e.atlas.file, false, 1) }; },
  parts(e, h, player, time, carriers, v) {
    const at = placeIn(e.times, time); if (!at || player.strength <= 0) return [];
    return carriers.map(c => { const p = project(v, add(e.centre, c)), perM = canvas.height * 0.5 / v.tall / p[2]; return { depth: p[2], p, at, half: [e.size[0] * perM / 2, e.size[1] * perM / 2], px: e.size[0] * e.size[1] * perM * perM }; }).filter(x => x.depth > 0.05);
  },
  paint(e, h, player, list, v, heat) {
    for (const x of list) {
      gl.activeTexture(gl.TEXTURE2); gl.bindTexture(gl.TEXTURE_2D, copied);
      const now = canvas.width + "x" + canvas.height;
      if (copiedSize !== now) { gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA16F, canvas.width, canvas.height, 0, gl.RGBA, gl.HALF_FLOAT, null); for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, k, gl.LINEAR); for (const k of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T]) gl.texParameteri(gl.TEXTURE_2D, k, gl.CLAMP_TO_EDGE); copiedSize = now; }
      gl.copyTexSubImage2D(gl.TEXTURE_2D, 0, 0, 0, 0, 0, canvas.width, canvas.height);
      use(haze, v); gl.bindVertexArray(bare); bind(4, targets.depth, haze.at("depths")); bind(2, copied, haze.at("behind_")); bind(0, h.sheet, haze.at("sheet"));
      const [a, f] = x.at, b = Math.min(a + 1, e.times.length - 1), cell = n => [(n % e.columns) * e.frame[0], Math.floor(n / e.columns) * e.frame[1]];
      gl.uniform2f(haze.at("size"), canvas.width, canvas.height); gl.uniform2f(haze.at("middle"), x.p[0], x.p[1]); gl.uniform2f(haze.at("halfs_"), ...x.half); gl.uniform2f(haze.at("atlas"), e.columns * e.frame[0], e.rows * e.frame[1]); gl.uniform2f(haze.at("frame"), ...e.frame);
      gl.uniform4f(haze.at("cells"), ...cell(a), ...cell(b)); gl.uniform1f(haze.at("share"), f); gl.uniform1f(haze.at("deep"), x.depth); gl.uniform1f(haze.at("scale"), e.scale * player.strength); gl.uniform1f(haze.at("tall"), v.tall); gl.uniform1i(haze.at("heat"), heat ? 1 : 0);
      gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
    }
  },
};
