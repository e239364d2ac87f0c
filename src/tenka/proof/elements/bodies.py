"""Pieces as triangles among the set, moved by textures or by the keys of their nodes."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from tenka.base.errors import BadInput
from tenka.package.elements.bodies import Bodies
from tenka.package.rows import nodes_of, stands_of
from tenka.package.stands import mesh_of
from tenka.proof.elements.base import Now, Played, place_in
from tenka.scene.meshes import Mesh, joined

LEAST = 1e-6  # m: a smaller piece is not there


class _Take:
    """A take's mesh, and how its pieces stand at the moments of the manifest."""

    def __init__(self, folder: Path, element: Bodies) -> None:
        file, starts = folder / element.mesh.file, element.starts
        if element.form == "nodes":
            since = tuple(t - element.times[0] for t in element.times)
            self.mesh, starts, self.places, self.turns = nodes_of(file, since)
        else:
            self.mesh = mesh_of(file)
            self.places, self.turns = stands_of(folder, element)
        self.which = np.repeat(np.arange(len(starts) - 1), np.diff(starts))
        if len(self.which) != len(self.mesh.faces) or len(starts) != element.pieces + 1:
            raise BadInput(
                f"has {len(self.mesh.faces)} triangles of {len(starts) - 1} pieces",
                f"{len(self.which)} of {element.pieces} as the manifest says",
                file,
            )

    def stand(self, index: int, share: float) -> tuple[np.ndarray, np.ndarray]:
        """Places with sizes, and turns, between two moments; what is in one alone is there while it is
        nearer."""
        after = min(index + 1, len(self.places) - 1)
        a, b = self.places[index].astype(np.float64), self.places[after].astype(np.float64)
        both = (a[:, 3] > LEAST) & (b[:, 3] > LEAST)
        place = np.where(both[:, None], (1 - share) * a + share * b, a if share < 0.5 else b)
        turn = (1 - share) * self.turns[index].astype(np.float64) + share * self.turns[after]
        turn /= np.maximum(np.linalg.norm(turn, axis=1, keepdims=True), 1e-9)
        return place, turn


class PlayedBodies(Played):
    """Bodies; what moves them is read when they are opened, keys at the moments of the manifest."""

    element: Bodies

    def __init__(self, folder: Path, element: Bodies) -> None:
        super().__init__(folder, element)
        self.takes = [_Take(folder, element.take(number)) for number in range(element.takes)]

    def standing(self, now: Now) -> Mesh | None:
        at, take = place_in(self.element.times, now.time), self.takes[now.number % len(self.takes)]
        if at is None or not len(take.mesh.faces):
            return None
        place, turn = take.stand(*at)
        there = np.flatnonzero(place[take.which, 3] > LEAST)
        if not len(there):
            return None
        which = take.which[there]
        corners = take.mesh.points[take.mesh.faces[there]].astype(np.float64)
        q, w = turn[which][:, None, :3], turn[which][:, None, 3:]
        turned = corners + 2 * np.cross(np.broadcast_to(q, corners.shape), np.cross(q, corners) + w * corners)
        points = place[which][:, None, :3] + place[which][:, None, 3:] * turned
        faces = np.arange(3 * len(there), dtype=np.int32).reshape(-1, 3)
        one = Mesh(points.reshape(-1, 3).astype(np.float32), faces, take.mesh.colours[there])
        return joined([one.moved(one.points + carrier) for carrier in now.carriers])
