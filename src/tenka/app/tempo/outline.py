"""What lines the tempo has, and the marks of each."""

from __future__ import annotations

from dataclasses import dataclass

from tenka.app.kinds import view_of_force, view_of_kind
from tenka.app.state import State
from tenka.app.tempo.rowcost import COST, cost_rows
from tenka.run.kinds import kind_of

MARKS = (
    ("ear", "solo", "Heard alone"),
    ("eye", "hidden", "Hide: takes part, is not drawn"),
    ("ban", "passed_over", "Pass over: left out of the simulation"),
)

SOURCE_TIP = (
    "Alt-drag draws a burst: it begins where you press and has died down where you let go.\n"
    "Ctrl-drag moves all of its timing; a burst is moved by its stem, with all that hangs on its cue "
    "(with Shift alone)."
)


def marks_of(path: str) -> tuple[tuple[str, str, str], ...]:
    """Solo, hide and pass over; a prop gives only scale and shape, so there is nothing to pass over; trials
    and cameras take no part.
    """
    if path.startswith(("trials.", "cues.", "cameras.")):
        return ()
    return MARKS[:2] if path.startswith("props.") else MARKS


@dataclass(frozen=True)
class Line:
    """One row: where it stands in the document (or a fold)."""

    path: str
    name: str
    icon: str
    depth: int
    fold: str = ""
    measure: str = ""


ICONS = {"lights": "lightbulb", "cameras": "camera", "props": "box"}


def lines_of(state: State, unfolded: set[str]) -> list[Line]:
    """The lines, from top to bottom."""
    e, found = state.effect, []
    for layer in e.layers:
        found.append(Line(f"layers.{layer.id}", layer.name, view_of_kind(layer).icon, 0))
        for source in layer.sources:
            found.append(Line(f"layers.{layer.id}.sources.{source.id}", source.name, "circle-dot", 1))
        for collider in layer.colliders:
            found.append(Line(f"layers.{layer.id}.colliders.{collider.id}", collider.name, "shield", 1))
    found += [Line(f"cues.{cue.id}", cue.name, "flag", 0) for cue in e.cues]
    groups = (
        ("forces", e.forces, "Forces"),
        ("lights", e.lights, "Lights"),
        ("cameras", e.cameras, "Cameras"),
        ("props", e.props, "Props"),
    )
    for fold, items, group in groups:
        if items:
            open_ = fold in unfolded
            found.append(
                Line("", f"{group} ({len(items)})", "chevron-down" if open_ else "chevron-right", 0, fold)
            )
            if open_:
                found += [
                    Line(f"{fold}.{i.id}", i.name, ICONS.get(fold) or view_of_force(i).icon, 1) for i in items
                ]
    if e.trials:
        open_ = "trials" in unfolded
        found.append(
            Line("", f"Trials ({len(e.trials)})", "chevron-down" if open_ else "chevron-right", 0, "trials")
        )
        if open_:
            found += [Line(f"trials.{t.id}", t.name, "bookmark", 1) for t in e.trials]
    if e.deliveries and state.tier is not None:
        open_ = COST in unfolded
        title = f"Cost on {state.tier.name}"
        found.append(Line("", title, "chevron-down" if open_ else "chevron-right", 0, COST, COST))
        if open_:
            found += [Line("", name, "chart-line", 1, measure=id) for name, id in cost_rows(state)]
    if e.layers:
        open_ = "measures" in unfolded
        title = f"Measures of {state.layer.name}" if state.layer and len(e.layers) > 1 else "Measures"
        found.append(Line("", title, "chevron-down" if open_ else "chevron-right", 0, "measures"))
        if open_:
            layer_now = state.layer
            burns = any(gas.fire.burns for gas in e.gases)
            table = kind_of(layer_now).measures if layer_now is not None else ()
            found += [
                Line("", name, "chart-line", 1, measure=id)
                for id, name, _ in table
                if burns or id not in ("fuel", "burnt")
            ]
            found.append(Line("", "Time of a step", "chart-line", 1, measure="ms"))
    return found
