"""`READ-ME.txt`: what a package holds, and how an engine draws it, with formulas."""

from __future__ import annotations

from pathlib import Path

from tenka.base.words import counted
from tenka.package.manifest import PAGE, Flipbook, Manifest

GENERAL = (Path(__file__).parent / "page" / "about.txt").read_text()
SECOND = {
    "emission": "  read() adds {file}: its colour, decoded from sRGB, times {scale:.6g}; may be above 1.\n",
    "temperature": (
        "  read() adds the glow of {file}: its red times {scale:.6g} K above the air, looked up in\n"
        "  `black_body` ({steps} even steps), times a.\n"
    ),
}
MOTION = (
    "  Along motion: with red and green of {file} from 0 to 255,\n"
    "  m = ((red, green) / 127 - 1) ({x:.6g}, {y:.6g}) is the way to the next frame as a share of a frame,\n"
    "  right and down. Read frame n at uv - f m and frame n + 1 at uv + (1 - f) m, each with its own m.\n"
)


def _element(e: Flipbook) -> str:
    """One element in words."""
    text = (
        f"\n{e.id}  ({e.route} of {', '.join(e.layers)})\n"
        f"  {e.colour.file}: {e.width} x {e.height} px, {e.columns} x {e.rows} cells, "
        f"{counted(e.frames, 'frame')} over {e.times[-1] - e.times[0]:.3f} s,\n"
        f"  {e.size[0]:.3f} x {e.size[1]:.3f} m, {e.colour.alpha} alpha\n"
    )
    if e.second is not None:
        steps = len(e.second.black_body)
        text += SECOND[e.second.holds].format(file=e.second.file, scale=e.second.scale, steps=steps)
    if e.motion is not None:
        text += MOTION.format(file=e.motion.file, x=e.motion.scale[0], y=e.motion.scale[1])
    return text


def about(manifest: Manifest) -> str:
    """The text of a package."""
    whole = GENERAL.format(
        effect=manifest.effect,
        elements=counted(len(manifest.elements), "element"),
        page=PAGE,
        largest=max(max(e.width, e.height) for e in manifest.elements),
        exposure=manifest.set.exposure,
    )
    return whole + "\nELEMENTS\n" + "".join(_element(e) for e in manifest.elements)
