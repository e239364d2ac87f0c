"use strict";
// Plays the package that it holds: reads the manifest, draws each element as READ-ME.txt says, and measures
// what that takes on the device on which it is opened. Plain WebGL2; nothing is fetched.
const DATA = JSON.parse(document.getElementById("data").textContent);
const M = DATA.manifest, $ = id => document.getElementById(id);
const asked = new URLSearchParams(location.hash.slice(1));
const canvas = $("view");
const gl = canvas.getContext("webgl2", { antialias: false, preserveDrawingBuffer: true });
const fail = text => { $("fault").textContent = text; document.title = "fault"; throw new Error(text); };
if (!gl) fail("This browser has no WebGL2, which the page needs.");
if (!gl.getExtension("EXT_color_buffer_float") && !gl.getExtension("EXT_color_buffer_half_float"))
  fail("This device cannot draw into half-float pictures, which the page needs.");
gl.getExtension("OES_texture_float_linear");

// --- chance: a number is a hash of what it is for ---
const mix = h => { h ^= h >>> 16; h = Math.imul(h, 0x7FEB352D); h ^= h >>> 15; h = Math.imul(h, 0x846CA68B); return (h ^ (h >>> 16)) >>> 0; };
const unit = (seed, a, b, c) => {
  let h = mix((seed + 0x9E3779B9) >>> 0);
  h = mix((h ^ mix((a + 0x85EBCA6B) >>> 0)) >>> 0);
  h = mix((h ^ mix((b + 0xC2B2AE35) >>> 0)) >>> 0);
  h = mix((h ^ mix((c + 0x27D4EB2F) >>> 0)) >>> 0);
  return (h >>> 8) / 16777216;
};

// --- small vectors ---
const add = (a, b) => a.map((v, i) => v + b[i]), mul = (a, s) => a.map(v => v * s), dot = (a, b) => a.reduce((t, v, i) => t + v * b[i], 0);
const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];

const camera = { ...DATA.camera };
function viewNow() {
  const a = camera.heading * Math.PI / 180, p = camera.pitch * Math.PI / 180;
  const forward = [-Math.cos(a) * Math.cos(p), -Math.sin(a) * Math.cos(p), -Math.sin(p)];
  const right = [-Math.sin(a), Math.cos(a), 0], up = cross(right, forward);
  const eye = add(camera.target, mul(forward, -camera.distance));
  const tall = Math.tan(camera.fov * Math.PI / 360);
  return { eye, forward, right, up, tall, wide: tall * canvas.width / canvas.height };
}
function project(v, p) {
  const d = add(p, mul(v.eye, -1)), depth = dot(d, v.forward);
  return [(dot(d, v.right) / depth / v.wide + 1) * canvas.width / 2, (1 - dot(d, v.up) / depth / v.tall) * canvas.height / 2, depth];
}

// --- programs ---
const HEAD = `#version 300 es
precision highp float; precision highp int; precision highp sampler2D;
uniform vec3 eye, forward, right, up; uniform vec2 halfs;
const float NEAR = 0.05, FAR = 5000.0;
// the set lies in the near half of the depth buffer, the ground in the far half: it is seen where nothing else is
float metres(float d) { float z = fract(d * 2.0) * 2.0 - 1.0; return d >= 1.0 ? FAR : 2.0 * FAR * NEAR / (FAR + NEAR - z * (FAR - NEAR)); }
vec4 clip(vec3 p) { vec3 d = p - eye; float z = dot(d, forward);
  return vec4(dot(d, right) / halfs.x, dot(d, up) / halfs.y, z * (FAR + NEAR) / (FAR - NEAR) - 2.0 * FAR * NEAR / (FAR - NEAR), z); }
`;
// how dark the ground is where, and a fine grain on all that stands: neither finer than a pixel
const TONE = `
uniform sampler2D groundTile; uniform float groundSize, pixel;
uint mixed_(uint h) { h ^= h >> 16; h *= 0x7feb352du; h ^= h >> 15; h *= 0x846ca68bu; return h ^ (h >> 16); }
float chance_(ivec3 q) {
  uint h = mixed_(7u + 0x9e3779b9u); h = mixed_(h ^ mixed_(uint(q.x) + 0x85ebca6bu)); h = mixed_(h ^ mixed_(uint(q.y) + 0xc2b2ae35u)); h = mixed_(h ^ mixed_(uint(q.z) + 0x27d4eb2fu));
  return float(h >> 8) / 16777216.0;
}
float tone(vec3 p, vec3 n, bool lies) {
  vec3 d = p - eye; float far_ = length(d), wide = pixel * dot(d, forward) / max(abs(dot(n, d)) / far_, 0.02), t = 1.0, side = float(textureSize(groundTile, 0).x);
  if (lies) t += (textureLod(groundTile, p.xy / groundSize + 0.5 / side, 0.0).r - 0.5) * 0.5 * min(1.0, 0.125 / wide);
  if (wide < 2.0 / 24.0) t *= 1.0 + 0.1 * (chance_(ivec3(floor(p * 24.0))) - 0.5) * min(1.0, 2.0 - wide * 24.0);
  return t;
}
`;
// what casts shadows, as the sun sees it, or, with a size of 0, a lamp on one of its sides
const CASTING = `
uniform vec3 towards, castRight, castUp, castMiddle; uniform float castSize;
const float LAMP_NEAR = 0.02, LAMP_FAR = 1000.0; const int LAMP_PX = 128;
float alongLamp(float d) { return d >= 1.0 ? 1e9 : 2.0 * LAMP_FAR * LAMP_NEAR / (LAMP_FAR + LAMP_NEAR - (2.0 * d - 1.0) * (LAMP_FAR - LAMP_NEAR)); }
vec4 seenBy(vec3 p) {
  vec3 q = p - castMiddle; float x = dot(q, castRight), y = dot(q, castUp), z = dot(q, towards);
  return castSize > 0.0 ? vec4(x / castSize, y / castSize, -z / castSize, 1.0) : vec4(x, y, (z * (LAMP_FAR + LAMP_NEAR) - 2.0 * LAMP_FAR * LAMP_NEAR) / (LAMP_FAR - LAMP_NEAR), z);
}
`;
const LIT = TONE + CASTING + `
uniform vec3 sun, sky, bounce; uniform vec3 heaven[3]; uniform float expose;
uniform sampler2D sunMap;
float open_(vec3 p, vec3 n) {
  // how much of the sun comes: nine looks at the map of what the sun sees
  vec3 q = p + n * castSize * 0.0016 - castMiddle; vec2 uv = vec2(dot(q, castRight), dot(q, castUp)) / castSize * 0.5 + 0.5;
  if (any(lessThan(uv, vec2(0.0))) || any(greaterThan(uv, vec2(1.0)))) return 1.0;
  float d = min(0.5 - 0.5 * dot(q, towards) / castSize, 1.0),  // beyond what it sees nothing stands
     t = 1.0 / float(textureSize(sunMap, 0).x), s = 0.0;
  for (int j = -1; j < 2; j++) for (int i = -1; i < 2; i++) s += step(d - 0.0006, textureLod(sunMap, uv + vec2(i, j) * t, 0.0).r);
  return s / 9.0;
}
uniform int lampCount, lampSeen; uniform vec4 lampPlace[8]; uniform vec3 lampLight[8]; uniform vec4 lampWay[8]; uniform vec3 lampFrom[2];
uniform sampler2D lampMap;
float tent(int n, float share) { return n == 3 ? share : n == 0 ? 1.0 - share : 1.0; }
float lampOpen(int m, vec3 d) {
  // how much of a lamp's light comes to what lies at d from it: a tent of three texels of what it sees on that side
  vec3 a = abs(d); ivec2 tile = ivec2(0, m * LAMP_PX); float far_; vec2 q;
  if (a.x >= a.y && a.x >= a.z) { tile.x = d.x > 0.0 ? 0 : 1; far_ = a.x; q = d.yz; }
  else if (a.y >= a.z) { tile.x = d.y > 0.0 ? 2 : 3; far_ = a.y; q = d.xz; }
  else { tile.x = d.z > 0.0 ? 4 : 5; far_ = a.z; q = d.xy; }
  if (far_ < 1e-4) return 1.0;
  tile.x *= LAMP_PX; vec2 u = (q / far_ * 0.5 + 0.5) * float(LAMP_PX) - 0.5, f = fract(u); ivec2 i = ivec2(floor(u)); float near = far_ * 0.97 - 0.03, s = 0.0;
  for (int y = 0; y < 4; y++) for (int x = 0; x < 4; x++)
    s += tent(x, f.x) * tent(y, f.y) * step(near, alongLamp(texelFetch(lampMap, tile + clamp(i + ivec2(x - 1, y - 1), 0, LAMP_PX - 1), 0).r));
  return s / 9.0;
}
vec3 behind(float v, vec3 d) {
  if (heaven[0].x < 0.0) return vec3(0.075) * (1.0 + 0.35 * v);
  float rise = d.z > 0.0 ? 1.0 - exp(-3.5 * d.z) : 0.0, n = pow(max(dot(d, towards), 0.0), 8.0);
  return heaven[0] + rise * (heaven[1] - heaven[0]) + n * heaven[2];
}
vec3 lit(vec3 p, vec3 n, vec3 albedo) {
  float u = 0.5 + 0.5 * n.z;
  vec3 c = albedo * (sun * open_(p, n) * max(dot(n, towards), 0.0) / 3.14159265 + 0.6 * (sky * u + bounce * (1.0 - u)));
  for (int m = 0; m < 8; m++) if (m < lampCount) {
    vec3 l = lampPlace[m].xyz - p; float far2 = dot(l, l); vec3 w = l * inversesqrt(far2 + 1e-9);
    float facing = dot(n, w), falls = max(facing, 0.0) / 3.14159265 / (far2 + lampPlace[m].w);
    if (dot(lampWay[m].xyz, lampWay[m].xyz) > 0.0) falls *= max(dot(-w, lampWay[m].xyz), 0.0);
    float near = min(far2 * lampWay[m].w, 1.0); falls *= (1.0 - near * near) * (1.0 - near * near);
    // off the surface by what a texel of the lamp's sight spans on it, more where that is slanted
    if (m < lampSeen && falls > 0.0) falls *= lampOpen(m, p + n * (5.0 * sqrt(far2) / float(LAMP_PX) * sqrt(max(1.0 - facing * facing, 0.0))) - lampFrom[m]);
    c += albedo * lampLight[m] * falls;
  }
  return c;
}
`;
function program(vertex, fragment) {
  const p = gl.createProgram();
  for (const [kind, text] of [[gl.VERTEX_SHADER, vertex], [gl.FRAGMENT_SHADER, fragment]]) {
    const s = gl.createShader(kind); gl.shaderSource(s, HEAD + text); gl.compileShader(s);
    if (!gl.getShaderParameter(s, gl.COMPILE_STATUS)) fail(gl.getShaderInfoLog(s));
    gl.attachShader(p, s);
  }
  gl.linkProgram(p);
  if (!gl.getProgramParameter(p, gl.LINK_STATUS)) fail(gl.getProgramInfoLog(p));
  const places = {};
  return { p, at: name => places[name] ??= gl.getUniformLocation(p, name) };
}
// the ground is open over sunk waters, and hides what lies below it elsewhere, where there are such
const OPEN = M.elements.filter(e => e.route === "surface" && e.floor.seen && e.floor.height < -1e-3).slice(0, 8).map(e => [...e.origins[0], e.origins[0][0] + e.size[0], e.origins[0][1] + e.size[1]]);
const BURIED = `
uniform int openCount; uniform vec4 opens[8];
bool buried(vec3 p) {
  if (openCount == 0 || p.z > -0.002 || eye.z <= 0.0) return false;
  vec2 q = mix(eye, p, eye.z / (eye.z - p.z)).xy;
  for (int n = 0; n < 8; n++) if (n < openCount && all(greaterThanEqual(q, opens[n].xy)) && all(lessThanEqual(q, opens[n].zw))) return false;
  return true;
}
`;
const POSED = `uniform vec3 origin; uniform vec4 turn;
vec3 posed(vec3 p) { return origin + p + 2.0 * cross(turn.yzw, cross(turn.yzw, p) + turn.x * p); }
`;
const solid = program(POSED + `layout(location=0) in vec3 place; layout(location=1) in vec3 colour; out vec3 at, tint;
void main() { at = posed(place); tint = colour; gl_Position = clip(at); }`, LIT + BURIED + `
in vec3 at, tint; layout(location=0) out vec4 o;
void main() { if (buried(at)) discard; vec3 n = normalize(cross(dFdx(at), dFdy(at))); if (dot(n, at - eye) > 0.0) n = -n; o = vec4(lit(at, n, tint * tone(at, n, false)) * expose, 1.0); }`);
const ground = program(`out vec2 q; void main() { q = vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0; gl_Position = vec4(q, 0.0, 1.0); }`, LIT + `
in vec2 q; layout(location=0) out vec4 o;
void main() {
  vec3 d = normalize(forward + q.x * halfs.x * right + q.y * halfs.y * up), back = behind(q.y, d);
  o = vec4(back * expose, 1.0); gl_FragDepth = 1.0;
  if (d.z < -1e-4 && eye.z > 0.0) {
    float t = -eye.z / d.z, faint = t * 0.018, fade = 1.0 / (1.0 + faint * faint * faint);
    vec3 p = eye + t * d; vec4 c = clip(p);
    o = vec4(lit(p, vec3(0.0, 0.0, 1.0), vec3(0.165, 0.16, 0.152) * fade * tone(p, vec3(0.0, 0.0, 1.0), true)) * expose + back * (expose * (1.0 - fade)), 1.0);
    gl_FragDepth = 0.5 + 0.5 * clamp(c.z / c.w * 0.5 + 0.5, 0.0, 0.999999);
  }
}`);
const caster = program(CASTING + POSED + `layout(location=0) in vec3 place;
void main() { gl_Position = seenBy(posed(place)); }`, `void main() {}`);
const film = program(`void main() { vec2 q = vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0; gl_Position = vec4(q, 0.0, 1.0); }`, `
uniform sampler2D light; uniform float mixed; uniform int heat; layout(location=0) out vec4 o;
vec3 shoulder(vec3 x) { x = max(x, vec3(0.0)); return min(x, 1.0 - 0.25 / max(x, vec3(0.5))); }
void main() {
  vec3 c = texelFetch(light, ivec2(gl_FragCoord.xy), 0).rgb;
  if (heat == 1) { float n = c.r; o = vec4(n < 0.5 ? vec3(0.1) : mix(vec3(0.2, 0.4, 0.4), mix(vec3(0.9, 0.65, 0.25), vec3(1.0, 0.3, 0.2), clamp((n - 4.0) / 12.0, 0.0, 1.0)), clamp((n - 1.0) / 4.0, 0.0, 1.0)), 1.0); return; }
  float mean = (c.r + c.g + c.b) / 3.0 * mixed;
  vec3 x = shoulder((1.0 - mixed) * c + mean); mean = (x.r + x.g + x.b) / 3.0 * mixed;
  x = clamp((x - mean) / (1.0 - mixed), 0.0, 1.0);
  o = vec4(mix(12.92 * x, 1.055 * pow(x, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, x)), 1.0);
}`);

const bare = gl.createVertexArray();
// --- what is drawn from ---
const floats = text => new Float32Array(Uint8Array.from(atob(text), c => c.charCodeAt(0)).buffer);
const set = DATA.set.map(part => {
  const places = floats(part.places), array = gl.createVertexArray(); gl.bindVertexArray(array);
  const buffers = [places, floats(part.colours)].map((held, n) => { const b = gl.createBuffer(); gl.bindBuffer(gl.ARRAY_BUFFER, b); gl.bufferData(gl.ARRAY_BUFFER, held, gl.STATIC_DRAW); gl.enableVertexAttribArray(n); gl.vertexAttribPointer(n, 3, gl.FLOAT, false, 0, 0); return b; });
  const bent = part.moves && part.moves.bent ? { ...part.moves.bent, places: floats(part.moves.bent.places), shape: places } : null;
  return { array, until: part.until ?? Infinity, count: places.length / 3, moves: part.moves, bent, buffer: buffers[0], shown: -1 };
});
// what a clip bends: its corners between two frames
function bend(part, time) {
  const last = part.moves.rows.length - 1, x = Math.min(Math.max(time * part.moves.rate, 0), last), n = Math.min(Math.floor(x), Math.max(last - 1, 0)), f = x - n;
  if (x === part.shown) return;
  part.shown = x;
  const { points, places, corners, shape } = part.bent, a = 3 * points * n, b = 3 * points * Math.min(n + 1, last);
  for (let k = 0; k < corners.length; k++) for (let c = 0; c < 3; c++) { const at = 3 * corners[k] + c; shape[3 * k + c] = places[a + at] + f * (places[b + at] - places[a + at]); }
  gl.bindBuffer(gl.ARRAY_BUFFER, part.buffer); gl.bufferSubData(gl.ARRAY_BUFFER, 0, shape);
}
// where a part of the set is: its place, and its turn as a quaternion w x y z
function poseOf(part, time) {
  if (!part.moves) return [0, 0, 0, 1, 0, 0, 0];
  const rows = part.moves.rows, x = Math.min(Math.max(time * part.moves.rate, 0), rows.length - 1), n = Math.min(Math.floor(x), Math.max(rows.length - 2, 0));
  const row = rows[n].map((v, k) => v + (x - n) * (rows[Math.min(n + 1, rows.length - 1)][k] - v)), long = Math.hypot(...row.slice(3));
  return row.map((v, k) => k < 3 ? v : v / long);
}
function drawSet(p, time) {
  for (const part of set) if (time < part.until) {
    if (part.bent) bend(part, time);
    const row = poseOf(part, time); gl.uniform3fv(p.at("origin"), row.slice(0, 3)); gl.uniform4fv(p.at("turn"), row.slice(3));
    gl.bindVertexArray(part.array); gl.drawArrays(gl.TRIANGLES, 0, part.count);
  }
}
const groundTile = (() => {
  const side = 256, tones = new Float32Array(side * side), t = gl.createTexture();
  for (const [cells, much, text] of DATA.ground.patches) {
    const values = Uint8Array.from(atob(text), c => c.charCodeAt(0)), steps = Array.from({ length: side }, (_, n) => { const x = n * cells / side, k = Math.floor(x), f = x - k; return [k % cells, (k + 1) % cells, f * f * (3 - 2 * f)]; });
    steps.forEach(([a, b, f], y) => steps.forEach(([c, d, g], x) => { tones[y * side + x] += much * ((values[a * cells + c] * (1 - f) + values[b * cells + c] * f) * (1 - g) + (values[a * cells + d] * (1 - f) + values[b * cells + d] * f) * g) / 255 - 0.5 * much; }));
  }
  gl.bindTexture(gl.TEXTURE_2D, t);
  gl.texImage2D(gl.TEXTURE_2D, 0, gl.R8, side, side, 0, gl.RED, gl.UNSIGNED_BYTE, Uint8Array.from(tones, v => Math.round(255 * Math.min(Math.max(0.5 + 2 * v, 0), 1))));
  for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, k, gl.LINEAR);
  return t;
})();
async function texture(file, srgb, levels) {
  const image = new Image();
  await new Promise((done, bad) => { image.onload = done; image.onerror = () => bad(new Error(file + " cannot be read")); image.src = DATA.images[file]; });
  const t = gl.createTexture(); gl.bindTexture(gl.TEXTURE_2D, t);
  gl.pixelStorei(gl.UNPACK_COLORSPACE_CONVERSION_WEBGL, gl.NONE); gl.pixelStorei(gl.UNPACK_PREMULTIPLY_ALPHA_WEBGL, false);
  gl.texImage2D(gl.TEXTURE_2D, 0, srgb ? gl.SRGB8_ALPHA8 : gl.RGBA8, gl.RGBA, gl.UNSIGNED_BYTE, image);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE); gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
  gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, levels > 1 ? gl.LINEAR_MIPMAP_NEAREST : gl.LINEAR);
  if (levels > 1) { gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAX_LEVEL, levels - 1); gl.generateMipmap(gl.TEXTURE_2D); }
  return t;
}
const one = gl.createTexture(); gl.bindTexture(gl.TEXTURE_2D, one);
gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA8, 1, 1, 0, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4));
gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);

// By the route's word: load(e, data) reads what it holds; parts(e, h, player, time, carriers, v) gives what is
// laid over the set, each with its depth, a row of numbers and how many pixels it covers; paint(e, h, player, rows,
// v, heat) draws such rows; standing(e, h, time, carriers, v) draws among the set; lamps(e, player, time, carriers)
// gives lights; ladder says which of the player's settings is measured in steps.
const ROUTES = {};
const held = {};
const HALVES = (() => { const t = new Float32Array(65536); for (let n = 0; n < 65536; n++) { const s = n & 32768 ? -1 : 1, e = n >> 10 & 31, m = n & 1023; t[n] = s * (e === 0 ? m * 2 ** -24 : e === 31 ? 65504 : (1 + m / 1024) * 2 ** (e - 15)); } return t; })();
const halvesOf = text => Float32Array.from(new Uint16Array(Uint8Array.from(atob(text), c => c.charCodeAt(0)).buffer), n => HALVES[n]);
function placeIn(times, time) {
  if (time < times[0] - 1e-6 || time > times[times.length - 1] + 1e-6) return null;
  let n = 0; while (n < times.length - 1 && times[n + 1] <= time + 1e-6) n++;
  return [n, n === times.length - 1 ? 0 : Math.min(1, Math.max(0, (time - times[n]) / (times[n + 1] - times[n])))];
}
// --- drawing ---
let targets = null;
function resize() {
  const scale = asked.has("w") ? 1 : Math.min(devicePixelRatio, 2);
  const w = +(asked.get("w") ?? Math.round(innerWidth * scale)), h = +(asked.get("h") ?? Math.round(innerHeight * scale));
  if (targets && canvas.width === w && canvas.height === h) return;
  canvas.width = w; canvas.height = h;
  if (asked.has("w")) { canvas.style.width = w + "px"; canvas.style.height = h + "px"; }
  const make = (inside, format, type) => { const t = gl.createTexture(); gl.bindTexture(gl.TEXTURE_2D, t); gl.texImage2D(gl.TEXTURE_2D, 0, inside, w, h, 0, format, type, null);
    for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, k, gl.NEAREST); return t; };
  const light = make(gl.RGBA16F, gl.RGBA, gl.HALF_FLOAT), depth = make(gl.DEPTH_COMPONENT24, gl.DEPTH_COMPONENT, gl.UNSIGNED_INT);
  const both = gl.createFramebuffer(); gl.bindFramebuffer(gl.FRAMEBUFFER, both);
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, light, 0); gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.DEPTH_ATTACHMENT, gl.TEXTURE_2D, depth, 0);
  const over = gl.createFramebuffer(); gl.bindFramebuffer(gl.FRAMEBUFFER, over); gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, light, 0);
  targets = { light, depth, both, over };
}
function use(p, v) {
  gl.useProgram(p.p);
  gl.uniform3fv(p.at("eye"), v.eye); gl.uniform3fv(p.at("forward"), v.forward); gl.uniform3fv(p.at("right"), v.right); gl.uniform3fv(p.at("up"), v.up);
  gl.uniform2f(p.at("halfs"), v.wide, v.tall); gl.uniform1f(p.at("pixel"), 2 * v.tall / canvas.height);
}
// what the sun sees of the set, within reach of what the camera looks at
const CAST = 2048, LAMP_PX = 128, SEEING = 2; // px of a lamp's side; so many lamps cast shadows
function depthsOf(wide, tall) {
  const map = gl.createTexture(), to = gl.createFramebuffer();
  gl.bindTexture(gl.TEXTURE_2D, map); gl.texImage2D(gl.TEXTURE_2D, 0, gl.DEPTH_COMPONENT24, wide, tall, 0, gl.DEPTH_COMPONENT, gl.UNSIGNED_INT, null);
  for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, k, gl.NEAREST);
  gl.bindFramebuffer(gl.FRAMEBUFFER, to); gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.DEPTH_ATTACHMENT, gl.TEXTURE_2D, map, 0); gl.drawBuffers([gl.NONE]); gl.bindFramebuffer(gl.FRAMEBUFFER, null);
  return { map, to };
}
const casts = depthsOf(CAST, CAST), sights = depthsOf(6 * LAMP_PX, SEEING * LAMP_PX);
const sunWay = DATA.light.towards, castRight = (([x, y]) => { const l = Math.hypot(x, y) || 1; return [-y / l, x / l, 0]; })(sunWay), castUp = cross(sunWay, castRight), castMiddle = DATA.camera.target, castSize = Math.min(60, Math.max(6, DATA.camera.distance * 1.3));
const SUN = [sunWay, castRight, castUp, castMiddle, castSize];
function useCast(p, [towards, right, up, middle, size] = SUN) { gl.uniform3fv(p.at("towards"), towards); gl.uniform3fv(p.at("castRight"), right); gl.uniform3fv(p.at("castUp"), up); gl.uniform3fv(p.at("castMiddle"), middle); gl.uniform1f(p.at("castSize"), size); }
let lamps = [], looking = []; // all lights in the picture that is drawn; from where those that cast shadows look
const SIDES = [[[1, 0, 0], [0, 1, 0], [0, 0, 1]], [[-1, 0, 0], [0, 1, 0], [0, 0, 1]], [[0, 1, 0], [1, 0, 0], [0, 0, 1]], [[0, -1, 0], [1, 0, 0], [0, 0, 1]], [[0, 0, 1], [1, 0, 0], [0, 1, 0]], [[0, 0, -1], [1, 0, 0], [0, 1, 0]]];
let sawOf = "";
function lookFrom(thrown, time, v) {
  // lights of elements and of the set, those first that cast shadows; what these see is drawn anew where one has moved by 5 cm, or the set has
  const own = M.set.lights.map(x => ({ casts: x.shadows, row: [...x.rows[Math.min(Math.max(Math.floor(time * x.rate), 0), x.rows.length - 1)], x.reach > 0 ? 1 / x.reach ** 2 : 0] })).sort((a, b) => b.casts - a.casts);
  const all = [...thrown.map(row => ({ casts: true, row })), ...own].slice(0, 8);
  lamps = all.map(x => x.row); looking = all.filter(x => x.casts).slice(0, SEEING).map(x => x.row.slice(0, 3).map(q => Math.round(q / 0.05) * 0.05));
  const moved = set.some(part => part.moves || part.until < Infinity) ? time : 0, saw = looking.join() + "/" + moved;
  if (!looking.length || saw === sawOf) return;
  sawOf = saw; gl.bindFramebuffer(gl.FRAMEBUFFER, sights.to); gl.viewport(0, 0, 6 * LAMP_PX, SEEING * LAMP_PX); gl.clear(gl.DEPTH_BUFFER_BIT); use(caster, v);
  looking.forEach((place, m) => SIDES.forEach((side, n) => { gl.viewport(n * LAMP_PX, m * LAMP_PX, LAMP_PX, LAMP_PX); useCast(caster, [...side, place, 0]); drawSet(caster, time); }));
}
function useLight(p, time) {
  const l = DATA.light; useCast(p); bind(5, casts.map, p.at("sunMap")); bind(6, sights.map, p.at("lampMap")); gl.uniform1f(p.at("expose"), 2 ** l.exposure);
  gl.uniform3fv(p.at("sun"), l.sun); gl.uniform3fv(p.at("sky"), l.sky); gl.uniform3fv(p.at("bounce"), l.bounce); gl.uniform3fv(p.at("heaven"), l.heaven.flat());
  bind(7, groundTile, p.at("groundTile")); gl.uniform1f(p.at("groundSize"), DATA.ground.size);
  gl.uniform1i(p.at("lampCount"), lamps.length); gl.uniform1i(p.at("lampSeen"), looking.length); if (looking.length) gl.uniform3fv(p.at("lampFrom"), looking.flat());
  gl.uniform1i(p.at("openCount"), OPEN.length); if (OPEN.length) gl.uniform4fv(p.at("opens"), OPEN.flat());
  if (lamps.length) { gl.uniform4fv(p.at("lampPlace"), lamps.flatMap(r => [r[0], r[1], r[2], r[6]])); gl.uniform3fv(p.at("lampLight"), lamps.flatMap(r => r.slice(3, 6))); gl.uniform4fv(p.at("lampWay"), lamps.flatMap(r => [r[7], r[8], r[9], r[14]])); }
}
function bind(unit_, t, place) { gl.activeTexture(gl.TEXTURE0 + unit_); gl.bindTexture(gl.TEXTURE_2D, t); gl.uniform1i(place, unit_); }
