"""A whole preamp: its stages and the tone controls that belong to them, as one circuit."""

from typing import ClassVar, Literal

import numpy as np

from fatsignal.core.tone.blocks.block import (
    FREQUENCY_HZ,
    INNER_RATE_HZ,
    Curve,
    Operating,
    Runner,
    ToneBlock,
    knob,
    response_over,
    setting,
)

# So soft that nothing bends; and how long it rings.
_SOFT_V, _RINGS_S = 1e-5, 0.06


class Preamp(ToneBlock):
    """What stands between the jack and the power stage, with its own tone controls.

    Clean ones have their controls before the gain, the others behind it. The small clean has no middle control.
    """

    TITLE: ClassVar[str] = "Preamp"
    OVERSAMPLED: ClassVar[bool] = True
    DRIVES: ClassVar[tuple[str, ...]] = ("gain",)

    kind: Literal["preamp"] = "preamp"
    circuit: Literal["small clean", "big clean", "follower cascade", "cold high gain", "solid-state bass"] = setting(
        "big clean"
    )
    gain: float = knob(5)
    bass: float = knob(5)
    middle: float = knob(5)
    treble: float = knob(5)
    bright: bool = setting(False)

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.bass_preamp import LIMIT, OUTPUT, bass_preamp
        from fatsignal.core.amp.junctions import JunctionCircuit
        from fatsignal.core.amp.preamps import Knobs, preamp
        from fatsignal.core.amp.valve_chain import ValveChain

        knobs = Knobs(self.gain / 10, self.bass / 10, self.middle / 10, self.treble / 10, self.bright)
        if self.circuit == "solid-state bass":
            return [JunctionCircuit(bass_preamp(knobs), [LIMIT], output=OUTPUT, rate_hz=at.rate_hz)]
        return [ValveChain(preamp(self.circuit, knobs), at.rate_hz)]

    def curve(self) -> Curve:
        """How it amplifies what is soft, in dB."""
        (runner,) = self.runners(Operating(INNER_RATE_HZ))
        click = np.zeros(round(_RINGS_S * INNER_RATE_HZ))
        click[0] = _SOFT_V
        return Curve("frequency", FREQUENCY_HZ, response_over(runner.process(click) / _SOFT_V, INNER_RATE_HZ))

    def values(self) -> list[tuple[str, str]]:
        middle = [] if self.circuit == "small clean" else ["middle"]
        return self.said("circuit", "gain", "bass", *middle, "treble", "bright")
