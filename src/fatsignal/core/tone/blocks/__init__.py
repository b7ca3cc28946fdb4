"""The kinds of blocks of which a tone is made. A new one is a module here, and a name in `Block`."""

from typing import Annotated, get_args

from pydantic import Field

from fatsignal.core.tone.blocks.block import ToneBlock
from fatsignal.core.tone.blocks.boost import Boost
from fatsignal.core.tone.blocks.chorus import Chorus
from fatsignal.core.tone.blocks.compressor import Compressor
from fatsignal.core.tone.blocks.echo import Echo
from fatsignal.core.tone.blocks.equaliser import Band, Equaliser
from fatsignal.core.tone.blocks.first_stages import FirstStages
from fatsignal.core.tone.blocks.flanger import Flanger
from fatsignal.core.tone.blocks.fuzz import Fuzz
from fatsignal.core.tone.blocks.gate import Gate
from fatsignal.core.tone.blocks.hard_clip import HardClip
from fatsignal.core.tone.blocks.limiter import Limiter
from fatsignal.core.tone.blocks.octave import Octave
from fatsignal.core.tone.blocks.phaser import Phaser
from fatsignal.core.tone.blocks.power import Power
from fatsignal.core.tone.blocks.preamp import Preamp
from fatsignal.core.tone.blocks.response import ImpulseResponse, ResponseFile
from fatsignal.core.tone.blocks.reverb import Reverb
from fatsignal.core.tone.blocks.soft_clip import SoftClip
from fatsignal.core.tone.blocks.speaker import Mic, SpeakerAndMics
from fatsignal.core.tone.blocks.split import Split, SplitPath
from fatsignal.core.tone.blocks.spring import Spring
from fatsignal.core.tone.blocks.ten_bands import TenBands
from fatsignal.core.tone.blocks.tone_network import ToneNetwork
from fatsignal.core.tone.blocks.tremolo import Tremolo
from fatsignal.core.tone.blocks.trim import Trim
from fatsignal.core.tone.blocks.wah import Wah

# In the order in which they usually stand.
Block = Annotated[
    Gate | Compressor | Wah | Boost | SoftClip | HardClip | Fuzz | Octave | Preamp | FirstStages | ToneNetwork | Power
    | SpeakerAndMics | ImpulseResponse | Equaliser | TenBands | Phaser | Chorus | Flanger | Tremolo | Echo | Reverb
    | Spring | Limiter | Trim | Split,
    Field(discriminator="kind"),
]  # fmt: skip
# Paths hold blocks, which are listed only here.
SplitPath.model_rebuild(_types_namespace={"Block": Block})
Split.model_rebuild()
KINDS: tuple[type[ToneBlock], ...] = get_args(get_args(Block)[0])

__all__ = [
    "KINDS", "Band", "Block", "Boost", "Chorus", "Compressor", "Echo", "Equaliser", "FirstStages", "Flanger", "Fuzz",
    "Gate", "HardClip", "ImpulseResponse", "Limiter", "Mic", "Octave", "Phaser", "Power", "Preamp", "ResponseFile",
    "Reverb", "SoftClip", "SpeakerAndMics", "Split", "SplitPath",
    "Spring", "TenBands", "ToneBlock", "ToneNetwork", "Tremolo", "Trim", "Wah",
]  # fmt: skip
