"""The kinds of work there are: a module each, and a name here."""

from fatsignal.jobs.kind import AnyKind
from fatsignal.jobs.kinds.backings import BACKING, PLAYBACK
from fatsignal.jobs.kinds.benching import BENCH
from fatsignal.jobs.kinds.checking import CHECK
from fatsignal.jobs.kinds.comp_files import COMP_FILES
from fatsignal.jobs.kinds.comparing import COMPARISON
from fatsignal.jobs.kinds.curves import CURVES, LATENCY
from fatsignal.jobs.kinds.drive_matching import DRIVE_MATCH
from fatsignal.jobs.kinds.imports import IMPORT
from fatsignal.jobs.kinds.judging import JUDGING, STROKES, TUNING_DRIFT
from fatsignal.jobs.kinds.leveling import COMP_LEVELS
from fatsignal.jobs.kinds.midi import MIDI
from fatsignal.jobs.kinds.parcels import PARCEL
from fatsignal.jobs.kinds.printing import PRINTING
from fatsignal.jobs.kinds.pulses import PULSE
from fatsignal.jobs.kinds.signal_paths import SIGNAL_PATH
from fatsignal.jobs.kinds.surveying import SURVEY
from fatsignal.jobs.kinds.tone_measuring import TONE_MEASURE
from fatsignal.jobs.kinds.trial_imports import TRIAL_IMPORT
from fatsignal.jobs.kinds.trials import TRIAL, TRIAL_DIFFERENCE
from fatsignal.jobs.kinds.waves import WAVE

_ALL: tuple[AnyKind, ...] = (
    PRINTING, SURVEY, IMPORT, BACKING, PLAYBACK, PULSE, CHECK, JUDGING, STROKES, TUNING_DRIFT, COMP_LEVELS, COMP_FILES,
    BENCH, DRIVE_MATCH, TONE_MEASURE, COMPARISON, CURVES, LATENCY, SIGNAL_PATH, MIDI, PARCEL, WAVE, TRIAL,
    TRIAL_DIFFERENCE, TRIAL_IMPORT,
)  # fmt: skip
KINDS: dict[str, AnyKind] = {kind.name: kind for kind in _ALL}
