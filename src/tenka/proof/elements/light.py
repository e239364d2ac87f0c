"""A light that falls on the set."""

from __future__ import annotations

import numpy as np

from tenka.effect.lights import closing
from tenka.effect.routes.light import LightPlayer
from tenka.look.lamps import NO_LAMPS, widened
from tenka.package.elements.light import LightTrack
from tenka.proof.elements.base import Now, Played, place_in


class PlayedLight(Played):
    """A light, straight from key to key."""

    element: LightTrack

    def lamps(self, player: LightPlayer, now: Now) -> np.ndarray:
        e = self.element
        at = place_in(e.times, now.time)
        if at is None:
            return NO_LAMPS
        index, share = at
        keys = np.array(e.keys[index : index + 2])
        row = keys[0] if len(keys) < 2 else (1 - share) * keys[0] + share * keys[1]
        if row[3:6].max() * player.brightness <= 0:
            return NO_LAMPS
        rows = [
            widened(np.array([*(row[:3] + carrier), *(row[3:6] * player.brightness), row[6] ** 2]))
            for carrier in now.carriers
        ]
        found = np.array(rows, np.float32)
        found[:, -1] = closing(player.reach)
        return found
