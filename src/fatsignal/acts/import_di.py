"""Bringing a DI file from outside into a session, as a take."""

from datetime import datetime
from pathlib import Path
from uuid import uuid4

import numpy as np

from fatsignal.acts.survey import keep_wave, survey_file
from fatsignal.acts.uploaded import uploaded_blocks, uploaded_facts
from fatsignal.core.clip import Samples
from fatsignal.errors import FileRefused
from fatsignal.files.bext import BroadcastNote
from fatsignal.files.names import file_name
from fatsignal.files.sound import read_blocks
from fatsignal.files.sound_writer import write_sound
from fatsignal.store.parts import Part
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take, TakeChannel

_FLOAT_SUBTYPES = {"FLOAT", "DOUBLE", "VORBIS", "OPUS", "MPEG_LAYER_III"}


def import_di(
    uploaded: Path, *, shown_name: str, session: Session, part: Part, number: int, sessions_folder: Path,
    waves_folder: Path,
) -> tuple[Take, list[TakeChannel]]:  # fmt: skip
    """Convert a sound file to the session's rate and measure it; it begins at bar 1 of the song.

    Any rate, depth and length that can be read. Of two channels the one with the DI in it is taken:
    the louder one. Nothing is left behind when the file is refused.

    Raises
    ------
    FileRefused
        If it is no sound file, has more than two channels, holds no sound, or samples that are not numbers.
    """
    facts = uploaded_facts(uploaded, shown_name)
    if facts.channels > 2:
        raise FileRefused(
            f"{shown_name} has {facts.channels} channels; a DI has one, or two: export it as a file of its own"
        )
    chosen, note = _chosen_channel(uploaded, shown_name, channels=facts.channels)
    take_id = uuid4()
    now = datetime.now().astimezone()
    stem = f"{file_name(part.name)} {number:02d}"
    folder = sessions_folder / session.folder / file_name(part.name) / f"Take {number:02d}"
    folder.mkdir(parents=True, exist_ok=False)
    target = folder / f"{stem} - DI.wav"
    from_frame = session.tempo.bar_frame(1)
    broadcast = BroadcastNote(description=f"{stem} - DI", originated_at=now, time_reference_frames=from_frame)
    depth = "32f" if facts.subtype in _FLOAT_SUBTYPES else "24"
    try:
        blocks = (block[:, chosen : chosen + 1] for block in read_blocks(uploaded, rate_hz=session.rate_hz))
        frames = write_sound(
            target, blocks, rate_hz=session.rate_hz, channels=1, depth="32f" if depth == "32f" else "24", note=broadcast
        )
        if frames == 0:
            raise FileRefused(f"{shown_name} breaks off before its first sample")
        survey = survey_file(target, kind="di")
        keep_wave(waves_folder, str(take_id), survey.clip)
    except BaseException:
        target.unlink(missing_ok=True)
        folder.rmdir()
        raise
    take = Take(
        id=take_id, part_id=part.id, number=number, recorded_at=now, rate_hz=session.rate_hz,
        from_frame=from_frame, recorded_frame=from_frame, frames=frames,
        window_from_frame=from_frame, window_to_frame=from_frame + frames,
        origin="imported", rig_sheet=part.rig,
        note=f"from {file_name(shown_name)}, {facts.rate_hz} Hz{note}",
        folder=str(folder.relative_to(sessions_folder)), binned_at=None,
    )  # fmt: skip
    channel = TakeChannel(
        position=0, name="DI", kind="di", file=target.name, sha256=survey.sha256, checks=survey.checks
    )
    return take, [channel]


def _chosen_channel(path: Path, shown_name: str, *, channels: int) -> tuple[int, str]:
    """The louder of two channels, and a word about it; refuses silence and samples that are not numbers."""
    energy: Samples = np.zeros(channels)
    for block in uploaded_blocks(path, shown_name):
        energy += np.sum(np.square(block), axis=0)
    if not energy.any():
        raise FileRefused(f"{shown_name} holds nothing but silence: there is no DI in it to work with")
    if channels == 1:
        return 0, ""
    louder = int(np.argmax(energy))
    return louder, f", {('left', 'right')[louder]} channel of two"
