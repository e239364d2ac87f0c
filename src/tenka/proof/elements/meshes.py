"""A liquid's meshes, shown one after the other as an engine would."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.effect.courses import still
from tenka.effect.routes.meshes import MeshPlayer
from tenka.look.drops import drops_at
from tenka.look.netted import Netted, covered
from tenka.look.waters import Wet
from tenka.package.elements.meshes import MeshFrames
from tenka.package.netfile import NetFile, NetFrame
from tenka.proof.elements.base import Drawn, Now, Played, place_in, splatted

DROP_BYTES = 20


class PlayedMeshes(Played):
    """A mesh sequence; its file is read when the package is opened."""

    element: MeshFrames

    def __init__(self, folder: Path, element: MeshFrames) -> None:
        super().__init__(folder, element)
        self._nets = NetFile(folder / element.mesh.file)
        self._held: tuple[int, NetFrame] | None = None
        self._wet: tuple[tuple[object, ...], list[Wet]] = ((), [])

    def _now(self, player: MeshPlayer, now: Now) -> NetFrame | None:
        at = place_in(self.element.times, now.time * player.speed)
        if at is None:
            return None
        index = at[0]
        if self._held is None or self._held[0] != index:
            self._held = (index, self._nets.at(index))
        return self._held[1]

    def waters(self, player: MeshPlayer, now: Now) -> list[Wet]:
        """The mesh for each carrier."""
        net = self._now(player, now)
        if net is None or not len(net.faces):
            return []
        key = (id(net), round(now.time, 5), player, now.carriers.tobytes())
        if self._wet[0] != key:
            look = still(self.element.look, now.time)
            foam = net.foam.astype(np.float32) / np.float32(255.0)
            size = np.float32(player.size)
            self._wet = (
                key,
                [
                    Netted(
                        net.points * size + np.asarray(carrier, np.float32),
                        net.normals,
                        foam,
                        net.faces,
                        look,
                        now.time,
                    )
                    for carrier in now.carriers.tolist()
                ],
            )
        return list(self._wet[1])

    def drawn(self, player: MeshPlayer, now: Now) -> Drawn | None:
        """Drops that fly alone; the mesh is a part of the set, and what it takes is counted."""
        net = self._now(player, now)
        if net is None:
            return None
        wet = [w for w in self.waters(player, now) if isinstance(w, Netted)]
        places = np.tile(net.drops[:, :3] * np.float32(player.size), (len(now.carriers), 1))
        places += np.repeat(now.carriers, len(net.drops), axis=0).astype(np.float32)
        widths = np.tile(net.drops[:, 3] * np.float32(player.size), len(now.carriers))
        air = np.tile(net.drops[:, 4], len(now.carriers))
        look = still(self.element.look, now.time)
        drops = splatted(drops_at(places, widths, air, look, now.time, now.light), now, DROP_BYTES)

        def count(layers: np.ndarray) -> None:
            drops.count(layers)
            for mesh in wet:
                layers += covered(mesh, now.view)

        triangles = len(net.faces) * len(wet)
        return Drawn(drops.depth, drops.paint, count, quads=triangles, particles=len(places))
