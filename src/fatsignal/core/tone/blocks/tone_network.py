"""The passive treble, middle and bass network of an amp."""

from typing import ClassVar, Literal

from fatsignal.core.tone.blocks.block import FREQUENCY_HZ, Curve, Operating, Runner, ToneBlock, knob, setting


class ToneNetwork(ToneBlock):
    """The passive treble, middle and bass network."""

    TITLE: ClassVar[str] = "Tone network"
    # Linear, but between stages that are not: at the same rate as they.
    OVERSAMPLED: ClassVar[bool] = True

    kind: Literal["tone_network"] = "tone_network"
    network: Literal["scooped", "forward", "deep"] = setting("scooped")
    bass: float = knob(5)
    middle: float = knob(5)
    treble: float = knob(5)

    def runners(self, at: Operating) -> list[Runner]:
        from fatsignal.core.amp.tone_network import NETWORKS, network_filter

        return [
            network_filter(
                NETWORKS[self.network], treble=self.treble / 10, middle=self.middle / 10, bass=self.bass / 10,
                rate_hz=at.rate_hz,
            )
        ]  # fmt: skip

    def curve(self) -> Curve:
        from fatsignal.core.amp.tone_network import NETWORKS, network_response_db

        response = network_response_db(
            NETWORKS[self.network], FREQUENCY_HZ, treble=self.treble / 10, middle=self.middle / 10, bass=self.bass / 10
        )
        return Curve("frequency", FREQUENCY_HZ, response)

    def values(self) -> list[tuple[str, str]]:
        return self.said("bass", "middle", "treble")
