"""A range of the song, as pages name it."""

from pydantic import BaseModel, model_validator

from fatsignal.core.comp.document import Frame
from fatsignal.core.takes.windows import Window


class Range(BaseModel):
    """Frames of the session."""

    from_frame: Frame
    to_frame: Frame

    @model_validator(mode="after")
    def _some(self) -> "Range":
        if self.to_frame <= self.from_frame:
            raise ValueError("a range ends after it begins: give it at least one sample")
        return self

    @property
    def span(self) -> Window:
        return Window(self.from_frame, self.to_frame)
