"""The bench: a dry source goes round and round, and what is made of it is heard while it is turned."""

import time
from collections.abc import Callable, Mapping

import numpy as np

from fatsignal.core.level.limiter import Limiter
from fatsignal.core.takes.windows import Window
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.voltage import DiVoltage
from fatsignal.core.units import db_from_amplitude
from fatsignal.engine.bench_sounds import BenchSounds
from fatsignal.engine.capture import Capture, told_as_end
from fatsignal.engine.ears import Ears
from fatsignal.engine.events import Benching, BenchMeters, Ended, Event
from fatsignal.engine.loop_source import LoopColumn, LoopSource
from fatsignal.engine.meter_window import METER_HZ, Interval
from fatsignal.engine.orders import BenchOrder
from fatsignal.files.material_files import FilesReader
from fatsignal.rig.rig_clock import RigClock

BLOCK_FRAMES = 128
# Somebody who turns a drive up by mistake has ears.
_CEILING_DBFS = -3.0
# The page was closed.
_NOBODY_S = 15.0


class Bench(Capture):
    """Sounds until it is stopped, or nobody listens."""

    def __init__(self, order: BenchOrder, tell: Callable[[Event], None], ears: Ears | None) -> None:
        self._loop = LoopSource(
            _columns(order), Window(order.from_frame, order.to_frame), start_frame=order.start_frame,
            rate_hz=order.rate_hz, pace=RigClock(order.speed), block_frames=BLOCK_FRAMES,
        )  # fmt: skip
        super().__init__(order.roll_id, self._loop)
        self._order, self._tell, self._ears = order, tell, ears
        self._sounds = BenchSounds(
            order.sounds, order.heard, rate_hz=order.rate_hz,
            voltage=DiVoltage(order.full_scale_v, order.inverted),
            quarter_s=order.tempo.quarter_s_at(order.from_frame), paced=order.paced,
        )  # fmt: skip
        self._limiter = Limiter(_CEILING_DBFS, rate_hz=order.rate_hz)

    def turn(self, key: str, tone: Tone) -> None:
        self._sounds.turn(key, tone)

    def hear(self, heard: str | None, gains_db: Mapping[str, float]) -> None:
        self._sounds.set_gains(gains_db)
        if heard is not None:
            self._sounds.hear(heard)

    def run(self) -> None:
        """Sound; an event tells the beginning and the end."""
        order, clock, left_at = self._order, 0, 0
        ticks = Interval(order.rate_hz // METER_HZ)
        self._tell(
            Benching(
                roll_id=order.roll_id, session_id=order.session_id, bench_id=order.bench_id,
                from_frame=order.from_frame, to_frame=order.to_frame,
            )
        )  # fmt: skip
        peak = spent_s = own_s = worst = 0.0
        try:
            with told_as_end(order.roll_id) as problems:
                while not self._stopping.is_set() and (block := self._loop.read_block()) is not None:
                    began_s = time.perf_counter()
                    sound = self._limiter.process(self._sounds.process(block.samples))
                    if self._ears is not None:
                        self._ears.send(order.bench_id, block.at_frame, sound)
                    took_s, of_s = time.perf_counter() - began_s, len(sound) / order.rate_hz
                    spent_s, own_s, worst = spent_s + took_s, own_s + of_s, max(worst, took_s / of_s)
                    peak = max(peak, float(np.abs(sound).max(initial=0.0)))
                    clock = block.at_frame + len(sound)
                    if self._ears is None or order.bench_id in self._ears.listened:
                        left_at = clock
                    elif clock - left_at > _NOBODY_S * order.rate_hz:
                        break
                    if ticks.due(clock):
                        self._tell(
                            BenchMeters(
                                roll_id=order.roll_id, frame=self._loop.song_frame(clock), heard=self._sounds.heard,
                                peak_dbfs=round(max(-120.0, db_from_amplitude(peak)), 1),
                                load=round(spent_s / own_s, 3), worst=round(worst, 3),
                            )
                        )  # fmt: skip
                        peak = spent_s = own_s = worst = 0.0
        finally:
            self._sounds.close()
            self._loop.close()
        problem = "".join(problems)
        self._tell(
            Ended(
                roll_id=order.roll_id, frames=clock, reason="problem" if problem else "stopped", problem=problem,
                benched=True,
            )
        )  # fmt: skip


def _columns(order: BenchOrder) -> list[LoopColumn]:
    """The dry one, then those of the sounds that are no tones; a file that is gone is silent."""
    dry = FilesReader(order.dry, order.dry_files, gone_is_silent=True)
    columns = [LoopColumn(dry, order.dry_wanted)]
    for sound in order.sounds:
        if sound.material is not None:
            reader = FilesReader(sound.material, sound.files, gone_is_silent=True)
            columns += [LoopColumn(reader, wanted) for wanted in sound.wanted]
    return columns
