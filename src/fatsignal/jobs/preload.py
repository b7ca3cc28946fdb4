"""What workers compute with takes seconds to import: it is imported before somebody waits for it."""

import importlib

_WANTED = ("fatsignal.acts.import_take", "fatsignal.acts.judged_section", "fatsignal.acts.render_print")


def import_what_workers_compute() -> None:
    """In the order in which it is likely to be wanted; runs in a thread of its own."""
    for name in _WANTED:
        importlib.import_module(name)
