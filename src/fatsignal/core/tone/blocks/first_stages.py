"""The first stages of an amp: triodes, with the drive control after the first."""

from typing import TYPE_CHECKING, ClassVar, Literal

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.tone.blocks.block import (
    INNER_RATE_HZ,
    Curve,
    Operating,
    Runner,
    ToneBlock,
    driven,
    knob,
    setting,
)

if TYPE_CHECKING:
    from fatsignal.core.amp.circuit import Circuit
    from fatsignal.core.amp.triode import TriodeStage

# Divider between later stages: two equal resistors, so half.
_BETWEEN = 0.5


class FirstStages(ToneBlock):
    """Triode stages with the drive control after the first."""

    TITLE: ClassVar[str] = "First stages"
    MAKES_PARTIALS: ClassVar[bool] = True

    kind: Literal["first_stages"] = "first_stages"
    stages: int = setting(2, low=1, high=4, step=1)
    drive: float = knob(5)
    bright: bool = setting(False)
    voicing: Literal["warm", "tight"] = setting("warm")

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.cascade import Cascade, Link
        from fatsignal.core.amp.filters import RationalFilter

        first, following = _circuits(self.voicing)
        links = [Link(first)]
        before = self._drive_control(at.rate_hz)
        for stage in following[: self.stages - 1]:
            links.append(Link(stage, *before))
            before = np.array([_BETWEEN]), np.ones(1)
        parts: list[Runner] = [Cascade(links, at.rate_hz)]
        if self.stages == 1:
            parts.append(RationalFilter(*before))
        return parts

    def curve(self) -> Curve:
        return driven(self.runners(Operating(INNER_RATE_HZ)))

    def values(self) -> list[tuple[str, str]]:
        return [*self.said("drive"), ("stages", f"{self.stages}, {self.voicing}"), *self.said("bright")]

    def _drive_control(self, rate_hz: int) -> tuple[Samples, Samples]:
        from fatsignal.core.amp.circuit import transfer_function

        space = drive_circuit(self.drive, bright=self.bright).discretise(rate_hz=rate_hz, outputs=["out"])
        return transfer_function(space)


def drive_circuit(drive: float, *, bright: bool) -> "Circuit":
    """Coupling capacitor, a 1 MΩ audio-taper control and its bright capacitor, loaded by the next grid."""
    from fatsignal.core.amp.circuit import Circuit
    from fatsignal.core.amp.tone_network import audio_taper

    share = min(max(audio_taper(drive / 10), 1e-4), 0.9999)
    net = Circuit()
    net.source("in")
    net.resistor("in", "plate", 38e3)
    net.capacitor("plate", "top", 22e-9)
    net.resistor("top", "out", (1 - share) * 1e6)
    net.resistor("out", "0", share * 1e6)
    net.capacitor("top", "out", 220e-12 if bright else 1e-13)
    net.resistor("out", "0", 2.2e6)
    return net


def _circuits(voicing: str) -> "tuple[TriodeStage, tuple[TriodeStage, ...]]":
    """A first stage as it stands behind the jack, and those that follow: bias and bypass make the voice."""
    from fatsignal.core.amp.triode import TriodeStage

    first = TriodeStage(source_ohm=1e3, coupling_farad=1e-6, stopper_ohm=68e3, miller_farad=110e-12)
    if voicing == "warm":
        return first, (
            TriodeStage(source_ohm=150e3, cathode_ohm=1500, cathode_farad=22e-6),
            TriodeStage(source_ohm=235e3, cathode_ohm=1800, cathode_farad=1e-6),
            TriodeStage(source_ohm=235e3, cathode_ohm=1500, cathode_farad=None),
        )
    return first, (
        TriodeStage(source_ohm=150e3, coupling_farad=4.7e-9, cathode_ohm=2700, cathode_farad=680e-9),
        TriodeStage(source_ohm=235e3, coupling_farad=10e-9, cathode_ohm=8200, cathode_farad=None),
        TriodeStage(source_ohm=235e3, coupling_farad=22e-9, cathode_ohm=1500, cathode_farad=None),
    )
