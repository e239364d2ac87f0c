"""The set of a package: props that stand, that move and that leave, the camera, and the lights."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from scipy.spatial.transform import Rotation

from tenka.base.errors import BadInput
from tenka.base.exr import exr_bytes
from tenka.effect.courses import still
from tenka.effect.model import Effect, Prop, heard
from tenka.look.lamps import lamp_at
from tenka.look.shot import breaking
from tenka.package import manifest as form
from tenka.package.parts import Texture
from tenka.package.stands import OF_LIGHT
from tenka.scene.glb import to_bytes
from tenka.scene.meshes import Mesh
from tenka.scene.poses import moves, pose_at
from tenka.scene.props import deforms, own_mesh, prop_mesh

MOST_BENT = 4_000_000  # places of points over all frames


def stands_still(effect: Effect, folder: Path | None) -> tuple[str, ...]:
    """Names of props that a clip bends and that have too many points to be told frame by frame: a package
    holds them as at their start."""
    bent = [p for p in effect.props if not p.hidden and deforms(p)]
    try:
        return tuple(p.name for p in bent if not _bends(p, effect, folder))
    except BadInput:  # packing says what is amiss
        return ()


def _bends(prop: Prop, effect: Effect, folder: Path | None) -> bool:
    """Whether a package tells how a prop bends."""
    return deforms(prop) and 3 * len(own_mesh(prop, folder).faces) * effect.frames <= MOST_BENT


def set_file(effect: Effect, folder: Path | None, target: Path) -> form.Set:
    """Write the props and the camera."""
    light, leaves = still(effect.light, 0.0), breaking(effect)
    shown = [p for p in effect.props if not p.hidden and leaves.get(p.id, 1.0) > 0]
    credits = tuple(dict.fromkeys(p.credit for p in effect.props if p.credit and not p.hidden))
    stands: dict[str, Mesh] = {}
    leaving, moving = [], []
    for prop in shown:
        until = round(leaves[prop.id], 6) if prop.id in leaves else None
        if moves(prop, effect.props) or _bends(prop, effect, folder):
            moving.append(_moving(effect, prop, folder, target, until))
        elif until is not None:
            leaving.append(form.Leaving(file=f"set_{prop.id}.glb", at=until))
            (target / leaving[-1].file).write_bytes(
                to_bytes({prop.id: prop_mesh(prop, effect.props, folder)})
            )
        else:
            stands[prop.id] = prop_mesh(prop, effect.props, folder)
    (target / "set.glb").write_bytes(to_bytes(stands, effect.camera, "; ".join(credits)))
    return form.Set(
        file="set.glb",
        **{ours: getattr(light, theirs) for ours, theirs in OF_LIGHT.items()},
        lights=_lights(effect),
        leaving=tuple(leaving),
        moving=tuple(moving),
        still=stands_still(effect, folder),
        credits=credits,
    )


def _moving(
    effect: Effect, prop: Prop, folder: Path | None, target: Path, until: float | None
) -> form.Moving:
    """Write a prop in its own axes, and where it is in each frame; the same turn is never told by two
    quaternions in a row."""
    poses = [pose_at(prop, effect.props, f / effect.rate) for f in range(effect.frames)]
    quaternions = Rotation.from_matrix([p.turn for p in poses]).as_quat(scalar_first=True)
    signs = np.ones(len(poses))
    for n in range(1, len(poses)):
        dot = float(quaternions[n] @ quaternions[n - 1]) * signs[n - 1]
        signs[n] = 1.0 if dot >= 0 else -1.0
    rows = np.concatenate([[p.origin for p in poses], signs[:, None] * quaternions], axis=1).round(6)
    file = f"set_{prop.id}.glb"
    (target / file).write_bytes(to_bytes({prop.id: own_mesh(prop, folder)}))
    held = [tuple(map(float, row)) for row in rows]
    bent = None
    if _bends(prop, effect, folder):
        bent = Texture(file=f"set_{prop.id}_bent.exr")
        (target / bent.file).write_bytes(exr_bytes(_bent(effect, prop, folder), half=True))
    return form.Moving(file=file, rate=effect.rate, rows=tuple(held), until=until, bent=bent)


def _bent(effect: Effect, prop: Prop, folder: Path | None) -> np.ndarray:
    """Where the corners of a prop's triangles are in each frame, in the order of its GLB, (frames, n, 3)."""
    return np.stack(
        [own_mesh(prop, folder, f / effect.rate).corners.reshape(-1, 3) for f in range(effect.frames)]
    )


def _lights(effect: Effect) -> tuple[form.SetLight, ...]:
    """The lights that fall on the set, as they are in each frame."""
    found = []
    for light in heard(effect.lights):
        if light.hidden or light.reaches == "effect":
            continue
        rows = [
            tuple(round(float(v), 5) for v in lamp_at(light, effect, f / effect.rate).row[: form.LIGHT_ROW])
            for f in range(effect.frames)
        ]
        still_one = all(row == rows[0] for row in rows)
        found.append(
            form.SetLight(
                name=light.name,
                rate=effect.rate,
                shadows=light.shadows,
                reach=light.reach,
                rows=tuple(rows[:1] if still_one else rows),
            )
        )
    return tuple(found)
