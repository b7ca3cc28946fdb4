"""What the pieces of a comp are read from: takes, and what was made of them where strokes are eased."""

import asyncio
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from uuid import UUID

from fatsignal.acts.materials import files_of, source_of
from fatsignal.core.comp.pieces import CompPiece
from fatsignal.core.easing.easing import Easing
from fatsignal.core.material.material import Source
from fatsignal.files.eased_files import FOLDER, eased_take, make_missing
from fatsignal.files.material_files import SourceFile
from fatsignal.store.takes import Take, TakeChannel

PieceSource = tuple[Source, tuple[SourceFile, ...]]


async def sources_of(
    pieces: Iterable[CompPiece], takes: Mapping[UUID, Take], channels: Mapping[UUID, Sequence[TakeChannel]],
    sessions_folder: Path,
) -> dict[UUID, PieceSource]:  # fmt: skip
    """By `CompPiece.source_id`, those whose takes are known; what has to be made of them is made."""
    wanted: dict[UUID, dict[UUID, Easing | None]] = {}
    for piece in pieces:
        if piece.take_id in takes:
            wanted.setdefault(piece.take_id, {})[piece.source_id] = piece.easing
    found: dict[UUID, PieceSource] = {}
    for take_id, by_source in wanted.items():
        take = takes[take_id]
        source, files = source_of(take, channels[take_id]), files_of(take, channels[take_id], sessions_folder)
        folder = sessions_folder / Path(take.folder).parts[0] / FOLDER
        easings = [easing for easing in by_source.values() if easing is not None]
        if easings:
            await asyncio.to_thread(make_missing, source, files, easings, folder, rate_hz=take.rate_hz)
        for source_id, easing in by_source.items():
            found[source_id] = (source, files) if easing is None else eased_take(source, files, easing, folder)
    return found
