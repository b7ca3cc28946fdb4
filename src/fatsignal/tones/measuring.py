"""Measures the tones that come with the program again: `python -m fatsignal.tones.measuring`.

What is found is kept beside them (`measured.json`), so that a new installation finds its tones at once instead of
measuring for minutes. A test holds the figures against tones and riffs as they are now.
"""

import json
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict
from pathlib import Path
from typing import Any

from fatsignal.core.tone.document import Tone
from fatsignal.core.tone.finding import MEASURED_BY
from fatsignal.core.tone.instruments import For
from fatsignal.tones import shipped_tones

_KEPT = Path(__file__).with_name("measured.json")


def measured(tone: Tone, instrument: For) -> dict[str, Any]:
    """What is kept of a tone for an instrument."""
    from fatsignal.core.tone.measures import measure_tone

    figures = asdict(measure_tone(tone, instrument))
    thirds_db = [round(level_db, 2) for level_db in figures.pop("thirds_db")]
    return {
        "fingerprint": tone.fingerprint(), "instrument": instrument, "measured_by": MEASURED_BY, "figures": figures,
        "thirds_db": thirds_db,
    }  # fmt: skip


def _main() -> None:
    wanted = [(tone, instrument) for tone in shipped_tones() for instrument in tone.instruments]
    with ProcessPoolExecutor() as workers:
        found = list(workers.map(measured, *zip(*wanted, strict=True)))
    _KEPT.write_text("[\n" + ",\n".join(json.dumps(each) for each in found) + "\n]\n", encoding="utf-8")


if __name__ == "__main__":
    _main()
