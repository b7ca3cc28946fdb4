"""The sounds of a bench: one is heard, and what is turned or chosen is made ready beside it.

Making a chain takes some milliseconds, and a tone that was not heard until now first has to ring in: a thread of its
own does both, over what was played just before, and hands over what is ready. The thread that brings sound never waits.
"""

import logging
import threading
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.turning import FADE_S, TurningChain, blended, risen
from fatsignal.core.tone.voltage import DiVoltage
from fatsignal.core.units import amplitude_from_db
from fatsignal.engine.orders import BenchSound
from fatsignal.engine.priority import Rank, prefer_this_thread

# So much of what was played is remembered: what a tone that comes in rings in on.
RING_IN_S = 0.7
_NEARLY_FRAMES = 256

log = logging.getLogger(__name__)


@dataclass(slots=True)
class _Heard:
    """A sound that runs: its chain, where it goes through a tone, and the gain it has now."""

    key: str
    chain: TurningChain | None
    columns: slice | None
    gain: float


@dataclass(slots=True)
class _Ready:
    """A chain that has rung in up to a frame of the clock."""

    key: str
    chain: ToneChain
    up_to: int


@dataclass(slots=True)
class _Wishes:
    """What is to be made ready: of several turns of a tone only the last counts, and so of several choices."""

    turned: dict[str, Tone] = field(default_factory=dict)
    chosen: str | None = None


class BenchSounds:
    """Runs what is heard of a bench, block by block.

    Parameters
    ----------
    sounds : their keys and what they are; the columns of those with a material follow the dry one, in their order.
    paced : bool
        Whether blocks come at the pace of a clock.
    """

    def __init__(
        self, sounds: list[BenchSound], heard: str, *, rate_hz: int, voltage: DiVoltage, quarter_s: float, paced: bool
    ) -> None:
        self._rate_hz, self._voltage, self._quarter_s, self._paced = rate_hz, voltage, quarter_s, paced
        self._tones = {sound.key: sound.tone for sound in sounds if sound.tone is not None}
        self._columns: dict[str, slice] = {}
        first = 1
        for sound in sounds:
            width = len(sound.wanted) if sound.material is not None else 0
            self._columns[sound.key] = slice(first, first + width) if width else slice(0, 1)
            first += width
        self._gains = {sound.key: amplitude_from_db(sound.gain_db) for sound in sounds}
        self._history = np.zeros(round(RING_IN_S * rate_hz))
        self._clock = 0
        self._fade_frames = round(FADE_S * rate_hz)
        self._now = self._running(heard)
        self._leaving: _Heard | None = None
        self._faded = 0
        self._lock = threading.Condition()
        self._wishes, self._over = _Wishes(), False
        self._ready: list[_Ready | str] = []
        self._thread = threading.Thread(target=self._make_ready, name="bench", daemon=True)
        self._thread.start()

    @property
    def heard(self) -> str:
        return self._now.key

    def turn(self, key: str, tone: Tone) -> None:
        """Another tone under a key; heard at once where that is what is heard."""
        with self._lock:
            self._wishes.turned[key] = tone
            self._lock.notify_all()

    def hear(self, key: str) -> None:
        """Another sound; a key that there is none of is passed over."""
        with self._lock:
            if key in self._columns:
                self._wishes.chosen = key
                self._lock.notify_all()

    def set_gains(self, gains_db: Mapping[str, float]) -> None:
        """Other levels, faded to over the next block."""
        self._gains = {**self._gains, **{key: amplitude_from_db(gain_db) for key, gain_db in gains_db.items()}}

    def close(self) -> None:
        with self._lock:
            self._over = True
            self._lock.notify_all()
        self._thread.join()

    def process(self, block: Samples) -> Samples:
        """What is heard of a block of all columns, as shape (frames, 2)."""
        self._take_up()
        dry = np.ascontiguousarray(block[:, 0])
        sound = self._sounding(self._now, dry, block)
        if self._leaving is not None:
            old = self._sounding(self._leaving, dry, block)
            sound = blended(old, sound, risen(self._faded, len(dry), self._fade_frames))
            self._faded += len(dry)
            if self._faded >= self._fade_frames:
                self._leaving = None
        with self._lock:
            self._history = np.concatenate((self._history[len(dry) :], dry[-len(self._history) :]))
            self._clock += len(dry)
        return sound

    def _take_up(self) -> None:
        """What was made ready since the last block; one change at a time fades in, the next waits for it."""
        if self._leaving is not None:
            return
        with self._lock:
            ready = self._ready.pop(0) if self._ready else None
        if ready is None:
            return
        key = ready if isinstance(ready, str) else ready.key
        if not isinstance(ready, str) and key == self._now.key and self._now.chain is not None:
            self._now.chain.turn_to(ready.chain)
            return
        if isinstance(ready, str):
            following = _Heard(key, None, self._columns[key], self._gains[key])
        else:
            missed = self._clock - ready.up_to
            if missed:
                ready.chain.process(self._history[-missed:].copy())
            following = _Heard(key, TurningChain(ready.chain), None, self._gains[key])
        self._leaving, self._now, self._faded = self._now, following, 0

    def _sounding(self, heard: _Heard, dry: Samples, block: Samples) -> Samples:
        if heard.chain is not None:
            sound = heard.chain.process(dry)
        else:
            assert heard.columns is not None, "it has no tone"
            sound = block[:, heard.columns]
            sound = sound[:, 0] if sound.shape[1] == 1 else sound
        both = np.column_stack((sound, sound)) if sound.ndim == 1 else sound
        before, heard.gain = heard.gain, self._gains.get(heard.key, heard.gain)
        if before == heard.gain:
            return np.asarray(both * before)
        return np.asarray(both * np.linspace(before, heard.gain, len(both) + 1)[1:, None])

    def _running(self, key: str) -> _Heard:
        tone = self._tones.get(key)
        if tone is None:
            return _Heard(key, None, self._columns[key], self._gains[key])
        return _Heard(key, TurningChain(self._chain(tone)), None, self._gains[key])

    def _chain(self, tone: Tone) -> ToneChain:
        return ToneChain(tone, rate_hz=self._rate_hz, voltage=self._voltage, quarter_s=self._quarter_s)

    def _make_ready(self) -> None:
        if self._paced:
            prefer_this_thread(Rank.BESIDE)
        wanted = self._now.key
        while True:
            with self._lock:
                self._lock.wait_for(lambda: self._over or self._wishes.turned or self._wishes.chosen)
                if self._over:
                    return
                wishes, self._wishes = self._wishes, _Wishes()
            try:
                self._tones |= wishes.turned
                if wishes.chosen is not None and wishes.chosen != wanted:
                    wanted = wishes.chosen
                    self._hand_over(self._rung_in(wanted) if wanted in self._tones else wanted)
                elif wanted in wishes.turned:
                    # What sounds is taken over from; what has not come to sound yet has to ring in.
                    sounds = self._now.key == wanted
                    tone = self._tones[wanted]
                    self._hand_over(_Ready(wanted, self._chain(tone), 0) if sounds else self._rung_in(wanted))
            except Exception:
                # What cannot be made leaves what is heard as it is; the page has been told why by whoever checks tones.
                log.exception("%s could not be made ready", wanted)

    def _hand_over(self, ready: _Ready | str) -> None:
        """Of one sound only what is newest waits."""
        key = ready if isinstance(ready, str) else ready.key
        with self._lock:
            self._ready = [each for each in self._ready if (each if isinstance(each, str) else each.key) != key]
            self._ready.append(ready)

    def _rung_in(self, key: str) -> _Ready:
        """A chain that was fed what was played until now."""
        chain = self._chain(self._tones[key])
        with self._lock:
            up_to = max(0, self._clock - len(self._history))
        while True:
            with self._lock:
                missed = self._clock - up_to
                # What it missed beyond what is remembered it will never hear.
                piece = self._history[-missed:].copy() if missed else np.zeros(0)
                up_to = self._clock
            if missed <= _NEARLY_FRAMES:
                chain.process(piece)
                return _Ready(key, chain, up_to)
            chain.process(piece)
