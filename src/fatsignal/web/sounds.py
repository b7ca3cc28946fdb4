"""Sounds as pages fetch them: piece by piece, as samples, so that the longest begins at once."""

from collections import OrderedDict
from urllib.parse import urlencode
from uuid import UUID

import numpy as np
from fastapi import Response
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from fatsignal.core.clip import Samples
from fatsignal.core.material.channels import Wanted
from fatsignal.core.material.material import Material
from fatsignal.files.material_files import MaterialOnDisk

LONGEST_PIECE_FRAMES = 1 << 20
_MOST_KEPT = 64


class StreamedSound(BaseModel):
    """Where the samples of one channel are, and where on the session's time line they lie."""

    sound_url: str = Field(
        description="With `from_frame` and `frames` appended; frames are counted from its own first, samples are "
        "32-bit floats (little-endian)."
    )
    from_frame: int = Field(description="Frame of the session at which it begins.")
    frames: int


class PlayedChannel(StreamedSound):
    """One channel, and how loud it is in the left and the right ear."""

    left: float
    right: float


def streamed(material: Material, wanted: Wanted, *, gone_is_silent: bool = False) -> StreamedSound:
    """One channel of a material."""
    query = [("fingerprint", material.fingerprint), *(("kind", kind) for kind in wanted.kinds)]
    if wanted.name:
        query.append(("name", wanted.name))
    if gone_is_silent:
        query.append(("gone_is_silent", "true"))
    return StreamedSound(
        sound_url=f"/api/materials/{material.id}/sound?{urlencode(query)}", from_frame=material.first_frame,
        frames=material.frames,
    )  # fmt: skip


def floats(samples: "Samples | NDArray[np.float32]", *, lasting: bool) -> Response:
    """Samples as an answer; one that is `lasting` never becomes another, and a browser may keep it."""
    cached = "private, max-age=86400, immutable" if lasting else "no-store"
    return Response(
        samples.astype(np.dtype("<f4")).tobytes(), media_type="application/octet-stream",
        headers={"Cache-Control": cached, "Content-Encoding": "identity"},
    )  # fmt: skip


class PlayingMaterials:
    """Materials that are being played, by what their sound is: looked up once, not for every two seconds of it."""

    def __init__(self) -> None:
        self._kept: OrderedDict[tuple[UUID, str], MaterialOnDisk] = OrderedDict()

    def get(self, material_id: UUID, fingerprint: str) -> MaterialOnDisk | None:
        found = self._kept.get((material_id, fingerprint))
        return None if found is None else self.keep(found)

    def keep(self, found: MaterialOnDisk) -> MaterialOnDisk:
        """The one that was played last is forgotten last."""
        key = (found.material.id, found.material.fingerprint)
        self._kept[key] = found
        self._kept.move_to_end(key)
        if len(self._kept) > _MOST_KEPT:
            self._kept.popitem(last=False)
        return found
