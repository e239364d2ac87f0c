"""The page that every package holds: it plays the package in any browser, with all data inside."""

from __future__ import annotations

import base64
import json
from pathlib import Path
from typing import Any

import numpy as np

from tenka.look.colour import MIXED, black_body_colour
from tenka.look.heaven import PATCHES, TILE_M, backdrop_of, patches
from tenka.look.raster import bounce_of
from tenka.look.volume import sky_of
from tenka.pack.routes import ROUTES
from tenka.package.manifest import PAGE, read
from tenka.package.stands import Mover, light_of, mesh_of, movers_of, set_of
from tenka.scene.cameras import sun_direction
from tenka.scene.meshes import Mesh

TEMPLATE = Path(__file__).parent / PAGE
FIRST, LAST = "core", "hands"
"""Parts of the page's script that stand before and after those of the routes."""


def _text(values: np.ndarray) -> str:
    return base64.b64encode(np.ascontiguousarray(values, np.float32).tobytes()).decode()


def _rounded(values: Any) -> Any:
    return np.round(np.asarray(values, float), 6).tolist()


def _moves(mover: Mover) -> dict[str, Any]:
    """Where a part of the set is in each frame, and where its corners are: each place once."""
    found: dict[str, Any] = {"rate": mover.part.rate, "rows": mover.part.rows}
    if mover.bent is not None:
        bent = mover.bent[:, mover.mesh.faces.reshape(-1)]
        flat = bent.transpose(1, 0, 2).reshape(bent.shape[1], -1)
        once, which = np.unique(flat, axis=0, return_inverse=True)
        own = once.reshape(len(once), len(bent), 3).transpose(1, 0, 2)
        found["bent"] = {"points": len(once), "places": _text(own), "corners": which.reshape(-1).tolist()}
    return found


def page_of(folder: Path) -> bytes:
    """The page of a package whose other files are written: manifest, pictures and set go into it."""
    manifest = read(folder)
    mesh, camera = set_of(folder, manifest.set)
    light = light_of(manifest.set)
    parts: list[tuple[float | None, Mesh, Mover | None]] = [(None, mesh, None)]
    parts += [(part.at, mesh_of(folder / part.file), None) for part in manifest.set.leaving]
    parts += [(mover.part.until, mover.mesh, mover) for mover in movers_of(folder, manifest.set)]
    held = {e.id: ROUTES[e.route].page(folder, e, manifest.set) for e in manifest.elements}
    images = {
        name: "data:image/png;base64," + base64.b64encode((folder / name).read_bytes()).decode()
        for of in held.values()
        for name in of.pop("images", ())
    }
    stands = manifest.set
    data = {
        "manifest": manifest.model_dump(mode="json"),
        "images": images,
        "held": held,
        "camera": camera.model_dump(mode="json"),
        "set": [
            {
                "until": until,
                "places": _text(m.points[m.faces]),
                "colours": _text(np.repeat(m.colours, 3, 0)),
                "moves": _moves(mover) if mover is not None else None,
            }
            for until, m, mover in parts
            if len(m.faces)
        ],
        "light": {
            "towards": _rounded(sun_direction(stands.sun_heading, stands.sun_height)),
            "sun": _rounded(black_body_colour(stands.sun_kelvin) * stands.sun_strength),
            "sky": _rounded(sky_of(light)),
            "bounce": _rounded(bounce_of(light)),
            "heaven": _rounded(backdrop_of(light)),
            "exposure": manifest.set.exposure,
        },
        "mixed": MIXED,
        "ground": {
            "size": TILE_M,
            "patches": [
                [cells, much, base64.b64encode((255 * tones).round().astype(np.uint8).tobytes()).decode()]
                for (cells, much), tones in zip(PATCHES, patches())
            ],
        },
    }
    # no tag or comment can begin in it, of which the page's own script would be a part
    text = json.dumps(data, ensure_ascii=False, separators=(",", ":")).replace("<", "\\u003c")
    scripts = [TEMPLATE.with_name(f"{name}.js").read_text() for name in (FIRST, *ROUTES, LAST)]
    code = "\n".join(script.removeprefix('"use strict";\n') for script in scripts)
    page = TEMPLATE.read_text().replace("/*CODE*/", '"use strict";\n' + code)
    return page.replace("/*DATA*/", text).encode()
