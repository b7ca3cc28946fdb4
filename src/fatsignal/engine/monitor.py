"""The way to the ears: live parts, what plays beside them and the click, mixed for every listener, block by block."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.cue.mix import gains_of, live_gains
from fatsignal.core.level.limiter import Limiter
from fatsignal.core.takes.gates import closing, opening
from fatsignal.core.takes.roll_plan import RollPlan
from fatsignal.core.takes.windows import Window
from fatsignal.engine.ears import Ears
from fatsignal.engine.live_chains import Wet
from fatsignal.engine.orders import Cue, PartOrder
from fatsignal.engine.playback import Playback
from fatsignal.rig.source import Block, Source, side_by_side

# How long a block may wait for what plays beside it, as a share of its own time; hurried sources may wait long.
_PATIENCE_SHARE = 0.25
_HURRIED_PATIENCE_S = 1.0

# A live part in one channel, or what its tone makes of it for the left and for the right.
_SIDES = (None, 0, 1)


@dataclass(frozen=True, slots=True)
class _Mixes:
    """All cues with their gains, swapped as one: the thread that mixes never sees half of a change."""

    cues: Mapping[UUID, Cue]
    gains: Mapping[UUID, tuple[Samples, Samples]]


class Monitor:
    """Mixes what is heard. Without listeners it does nothing."""

    def __init__(
        self, parts: Sequence[PartOrder], cues: Sequence[Cue], ears: Ears | None, *, rate_hz: int,
        plan: RollPlan | None = None, playback: Playback | None = None, device: Source | None = None,
        hurried: bool = False,
    ) -> None:  # fmt: skip
        self._parts = list(parts)
        self._ears = ears
        self._rate_hz = rate_hz
        self._plan, self._playback = plan, playback
        self._device = device
        self._hurried = hurried
        self._own = side_by_side(len(part.setup.inputs) for part in parts)
        self._mixes = _Mixes({}, {})
        self._limiters: dict[UUID, Limiter] = {}
        self._gains: dict[UUID, tuple[Samples, Samples]] = {}
        self.windows: Sequence[Window] = ()
        self.set_cues(cues)

    def set_cues(self, cues: Sequence[Cue]) -> None:
        """Other levels and pans; they are faded to over the next block."""
        columns = self._playback.columns if self._playback is not None else []
        live = [(part.key, side) for part in self._parts for side in _SIDES]
        self._mixes = _Mixes(
            {cue.cue_id: cue for cue in cues},
            {cue.cue_id: (gains_of(cue.mix, columns), live_gains(cue.mix, live)) for cue in cues},
        )

    @property
    def listened(self) -> bool:
        """Whether anybody listens."""
        if any(self._hangs_on_device(cue) for cue in self._mixes.cues.values()):
            return True
        return self._ears is not None and bool(self._ears.listened)

    def hear(self, block: Block, wet: Wet) -> None:
        """Bring a block, as it came in, to all who listen."""
        if not len(block.samples):
            return
        mixes = self._mixes
        afar = [] if self._ears is None else [cue_id for cue_id in self._ears.listened if cue_id in mixes.cues]
        at_hand = [cue_id for cue_id, cue in mixes.cues.items() if self._hangs_on_device(cue)]
        if not afar and not at_hand:
            return
        live = self._live(block, wet)
        beside = self._beside(block.at_frame, len(block.samples))
        for cue_id in dict.fromkeys((*afar, *at_hand)):
            out = self._mixed(mixes.cues[cue_id], mixes.gains[cue_id], live, beside)
            if self._ears is not None and cue_id in afar:
                self._ears.send(cue_id, block.at_frame, out)
            if cue_id in at_hand:
                self._play(mixes.cues[cue_id], block, out)

    def _hangs_on_device(self, cue: Cue) -> bool:
        outputs = 0 if self._device is None else self._device.outputs
        return cue.outputs is not None and all(0 <= output < outputs for output in cue.outputs)

    def _play(self, cue: Cue, block: Block, mix: Samples) -> None:
        """On the device's own clock: a block for what came in to be read, and one for what goes out to be fetched."""
        assert self._device is not None, "it hangs there"
        assert cue.outputs is not None, "it hangs there"
        out = np.zeros((len(mix), self._device.outputs))
        out[:, cue.outputs] = mix
        self._device.play(out, block.at_frame + 2 * len(mix))

    def _live(self, block: Block, wet: Wet) -> Samples:
        live = np.zeros((len(block.samples), len(_SIDES) * len(self._parts)))
        for index, part in enumerate(self._parts):
            monitor = part.monitor
            if monitor.hear == "nothing" or monitor.when == "never":
                continue
            own = block.samples[:, self._own[index]]
            sound = wet.get(index) if monitor.hear == "tone" else own[:, monitor.channel]
            if sound is None:
                continue
            if monitor.when == "rolling or stopped" and self._plan is not None:
                gate = self._gate(block.at_frame, len(sound), inside=True)
                sound = sound * (gate if sound.ndim == 1 else gate[:, None])
            first = len(_SIDES) * index
            if sound.ndim == 1:
                live[:, first] = sound
            else:
                live[:, first + 1 : first + 3] = sound
        return live

    def _beside(self, at_frame: int, frames: int) -> Samples | None:
        if self._playback is None:
            return None
        patience_s = _HURRIED_PATIENCE_S if self._hurried else _PATIENCE_SHARE * frames / self._rate_hz
        beside = self._playback.take(at_frame, frames, patience_s=patience_s)
        if self._playback.own.any():
            # Of the part that is played, earlier takes are heard where it is not punched in.
            beside[:, self._playback.own] *= self._gate(at_frame, frames, inside=False)[:, None]
        return beside

    def _gate(self, at_frame: int, frames: int, *, inside: bool) -> Samples:
        assert self._plan is not None, "only a roll has windows"
        gate = opening if inside else closing
        pieces = [gate(self.windows, song, rate_hz=self._rate_hz) for _, song in self._plan.segments(at_frame, frames)]
        return np.concatenate(pieces)

    def _mixed(self, cue: Cue, wanted: tuple[Samples, Samples], live: Samples, beside: Samples | None) -> Samples:
        cue_id, mix = cue.cue_id, cue.mix
        before = self._gains.get(cue_id, wanted)
        self._gains[cue_id] = wanted
        out = _faded(live, before[1], wanted[1])
        if beside is not None:
            out = out + _faded(beside, before[0], wanted[0])
        limiter = self._limiters.get(cue_id)
        if limiter is None or limiter.ceiling_dbfs != mix.limit_dbfs:
            limiter = self._limiters[cue_id] = Limiter(mix.limit_dbfs, rate_hz=self._rate_hz)
        return limiter.process(np.ascontiguousarray(out))


def _faded(signal: Samples, before: Samples, after: Samples) -> Samples:
    """`signal`, shape (frames, columns), through gains that move evenly from one to the other over its length."""
    if before is after or np.array_equal(before, after):
        return signal @ after
    ramp = (np.arange(1, len(signal) + 1) / len(signal))[:, None]
    return (1 - ramp) * (signal @ before) + ramp * (signal @ after)
