"""What of a block can be set, as a page shows it: every control with its limits, read off the fields of its kind."""

from dataclasses import dataclass
from types import UnionType
from typing import Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel
from pydantic.fields import FieldInfo

from fatsignal.core.tone.blocks.block import ToneBlock, TonePart, label_of
from fatsignal.core.tone.blocks.response import ResponseFile

Path = tuple[str | int, ...]


@dataclass(frozen=True, slots=True)
class Control:
    """One value. A number has limits, the least step, and whether its rule is even in steps or in ratios; of a file the
    value is its name.
    """

    path: Path
    label: str
    shape: Literal["number", "choice", "switch", "file"]
    value: float | str | bool | None
    unit: str = ""
    low: float = 0.0
    high: float = 0.0
    step: float = 0.0
    even: Literal["steps", "ratios"] = "steps"
    choices: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class ControlGroup:
    """Controls that belong together: those of the block itself, or of one row of a list of it, such as a microphone."""

    title: str
    path: Path
    controls: tuple[Control, ...]
    removable: bool = False


@dataclass(frozen=True, slots=True)
class Extensible:
    """A list of a block to which one more can be added."""

    path: Path
    label: str


def controls_of(block: ToneBlock) -> tuple[list[ControlGroup], list[Extensible]]:
    """All that can be set of a block, and what can be added to it."""
    own: list[Control] = []
    groups: list[ControlGroup] = []
    extensible: list[Extensible] = []
    idle = block.idle() | {"kind", "bypassed"}
    for name, field in type(block).model_fields.items():
        if name in idle:
            continue
        rows = rows_of(field)
        if rows is None:
            own.append(_control(field, (name,), getattr(block, name)))
            continue
        values = getattr(block, name)
        singular = name.removesuffix("s")
        for index, row in enumerate(values):
            controls = tuple(
                _control(each, (name, index, key), getattr(row, key))
                for key, each in rows.model_fields.items()
                if get_origin(each.annotation) is not list
            )
            least = _limit(field, "min_length") or 0
            groups.append(ControlGroup(f"{singular} {index + 1}", (name, index), controls, len(values) > least))
        if len(values) < (_limit(field, "max_length") or 0):
            extensible.append(Extensible((name,), singular))
    return [*([ControlGroup("", (), tuple(own))] if own else []), *groups], extensible


def rows_of(field: FieldInfo) -> type[TonePart] | None:
    """Of what a field is a list; None where it is no list."""
    if get_origin(field.annotation) is not list:
        return None
    (row,) = get_args(field.annotation)
    return row if isinstance(row, type) and issubclass(row, TonePart) else None


def _control(field: FieldInfo, path: Path, value: Any) -> Control:
    label = label_of(str(path[-1]), field)
    kinds = _kinds(field.annotation)
    if bool in kinds:
        return Control(path, label, "switch", bool(value))
    if ResponseFile in kinds:
        return Control(path, label, "file", value.name if value is not None else None)
    choices = tuple(str(each) for kind in kinds if get_origin(kind) is Literal for each in get_args(kind))
    if choices:
        return Control(path, label, "choice", str(value), choices=choices)
    extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
    low, high = _limit(field, "ge") or 0.0, _limit(field, "le") or 0.0
    step = extra.get("step")
    return Control(
        path, label, "number", value, unit=str(extra.get("unit", "")), low=low, high=high,
        step=float(step) if isinstance(step, int | float) else (high - low) / 100,
        even="ratios" if extra.get("even") == "ratios" else "steps",
    )  # fmt: skip


def _kinds(annotation: Any) -> tuple[Any, ...]:
    """What a value may be; of an optional one, without None."""
    if get_origin(annotation) in (Union, UnionType):
        return tuple(each for each in get_args(annotation) if each is not type(None))
    return (annotation,)


def _limit(field: FieldInfo, name: str) -> Any:
    return next((getattr(each, name) for each in field.metadata if hasattr(each, name)), None)


def field_at(model: BaseModel, path: Path) -> tuple[FieldInfo, Any]:
    """The field that a path leads to, and its value.

    Raises
    ------
    LookupError
        If the path leads nowhere.
    """
    here: Any = model
    for step in path[:-1]:
        here = here[step] if isinstance(step, int) else getattr(here, step, None)
        if here is None:
            raise LookupError(path)
    last = path[-1]
    if not isinstance(here, BaseModel) or not isinstance(last, str) or last not in type(here).model_fields:
        raise LookupError(path)
    return type(here).model_fields[last], getattr(here, last)
