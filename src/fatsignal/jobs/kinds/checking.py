"""Checks: what was listened to is measured."""

from dataclasses import asdict
from typing import Any

from fatsignal.config import Settings
from fatsignal.jobs.kind import calculation

CHECK_KIND = "check"
_REMEMBERED = 50


def _measured(asked: dict[str, Any], _: Settings) -> Any:
    from fatsignal.acts.checks.kind import CheckFound
    from fatsignal.acts.checks.run import measure_check
    from fatsignal.engine.orders import ListenOrder

    before = CheckFound(**asked["before"]) if asked["before"] else None
    order = ListenOrder.model_validate(asked["order"])
    return asdict(measure_check(order, playing_dbfs=asked["playing_dbfs"], before=before))


CHECK = calculation(CHECK_KIND, _measured, remembered=_REMEMBERED)
