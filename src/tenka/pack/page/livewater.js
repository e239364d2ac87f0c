"use strict";
// Live waters: a game solves them, this page does not.
ROUTES.livewater = {
  async load() { return {}; },
};
