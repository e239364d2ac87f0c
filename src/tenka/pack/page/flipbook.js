"use strict";
// Flipbooks: sprites that face the camera, each playing the frames of an atlas over its life.
const sprite = program(`layout(location=0) in vec4 mid; layout(location=1) in vec4 across; layout(location=2) in vec3 upwards; layout(location=3) in vec4 play; layout(location=4) in vec3 tint;
uniform highp sampler2D shapes; out vec2 uv; out float deep; flat out vec4 frame; flat out float lod; flat out vec3 hue;
void main() {
  // a corner of the frame's cut-out, or of the whole frame
  vec2 c = texelFetch(shapes, ivec2(gl_VertexID, min(int(play.x), textureSize(shapes, 0).y - 1)), 0).xy * 2.0 - 1.0; uv = c; hue = tint;
  // its middle and half sides as the eye has them: to the right, up and away, m; how much nearer it is taken to be
  vec3 p = mid.xyz + c.x * across.xyz + c.y * upwards; deep = max(p.z - mid.w, 0.05); frame = play; lod = across.w;
  gl_Position = vec4(p.xy / halfs, 0.0, p.z);
}`, `
in vec2 uv; in float deep; flat in vec4 frame; flat in float lod; flat in vec3 hue; layout(location=0) out vec4 o;
uniform sampler2D colour, second, moves, depths, body; uniform vec2 atlas; uniform vec4 grid; uniform float soft;
uniform int holds, straight_, blends, along, heat; uniform float secondScale; uniform vec2 moveScale;
vec4 read(vec2 texel) {
  vec2 at = texel / atlas; vec4 c = textureLod(colour, at, lod);
  if (straight_ == 1) c.rgb *= c.a;
  if (holds == 1) c.rgb += textureLod(second, at, lod).rgb * secondScale;
  if (holds == 2) c.rgb += textureLod(body, vec2((textureLod(second, at, lod).r * 32.0 + 0.5) / 33.0, 0.5), 0.0).rgb * c.a;
  return c;
}
vec4 cell(float n, float share, float way) {
  float column = mod(n, grid.x), row = floor(n / grid.x);
  vec2 inner = grid.yz - 2.0 * grid.w, low = vec2(column, row) * grid.yz;
  vec2 at = low + grid.w + vec2((uv.x + 1.0) * 0.5, (1.0 - uv.y) * 0.5) * inner;
  if (along == 1) {
    vec2 keep = clamp(at, low + grid.w + 0.5, low + grid.yz - grid.w - 0.5);
    vec2 m = (textureLod(moves, keep / atlas, 0.0).rg * (255.0 / 127.0) - 1.0) * moveScale;
    at = clamp(at + way * m * inner, low + 0.5, low + grid.yz - 0.5);
  }
  return read(at) * share;
}
void main() {
  float gap = metres(texelFetch(depths, ivec2(gl_FragCoord.xy), 0).r) - deep;
  if (gap <= 0.0) discard;
  if (heat == 1) { o = vec4(1.0, 0.0, 0.0, 0.0); return; }
  float fade = frame.w * (soft > 0.0 ? min(gap / soft, 1.0) : 1.0);
  vec4 c = blends == 1 ? cell(frame.x, 1.0 - frame.z, -frame.z) + cell(frame.y, frame.z, 1.0 - frame.z) : cell(frame.x, 1.0, 0.0);
  o = vec4(c.rgb * hue, c.a) * fade;
}`);
const spriteArray = gl.createVertexArray(), spriteBuffer = gl.createBuffer();
gl.bindVertexArray(spriteArray); gl.bindBuffer(gl.ARRAY_BUFFER, spriteBuffer);
[[0, 4, 0], [1, 4, 16], [2, 3, 32], [3, 4, 44], [4, 3, 60]].forEach(([n, size, at]) => { gl.enableVertexAttribArray(n); gl.vertexAttribPointer(n, size, gl.FLOAT, false, 72, at); gl.vertexAttribDivisor(n, 1); });
gl.bindVertexArray(null);

function bodyOf(table) {
  const t = gl.createTexture(), data = new Float32Array(33 * 4); gl.bindTexture(gl.TEXTURE_2D, t);
  table.forEach((c, n) => data.set([...c, 1], 4 * n));
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA16F, 33, 1, 0, gl.RGBA, gl.FLOAT, data);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR); gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE);
  return t;
}
const CORNERS = 8, FULL = [[0, 0], [1, 0], [1, 1], [0, 1]];
function shapesOf(e) {
  const t = gl.createTexture(), list = e.cut_out ? e.cut_out.shapes : [FULL], data = new Float32Array(list.length * CORNERS * 2);
  list.forEach((shape, n) => { for (let k = 0; k < CORNERS; k++) data.set(shape[Math.min(k, shape.length - 1)], 2 * (n * CORNERS + k)); });
  gl.bindTexture(gl.TEXTURE_2D, t); gl.texImage2D(gl.TEXTURE_2D, 0, gl.RG32F, CORNERS, list.length, 0, gl.RG, gl.FLOAT, data);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST); gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
  const share = list.map(s => s.reduce((sum, [x, y], k) => { const [p, q] = s[(k + 1) % s.length]; return sum + 0.5 * (x * q - p * y); }, 0));
  return { texture: t, share };
}
ROUTES.flipbook = {
  span: e => 2 * e.player.life, // born again and again: it is never over by itself
  ladder: ["count", [0, 1, 2, 4, 8, 16, 32, 64]],
  async load(e) {
    const cw = e.width / e.columns | 0, ch = e.height / e.rows | 0;
    let levels = 1, w = e.width, h = e.height;
    while ((Math.min(cw, ch) >> levels) >= 4 && !(w % 2) && !(h % 2) && levels < 8) { levels++; w /= 2; h /= 2; }
    return { cw, ch, levels, shapes: shapesOf(e), colour: await texture(e.colour.file, true, levels),
      second: e.second ? await texture(e.second.file, e.second.holds === "emission", levels) : one,
      moves: e.motion ? await texture(e.motion.file, false, 1) : one,
      body: e.second && e.second.black_body.length ? bodyOf(e.second.black_body) : one };
  },
  parts(e, h, player, time, carriers, v) { return rows(sprites(e, player, time, carriers, v), v); },
  paint(e, h, p, list, v, heat) {
    use(sprite, v); gl.bindVertexArray(spriteArray); gl.uniform1i(sprite.at("heat"), heat ? 1 : 0);
    bind(4, targets.depth, sprite.at("depths"));
    bind(0, h.colour, sprite.at("colour")); bind(1, h.second, sprite.at("second")); bind(2, h.moves, sprite.at("moves")); bind(3, h.body, sprite.at("body")); bind(5, h.shapes.texture, sprite.at("shapes"));
    gl.uniform2f(sprite.at("atlas"), e.width, e.height); gl.uniform4f(sprite.at("grid"), e.columns, h.cw, h.ch, e.padding);
    gl.uniform1f(sprite.at("soft"), p.soft_edge); gl.uniform1i(sprite.at("blends"), p.blend ? 1 : 0); gl.uniform1i(sprite.at("along"), e.motion && p.blend ? 1 : 0);
    gl.uniform1i(sprite.at("straight_"), e.colour.alpha === "straight" ? 1 : 0);
    gl.uniform1i(sprite.at("holds"), !e.second ? 0 : e.second.holds === "emission" ? 1 : e.second.black_body.length ? 2 : 0); gl.uniform1f(sprite.at("secondScale"), e.second ? e.second.scale : 0);
    if (e.motion) gl.uniform2fv(sprite.at("moveScale"), e.motion.scale);
    gl.bindBuffer(gl.ARRAY_BUFFER, spriteBuffer); gl.bufferData(gl.ARRAY_BUFFER, new Float32Array(list.flatMap(x => x.row)), gl.STREAM_DRAW);
    gl.drawArraysInstanced(gl.TRIANGLE_FAN, 0, CORNERS, list.length);
  },
};
function leftAfar(player, away) {
  // sprites go one after another, in an order that leaves ages spread
  const gone = Math.min(Math.max((away - player.far_from) / Math.max(player.far_to - player.far_from, 1e-6), 0), 1), share = 1 + (player.far_share - 1) * gone;
  const order = Array.from({ length: player.count }, (_, k) => [k * 0.6180339887498949 % 1, k]).sort((a, b) => a[0] - b[0] || a[1] - b[1]), kept = [];
  order.forEach(([, k], rank) => kept[k] = Math.min(Math.max(player.count * share - rank, 0), 1));
  return kept;
}
function sprites(e, player, time, carriers, v) {
  const found = [], seed = DATA.held[e.id].seed;
  carriers.forEach((carrier, copy) => {
    const kept = leftAfar(player, Math.hypot(...add(add(e.attach, carrier), mul(v.eye, -1))));
    for (let slot = 0; slot < player.count; slot++) {
      const life = player.life * (1 + player.life_spread * (2 * unit(seed, copy, slot, 1) - 1));
      const lived = (time - slot / player.count * player.life) / life;
      if (lived < 0 || kept[slot] <= 0) continue;
      const generation = Math.floor(lived), age = lived - generation, own = slot + 65536 * (generation + 1);
      const chance = n => unit(seed + n, copy, own, 0);
      const at = Math.min(Math.floor(age * 1023), 1023), over = DATA.held[e.id], grown = over.sizes[at] * player.scale * (1 + player.size_spread * (2 * chance(2) - 1));
      const round = 2 * Math.PI * chance(3), far = player.scatter * Math.sqrt(chance(4));
      let place = add(add(e.attach, carrier), [far * Math.cos(round), far * Math.sin(round), 0]);
      const on = (slot * 0.6180339887498949 + 0.5) % 1 - 0.5 + (chance(10) - 0.5) / player.count;
      place = add(place, mul(player.along, Math.min(Math.max(on, -0.5), 0.5)));
      place = add(add(place, mul(player.drift, age * life)), thrown_(player, age * life, chance));
      found.push({ e, player, age, place, tint: mul(over.tints[at], player.brightness), first: Math.min(Math.floor(chance(9) * e.variants), e.variants - 1) * e.times.length, through: throughOf(e, player, between(over.through, age * 1023), player.any_start ? chance(6) : 0), size: [e.size[0] * grown, e.size[1] * grown * player.tall], turn: player.rotation * Math.PI / 180 * (2 * chance(5) - 1), opacity: kept[slot] * over.opacity[at] });
    }
  });
  return found;
}
function thrown_(player, since, chance) {
  // the path of a body that is slowed in proportion to its speed
  const k = Math.max(player.drag, 1e-6), gone = -Math.expm1(-k * since) / k, fallen = player.drag > 1e-3 ? (since - gone) / k : 0.5 * since * since;
  const up = 1 - chance(7) * (1 - Math.cos(player.cone * Math.PI / 180)), flat = Math.sqrt(Math.max(1 - up * up, 0)), way = 2 * Math.PI * chance(8), s = player.speed * gone;
  return [flat * Math.cos(way) * s, flat * Math.sin(way) * s, up * s - player.gravity * fallen];
}
const between = (table, x) => { const n = Math.min(Math.floor(x), table.length - 2), f = x - n; return table[n] * (1 - f) + table[n + 1] * f; };
function throughOf(e, player, along, start) {
  const x = along * player.plays + start;
  return e.loop || player.plays !== 1 || player.any_start ? x - Math.floor(x) : x;
}
function frameAt(e, through) {
  const t = e.loop && e.period ? [...e.times, e.times[0] + e.period] : e.times, moment = t[0] + through * (t[t.length - 1] - t[0]);
  let n = 0; while (n < t.length - 2 && t[n + 1] <= moment) n++;
  return t.length < 2 ? 0 : Math.min(n + (moment - t[n]) / (t[n + 1] - t[n]), t.length - 1);
}
function sidesOf(s, v) {
  // directions across and up a sprite as the eye has them: it faces the picture, or turns about the vertical alone and leans as it was drawn
  const c = Math.cos(s.turn), q = Math.sin(s.turn), seen = w => [dot(w, v.right), dot(w, v.up), dot(w, v.forward)];
  let across = [1, 0, 0], up = [0, 1, 0];
  if (s.player.stands === "upright") {
    let to = add(s.place, mul(v.eye, -1)); to = [to[0], to[1], 0]; if (Math.hypot(...to) < 1e-6) to = [v.up[0], v.up[1], 0];
    to = mul(to, 1 / Math.max(Math.hypot(...to), 1e-9)); const lean = s.e.pitch * Math.PI / 180;
    across = seen([to[1], -to[0], 0]); up = seen(add(mul(to, Math.sin(lean)), [0, 0, Math.cos(lean)]));
  }
  return [add(mul(across, c), mul(up, q)), add(mul(across, -q), mul(up, c))];
}
function rows(list, v) {
  const found = [];
  for (const s of list) {
    const d = add(s.place, mul(v.eye, -1)), p = [dot(d, v.right), dot(d, v.up), dot(d, v.forward)]; if (p[2] <= 0.05) continue;
    const [a, b] = sidesOf(s, v), mid = add(p, add(mul(a, (0.5 - s.e.pivot[0]) * s.size[0]), mul(b, (0.5 - s.e.pivot[1]) * s.size[1]))); if (mid[2] <= 0.05) continue;
    const perPx = 2 * v.tall * p[2] / canvas.height, half = mul(s.size, 0.5 / perPx), flat = Math.abs(a[0] * b[1] - a[1] * b[0]);
    const count = s.e.times.length, place = frameAt(s.e, s.through), frame = Math.min(Math.floor(place), count - 1), h = held[s.e.id];
    let level = 0, density = (h.cw - 2 * s.e.padding) / Math.max(2 * half[0], 1e-6);
    while (density > 1.5 && level < h.levels - 1) { density /= 2; level++; }
    found.push({ e: s.e, player: s.player, depth: Math.max(mid[2] - s.player.nearer, 0.05), px: 4 * half[0] * half[1] * flat * h.shapes.share[Math.min(s.first + frame, h.shapes.share.length - 1)],
      row: [...mid, s.player.nearer, ...mul(a, 0.5 * s.size[0]), level, ...mul(b, 0.5 * s.size[1]), s.first + frame, s.first + (s.e.loop && s.e.period ? (frame + 1) % count : Math.min(frame + 1, count - 1)), place - frame, s.opacity, ...s.tint] });
  }
  return found;
}
