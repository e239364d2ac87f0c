"use strict";
// Surfaces of water: a plane whose points are lifted by heights in an array of pictures (red and green a share
// in 16 bits, blue foam, alpha depth), shaded by what it mirrors, lets through and throws back.
const sea = program(`precision highp sampler2DArray;
uniform sampler2DArray layers; uniform int first, after; uniform ivec2 squares; uniform float share, lowest, span, deepest, level, step_, waves; uniform vec2 corner; uniform vec3 carrier; uniform int edges;
out vec3 at, side; out vec2 slope; out float foam, deep; out vec3 place;
vec4 texel(ivec2 c, int n) { ivec3 s = textureSize(layers, 0); return texelFetch(layers, ivec3(clamp(c, ivec2(0), s.xy - 1), n), 0); }
float rise(ivec2 c, int n) { vec4 t = texel(c, n); return lowest + (t.r * 65280.0 + t.g * 255.0) / 65535.0 * span; }
float one(ivec2 c) { return mix(rise(c, first), rise(c, after), share) * waves; }
float high(vec2 p) { ivec2 c = ivec2(floor(p)); vec2 f = p - vec2(c); return mix(mix(one(c), one(c + ivec2(1, 0)), f.x), mix(one(c + ivec2(0, 1)), one(c + 1), f.x), f.y); }
void main() {
  vec2 s = vec2(textureSize(layers, 0).xy - 1); int square = gl_VertexID / 6, k = gl_VertexID % 6;
  ivec2 q = ivec2(square % squares.x, square / squares.x) + ivec2(k == 1 || k == 2 || k == 4 ? 1 : 0, k == 2 || k == 4 || k == 5 ? 1 : 0);
  side = vec3(0.0); float under = 0.0;
  if (edges == 1) {  // what is seen of it from aside: along y at either end of x, then along x at either end of y
    int part = square < 2 * squares.y ? square / squares.y : 2 + (square - 2 * squares.y) / squares.x, n = part < 2 ? square % squares.y : (square - 2 * squares.y) % squares.x;
    int far_ = part % 2, along = k == 1 || k == 2 || k == 4 ? 1 : 0; under = k == 2 || k == 4 || k == 5 ? 1.0 : 0.0;
    q = part < 2 ? ivec2(far_ * squares.x, n + along) : ivec2(n + along, far_ * squares.y);
    side = (part < 2 ? vec3(1.0, 0.0, 0.0) : vec3(0.0, 1.0, 0.0)) * (far_ == 1 ? 1.0 : -1.0);
  }
  vec2 c = vec2(q) * s / vec2(squares); ivec2 near = ivec2(c + 0.5);
  vec4 t = mix(texel(near, first), texel(near, after), share); foam = t.b; deep = t.a * deepest;
  at = vec3(corner + c * step_, level + high(c) - under * deep) + carrier; place = at - carrier;
  slope = vec2(high(c + vec2(1.0, 0.0)) - high(c - vec2(1.0, 0.0)), high(c + vec2(0.0, 1.0)) - high(c - vec2(0.0, 1.0))) / (2.0 * step_);
  gl_Position = clip(at);
}`, LIT + `
in vec3 at, side, place; in vec2 slope; in float foam, deep; uniform vec3 absorbs, murkColour, foamColour, bedColour; uniform float murk, bends, rough, froth, relief, mirrors, now; uniform vec3 ripples; uniform int heat, ownBed; uniform sampler2D depths; uniform vec2 size;
layout(location=0) out vec4 o;
float chance(vec2 p) { return fract(sin(dot(p, vec2(127.1, 311.7))) * 43758.5453); }
float webs(vec2 p) { vec2 i = floor(p); float a = 9.0, b = 9.0; for (int y = -1; y < 2; y++) for (int x = -1; x < 2; x++) { vec2 c = i + vec2(x, y), q = c + vec2(chance(c), chance(c + 17.3)); float r = distance(p, q); if (r < a) { b = a; a = r; } else b = min(b, r); } return 1.0 - min((b - a) * 1.2, 1.0); }
void main() {
  float far = metres(texelFetch(depths, ivec2(gl_FragCoord.xy), 0).r), z = dot(at - eye, forward);
  // what is drawn there: the set's near half of the depths, or the ground, which is open over a sunk basin
  bool ground_ = texelFetch(depths, ivec2(gl_FragCoord.xy), 0).r >= 0.5;
  if (deep <= 0.004 * 1.0 || (z > far && !(ground_ && ownBed == 1))) discard;
  if (heat == 1) { o = vec4(1.0, 0.0, 0.0, 0.0); return; }
  vec3 d = normalize(at - eye); vec2 tilt = slope * relief;
  float wide = z * halfs.y * 2.0 / size.y / max(abs(d.z), 0.08);
  for (int k = 0; k < 10; k++) {  // ripples: straight waves, each at its own pace, none finer than a pixel
    float long_ = ripples.y * pow(0.16, float(k) / 9.0), turn = ripples.z + 1.2 * (2.0 * fract(float(k) * 0.618034 + 0.1) - 1.0), w = 6.2831853 / long_;
    vec2 way = vec2(cos(turn), sin(turn));
    tilt += way * ripples.x / ripples.y * 1.9 * cos(w * dot(way, place.xy) - sqrt(9.81 * w) * now + 2.4 * float(k)) * clamp(1.2 - 2.0 * wide / long_, 0.0, 1.0);
  }
  bool aside = dot(side, side) > 0.5; if (aside && dot(side, d) > 0.0) discard;
  vec3 n = aside ? side : normalize(vec3(-tilt, 1.0)); float facing = max(dot(n, -d), 0.03);
  float r0 = pow((bends - 1.0) / (bends + 1.0), 2.0), mirror = r0 + (1.0 - r0) * pow(1.0 - facing, 5.0 * exp(-2.69 * rough)) / (1.0 + 22.7 * pow(rough, 1.5));
  vec3 m = reflect(d, n); m.z = abs(m.z) + 0.01; vec3 sky_ = behind(0.3, normalize(m)) * mirrors;
  float open = open_(at, aside ? side : vec3(0.0, 0.0, 1.0)), lamb = max(dot(n, towards), 0.0) / 3.14159265 * open, slant = sqrt(1.0 - (1.0 - facing * facing) / (bends * bends));
  float way = ownBed == 1 ? deep / slant : min(deep / slant, max(far - z, 0.0) * length(at - eye) / max(z, 1e-3));
  vec3 thin = exp(-(absorbs + murk) * way), haze = murkColour * (1.0 - exp(-1.5 * murk * way)) * exp(-absorbs * min(way, 0.6 / max(murk, 1e-3)));
  float up_ = 0.5 + 0.5 * n.z; vec3 round_ = 0.6 * up_ * sky + 0.3 * (1.0 - up_) * bounce;
  vec3 body = haze * (round_ + sun * lamb), bed = ownBed == 1 ? bedColour * (0.6 * sky + sun * towards.z * open / 3.14159265) : vec3(0.0);
  vec3 h = normalize(towards - d); float a = max(rough * rough, 4e-4), q = pow(max(dot(n, h), 0.0), 2.0) * (a * a - 1.0) + 1.0;
  vec3 glint = sun * min(a * a / (3.14159265 * q * q) * (r0 + (1.0 - r0) * pow(1.0 - max(dot(h, -d), 0.0), 5.0)) / (4.0 * max(facing, 0.1)), 40.0) * open * mirrors;
  vec3 light = mirror * sky_ + glint + (1.0 - mirror) * (body + thin * exp(-(absorbs + murk) * min(deep, way)) * bed);
  float through = ownBed == 1 ? 0.0 : (1.0 - mirror) * dot(thin * exp(-(absorbs + murk) * min(deep, way)), vec3(1.0 / 3.0));
  float cover = clamp(foam * froth, 0.0, 1.0), web = 0.6 * webs(place.xy / 0.1) + 0.4 * webs(place.xy / 0.043), over = smoothstep(0.0, 1.0, (web - (0.93 - 1.02 * cover)) / 0.42) * (0.35 + 0.65 * min(1.5 * cover, 1.0)) * step(0.004, cover);
  light = mix(light, foamColour * (round_ + sun * (0.5 * lamb + 0.5 * towards.z * open / 3.14159265)), 0.94 * over); through *= 1.0 - 0.94 * over;
  o = vec4(light * expose, 1.0 - through);
}`);
ROUTES.surface = {
  ladder: ["squares", [16, 32, 64, 96]],
  async load(e, data) {
    const [w, h] = data.shape, packed = new Blob([Uint8Array.from(atob(data.layers), c => c.charCodeAt(0))]).stream().pipeThrough(new DecompressionStream("deflate"));
    const bytes = new Uint8Array(await new Response(packed).arrayBuffer()), t = gl.createTexture(); gl.bindTexture(gl.TEXTURE_2D_ARRAY, t);
    gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false); gl.texImage3D(gl.TEXTURE_2D_ARRAY, 0, gl.RGBA8, w, h, data.times.length, 0, gl.RGBA, gl.UNSIGNED_BYTE, bytes);
    for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D_ARRAY, k, gl.NEAREST);
    return { ...data, t };
  },
  parts(e, h, player, time, carriers, v) {
    let now = time * player.speed; h.now = now; const last = h.times[h.times.length - 1];
    if (e.loops) now %= last * h.times.length / Math.max(h.times.length - 1, 1);
    const at = placeIn(h.times, Math.min(now, last)); if (!at) return [];
    const perM = canvas.height * 0.5 / v.tall, corner = h.origins[at[0]];
    return carriers.map(carrier => { const middle = [corner[0] + e.size[0] / 2 + carrier[0], corner[1] + e.size[1] / 2 + carrier[1], e.level + carrier[2]], depth = dot(add(middle, mul(v.eye, -1)), v.forward), s = perM / Math.max(depth, 0.1);
      return { depth: Math.max(depth, 0.1) + 0.5 * Math.hypot(...e.size), at, carrier, px: Math.min(canvas.width * canvas.height, e.size[0] * e.size[1] * s * s) }; });
  },
  paint(e, h, player, list, v, heat) {
    use(sea, v); useLight(sea, 0.0); gl.bindVertexArray(bare); const L = e.look, [w, tall] = h.shape, most = Math.max(w, tall) - 1, each = n => Math.max(1, Math.round(Math.min(player.squares, most) * (n - 1) / most)), across = [each(w), each(tall)];
    gl.uniform2iv(sea.at("squares"), across);
    gl.uniform2f(sea.at("size"), canvas.width, canvas.height); gl.uniform1i(sea.at("heat"), heat ? 1 : 0); bind(4, targets.depth, sea.at("depths"));
    gl.activeTexture(gl.TEXTURE0 + 6); gl.bindTexture(gl.TEXTURE_2D_ARRAY, h.t); gl.uniform1i(sea.at("layers"), 6);
    for (const [name, value] of [["lowest", e.lowest], ["span", e.highest - e.lowest], ["deepest", e.deepest], ["level", e.level], ["step_", h.step], ["waves", player.height], ["murk", L.murk], ["bends", L.bends], ["rough", h.rough], ["froth", h.foam * player.foam], ["relief", L.normals], ["mirrors", L.mirrors], ["now", h.now ?? 0.0]]) gl.uniform1f(sea.at(name), value);
    gl.uniform3f(sea.at("ripples"), h.ripples, L.ripples_long, L.ripples_to * Math.PI / 180);
    gl.uniform3fv(sea.at("absorbs"), L.absorbs); gl.uniform3fv(sea.at("murkColour"), L.murk_colour); gl.uniform3fv(sea.at("foamColour"), L.foam_colour); gl.uniform3fv(sea.at("bedColour"), L.bed); gl.uniform1i(sea.at("ownBed"), e.floor.seen ? 1 : 0);
    for (const { at: [n, f], carrier } of list) {
      const corner = h.origins[n]; gl.uniform1i(sea.at("first"), n); gl.uniform1i(sea.at("after"), Math.min(n + 1, h.times.length - 1)); gl.uniform1f(sea.at("share"), f);
      gl.uniform2f(sea.at("corner"), corner[0] + h.first[0], corner[1] + h.first[1]); gl.uniform3fv(sea.at("carrier"), carrier); gl.uniform1i(sea.at("edges"), 0); gl.drawArrays(gl.TRIANGLES, 0, 6 * across[0] * across[1]);
      if (e.floor.height > -1e-3) { gl.uniform1i(sea.at("edges"), 1); gl.drawArrays(gl.TRIANGLES, 0, 12 * (across[0] + across[1])); }
    }
  },
};
