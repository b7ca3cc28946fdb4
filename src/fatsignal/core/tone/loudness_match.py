"""Gains for a fair comparison: the louder of two sounds always seems better."""

import math
from collections.abc import Sequence

AIM_LUFS = -18.0
CEILING_DBTP = -1.0


def matching_gains_db(loudness_lufs: Sequence[float | None], true_peak_dbtp: Sequence[float | None]) -> list[float]:
    """Gains that bring all sounds to one loudness, at most −18 LUFS, without a peak above −1 dBTP.

    Silence, None or minus infinity, keeps a gain of 0. All others get the same loudness, even where one sound's
    peaks make it a low one.
    """
    audible = [
        (lufs, peak)
        for lufs, peak in zip(loudness_lufs, true_peak_dbtp, strict=True)
        if lufs is not None and peak is not None and math.isfinite(lufs)
    ]
    if not audible:
        return [0.0 for _ in loudness_lufs]
    target = min(AIM_LUFS, *(lufs + CEILING_DBTP - peak for lufs, peak in audible))
    return [target - lufs if lufs is not None and math.isfinite(lufs) else 0.0 for lufs in loudness_lufs]
