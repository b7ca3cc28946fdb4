"""What a tone's blocks do, as a page draws it."""

from typing import Any, Literal

from pydantic import BaseModel, Field

from fatsignal.jobs.kinds.curves import CURVES_KIND
from fatsignal.web.work_queue import WorkQueue


class SettingView(BaseModel):
    label: str
    value: str


class CurveView(BaseModel):
    """The live curve of one block, computed by the core."""

    kind: str
    title: str
    axis: Literal["frequency", "level", "time", "echoes", "none"]
    x: list[float]
    y: list[float]
    x_unit: str
    y_unit: str
    values: list[SettingView] = Field(description="What is set, each value with its unit.")


async def curves_of(queue: WorkQueue, document: dict[str, Any]) -> list[CurveView]:
    """The curves of a tone's blocks, computed by a worker."""
    from fatsignal.core.tone.document import missing_of, parse_tone

    # What is missing is no part of the document, and changes what is drawn.
    asked = {"document": document, "missing": missing_of(parse_tone(document))}
    return [CurveView.model_validate(curve) for curve in await queue.computed(CURVES_KIND, asked)]
