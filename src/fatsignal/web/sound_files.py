"""Sound files over HTTP: uploads, kept for as long as they are worked on, and recordings that are heard."""

import asyncio
import shutil
from collections.abc import AsyncIterator, Collection, Sequence
from contextlib import asynccontextmanager
from dataclasses import dataclass
from pathlib import Path
from uuid import uuid4

from fastapi import UploadFile
from fastapi.responses import FileResponse

from fatsignal.errors import FileRefused, WorkFailed
from fatsignal.files.material_files import open_recorded

_READ_BYTES = 1 << 20


@dataclass(frozen=True, slots=True)
class Received:
    """A file that was received, and the name that the person knows."""

    path: Path
    shown_name: str


@dataclass(frozen=True, slots=True)
class Upload:
    """Files that were received together, in a folder of their own below that of all uploads."""

    name: str
    files: list[Received]


@asynccontextmanager
async def received(files: Sequence[UploadFile], folder: Path, *, largest_bytes: int) -> AsyncIterator[Upload]:
    """Uploads as files that workers see; they are gone when what was done with them has ended.

    Raises
    ------
    FileRefused
        If one is larger than `largest_bytes`, or there is no room for it.
    """
    upload = Upload(str(uuid4()), [])
    own = folder / upload.name
    ended = True
    try:
        for number, file in enumerate(files):
            shown_name = Path(file.filename or "the file").name
            path = own / f"{number}{Path(shown_name).suffix[:8]}"
            await _receive(file, path, shown_name, largest_bytes)
            upload.files.append(Received(path, shown_name))
        ended = False
        yield upload
        ended = True
    except (FileRefused, WorkFailed):
        ended = True
        raise
    finally:
        # What a worker may still read stays: it is cleared away at the next start.
        if ended:
            await asyncio.to_thread(shutil.rmtree, own, ignore_errors=True)


def clear_uploads(folder: Path, *, still_wanted: Collection[str]) -> None:
    """Remove what was received and never worked on to its end, as when the power failed."""
    for left in folder.glob("*"):
        if left.name not in still_wanted:
            shutil.rmtree(left, ignore_errors=True)


async def _receive(file: UploadFile, path: Path, shown_name: str, largest_bytes: int) -> None:
    try:
        await asyncio.to_thread(path.parent.mkdir, parents=True, exist_ok=True)
        with path.open("xb") as copy:
            size = 0
            while piece := await file.read(_READ_BYTES):
                size += len(piece)
                if size > largest_bytes:
                    raise FileRefused(
                        f"{shown_name} is larger than {largest_bytes / 1024**3:g} GB: cut it into parts, "
                        "or use the command line"
                    )
                await asyncio.to_thread(copy.write, piece)
    except OSError as trouble:
        raise FileRefused(
            f"{shown_name} could not be received ({trouble.strerror or trouble}): make room in the data folder and "
            "import again"
        ) from None


def sound_file(path: Path) -> FileResponse:
    """A recording as it lies on disk.

    Raises
    ------
    FileRefused
        If a person has moved it away, or put something else in its place.
    """
    open_recorded(path).close()
    return FileResponse(path, media_type="audio/wav", headers={"Cache-Control": "private, max-age=86400"})
