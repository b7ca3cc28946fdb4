"""What a tone is in figures, measured once and kept."""

from typing import Any

from pydantic import BaseModel

from fatsignal.config import Settings
from fatsignal.core.tone.instruments import For
from fatsignal.jobs.kind import SHORT, Tell, WorkKind
from fatsignal.store import tone_measures
from fatsignal.store.database import Connection
from fatsignal.store.tone_measures import StoredMeasures
from fatsignal.store.works import Work

TONE_MEASURE_KIND = "tone measure"
_REMEMBERED = 1000


class ToneMeasureInput(BaseModel):
    document: dict[str, Any]
    fingerprint: str
    instrument: For
    measured_by: int


async def _prepare(conn: Connection, work: Work, settings: Settings) -> ToneMeasureInput:
    return ToneMeasureInput.model_validate(work.input)


def _compute(asked: ToneMeasureInput, _: str, tell: Tell) -> StoredMeasures:
    from dataclasses import asdict

    from fatsignal.core.tone.document import parse_tone
    from fatsignal.core.tone.measures import measure_tone

    figures = asdict(measure_tone(parse_tone(asked.document), asked.instrument))
    thirds = figures.pop("thirds_db")
    return StoredMeasures(
        fingerprint=asked.fingerprint, instrument=asked.instrument, measured_by=asked.measured_by, figures=figures,
        thirds_db=list(thirds),
    )  # fmt: skip


async def _keep(conn: Connection, asked: ToneMeasureInput, measures: StoredMeasures) -> Any:
    await tone_measures.keep_measures(conn, measures)
    return measures.figures


TONE_MEASURE = WorkKind(
    name=TONE_MEASURE_KIND, queue=SHORT, prepare=_prepare, compute=_compute, keep=_keep, remembered=_REMEMBERED
)
