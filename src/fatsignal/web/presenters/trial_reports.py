"""What trial clips sound like, as pages show it."""

from uuid import UUID

from pydantic import BaseModel, Field

from fatsignal.core.verdict import Verdict


class SpectrumView(BaseModel):
    """In dB: by thirds of an octave from 20 Hz on, by named bands."""

    thirds_db: list[float]
    named_db: dict[str, float]
    tilt_db_per_octave: float


class MicMeasuredView(BaseModel):
    name: str
    level_dbfs: float | None
    above_noise_db: float | None
    spectrum: SpectrumView | None
    beside_db: list[float] | None = Field(description="By thirds, against what all microphones hear on average.")


class SumView(BaseModel):
    """Of microphones against the sum of their powers."""

    whole_db: float
    thirds_db: list[float | None]
    named_db: dict[str, float | None]
    named_verdicts: dict[str, Verdict | None]
    verdict: Verdict


class RemedyView(BaseModel):
    """Something to do about a pair: by hand, or by whose strip is delayed and whose turned over; empty: none is."""

    name: str
    says: str
    sum_of: SumView
    by_hand: bool
    delays: str
    delay_ms: float
    flips: str


class DelayView(BaseModel):
    delay_samples: float
    polarity: int
    uncertainty_samples: float
    coherence: float


class StereoBandView(BaseModel):
    name: str
    low_hz: float
    high_hz: float
    correlation: float | None
    coherence: float | None
    sum_db: float | None
    mono_loss_db: float | None
    verdict: Verdict


class PairView(BaseModel):
    first: str
    second: str
    delay: DelayView
    delay_ms: float
    farther_cm: float
    level_difference_db: float
    same_source: bool
    notches_hz: list[float]
    now: SumView
    bands: list[StereoBandView]
    remedies: list[RemedyView]
    says: str


class MicInTimeView(BaseModel):
    name: str
    delay_ms: float
    flipped: bool


class AllInTimeView(BaseModel):
    """What brings three microphones and more together, and the sum without it and with it."""

    says: str
    mics: list[MicInTimeView]
    now: SumView
    sum_of: SumView


class StereoView(BaseModel):
    correlation: float
    mono_loss_db: float
    level_difference_db: float | None
    delay_ms: float | None
    delay_uncertainty_ms: float | None
    polarity: int | None
    width: float
    image: float
    identical: bool
    bands: list[StereoBandView]
    verdict: Verdict


class TrialReportView(BaseModel):
    loudness_lufs: float | None
    peak_dbtp: float | None
    heard: SpectrumView | None
    mics: list[MicMeasuredView]
    pairs: list[PairView]
    in_time: AllInTimeView | None
    stereo: StereoView | None
    points: list[list[float]] = Field(description="Side and mid of some moments, of the largest: −1 to 1.")
    says: list[str]


class PartSpectrumView(BaseModel):
    part_id: UUID
    name: str
    thirds_db: list[float] = Field(description="Against its own loudest band.")


class SharedBumpView(BaseModel):
    centre_hz: float
    parts: list[str]
    by_db: float


class AcrossView(BaseModel):
    """The parts whose placement is chosen, beside each other and together."""

    parts: list[PartSpectrumView]
    centres_hz: list[float]
    together_db: list[float]
    tilt_db_per_octave: float
    bumps: list[SharedBumpView]
    says: list[str]


class RuledBandView(BaseModel):
    centre_hz: float
    difference_db: float | None
    uncertainty_db: float | None
    coherence: float


class RuledView(BaseModel):
    bands: list[RuledBandView]
    coherence: float
    says: str
