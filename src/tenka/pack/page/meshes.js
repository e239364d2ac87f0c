"use strict";
// Meshes of a liquid, one for each moment: drawn apart with a depth of their own, then laid over the set.
const net = program(`layout(location=0) in vec4 place; layout(location=1) in vec4 rest; uniform vec3 low, span, carrier; uniform float grown;
out vec3 at, n; out float foam;
void main() { at = (low + place.xyz * span) * grown + carrier; n = rest.xyz; foam = max(rest.w, 0.0); gl_Position = clip(at); }`, LIT + `
in vec3 at, n; in float foam; uniform vec3 absorbs, murkColour, foamColour; uniform float murk, bends, rough, froth, mirrors, thick; uniform int heat; uniform sampler2D depths;
layout(location=0) out vec4 o;
void main() {
  if (dot(at - eye, forward) > metres(texelFetch(depths, ivec2(gl_FragCoord.xy), 0).r)) discard;
  if (heat == 1) { o = vec4(1.0, 0.0, 0.0, 0.0); return; }
  vec3 d = normalize(at - eye), m = normalize(n); if (dot(m, d) > 0.0) m = normalize(m - 1.02 * dot(m, d) * d);
  float facing = max(dot(m, -d), 0.03), r0 = pow((bends - 1.0) / (bends + 1.0), 2.0), mirror = r0 + (1.0 - r0) * pow(1.0 - facing, 5.0 * exp(-2.69 * rough)) / (1.0 + 22.7 * pow(rough, 1.5));
  vec3 r = reflect(d, m), sky_ = mix(behind(0.3, r), bounce, clamp(-3.0 * r.z, 0.0, 1.0)) * mirrors;
  float open = open_(at, m), u = 0.5 + 0.5 * m.z, lamb = max(dot(m, towards), 0.0) / 3.14159265 * open, way = thick * (0.3 + 0.7 * facing);
  vec3 thin = exp(-(absorbs + murk) * way), haze = murkColour * (1.0 - exp(-1.5 * murk * way)) * exp(-absorbs * min(way, 0.6 / max(murk, 1e-3)));
  vec3 h = normalize(towards - d); float a = max(rough * rough, 1.6e-3), q = pow(max(dot(m, h), 0.0), 2.0) * (a * a - 1.0) + 1.0;
  vec3 glint = sun * min(a * a / (3.14159265 * q * q) * (r0 + (1.0 - r0) * pow(1.0 - max(dot(h, -d), 0.0), 5.0)) / (4.0 * max(facing, 0.1)), 30.0) * open * mirrors;
  vec3 skyOn = 0.6 * u * sky + 0.5 * (1.0 - u) * bounce, light = mirror * sky_ + glint + (1.0 - mirror) * haze * (skyOn + sun * lamb);
  float through = (1.0 - mirror) * dot(thin, vec3(1.0 / 3.0)), cover = clamp(foam * froth, 0.0, 1.0), white = cover * (0.35 + 0.65 * cover);
  light = mix(light, foamColour * (0.75 + 0.25 * white) * (skyOn + sun * (0.5 * dot(m, towards) + 0.5) / 3.14159265 * open), 0.94 * white); through *= 1.0 - 0.94 * white;
  o = vec4(light * expose, 1.0 - through);
}`);
const drop = program(`layout(location=0) in vec4 place; layout(location=1) in float air; uniform vec3 carrier; uniform float grown, perM; out vec3 at; out float airy;
void main() { airy = air; at = place.xyz * grown + carrier; gl_Position = clip(at); gl_PointSize = max(place.w * grown * perM / max(gl_Position.w, 0.05), 1.0); }`, LIT + `
in vec3 at; in float airy; uniform vec3 foamColour; uniform int heat; uniform sampler2D depths; layout(location=0) out vec4 o;
void main() {
  if (length(gl_PointCoord - 0.5) > 0.5 || dot(at - eye, forward) > metres(texelFetch(depths, ivec2(gl_FragCoord.xy), 0).r)) discard;
  if (heat == 1) { o = vec4(1.0, 0.0, 0.0, 0.0); return; }
  o = vec4(lit(at, vec3(0.0, 0.0, 1.0), foamColour * (0.3 + 0.7 * airy)) * expose, 1.0) * 0.6;
}`);
const netOver = program(`void main() { vec2 q = vec2(gl_VertexID & 1, gl_VertexID >> 1) * 4.0 - 1.0; gl_Position = vec4(q, 0.0, 1.0); }`, `
uniform sampler2D wet; layout(location=0) out vec4 o; void main() { o = texelFetch(wet, ivec2(gl_FragCoord.xy), 0); }`);
let netTarget = null;
function netRoom() {
  const w = canvas.width, h = canvas.height; if (netTarget && netTarget.w === w && netTarget.h === h) return netTarget;
  const t = gl.createTexture(); gl.bindTexture(gl.TEXTURE_2D, t); gl.texStorage2D(gl.TEXTURE_2D, 1, gl.RGBA16F, w, h);
  for (const k of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, k, gl.NEAREST);
  const d = gl.createRenderbuffer(); gl.bindRenderbuffer(gl.RENDERBUFFER, d); gl.renderbufferStorage(gl.RENDERBUFFER, gl.DEPTH_COMPONENT24, w, h);
  const f = gl.createFramebuffer(); gl.bindFramebuffer(gl.FRAMEBUFFER, f);
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, t, 0); gl.framebufferRenderbuffer(gl.FRAMEBUFFER, gl.DEPTH_ATTACHMENT, gl.RENDERBUFFER, d);
  return (netTarget = { t, f, w, h });
}
async function opened(text, kind) {
  const packed = new Blob([Uint8Array.from(atob(text), c => c.charCodeAt(0))]).stream().pipeThrough(new DecompressionStream("deflate"));
  return new kind(await new Response(packed).arrayBuffer());
}
ROUTES.meshes = {
  async load(e, data) {
    const frames = [];
    for (const f of data.frames) {
      const array = gl.createVertexArray(), alone = gl.createVertexArray(), given = async (text, kind) => { const b = gl.createBuffer(); gl.bindBuffer(gl.ARRAY_BUFFER, b); gl.bufferData(gl.ARRAY_BUFFER, await opened(text, kind), gl.STATIC_DRAW); return b; };
      const places = await given(f.places, Uint16Array), rest = await given(f.rest, Int8Array), drops = await given(f.drops, Float32Array), faces = await opened(f.faces, Uint32Array);
      gl.bindVertexArray(array);
      gl.bindBuffer(gl.ARRAY_BUFFER, places); gl.enableVertexAttribArray(0); gl.vertexAttribPointer(0, 4, gl.UNSIGNED_SHORT, true, 8, 0);
      gl.bindBuffer(gl.ARRAY_BUFFER, rest); gl.enableVertexAttribArray(1); gl.vertexAttribPointer(1, 4, gl.BYTE, true, 4, 0);
      gl.bindBuffer(gl.ELEMENT_ARRAY_BUFFER, gl.createBuffer()); gl.bufferData(gl.ELEMENT_ARRAY_BUFFER, faces, gl.STATIC_DRAW);
      gl.bindVertexArray(alone); gl.bindBuffer(gl.ARRAY_BUFFER, drops); gl.enableVertexAttribArray(0); gl.vertexAttribPointer(0, 4, gl.FLOAT, false, 20, 0); gl.enableVertexAttribArray(1); gl.vertexAttribPointer(1, 1, gl.FLOAT, false, 20, 16);
      gl.bindVertexArray(null); frames.push({ array, alone, count: f.count, drops: f.alone });
    }
    return { ...data, frames };
  },
  parts(e, h, player, time, carriers, v) {
    const at = placeIn(h.times, time * player.speed); if (!at) return [];
    const perM = canvas.height * 0.5 / v.tall, middle = mul(add(e.low, e.high), 0.5 * player.size), wide = Math.hypot(...add(e.high, mul(e.low, -1))) * player.size;
    return carriers.map(carrier => { const depth = Math.max(dot(add(add(middle, carrier), mul(v.eye, -1)), v.forward), 0.1), s = perM / depth; return { depth, frame: h.frames[at[0]], carrier, px: Math.min(canvas.width * canvas.height, 0.3 * wide * wide * s * s) }; });
  },
  paint(e, h, player, list, v, heat) {
    const L = e.look, span = add(e.high, mul(e.low, -1)), room = heat ? null : netRoom();
    if (room) { gl.bindFramebuffer(gl.FRAMEBUFFER, room.f); gl.clearColor(0, 0, 0, 0); gl.enable(gl.DEPTH_TEST); gl.depthMask(true); gl.depthFunc(gl.LESS); gl.clearDepth(1); gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT); gl.disable(gl.BLEND); }
    for (const p of [net, drop]) {
      use(p, v); useLight(p, 0.0); bind(4, targets.depth, p.at("depths")); gl.uniform1i(p.at("heat"), heat ? 1 : 0); gl.uniform1f(p.at("grown"), player.size); gl.uniform3fv(p.at("foamColour"), L.foam_colour);
      if (p === net) {
        gl.uniform3fv(p.at("low"), e.low); gl.uniform3fv(p.at("span"), span); gl.uniform3fv(p.at("absorbs"), L.absorbs); gl.uniform3fv(p.at("murkColour"), L.murk_colour);
        for (const [name, value] of [["murk", L.murk], ["bends", L.bends], ["rough", h.rough], ["froth", h.foam], ["mirrors", L.mirrors], ["thick", 0.3 * Math.min(...span) * player.size]]) gl.uniform1f(p.at(name), value);
      } else gl.uniform1f(p.at("perM"), canvas.height * 0.5 / v.tall);
      for (const { frame, carrier } of list) {
        gl.uniform3fv(p.at("carrier"), carrier);
        if (p === net && frame.count) { gl.bindVertexArray(frame.array); gl.drawElements(gl.TRIANGLES, frame.count, gl.UNSIGNED_INT, 0); }
        if (p === drop && frame.drops) { gl.bindVertexArray(frame.alone); gl.drawArrays(gl.POINTS, 0, frame.drops); }
      }
    }
    if (room) {
      gl.disable(gl.DEPTH_TEST); gl.bindFramebuffer(gl.FRAMEBUFFER, targets.over); gl.enable(gl.BLEND);
      use(netOver, v); gl.bindVertexArray(bare); bind(5, room.t, netOver.at("wet")); gl.drawArrays(gl.TRIANGLES, 0, 3);
    }
  },
};
