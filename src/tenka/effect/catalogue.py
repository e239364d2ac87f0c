"""The one catalogue of parameters.

Each setting is declared once through its section, as a typed pydantic field that carries its unit, ranges,
help and what it drives. Sheet rows, validation, help, the guide's tables, cache keys and cost gutters are all
read from these declarations: `MOTION.moving(1.0, "1/s", 0, 60, "What it does to the picture.")`.
"""

from __future__ import annotations

import math
import types
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, field_validator

from tenka.effect.courses import Course

Affects = Literal["simulation", "final", "look", "pack", "player", "tier", "none"]


@dataclass(frozen=True)
class Param:
    """One declared setting: everything about it except its present value."""

    name: str
    label: str
    kind: str  # number, whole, vector, toggle, choice, colour, ramp, text, file
    default: Any
    unit: str
    help: str
    section: str
    low: float | None
    high: float | None
    soft: tuple[float, float]
    step: float
    course: bool
    affects: Affects
    cost: str
    choices: tuple[str, ...]
    when: tuple[tuple[str, tuple[str, ...]], ...]
    axis: tuple[float, float, str] | None = None
    named: tuple[tuple[float, str], ...] = ()

    def clamp(self, value: float) -> float:
        if self.low is not None:
            value = max(self.low, value)
        if self.high is not None:
            value = min(self.high, value)
        return value

    def shown_when(self, owner: BaseModel) -> bool:
        """False when another setting of `owner` makes this one do nothing (then no row is shown)."""
        values = ((getattr(owner, name), wanted) for name, wanted in self.when)
        return all(str(other) in wanted if wanted else bool(other) for other, wanted in values)


def plain_number(
    label: str,
    unit: str,
    help: str,
    low: float | None,
    high: float | None,
    soft: tuple[float, float],
    step: float = 1.0,
    kind: str = "whole",
) -> Param:
    """A number of the window that is no setting of an effect: how many, which frame."""
    return Param(
        label, label, kind, soft[0], unit, help, "", low, high, soft, step, False, "none", "", (), ()
    )


@dataclass(frozen=True)
class Section:
    """A section of the sheet, which declares the settings that stand in it.

    Attributes
    ----------
    name : its heading
    affects : what a change of its settings makes stale, unless one says otherwise
    """

    name: str
    affects: Affects = "simulation"

    def param(
        self,
        default: Any,
        help: str,
        *,
        unit: str = "",
        label: str = "",
        low: float | None = None,
        high: float | None = None,
        soft: tuple[float, float] | None = None,
        step: float | None = None,
        course: bool = False,
        affects: Affects | None = None,
        cost: str = "",
        kind: str = "",
        when: tuple[Any, ...] = (),
        axis: tuple[float, float, str] | None = None,
        named: tuple[tuple[float, str], ...] = (),
    ) -> Any:
        """Declare a setting.

        Parameters
        ----------
        default : value given to new objects and by a row's reset
        help : one line that says what it does to the picture
        unit : shown beside every figure of it
        low, high : hard range, enforced when read and when typed
        soft : the range in which the effect of a change can be seen; a drag covers it in about 250 px
        step : drag step; by default a hundredth of the soft range
        course : whether it may move over time
        affects : what a change makes stale
        cost : the timed part of the solver, or the modelled part of the frame, that it drives
        when : (other field, values): the row is shown only then; without values, when that field is set to
            anything. Several such pairs must all hold
        axis : of a ramp over a quantity: its value at the left and at the right end, going by octaves, and
            its unit
        named : values that are shown, and may be typed, as words
        """
        if soft is None:
            soft = (low if low is not None else 0.0, high if high is not None else 1.0)
        meta: dict[str, Any] = {
            "unit": unit,
            "help": help,
            "section": self.name,
            "label": label,
            "low": low,
            "high": high,
            "soft": soft,
            "step": step if step is not None else (soft[1] - soft[0]) / 100.0,
            "course": course,
            "affects": affects or self.affects,
            "cost": cost,
            "kind": kind,
            "when": when if not when or isinstance(when[0], tuple) else (when,),
        }
        if named:
            meta["named"] = named
        if axis is not None:
            meta["axis"] = axis
        extra: Any = {"tenka": meta}
        ends = {"minimum": low, "maximum": high}  # as the published schema tells them
        extra |= {name: end for name, end in ends.items() if end is not None}
        if isinstance(default, BaseModel | list | dict):
            return Field(default_factory=lambda: default, description=help, json_schema_extra=extra)
        return Field(default, description=help, json_schema_extra=extra)

    def number(
        self, default: Any, unit: str, low: float | None, high: float | None, help: str, **more: Any
    ) -> Any:
        """Declare a number, a whole number or a vector, with its unit and hard range; see `param`."""
        return self.param(default, help, unit=unit, low=low, high=high, **more)

    def moving(
        self, default: Any, unit: str, low: float | None, high: float | None, help: str, **more: Any
    ) -> Any:
        """Declare a number that may follow a course; see `param`."""
        return self.param(default, help, unit=unit, low=low, high=high, course=True, **more)


WHERE = Section("Where")
MESH = Section("Mesh")
COPIES = Section("Copies")
PATH = Section("Path")
WHAT = Section("What")
FIRE = Section("Fire")
MOTION = Section("Motion")
FADING = Section("Fading")
COLLISION = Section("Collision")
BED = Section("Bed")
FOAM = Section("Foam")
LOOK = Section("Look", "look")
COLOUR = Section("Colour", "look")
TRAIL = Section("Trail", "look")
MULTIPLY = Section("Multiply", "look")
LIGHT = Section("Light", "look")
CAMERA = Section("Camera", "look")
ATLAS = Section("Atlas", "pack")
VOLUME = Section("Volume", "pack")
BAKE = Section("Bake", "pack")
PLAYER = Section("Player", "player")
DISTANCE = Section("Distance", "player")
QUALITY = Section("Quality")
VIEWING = Section("Viewing", "tier")
FILE_KINDS = ("file", "image", "points_file", "package")
"""Kinds of settings that name a file or a folder, relative to the effect's own."""
ORDER = (
    WHERE,
    MESH,
    COPIES,
    PATH,
    WHAT,
    FIRE,
    MOTION,
    FADING,
    COLLISION,
    BED,
    FOAM,
    LOOK,
    COLOUR,
    TRAIL,
    MULTIPLY,
    LIGHT,
    CAMERA,
    ATLAS,
    VOLUME,
    BAKE,
    PLAYER,
    DISTANCE,
    QUALITY,
    VIEWING,
)
"""The sections in the order of the work, which is that of the sheet."""
SECTIONS = tuple(section.name for section in ORDER)


class Settings(BaseModel):
    """Base of all settings: immutable, strict about names, and range-checked from the catalogue."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    @field_validator("*")
    @classmethod
    def _in_range(cls, value: Any, info: ValidationInfo) -> Any:
        field = cls.model_fields.get(info.field_name or "")
        meta = _meta(field) if field else None
        if meta is None or (meta["low"] is None and meta["high"] is None):
            return value
        for number in _numbers(value):
            if isinstance(number, int | float) and not isinstance(number, bool):
                low = -math.inf if meta["low"] is None else meta["low"]
                high = math.inf if meta["high"] is None else meta["high"]
                if not low <= number <= high:
                    raise ValueError(
                        f"{number:g} is outside {low:g} to "
                        f"{high:g}{' ' + meta['unit'] if meta['unit'] else ''}"
                    )
        return value


def _numbers(value: Any) -> Iterator[Any]:
    if isinstance(value, tuple):
        for item in value:
            yield from _numbers(item)
    else:
        yield value


def _meta(field: Any) -> dict[str, Any] | None:
    extra = getattr(field, "json_schema_extra", None)
    return extra.get("tenka") if isinstance(extra, dict) else None


def _kind_of(annotation: Any) -> tuple[str, tuple[str, ...]]:
    origin = get_origin(annotation)
    if origin is Literal:
        return "choice", tuple(map(str, get_args(annotation)))
    if origin is tuple:
        return "vector", ()
    if annotation is bool:
        return "toggle", ()
    if annotation is int:
        return "whole", ()
    if annotation is str:
        return "text", ()
    if annotation is float or origin in (Union, types.UnionType):
        return "number", ()
    return "ramp", ()


_tables: dict[type[BaseModel], dict[str, Param]] = {}


def params(model: type[BaseModel]) -> dict[str, Param]:
    """All declared settings of a model class, by name, in the order of declaration."""
    if model not in _tables:
        table = {}
        for name, field in model.model_fields.items():
            meta = _meta(field)
            if meta is None:
                continue
            kind, choices = _kind_of(field.annotation)
            table[name] = Param(
                name=name,
                label=meta["label"] or name.replace("_", " "),
                kind=meta["kind"] or kind,
                default=field.get_default(call_default_factory=True),
                unit=meta["unit"],
                help=meta["help"],
                section=meta["section"],
                low=meta["low"],
                high=meta["high"],
                soft=tuple(meta["soft"]),
                step=meta["step"],
                course=meta["course"],
                affects=meta["affects"],
                cost=meta["cost"],
                choices=choices,
                when=meta["when"],
                axis=meta.get("axis"),
                named=meta.get("named", ()),
            )
        _tables[model] = table
    return _tables[model]


def walk(node: Any, path: str = "") -> Iterator[tuple[str, Param, Any, Settings]]:
    """Every declared setting below `node`, as (path, parameter, value, owner)."""
    if isinstance(node, Settings):
        table = params(type(node))
        for name in type(node).model_fields:
            value = getattr(node, name)
            here = f"{path}.{name}" if path else name
            if name in table:
                yield here, table[name], value, node
            elif isinstance(value, Settings | tuple):
                yield from walk(value, here)
    elif isinstance(node, tuple):
        for item in node:
            if isinstance(item, Settings) and hasattr(item, "id"):
                yield from walk(item, f"{path}.{item.id}")


def mapped(node: Any, change: Callable[[Param, Any], Any]) -> Any:
    """A copy of `node` with `change(parameter, value)` in place of every declared setting below it.

    What does not change is shared, and `node` itself is returned when nothing does.
    """
    if isinstance(node, tuple):
        new = tuple(mapped(item, change) for item in node)
        return node if all(a is b for a, b in zip(new, node)) else new
    if not isinstance(node, Settings):
        return node
    table = params(type(node))
    found = {}
    for name in type(node).model_fields:
        value = getattr(node, name)
        new_value = change(table[name], value) if name in table else mapped(value, change)
        if new_value is not value:
            found[name] = new_value
    return node.model_copy(update=found) if found else node


def plain(value: Any) -> Any:
    """A setting's value as plain JSON data."""
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json")
    if isinstance(value, tuple | list):
        return [plain(v) for v in value]
    return value


def settings_that_affect(node: Any, affects: set[str]) -> dict[str, Any]:
    """Plain values of all settings below `node` whose change makes one of `affects` stale.

    Courses are left out here: a cache key takes them as sampled values, frame by frame.
    """
    return {
        path: plain(value)
        for path, p, value, _ in walk(node)
        if p.affects in affects and not isinstance(value, Course)
    }


def table_markdown(model: type[BaseModel]) -> str:
    """The guide's table of a model's settings, from the catalogue."""
    rows = ["| setting | unit | default | range | what it does |", "| --- | --- | --- | --- | --- |"]
    for p in params(model).values():
        default = plain(p.default)
        shown = "ramp" if p.kind == "ramp" else _shown(default) if isinstance(default, list) else f"{default}"
        span = (
            ""
            if p.low is None and p.high is None
            else f"{'' if p.low is None else f'{p.low:g}'} to {'' if p.high is None else f'{p.high:g}'}"
        )
        rows.append(f"| {p.label} | {p.unit} | {shown} | {span or ', '.join(p.choices)} | {p.help} |")
    return "\n".join(rows)


def _shown(values: list[Any]) -> str:
    """A vector, or a list of them, as the guide writes it."""
    if values and isinstance(values[0], list):
        return "; ".join(_shown(v) for v in values)
    return " × ".join(f"{v:g}" for v in values)
