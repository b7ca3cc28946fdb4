"""What a tone is without a sound: the curve of each block, as it is drawn, and how late the whole chain is."""

from dataclasses import asdict
from typing import Any

from fatsignal.config import Settings
from fatsignal.jobs.kind import calculation

CURVES_KIND, LATENCY_KIND = "curves", "latency"
_REMEMBERED = 500


def _curves(asked: dict[str, Any], _: Settings) -> Any:
    from fatsignal.core.tone.curves import block_curves
    from fatsignal.core.tone.document import parse_tone

    return [
        asdict(curve) | {"values": [{"label": name, "value": value} for name, value in curve.values]}
        for curve in block_curves(parse_tone(asked["document"]))
    ]


def _latency_frames(asked: dict[str, Any], _: Settings) -> int:
    from fatsignal.core.tone.chain import ToneChain
    from fatsignal.core.tone.document import parse_tone

    return ToneChain(parse_tone(asked["document"]), rate_hz=asked["rate_hz"]).latency_frames


CURVES = calculation(CURVES_KIND, _curves, remembered=_REMEMBERED)
LATENCY = calculation(LATENCY_KIND, _latency_frames, remembered=_REMEMBERED)
