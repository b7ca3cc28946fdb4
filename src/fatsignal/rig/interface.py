"""The simulated interface: its knobs, the room around it, and the faults that it can be given to see a check fail."""

from pydantic import Field

from fatsignal.core.documents import Kept

INPUTS = 8
# Phones on the first two, lines on the others.
OUTPUTS = 4
NAME = "simulated interface"
BUFFER_FRAMES = (32, 64, 128, 256, 384, 512, 1024, 2048)
# A converter's filters and the driver's safety, in frames; not whole, as in hardware.
_CONVERTER_FRAMES = 63.4


class SimulatedInterface(Kept):
    """What the simulated interface and its surroundings are like now."""

    buffer_frames: int = Field(default=256, ge=16, le=4096)
    clock_hz: int | None = Field(
        default=None, ge=8_000, le=384_000, description="Rate it is set to; null: the session's."
    )
    mains_hz: float = Field(default=50.0, ge=40, le=70)
    hum_dbu: float = Field(default=-82.0, ge=-140, le=0, description="Induced in a single coil turned the wrong way.")
    guitar_turned_deg: float = Field(default=70.0, ge=0, le=90, description="90 hums least.")
    buzz_dbu: float = Field(default=-140.0, ge=-140, le=0)
    ground_loop_dbu: float = Field(
        default=-140.0, ge=-140, le=0, description="Round by the amp; a ground lift opens it."
    )
    extra_noise_dbu: float = Field(default=-140.0, ge=-140, le=0)
    room_noise_db_spl: float = Field(default=30.0, ge=0, le=90)
    phones_leak_db: float | None = Field(
        default=None, ge=-80, le=0, description="Of the click, at the mics; null: none."
    )
    broken_inputs: list[int] = Field(default_factory=list, max_length=INPUTS)
    vanishes_after_s: float | None = Field(default=None, ge=0, le=3600)
    gap_after_s: float | None = Field(
        default=None, ge=0, le=3600, description="When it delivers nothing for a while, and what sounds is lost."
    )
    gap_s: float = Field(default=2.0, ge=0.001, le=10)
    extra_latency_frames: float = Field(default=0.0, ge=0, le=20_000)
    loop_cable: bool = Field(default=True, description="Output 1 into the input that is pinged.")
    string_cents: list[float] = Field(default_factory=list, max_length=12, description="How far each string is out.")
    gains_can_be_set: bool = True

    def round_trip_frames(self) -> float:
        """From output to input: the buffer on both ways, converters, and what the driver adds."""
        return 2 * self.buffer_frames + _CONVERTER_FRAMES + self.extra_latency_frames
