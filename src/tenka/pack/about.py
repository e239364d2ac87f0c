"""`READ-ME.txt`: what a package holds, and how an engine draws it, with formulas."""

from __future__ import annotations

import ast
from pathlib import Path

from tenka.base.words import counted
from tenka.pack.routes import ROUTES
from tenka.package.manifest import PAGE, PLAYER, Manifest
from tenka.package.parts import Element

GENERAL = (Path(__file__).parent / "page" / "about.txt").read_text()
SOURCE = (Path(__file__).parent / "page" / "play.py").read_text()
"""A player in plain Python, which every package holds; its functions are quoted in the text."""
QUOTED = {
    "flipbook": ("chance", "over", "flipbook", "sprite"),
    "particles": ("moment", "mixed", "particles"),
    "trails": ("moment", "mixed", "trails"),
    "bodies": ("moment", "mixed", "bodies"),
    "light": ("moment", "light"),
    "volume": ("moment", "volume"),
    "slices": ("moment", "cell", "slices"),
    "shimmer": ("moment", "cell", "shimmer"),
    "surface": ("moment", "surface"),
    "meshes": ("moment", "meshes"),
}
LAW = ("Field", "flown", "rubbed", "met", "lawful")


def about(manifest: Manifest) -> str:
    """The text of a package."""
    whole = GENERAL.format(
        effect=manifest.effect,
        elements=counted(len(manifest.elements), "element"),
        page=PAGE,
        largest=max((max(size) for e in manifest.elements for size in e.textures), default=0),
        exposure=manifest.set.exposure,
    )
    moving = [part.file for part in manifest.set.moving]
    if moving:
        whole += (
            f"\nMOVING PARTS OF THE SET\n{', '.join(moving)}: each in its own axes; `set.moving` has a row "
            "for each frame since the start\n(`rate` a second): place x y z, and turn as a quaternion w x "
            "y z.\n"
        )
        bending = [part.bent.file for part in manifest.set.moving if part.bent is not None]
        if bending:
            whole += (
                f"{', '.join(bending)}: what a clip bends, a row for each of these frames and a column for "
                "each vertex of\nthe GLB in its order: red green blue are x y z in the part's own axes, m.\n"
            )
    if manifest.set.still:
        bent = ", ".join(manifest.set.still)
        whole += f"\nBent by a clip, with too many points for a package, and here as at its start: {bent}.\n"
    whole += "\nELEMENTS\n" + "".join(_element(e) for e in manifest.elements)
    return whole + "\nAS CODE\n" + _quoted(manifest)


def _quoted(manifest: Manifest) -> str:
    """The functions of the player that work out what this package holds, as they are."""
    names = [name for e in manifest.elements for name in QUOTED.get(e.route, ())]
    if any(getattr(e, "law", None) is not None for e in manifest.elements):
        names += LAW
    wanted = dict.fromkeys(names)
    parts = {
        node.name: node for node in ast.parse(SOURCE).body if isinstance(node, ast.FunctionDef | ast.ClassDef)
    }
    told = (
        f"{PLAYER} works all of this out with NumPy and Pillow (python {PLAYER} ELEMENT TIME). From it:\n\n"
    )
    return told + "\n\n".join(ast.get_source_segment(SOURCE, parts[name]) or "" for name in wanted) + "\n"


def _element(e: Element) -> str:
    """One element in words."""
    span = f"{counted(len(e.times), 'moment')} from {e.times[0]:.3f} to {e.times[-1]:.3f} s"
    head = f"\n{e.id}  ({e.route} of {', '.join(e.layers)}; {span})\n"
    return head + ROUTES[e.route].told(e)
