"""Figures as JSON can hold them."""

import math
from typing import Any

import numpy as np


def json_ready(value: Any, *, digits: int | None = None) -> Any:
    """Plain values, whatever holds them; what JSON lacks, as the level of silence, becomes null.

    Parameters
    ----------
    digits : int, optional
        Decimals to which figures are rounded.
    """
    if isinstance(value, dict):
        return {key: json_ready(inner, digits=digits) for key, inner in value.items()}
    if isinstance(value, list | tuple):
        return [json_ready(inner, digits=digits) for inner in value]
    if isinstance(value, float | np.floating):
        if not math.isfinite(value):
            return None
        return float(value) if digits is None else round(float(value), digits)
    return value
