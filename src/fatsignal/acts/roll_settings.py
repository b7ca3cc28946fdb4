"""How a session rolls: what fits the song."""

from fatsignal.core.takes.roll_plan import RollSettings
from fatsignal.core.takes.windows import joined
from fatsignal.errors import InvalidSetting
from fatsignal.store.sessions import Session


def fitting(session: Session, settings: RollSettings) -> RollSettings:
    """Settings with their windows joined and in order.

    Raises
    ------
    InvalidSetting
        If the loop or a window leaves the song.
    """
    if settings.loop_bar + settings.loop_bars - 1 > session.song_bars:
        raise InvalidSetting(
            f"a loop of bars {settings.loop_bar} to {settings.loop_bar + settings.loop_bars - 1} runs past the song's "
            f"end at bar {session.song_bars}: choose bars inside the song"
        )
    start, end = session.tempo.bar_frame(1), session.tempo.bar_frame(session.song_bars + 1)
    for window in settings.windows:
        if not start <= window.from_frame < window.to_frame <= end:
            raise InvalidSetting("a window lies outside the song: draw it over bars of the song sheet")
    return settings.model_copy(update={"windows": joined(settings.windows)})
