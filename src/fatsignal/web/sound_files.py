"""Sound files over HTTP: uploads, kept for as long as they are worked on, and recordings that are heard."""

import asyncio
import tempfile
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import UploadFile
from fastapi.responses import FileResponse

from fatsignal.errors import FileRefused

_READ_BYTES = 1 << 20


@asynccontextmanager
async def kept(file: UploadFile, *, largest_bytes: int) -> AsyncIterator[tuple[Path, str]]:
    """The upload as a file, and the name to show; it is gone afterwards.

    Raises
    ------
    FileRefused
        If it is larger than `largest_bytes`.
    """
    shown_name = Path(file.filename or "the file").name
    with tempfile.NamedTemporaryFile(prefix="import-", suffix=Path(shown_name).suffix[:8]) as copy:
        received = 0
        while piece := await file.read(_READ_BYTES):
            received += len(piece)
            if received > largest_bytes:
                raise FileRefused(
                    f"{shown_name} is larger than {largest_bytes / 1024**3:g} GB: cut it into parts, "
                    "or use the command line"
                )
            await asyncio.to_thread(copy.write, piece)
        copy.flush()
        yield Path(copy.name), shown_name


def sound_file(path: Path) -> FileResponse:
    """A recording as it lies on disk.

    Raises
    ------
    FileRefused
        If a person has moved it away.
    """
    if not path.exists():
        raise FileRefused(f"{path.name} is not in its folder any more; put it back to hear it")
    return FileResponse(path, media_type="audio/wav", headers={"Cache-Control": "private, max-age=86400"})
