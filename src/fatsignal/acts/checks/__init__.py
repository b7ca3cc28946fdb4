"""The checks of a rig. A new kind is a module here, and a name in this list; pages show them in its order."""

from fatsignal.acts.checks.bleed import BleedCheck
from fatsignal.acts.checks.chords import ChordCheck
from fatsignal.acts.checks.kind import CheckKind
from fatsignal.acts.checks.latency import LatencyCheck
from fatsignal.acts.checks.level import LevelCheck
from fatsignal.acts.checks.noise import NoiseCheck
from fatsignal.acts.checks.tuning import TuningCheck

_IN_ORDER: tuple[CheckKind, ...] = (
    LevelCheck(), TuningCheck(), ChordCheck(), NoiseCheck(), LatencyCheck(), BleedCheck(),
)  # fmt: skip
CHECKS: dict[str, CheckKind] = {each.kind: each for each in _IN_ORDER}
