"""The kinds of work there are: a module each, and a line here."""

from fatsignal.jobs.kind import AnyKind
from fatsignal.jobs.kinds.backings import BACKING
from fatsignal.jobs.kinds.curves import CURVES
from fatsignal.jobs.kinds.imports import IMPORT
from fatsignal.jobs.kinds.judging import JUDGING, TUNING_DRIFT
from fatsignal.jobs.kinds.printing import PRINTING

KINDS: dict[str, AnyKind] = {kind.name: kind for kind in (PRINTING, IMPORT, BACKING, JUDGING, TUNING_DRIFT, CURVES)}
