"""The kinds of blocks of which a tone is made. A new one is a module here, and a name in `Block`."""

from typing import Annotated, get_args

from pydantic import Field

from fatsignal.core.tone.blocks.block import ToneBlock
from fatsignal.core.tone.blocks.equaliser import Band, Equaliser
from fatsignal.core.tone.blocks.first_stages import FirstStages
from fatsignal.core.tone.blocks.gate import Gate
from fatsignal.core.tone.blocks.power import Power
from fatsignal.core.tone.blocks.speaker import Mic, SpeakerAndMics
from fatsignal.core.tone.blocks.tone_network import ToneNetwork
from fatsignal.core.tone.blocks.trim import Trim

Block = Annotated[
    Gate | Equaliser | FirstStages | ToneNetwork | Power | SpeakerAndMics | Trim, Field(discriminator="kind")
]
KINDS: tuple[type[ToneBlock], ...] = get_args(get_args(Block)[0])

__all__ = [
    "KINDS", "Band", "Block", "Equaliser", "FirstStages", "Gate", "Mic", "Power", "SpeakerAndMics", "ToneBlock",
    "ToneNetwork", "Trim",
]  # fmt: skip
