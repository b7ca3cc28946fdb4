"""What only computing needs takes seconds to import: it is imported beside the first page, before anybody rolls.

Little of it is left here: what computes for long does so in workers (`jobs/kinds`).
"""

import importlib

WANTED_FIRST = (
    "fatsignal.acts.roll_order", "fatsignal.acts.overdub_tracks", "fatsignal.acts.enter_roll",
    "fatsignal.core.level.waveform_peaks", "fatsignal.core.timing.click",
)  # fmt: skip


def import_what_computes() -> None:
    """In the order in which it is likely to be wanted; runs in a thread of its own."""
    for name in WANTED_FIRST:
        importlib.import_module(name)
