"""The command that fits a device's profile to measured times."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Annotated

import typer

from tenka.base.errors import BadInput
from tenka.cli.common import Json, app, say


@app.command()
def calibrate(
    device: Annotated[str, typer.Argument(help="What the new profile is called: letters, digits, dashes.")],
    file: Annotated[Path, typer.Argument(help="The table that a package's page wrote on the device.")],
    like: Annotated[str, typer.Option("--like", help="The device whose other figures it has.")] = "hearth",
    package: Annotated[
        Path | None, typer.Option("--package", help="The package that was measured; it tells what was drawn.")
    ] = None,
    out: Annotated[
        Path | None, typer.Option("--out", help="Another folder for the profile than the usual one.")
    ] = None,
    as_json: Json = False,
) -> None:
    """Fit a device's profile to times that a package's page measured there, and say how well that fits."""
    from tenka.budget.calibrating import NAME, write_device
    from tenka.budget.calibrating import calibrate as fit_to
    from tenka.budget.devices import device as device_of
    from tenka.package import manifest as form

    if not re.fullmatch(NAME, device):
        raise BadInput(f"'{device}' cannot name a profile", "small letters, digits, dashes", place="DEVICE")
    elements = form.read(package).elements if package is not None else ()
    fit = fit_to(file, device_of(like), device, device.capitalize(), elements)
    made = fit.device
    for name in dict.fromkeys(row.element for row in fit.rows):
        count, off = sum(row.element == name for row in fit.rows), fit.off_of(name)
        bound = sorted({b for b, row in zip(fit.bound, fit.rows) if row.element == name and row.covered > 0})
        say(
            {"element": name, "rows": count, "off": off, "still_ms": fit.still[name], "bound": bound},
            as_json,
            f"{name}: {count} rows, off by {100 * off:.1f} %, bound by {', '.join(bound) or 'nothing'}; "
            f"{fit.still[name]:.3f} ms of it is the set and the driver",
        )
    place = write_device(made, out)
    say(
        {"device": made.model_dump(mode="json"), "off": fit.off, "file": str(place)},
        as_json,
        f"{made.name}: {made.fill_gpixel_s:g} Gpx/s, {made.arithmetic_gflop_s:g} GFLOP/s, "
        f"{made.bandwidth_gb_s:g} GB/s, {made.draw_call_us:g} µs a draw; off by {100 * fit.off:.1f} % over "
        f"{len(fit.rows)} rows. Written to {place}.",
    )
