"""The tones that come with the program, and what was measured of them, kept where they are not known yet."""

from fatsignal.core.tone.finding import MEASURED_BY
from fatsignal.store import tone_measures, tones
from fatsignal.store.database import Connection
from fatsignal.store.tone_measures import StoredMeasures
from fatsignal.tones import measured_tones, shipped_tones


async def keep_shipped_tones(conn: Connection) -> None:
    """Keep those whose names there are none of; what a person kept under one of their names stays the newest.

    Figures of another measuring are left out: they are measured again when somebody looks for a tone.
    """
    known = {revision.name for revision in await tones.list_newest(conn)}
    for tone in shipped_tones():
        if tone.name not in known:
            await tones.keep_tone(conn, tone)
    measured = [StoredMeasures(**each) for each in measured_tones() if each["measured_by"] == MEASURED_BY]
    there = await tone_measures.measures_of(conn, [each.fingerprint for each in measured], measured_by=MEASURED_BY)
    kept = {(each.fingerprint, each.instrument) for each in there}
    for each in measured:
        if (each.fingerprint, each.instrument) not in kept:
            await tone_measures.keep_measures(conn, each)
