"""What a person does to a tone: each a rule from one document to the next, with what it is called in the history."""

import copy
from collections.abc import Sequence
from typing import Annotated, Any, Literal, get_origin

from pydantic import BaseModel, BeforeValidator, Field

from fatsignal.core.tone.blocks import KINDS, ToneBlock
from fatsignal.core.tone.blocks.block import label_of, value_said
from fatsignal.core.tone.blocks.response import ImpulseResponse, ResponseFile
from fatsignal.core.tone.controls import field_at, rows_of
from fatsignal.core.tone.document import MOST_BLOCKS, Tone, parse_tone
from fatsignal.core.tone.places import block_at, every_block
from fatsignal.errors import ToneRefused

_BY_KIND: dict[str, type[ToneBlock]] = {kind.model_fields["kind"].default: kind for kind in KINDS}

# As `places.Place`: in splits that nest once. A number alone is a place outside of them.
At = Annotated[
    list[Annotated[int, Field(ge=0, le=MOST_BLOCKS)]],
    Field(min_length=1, max_length=5),
    BeforeValidator(lambda given: [given] if isinstance(given, int) else given),
]


class _Edit(BaseModel):
    @property
    def subject(self) -> str:
        """What it is about: small steps of one thing in a row are undone together. Empty: it stands alone."""
        return ""


class SetValue(_Edit):
    """Turn one value of a block; `kind` is that of the block as the page saw it."""

    do: Literal["set"] = "set"
    block: At
    kind: str = Field(max_length=40)
    path: list[str | int] = Field(min_length=1, max_length=4)
    value: float | bool | str | None

    @property
    def subject(self) -> str:
        return f"{self.block} {self.kind} {self.path}"


class AddBlock(_Edit):
    """A block with usual values, before the one at a place."""

    do: Literal["add"] = "add"
    kind: str = Field(max_length=40)
    at: At


class MoveBlock(_Edit):
    """A block to another place, told as it is after the block was taken from its own."""

    do: Literal["move"] = "move"
    block: At
    to: At


class CopyBlock(_Edit):
    """The same block once more, behind itself."""

    do: Literal["copy"] = "copy"
    block: At


class RemoveBlock(_Edit):
    do: Literal["remove"] = "remove"
    block: At


class BypassBlock(_Edit):
    do: Literal["bypass"] = "bypass"
    block: At
    bypassed: bool


class AddRow(_Edit):
    """One more of a list of a block: a band, a microphone. It begins as the last one is."""

    do: Literal["add_row"] = "add_row"
    block: At
    field: str = Field(max_length=40)


class RemoveRow(_Edit):
    do: Literal["remove_row"] = "remove_row"
    block: At
    field: str = Field(max_length=40)
    row: int = Field(ge=0, lt=64)


class SetResponse(_Edit):
    """Choose the file of an impulse response."""

    do: Literal["response"] = "response"
    block: At
    file: ResponseFile


class SetOversampling(_Edit):
    do: Literal["oversample"] = "oversample"
    factor: Literal[1, 2, 4, 8]


ToneEdit = Annotated[
    SetValue
    | SetResponse
    | AddBlock
    | MoveBlock
    | CopyBlock
    | RemoveBlock
    | BypassBlock
    | AddRow
    | RemoveRow
    | SetOversampling,
    Field(discriminator="do"),
]


def edited(tone: Tone, edit: ToneEdit) -> tuple[Tone, str]:
    """The tone after an edit, and the edit in words.

    Raises
    ------
    ToneRefused
        If there is no such block or value, or the value is outside its limits; the tone stays as it is.
    """
    document = tone.model_dump(mode="json")
    if isinstance(edit, SetOversampling):
        document["oversample"] = edit.factor
        return parse_tone(document), f"oversampling {edit.factor}×"
    if isinstance(edit, AddBlock):
        if edit.kind not in _BY_KIND:
            raise ToneRefused(f"there is no block of the kind {edit.kind}: choose {', '.join(_BY_KIND)}")
        _check_room(tone)
        added = _BY_KIND[edit.kind].example()
        row = _row(document, edit.at)
        row.insert(min(edit.at[-1], len(row)), added.model_dump(mode="json"))
        return parse_tone(document), f"{added.TITLE} added"
    block = _block_at(tone, edit.block)
    row, index = _row(document, edit.block), edit.block[-1]
    match edit:
        case SetValue():
            if edit.kind != row[index]["kind"]:
                raise ToneRefused(f"the block there is {block.TITLE} now: look again, and turn it then")
            return _with_value(document, row[index], block, edit)
        case SetResponse():
            if not isinstance(block, ImpulseResponse):
                raise ToneRefused(f"the block there is {block.TITLE}: choose an impulse response, or add one")
            row[index]["file"] = edit.file.model_dump()
            return parse_tone(document), f"{block.TITLE}: {edit.file.name}"
        case MoveBlock():
            moved = row.pop(index)
            to = _row(document, edit.to)
            to.insert(min(edit.to[-1], len(to)), moved)
            return parse_tone(document), f"{block.TITLE} moved"
        case CopyBlock():
            _check_room(tone)
            row.insert(index + 1, copy.deepcopy(row[index]))
            return parse_tone(document), f"{block.TITLE} copied"
        case RemoveBlock():
            if len(edit.block) == 1 and len(row) == 1:
                raise ToneRefused("a tone has one block at least: bypass it instead")
            del row[index]
            return parse_tone(document), f"{block.TITLE} removed"
        case BypassBlock():
            row[index]["bypassed"] = edit.bypassed
            return parse_tone(document), f"{block.TITLE} {'bypassed' if edit.bypassed else 'back in'}"
        case AddRow() | RemoveRow():
            return _with_rows(document, row[index], block, edit)


def _block_at(tone: Tone, place: Sequence[int]) -> ToneBlock:
    try:
        return block_at(tone.blocks, tuple(place))
    except LookupError:
        there = f"{len(tone.blocks)} blocks, and none" if len(place) == 1 else "no block"
        raise ToneRefused(f"this tone has {there} at place {_said(place)}: look again") from None


def _row(document: dict[str, Any], place: Sequence[int]) -> list[dict[str, Any]]:
    """The row of a document in which a place lies."""
    row: list[dict[str, Any]] = document["blocks"]
    try:
        for index, path in zip(place[:-1:2], place[1::2], strict=True):
            row = row[index]["paths"][path]["blocks"]
    except (LookupError, ValueError):
        raise ToneRefused(f"this tone has no place {_said(place)}: look again") from None
    return row


def _said(place: Sequence[int]) -> str:
    return " ".join(str(number + 1) for number in place)


def _check_room(tone: Tone) -> None:
    if sum(1 for _ in every_block(tone.blocks)) >= MOST_BLOCKS:
        raise ToneRefused(f"a tone has {MOST_BLOCKS} blocks at most: take one out first")


def _with_value(document: dict[str, Any], own: dict[str, Any], block: ToneBlock, edit: SetValue) -> tuple[Tone, str]:
    try:
        field, before = field_at(block, tuple(edit.path))
    except LookupError:
        raise ToneRefused(f"{block.TITLE} has no {' '.join(map(str, edit.path))}") from None
    if get_origin(field.annotation) is list or edit.path in (["kind"], ["file"]):
        raise ToneRefused(f"{block.TITLE}: {edit.path[-1]} is not a value that is turned")
    here: Any = own
    for step in edit.path[:-1]:
        here = here[step]
    value = edit.value
    if isinstance(value, bool) != isinstance(before, bool):
        raise ToneRefused(
            f"{block.TITLE}: {edit.path[-1]} is {'on or off' if isinstance(before, bool) else 'no switch'}"
        )
    # A slider gives 3.0 where whole numbers are meant.
    if isinstance(before, int) and not isinstance(before, bool) and isinstance(value, float) and value.is_integer():
        value = int(value)
    here[edit.path[-1]] = value
    turned = parse_tone(document)
    _, now = field_at(_block_at(turned, edit.block), tuple(edit.path))
    return turned, f"{block.TITLE}: {label_of(str(edit.path[-1]), field)} {value_said(now, field)}"


def _with_rows(
    document: dict[str, Any], own: dict[str, Any], block: ToneBlock, edit: AddRow | RemoveRow
) -> tuple[Tone, str]:
    field = type(block).model_fields.get(edit.field)
    if field is None or rows_of(field) is None:
        raise ToneRefused(f"{block.TITLE} has no list of {edit.field}")
    rows: list[Any] = own[edit.field]
    singular = edit.field.removesuffix("s")
    if isinstance(edit, AddRow):
        rows.append(dict(rows[-1]) if rows else type(block).example().model_dump(mode="json")[edit.field][0])
        return parse_tone(document), f"{block.TITLE}: {singular} added"
    if edit.row >= len(rows):
        raise ToneRefused(f"{block.TITLE} has {len(rows)} {edit.field}: look again")
    del rows[edit.row]
    return parse_tone(document), f"{block.TITLE}: {singular} {edit.row + 1} removed"
