"use strict";
// The whole picture, and what a hand can turn.
let runs = [0], first = 0, number = 0; // when it was triggered, s; how often before the first of them; and before what is drawn now
function draw(time, players, carriers, heat, only) {
  resize();
  const v = viewNow(), shown = M.elements.filter(e => !only || e.id === only), ages = runs.map((s, n) => [s, first + n]).filter(([s]) => s <= Math.max(time, 0)).map(([s, n]) => [time - s, n]);
  // each element, at the copies that are as far away as it is shown
  const middle = mul(add(M.bounds_low, M.bounds_high), 0.5), away = c => Math.hypot(...add(add(c, middle), mul(v.eye, -1)));
  const near = Object.fromEntries(shown.map(e => [e.id, carriers.filter(c => away(c) >= e.seen_from && away(c) < e.seen_to)]));
  const each = (name, call) => shown.flatMap(e => ROUTES[e.route][name] && near[e.id].length ? ages.flatMap(([t, n]) => { number = n; return call(ROUTES[e.route], e, t, near[e.id]) ?? []; }) : []);
  const thrown = each("lamps", (r, e, t, own) => r.lamps(e, players[e.id], t, own));
  gl.disable(gl.BLEND); gl.enable(gl.DEPTH_TEST); gl.clearDepth(1); gl.depthFunc(gl.LESS); gl.depthRange(0, 1);
  lookFrom(thrown, time, v);
  gl.bindFramebuffer(gl.FRAMEBUFFER, casts.to); gl.viewport(0, 0, CAST, CAST); gl.clear(gl.DEPTH_BUFFER_BIT);
  use(caster, v); useCast(caster); drawSet(caster, time);
  each("casts", (r, e, t, own) => r.casts(e, held[e.id], t, own, v));
  gl.viewport(0, 0, canvas.width, canvas.height);
  gl.bindFramebuffer(gl.FRAMEBUFFER, targets.both); gl.depthFunc(gl.ALWAYS);
  gl.clearDepth(1); gl.clear(gl.DEPTH_BUFFER_BIT | gl.COLOR_BUFFER_BIT);
  use(ground, v); useLight(ground, time); gl.bindVertexArray(bare); gl.drawArrays(gl.TRIANGLES, 0, 3);
  gl.depthFunc(gl.LESS); gl.depthRange(0, 0.5); use(solid, v); useLight(solid, time); drawSet(solid, time);
  each("standing", (r, e, t, own) => r.standing(e, held[e.id], t, own, v));
  gl.disable(gl.DEPTH_TEST); gl.bindFramebuffer(gl.FRAMEBUFFER, targets.over); gl.enable(gl.BLEND);
  if (heat) { gl.clearColor(0, 0, 0, 1); gl.clear(gl.COLOR_BUFFER_BIT); }
  heat ? gl.blendFunc(gl.ONE, gl.ONE) : gl.blendFunc(gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
  const list = each("parts", (r, e, t, own) => r.parts(e, held[e.id], players[e.id], t, own, v).map(x => { x.e = e; return x; }));
  list.sort((a, b) => b.depth - a.depth);
  for (let n = 0; n < list.length;) {
    let end = n; while (end < list.length && list[end].e === list[n].e) end++;
    const e = list[n].e; ROUTES[e.route].paint(e, held[e.id], players[e.id], list.slice(n, end), v, heat);
    n = end;
  }
  gl.bindFramebuffer(gl.FRAMEBUFFER, null); gl.disable(gl.BLEND); use(film, v); gl.bindVertexArray(bare); bind(0, targets.light, film.at("light"));
  gl.uniform1f(film.at("mixed"), DATA.mixed); gl.uniform1i(film.at("heat"), heat ? 1 : 0); gl.drawArrays(gl.TRIANGLES, 0, 3);
  return { parts: list.length, px: list.reduce((t, x) => t + x.px, 0) };
}
async function load() { for (const e of M.elements) held[e.id] = await ROUTES[e.route].load(e, DATA.held[e.id]); }

// --- hands ---
const wholes = new Set(["count", "samples", "squares"]);
const levers = {}; let tier = M.tiers.some(t => t.id === M.packed_for) ? M.packed_for : M.tiers.length ? M.tiers[Math.min(1, M.tiers.length - 1)].id : "", playing = true, started = performance.now() / 1000, at = 0, heat = false;
function playersNow() {
  const found = {};
  for (const e of M.elements) {
    found[e.id] = { ...(e.player ?? {}) };
    for (const l of M.levers) { const [of, name] = l.path.split(".player."); if (of === e.id && l.id in levers) { const v = Math.min(l.high, Math.max(l.low, levers[l.id])); found[e.id][name] = wholes.has(name) ? Math.round(v) : v; } }
  }
  return found;
}
function carriersNow() {
  const n = +$("copies").value, wide = Math.max(1, ...M.elements.map(e => e.size ? e.size[0] : e.low ? e.high[0] - e.low[0] : 0)) * 0.8, v = viewNow();
  return Array.from({ length: n }, (_, k) => mul(v.right, (k % 2 ? 1 : -1) * Math.floor((k + 1) / 2) * wide));
}
const numberOf = (lever, value) => wholes.has(lever.path.split(".player.")[1]) ? value.toFixed(0) : value.toPrecision(3);
function chooseTier(id) {
  tier = id; const t = M.tiers.find(x => x.id === id);
  for (const l of M.levers) { levers[l.id] = t && l.id in t.levers ? t.levers[l.id] : levers[l.id]; const box = $("lever_" + l.id); if (box && l.id in levers) { box.value = levers[l.id]; box.nextElementSibling.textContent = numberOf(l, +box.value); } }
}
function panel() {
  const unplayed = M.elements.filter(e => e.route === "grid" || e.route === "livewater").map(e => e.name);
  if (unplayed.length) $("fault").textContent = unplayed.join(", ") + ": a game solves it, which this page does not.";
  $("name").textContent = M.effect; document.title = M.effect;
  const choice = $("tier"); for (const t of M.tiers) choice.add(new Option(t.name, t.id)); choice.value = tier; choice.onchange = () => chooseTier(choice.value);
  for (const l of M.levers) {
    const whole = wholes.has(l.path.split(".player.")[1]), line = document.createElement("label"), box = document.createElement("input"), told = document.createElement("output");
    box.type = "range"; box.id = "lever_" + l.id; box.min = l.low; box.max = l.high; box.step = whole ? 1 : (l.high - l.low) / 200;
    box.oninput = () => { levers[l.id] = +box.value; told.textContent = numberOf(l, +box.value); };
    line.append(l.name, box, told); $("levers").append(line);
  }
  chooseTier(tier);
  const lasts = e => e.times[e.times.length - 1], span = Math.max(...M.elements.map(e => (ROUTES[e.route].span ?? lasts)(e))); $("time").max = span;
  $("time").oninput = () => { at = +$("time").value; runs = runs.filter(s => s <= at); if (!runs.length) runs = [0]; started = performance.now() / 1000 - at; };
  $("copies").oninput = () => $("copies_told").textContent = $("copies").value;
  $("pause").onclick = () => { playing = !playing; started = performance.now() / 1000 - at; $("pause").textContent = playing ? "Pause" : "Play"; };
  $("again").onclick = () => {
    // while it is alive: from the start, one more beside it, or nothing
    const way = M.behaviour.trigger_again, alive = M.elements.some(e => ROUTES[e.route].span || runs.some(s => at - s <= lasts(e)));
    if (way === "refuse" && alive) { $("fault").textContent = "It is alive, and refuses to be triggered."; return; }
    if (way === "add") { first += Math.max(runs.length - 7, 0); runs = [...runs, at].slice(-8); $("time").max = span + at; } else { at = 0; started = performance.now() / 1000; first += runs.length; runs = [0]; $("time").max = span; }
  };
  $("heat").onclick = () => heat = !heat;
  $("measure").onclick = measure;
  $("fold").onclick = () => { const open = $("panel").classList.toggle("folded"); $("fold").textContent = open ? "Show controls" : "Hide controls"; $("fold").setAttribute("aria-expanded", String(!open)); };
  if (Math.min(innerWidth, innerHeight) < 560) $("fold").onclick();
  // one finger or the mouse orbits; two fingers zoom by how far they are apart, and the wheel does
  const held = new Map(), apart = () => { const [a, b] = [...held.values()]; return Math.hypot(a[0] - b[0], a[1] - b[1]); };
  const orbit = (across, down) => { camera.heading -= across; camera.pitch = Math.min(89, Math.max(-20, camera.pitch + down)); };
  canvas.onpointerdown = e => { held.set(e.pointerId, [e.clientX, e.clientY]); canvas.setPointerCapture?.(e.pointerId); };
  canvas.onpointermove = e => {
    const was = held.get(e.pointerId); if (!was) return;
    const before = held.size === 2 ? apart() : 0; held.set(e.pointerId, [e.clientX, e.clientY]);
    if (held.size === 2) camera.distance *= before / Math.max(apart(), 1); else if (held.size === 1) orbit((e.clientX - was[0]) * 0.3, (e.clientY - was[1]) * 0.3);
  };
  canvas.onpointerup = canvas.onpointercancel = e => held.delete(e.pointerId);
  canvas.onwheel = e => { camera.distance *= Math.exp(e.deltaY * 0.001); e.preventDefault(); };
  addEventListener("keydown", e => {
    if (e.ctrlKey || e.metaKey || e.altKey || ["INPUT", "SELECT", "BUTTON"].includes(document.activeElement?.tagName)) return;
    const call = { ArrowLeft: () => orbit(-5, 0), ArrowRight: () => orbit(5, 0), ArrowUp: () => orbit(0, 5), ArrowDown: () => orbit(0, -5), "+": () => camera.distance /= 1.1, "-": () => camera.distance *= 1.1,
      " ": () => $("pause").click(), t: () => $("again").click(), h: () => $("heat").click() }[e.key];
    if (call) { call(); e.preventDefault(); }
  });
}
function timed(call) { const start = performance.now(); call(); gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4)); return performance.now() - start; }
function measure() {
  // each element alone over a ladder of counts: what drawing it takes here, as a table for calibration
  const lines = ["element,route,setting,step,parts,covered_px,width,height,ms"], players = playersNow(), gpu = gl.getExtension("WEBGL_debug_renderer_info");
  for (const e of M.elements) {
    const [setting, steps] = ROUTES[e.route].ladder ?? ["", [0]], time = e.route === "flipbook" ? 3 * e.player.life : 0.5 * (e.times[0] + e.times[e.times.length - 1]);
    for (const step of steps) {
      const own = { ...players, [e.id]: { ...players[e.id], [setting]: step, life_spread: 0 } }; let told = null; const times = [];
      for (let n = 0; n < 5; n++) times.push(timed(() => told = draw(time, own, [[0, 0, 0]], false, e.id)));
      lines.push([e.id, e.route, setting, step, told.parts, Math.round(told.px), canvas.width, canvas.height, times.sort((a, b) => a - b)[2].toFixed(4)].join(","));
    }
  }
  const text = lines.join("\n") + "\n";
  if (asked.has("measure")) { const box = document.createElement("pre"); box.id = "csv"; box.textContent = text; document.body.append(box); return; }
  const link = document.createElement("a"); link.href = URL.createObjectURL(new Blob([text], { type: "text/csv" }));
  link.download = M.effect.replace(/\W+/g, "_") + "_" + (gpu ? gl.getParameter(gpu.UNMASKED_RENDERER_WEBGL) : "device").replace(/\W+/g, "_").slice(0, 40) + ".csv"; link.click();
}
let last = performance.now(), mean = 16;
function tick() {
  const now = performance.now(), span = +$("time").max;
  mean = 0.95 * mean + 0.05 * (now - last); last = now;
  if (playing) { at = now / 1000 - started; if (at > span) { at = 0; started = now / 1000; runs = [0]; } $("time").value = at; }
  $("time_told").textContent = at.toFixed(2) + " s";
  const told = draw(at, playersNow(), carriersNow(), heat);
  $("told").textContent = `${told.parts} ${told.parts === 1 ? "part" : "parts"}, ${(told.px / 1e6).toFixed(2)} Mpx covered\n${(1000 / mean).toFixed(0)} pictures a second` + M.marks.filter(m => at >= m.at && at < m.at + 0.6).map(m => "\n" + m.name).join("");
  requestAnimationFrame(tick);
}
load().then(() => {
  panel();
  if (asked.has("t")) { // still pictures, one below the other, for tests and documents
    $("panel").className = "gone"; for (const k of Object.keys(levers)) delete levers[k];
    if (asked.has("runs")) runs = asked.get("runs").split(",").map(Number);
    first = +(asked.get("first") ?? 0);
    if (asked.has("away")) { camera.target = mul(add(M.bounds_low, M.bounds_high), 0.5); camera.distance = +asked.get("away"); }
    const times = asked.get("t").split(",").map(Number), strip = document.createElement("canvas"), pen = strip.getContext("2d");
    times.forEach((t, n) => {
      draw(t, playersNow(), [[0, 0, 0]], asked.has("heat"));
      if (!n) { strip.width = canvas.width; strip.height = canvas.height * times.length; strip.style.cssText = `height:${strip.height}px;width:${strip.width}px`; }
      pen.drawImage(canvas, 0, n * canvas.height);
    });
    if (times.length > 1) document.body.append(strip);
    if (asked.has("measure")) measure();
    document.title = "drawn";
  } else tick();
}).catch(e => fail("The page cannot show this package: " + e.message));
