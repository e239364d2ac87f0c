"use strict";
// Live grids: a game solves them, this page does not.
ROUTES.grid = {
  async load() { return {}; },
};
