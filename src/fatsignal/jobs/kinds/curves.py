"""Curves: what each block of a tone does, as it is drawn."""

from dataclasses import asdict
from typing import Any

from fatsignal.config import Settings
from fatsignal.jobs.kind import SHORT, Tell, WorkKind
from fatsignal.store.database import Connection
from fatsignal.store.works import Work

CURVES_KIND = "curves"
_REMEMBERED = 500


async def _prepare(conn: Connection, work: Work, place: Settings) -> Any:
    return work.input["document"]


def _compute(document: Any, _: str, tell: Tell) -> Any:
    from fatsignal.core.tone.curves import block_curves
    from fatsignal.core.tone.document import parse_tone

    return [
        asdict(curve) | {"values": [{"label": name, "value": value} for name, value in curve.values]}
        for curve in block_curves(parse_tone(document))
    ]


async def _keep(conn: Connection, document: Any, curves: Any) -> Any:
    return curves


CURVES = WorkKind(name=CURVES_KIND, queue=SHORT, prepare=_prepare, compute=_compute, keep=_keep, remembered=_REMEMBERED)
