"use strict";
// Slices: sheets that stand still in the world, drawn from the farthest.
const leaf = program(`uniform vec3 corner, right_, up_; out vec2 uv; out float deep; out vec3 at_;
void main() { uv = vec2(gl_VertexID & 1, gl_VertexID >> 1); vec3 p = corner + uv.x * right_ + uv.y * up_; deep = dot(p - eye, forward); at_ = p; gl_Position = clip(p); }`, `
in vec2 uv; in float deep; in vec3 at_; layout(location=0) out vec4 o;
uniform sampler2D sheet, depths; uniform vec3 right_, up_; uniform vec2 atlas, frame; uniform vec4 cells; uniform float share, soft, light, opacity; uniform int heat;
vec4 at(vec2 cell) { vec2 t = clamp(vec2(uv.x, 1.0 - uv.y) * frame, vec2(0.5), frame - 0.5); return textureLod(sheet, (cell + t) / atlas, 0.0); }
void main() {
  float gap = metres(texelFetch(depths, ivec2(gl_FragCoord.xy), 0).r) - deep;
  if (gap <= 0.0) discard;
  if (heat == 1) { o = vec4(1.0, 0.0, 0.0, 0.0); return; }
  vec4 c = mix(at(cells.xy), at(cells.zw), share); float fade = (soft > 0.0 ? min(gap / soft, 1.0) : 1.0) * opacity;
  // a ray that comes from aside goes a longer way from sheet to sheet
  float longer = min(1.0 / max(abs(dot(normalize(cross(right_, up_)), normalize(at_ - eye))), 1e-6), 8.0), thick = 1.0 - pow(1.0 - min(c.a, 0.9999), longer);
  o = vec4(c.rgb * light * (c.a > 1e-5 ? thick / c.a : longer), thick) * fade;
}`);
ROUTES.slices = {
  async load(e) { return { sheets: await Promise.all(e.sheets.map(s => texture(s.file, true, 1))) }; },
  parts(e, h, player, time, carriers, v) {
    const at = placeIn(e.times, time); if (!at) return [];
    const half = mul(add(e.axes[0], e.axes[1]), 0.5), perM = canvas.height * 0.5 / v.tall;
    return carriers.flatMap(carrier => e.sheets.map((s, n) => {
      const corner = add(add(e.corner, mul(e.axes[2], s.away)), carrier), depth = dot(add(add(corner, half), mul(v.eye, -1)), v.forward);
      return { depth, n, at, corner, px: Math.hypot(...e.axes[0]) * Math.hypot(...e.axes[1]) * (perM / Math.max(depth, 0.1)) ** 2 };
    }));
  },
  paint(e, h, player, list, v, heat) {
    use(leaf, v); gl.bindVertexArray(bare); bind(4, targets.depth, leaf.at("depths")); gl.uniform1i(leaf.at("heat"), heat ? 1 : 0);
    const [w, t] = e.frame; gl.uniform2f(leaf.at("atlas"), w * e.columns, t * e.rows); gl.uniform2f(leaf.at("frame"), w, t); gl.uniform3fv(leaf.at("right_"), e.axes[0]); gl.uniform3fv(leaf.at("up_"), e.axes[1]);
    gl.uniform1f(leaf.at("soft"), player.soft_edge); gl.uniform1f(leaf.at("light"), player.brightness * e.scale); gl.uniform1f(leaf.at("opacity"), player.opacity);
    for (const x of list) {
      const [a, f] = x.at, b = Math.min(a + 1, e.times.length - 1), cell = n => [(n % e.columns) * w, Math.floor(n / e.columns) * t];
      bind(0, h.sheets[x.n], leaf.at("sheet")); gl.uniform4f(leaf.at("cells"), ...cell(a), ...cell(b)); gl.uniform1f(leaf.at("share"), f);
      gl.uniform3fv(leaf.at("corner"), x.corner); gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
    }
  },
};
