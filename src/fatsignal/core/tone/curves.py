"""What each block of a tone does, as a small curve: its response over frequency, or its output over its input."""

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np

from fatsignal.core.tone.blocks import ToneBlock
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.places import every_block

_X_UNITS = {"frequency": "Hz", "level": "dBV in", "time": "ms", "echoes": "ms", "none": ""}


@dataclass(frozen=True, slots=True)
class BlockCurve:
    """A curve with its axes, and what is set, as label and value with unit."""

    kind: str
    title: str
    axis: Literal["frequency", "level", "time", "echoes", "none"]
    x: list[float]
    y: list[float]
    x_unit: str
    y_unit: str
    values: list[tuple[str, str]]


def block_curves(tone: Tone) -> list[BlockCurve]:
    """One curve a block, in the order of `every_block`; while one is turned, those of the others are there."""
    return [
        _curve(type(block), block.model_dump_json(exclude={"bypassed"}), block.lacks)
        for _, block in every_block(tone.blocks)
    ]


@lru_cache(maxsize=512)
def _curve(kind: type[ToneBlock], document: str, lacks: str | None) -> BlockCurve:
    """What a block lacks is asked for each time: a file may go and come back."""
    block = kind.model_validate_json(document)
    drawn = block.curve()
    values = [(label, value.replace("-", "−")) for label, value in block.values()]
    x, y = np.round(drawn.x, 2).tolist(), np.round(drawn.y, 2).tolist()
    told = kind.model_fields["kind"].default
    return BlockCurve(told, block.TITLE, drawn.axis, x, y, _X_UNITS[drawn.axis], drawn.unit, values)
