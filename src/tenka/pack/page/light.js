"use strict";
// Lights: keys of place, light and radius, straight from one to the next, which fall on the set.
ROUTES.light = {
  async load() { return {}; },
  lamps(e, player, time, carriers) {
    const at = placeIn(e.times, time); if (!at) return [];
    const a = e.keys[at[0]], b = e.keys[Math.min(at[0] + 1, e.keys.length - 1)], key = a.map((x, n) => (1 - at[1]) * x + at[1] * b[n]);
    return carriers.map(c => [key[0] + c[0], key[1] + c[1], key[2] + c[2], ...key.slice(3, 6).map(x => x * player.brightness), key[6] ** 2, 0, 0, 0, 0, 0, 0, 0, 1 / player.reach ** 2]);
  },
};
