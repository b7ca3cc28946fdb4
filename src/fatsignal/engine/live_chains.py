"""The tones that are heard, run on what comes in, block by block; and printed beside it where that is wanted."""

import logging
import threading
import time
from collections.abc import Callable, Sequence

import numpy as np

from fatsignal.core.clip import Samples, in_one
from fatsignal.core.tone.chain import ToneChain
from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.turning import TurningChain
from fatsignal.core.tone.voltage import UNKNOWN, DiVoltage
from fatsignal.engine.orders import PartOrder
from fatsignal.rig.source import Block, InputChannel, Source, side_by_side

# What is printed while it is played has one channel; a stereo tone is re-amped for both of its sides.
SIM_NAME = "sim"
# The parts' sounds through their tones, by the part's place among the parts; a part without one is left out.
Wet = dict[int, Samples]

log = logging.getLogger(__name__)


class LiveChains:
    """A source with its tones: `hear` is given each block as it comes, with what the tones make of it, at once.

    What is printed becomes a further channel of its part, at the end of the part's own. A running tone answers some
    frames late; so that its print lies on the DI to the sample, all channels then wait for the slowest tone.
    """

    def __init__(
        self, source: Source, parts: Sequence[PartOrder], hear: Callable[[Block, Wet], None] | None = None
    ) -> None:
        self.rate_hz, self.outputs = source.rate_hz, source.outputs
        self._source = source
        self._hear = hear
        self._di: dict[int, int] = {}
        self._chains: dict[int, TurningChain] = {}
        self._voltages: dict[int, DiVoltage] = {}
        self._keys: dict[str, int] = {}
        self._turned: dict[int, Tone] = {}
        self._turning = threading.Lock()
        self._columns = side_by_side(len(part.setup.inputs) for part in parts)
        channels: list[InputChannel] = []
        self._printed: list[int] = []
        for index, (part, columns) in enumerate(zip(parts, self._columns, strict=True)):
            own = source.channels[columns]
            channels += own
            di = next((place for place, channel in enumerate(own) if channel.kind == "di"), None)
            monitor = part.monitor
            heard = monitor.hear == "tone" and monitor.when != "never"
            if monitor.tone is None or di is None or not (heard or monitor.print_sim):
                continue
            self._di[index] = columns.start + di
            self._voltages[index] = part.setup.di_voltage or UNKNOWN
            self._keys[part.key] = index
            self._chains[index] = TurningChain(self._chain(index, monitor.tone))
            if part.prints:
                self._printed.append(index)
                channels.append(InputChannel(SIM_NAME, "sim"))
        self.channels = tuple(channels)
        self._late = max((self._chains[index].latency_frames for index in self._printed), default=0)
        self._expected = 0
        self._pending: Block | None = None
        self._spent_s = self._own_s = self._worst = 0.0
        self._restart()

    def load(self) -> dict[str, float]:
        """What share of the time that sounded since this was asked last tones and hearing took; and of one block's own
        time at most: the fields of `Meters`.
        """
        share, worst = self._spent_s / self._own_s if self._own_s else 0.0, self._worst
        self._spent_s = self._own_s = self._worst = 0.0
        return {"monitor_load": round(share, 3), "monitor_worst": round(worst, 3)}

    def turn(self, key: str, tone: Tone) -> None:
        """Go over to another tone of a part while it is heard; one that is printed stays as it is for its take.

        Its chain is made in a thread of its own, and of many turns the last counts.
        """
        index = self._keys.get(key)
        if index is None or index in self._printed:
            return
        with self._turning:
            made = bool(self._turned)
            self._turned[index] = tone
        if not made:
            threading.Thread(target=self._turn_all, name="turning", daemon=True).start()

    def _turn_all(self) -> None:
        while True:
            with self._turning:
                index, tone = next(iter(self._turned.items()))
            try:
                self._chains[index].turn_to(self._chain(index, tone))
            except Exception:
                # What cannot be made leaves what is heard as it is; whoever turned it was told why.
                log.exception("a turned tone could not be made ready")
            with self._turning:
                if self._turned[index] is tone:
                    del self._turned[index]
                if not self._turned:
                    return

    def _chain(self, index: int, tone: Tone) -> ToneChain:
        return ToneChain(tone, rate_hz=self.rate_hz, voltage=self._voltages[index])

    def play(self, samples: Samples, at_frame: int) -> None:
        """As the device's own."""
        self._source.play(samples, at_frame)

    def read_block(self) -> Block | None:
        """The next block with its prints."""
        if self._pending is not None:
            block, self._pending = self._pending, None
            return self._through(block)
        read = self._source.read_block()
        if not self._printed:
            if read is not None:
                self._sound(read)
            return read
        if read is None:
            return self._rest()
        if read.at_frame != self._expected and self._began:
            # Frames were lost: what waits is completed as before silence, and all begins anew after it.
            self._pending = read
            return self._rest()
        return self._through(read)

    def close(self) -> None:
        """Let go of the source."""
        self._source.close()

    def _restart(self) -> None:
        self._began = False
        self._dry = np.zeros((0, len(self._source.channels)))
        self._wet: Wet = {index: np.zeros(0) for index in self._printed}

    def _through(self, block: Block) -> Block:
        if not self._began:
            self._began = True
            # Each chain's first outputs belong to before the beginning.
            self._skip = {index: self._chains[index].latency_frames for index in self._printed}
        wet = self._sound(block)
        self._expected = block.at_frame + len(block.samples)
        return self._together(block.samples, wet)

    def _sound(self, block: Block) -> Wet:
        began_s = time.perf_counter()
        wet = {
            index: chain.process(np.ascontiguousarray(block.samples[:, self._di[index]]))
            for index, chain in self._chains.items()
        }
        if self._hear is not None:
            self._hear(block, wet)
        if len(block.samples):
            took_s, own_s = time.perf_counter() - began_s, len(block.samples) / self.rate_hz
            self._spent_s, self._own_s = self._spent_s + took_s, self._own_s + own_s
            self._worst = max(self._worst, took_s / own_s)
        return wet

    def _together(self, dry: Samples, wet: Wet) -> Block:
        """As many frames as all have, from the source's clock on."""
        self._dry = np.concatenate((self._dry, dry))
        for index in self._printed:
            skip = min(self._skip[index], len(wet[index]))
            self._skip[index] -= skip
            self._wet[index] = np.concatenate((self._wet[index], in_one(wet[index])[skip:]))
        frames = min([len(self._dry), *(len(each) for each in self._wet.values())])
        at_frame = self._expected - len(self._dry)
        columns = []
        for index, own in enumerate(self._columns):
            columns.append(self._dry[:frames, own])
            if index in self._wet:
                columns.append(self._wet[index][:frames, None])
        self._dry = self._dry[frames:]
        self._wet = {index: each[frames:] for index, each in self._wet.items()}
        return Block(np.concatenate(columns, axis=1), at_frame)

    def _rest(self) -> Block | None:
        """What still waits, with what the tones answer when silence follows."""
        if not self._began or not len(self._dry):
            self._restart()
            return None if self._pending is None else self.read_block()
        wet = {index: self._chains[index].process(np.zeros(self._late)) for index in self._printed}
        block = self._together(self._dry[:0], wet)
        self._restart()
        return block
