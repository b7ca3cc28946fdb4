"""The tones that come with the program, kept where they are not known yet."""

from fatsignal.store import tones
from fatsignal.store.database import Connection
from fatsignal.tones import shipped_tones


async def keep_shipped_tones(conn: Connection) -> None:
    """Keep those whose names there are none of; what a person kept under one of their names stays the newest."""
    known = {revision.name for revision in await tones.list_newest(conn)}
    for tone in shipped_tones():
        if tone.name not in known:
            await tones.keep_tone(conn, tone)
