"""The first stages of an amp: triodes, with the drive control after the first."""

from typing import ClassVar, Literal

from fatsignal.core.tone.blocks.block import INNER_RATE_HZ, Curve, Operating, Runner, ToneBlock, driven, knob, setting


class FirstStages(ToneBlock):
    """Triode stages with the drive control after the first."""

    TITLE: ClassVar[str] = "First stages"
    OVERSAMPLED: ClassVar[bool] = True
    DRIVES: ClassVar[tuple[str, ...]] = ("drive",)

    kind: Literal["first_stages"] = "first_stages"
    stages: int = setting(2, low=1, high=4, step=1)
    drive: float = knob(5)
    bright: bool = setting(False)
    voicing: Literal["warm", "tight"] = setting("warm")

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.preamps import stages_in_a_row
        from fatsignal.core.amp.valve_chain import ValveChain

        circuit = stages_in_a_row(self.stages, drive=self.drive / 10, bright=self.bright, tight=self.voicing == "tight")
        return [ValveChain(circuit, at.rate_hz)]

    def curve(self) -> Curve:
        return driven(self.runners(Operating(INNER_RATE_HZ)))

    def values(self) -> list[tuple[str, str]]:
        return [*self.said("drive"), ("stages", f"{self.stages}, {self.voicing}"), *self.said("bright")]
