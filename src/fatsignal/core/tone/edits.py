"""What a person does to a tone: each a rule from one document to the next, with what it is called in the history."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field

from fatsignal.core.tone.blocks import KINDS, ToneBlock
from fatsignal.core.tone.blocks.block import label_of, value_said
from fatsignal.core.tone.controls import field_at, rows_of
from fatsignal.core.tone.document import MOST_BLOCKS, Tone, parse_tone
from fatsignal.errors import ToneRefused

_BY_KIND: dict[str, type[ToneBlock]] = {kind.model_fields["kind"].default: kind for kind in KINDS}

Place = Annotated[int, Field(ge=0, lt=MOST_BLOCKS)]


class _Edit(BaseModel):
    @property
    def subject(self) -> str:
        """What it is about: small steps of one thing in a row are undone together. Empty: it stands alone."""
        return ""


class SetValue(_Edit):
    """Turn one value of a block; `kind` is that of the block as the page saw it."""

    do: Literal["set"] = "set"
    block: Place
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
    at: Annotated[int, Field(ge=0, le=MOST_BLOCKS)]


class MoveBlock(_Edit):
    """A block to another place: it has that place afterwards."""

    do: Literal["move"] = "move"
    block: Place
    to: Place


class CopyBlock(_Edit):
    """The same block once more, behind itself."""

    do: Literal["copy"] = "copy"
    block: Place


class RemoveBlock(_Edit):
    do: Literal["remove"] = "remove"
    block: Place


class BypassBlock(_Edit):
    do: Literal["bypass"] = "bypass"
    block: Place
    bypassed: bool


class AddRow(_Edit):
    """One more of a list of a block: a band, a microphone. It begins as the last one is."""

    do: Literal["add_row"] = "add_row"
    block: Place
    field: str = Field(max_length=40)


class RemoveRow(_Edit):
    do: Literal["remove_row"] = "remove_row"
    block: Place
    field: str = Field(max_length=40)
    row: int = Field(ge=0, lt=64)


class SetOversampling(_Edit):
    do: Literal["oversample"] = "oversample"
    factor: Literal[1, 2, 4, 8]


ToneEdit = Annotated[
    SetValue | AddBlock | MoveBlock | CopyBlock | RemoveBlock | BypassBlock | AddRow | RemoveRow | SetOversampling,
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
    blocks: list[dict[str, Any]] = document["blocks"]
    match edit:
        case SetOversampling():
            document["oversample"] = edit.factor
            return parse_tone(document), f"oversampling {edit.factor}×"
        case AddBlock():
            if edit.kind not in _BY_KIND:
                raise ToneRefused(f"there is no block of the kind {edit.kind}: choose {', '.join(_BY_KIND)}")
            if len(blocks) >= MOST_BLOCKS:
                raise ToneRefused(f"a tone has {MOST_BLOCKS} blocks at most: take one out first")
            added = _BY_KIND[edit.kind].example()
            blocks.insert(min(edit.at, len(blocks)), added.model_dump(mode="json"))
            return parse_tone(document), f"{added.TITLE} added"
    block = _block_at(tone, edit.block)
    match edit:
        case SetValue():
            if edit.kind != blocks[edit.block]["kind"]:
                raise ToneRefused(f"the block there is {block.TITLE} now: look again, and turn it then")
            return _with_value(document, block, edit)
        case MoveBlock():
            blocks.insert(min(edit.to, len(blocks) - 1), blocks.pop(edit.block))
            return parse_tone(document), f"{block.TITLE} moved"
        case CopyBlock():
            if len(blocks) >= MOST_BLOCKS:
                raise ToneRefused(f"a tone has {MOST_BLOCKS} blocks at most: take one out first")
            blocks.insert(edit.block + 1, dict(blocks[edit.block]))
            return parse_tone(document), f"{block.TITLE} copied"
        case RemoveBlock():
            if len(blocks) == 1:
                raise ToneRefused("a tone has one block at least: bypass it instead")
            del blocks[edit.block]
            return parse_tone(document), f"{block.TITLE} removed"
        case BypassBlock():
            blocks[edit.block]["bypassed"] = edit.bypassed
            return parse_tone(document), f"{block.TITLE} {'bypassed' if edit.bypassed else 'back in'}"
        case AddRow() | RemoveRow():
            return _with_rows(document, block, edit)


def _block_at(tone: Tone, place: int) -> ToneBlock:
    if place >= len(tone.blocks):
        raise ToneRefused(f"this tone has {len(tone.blocks)} blocks, and none at place {place + 1}: look again")
    return tone.blocks[place]


def _with_value(document: dict[str, Any], block: ToneBlock, edit: SetValue) -> tuple[Tone, str]:
    try:
        field, before = field_at(block, tuple(edit.path))
    except LookupError:
        raise ToneRefused(f"{block.TITLE} has no {' '.join(map(str, edit.path))}") from None
    if rows_of(field) is not None or (edit.path[-1] == "kind" and len(edit.path) == 1):
        raise ToneRefused(f"{block.TITLE}: {edit.path[-1]} is not a value that is turned")
    here: Any = document["blocks"][edit.block]
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
    _, now = field_at(turned.blocks[edit.block], tuple(edit.path))
    return turned, f"{block.TITLE}: {label_of(str(edit.path[-1]), field)} {value_said(now, field)}"


def _with_rows(document: dict[str, Any], block: ToneBlock, edit: AddRow | RemoveRow) -> tuple[Tone, str]:
    field = type(block).model_fields.get(edit.field)
    if field is None or rows_of(field) is None:
        raise ToneRefused(f"{block.TITLE} has no list of {edit.field}")
    rows: list[Any] = document["blocks"][edit.block][edit.field]
    singular = edit.field.removesuffix("s")
    if isinstance(edit, AddRow):
        rows.append(dict(rows[-1]) if rows else type(block).example().model_dump(mode="json")[edit.field][0])
        return parse_tone(document), f"{block.TITLE}: {singular} added"
    if edit.row >= len(rows):
        raise ToneRefused(f"{block.TITLE} has {len(rows)} {edit.field}: look again")
    del rows[edit.row]
    return parse_tone(document), f"{block.TITLE}: {singular} {edit.row + 1} removed"
