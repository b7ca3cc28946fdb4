"""Two takes that meet in a comp and were recorded with different rigs: what differs, and what was measured of it."""

import asyncio
from dataclasses import dataclass
from pathlib import Path

from fatsignal.acts.audio_interface import interface_now
from fatsignal.acts.materials import material_of_take
from fatsignal.core.material.channels import HEARD_FIRST, Wanted, first_of
from fatsignal.core.takes.windows import Window, clipped
from fatsignal.errors import FileRefused
from fatsignal.files.material_files import MaterialOnDisk
from fatsignal.rig.setup import RigSetup
from fatsignal.rig.sheet import SheetEntry, differences, sheet_entries
from fatsignal.store import takes
from fatsignal.store.database import Connection
from fatsignal.store.sessions import Session
from fatsignal.store.takes import Take

# So long a stretch that both play says enough of their tone.
_HEARD_S, _LEAST_S = 20.0, 0.5


@dataclass(frozen=True, slots=True)
class RigsDiffer:
    """What differs in words, how much louder the second take is, and how far apart they are in tone, over bars that
    both play; None where they share none. `thirds_db` are the second's thirds of an octave against the first's.
    """

    says: list[str]
    level_db: float | None
    apart_db: float | None
    thirds_hz: list[float]
    thirds_db: list[float]


async def rigs_differ(
    conn: Connection, one: Take, other: Take, session: Session, sessions_folder: Path
) -> RigsDiffer | None:
    """What differs between the rigs of two takes; None where nothing does."""
    sheets = await takes.rig_sheets_of(conn, [one.id, other.id])
    if sheets[one.id] == sheets[other.id]:
        return None
    interface = await interface_now(conn)

    def lines(take: Take) -> list[SheetEntry]:
        return sheet_entries(
            RigSetup.model_validate(sheets[take.id]), interface, rate_hz=take.rate_hz,
            reference_pitch_hz=float(session.reference_pitch_hz),
        )  # fmt: skip

    says = [
        f"{each.group}, {each.name}: {each.one or 'none'} → {each.other or 'none'}"
        for each in differences(lines(one), lines(other))
    ]
    if not says:
        return None
    channels = await takes.channels_of(conn, [one.id, other.id])
    both = [material_of_take(take, channels[take.id], sessions_folder) for take in (one, other)]
    return await asyncio.to_thread(_measured, says, both, _shared(one, other))


def _shared(one: Take, other: Take) -> Window | None:
    """Where both are used; the longest such stretch, as long as is needed."""
    found = [window for each in one.windows for window in clipped(other.windows, each)]
    longest = max(found, key=lambda window: window.frames, default=None)
    if longest is None or longest.frames < _LEAST_S * one.rate_hz:
        return None
    return Window(longest.from_frame, min(longest.to_frame, longest.from_frame + round(_HEARD_S * one.rate_hz)))


def _measured(says: list[str], both: list[MaterialOnDisk], shared: Window | None) -> RigsDiffer:
    from fatsignal.core.clip import Clip
    from fatsignal.core.level.loudness import ungated_loudness_lufs
    from fatsignal.core.tone.tone_distance import BANDS_HZ, levels_apart_db, third_octave_levels_db

    told = RigsDiffer(says, None, None, [], [])
    if shared is None:
        return told
    heard = first_of([each for each in both[0].material.channels if each in both[1].material.channels], HEARD_FIRST)
    if heard is None:
        return told
    try:
        signals = []
        for sound in both:
            with sound.reader() as reader:
                signals.append(reader.read(Wanted.exactly(heard), shared.from_frame, shared.frames))
    except (FileRefused, OSError):
        return told
    if not all(signal.any() for signal in signals):
        return told
    rate_hz = both[0].material.rate_hz
    one, other = (third_octave_levels_db(signal, rate_hz=rate_hz) for signal in signals)
    louder = [ungated_loudness_lufs(Clip(signal[:, None], rate_hz)) for signal in signals]
    return RigsDiffer(
        says, round(louder[1] - louder[0], 1), round(levels_apart_db(other, one), 1),
        list(BANDS_HZ), [round(float(each), 1) for each in other - one],
    )  # fmt: skip
