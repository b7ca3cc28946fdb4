"""The levels to aim at while recording, and how far to turn a gain to get there."""

import math

# Aims while the loudest is played; common practice, no source.
AIM_AVERAGE_DBFS = (-18.0, -12.0)
AIM_PEAK_DBFS = -6.0
# No pass is as loud as the last one to less than this.
_NOT_WORTH_DB, _LEAST_UP_DB = 0.5, 2


def turn_by_db(average_dbfs: float, peak: float, flat_tops: int) -> int:
    """Whole decibels to turn the gain by: into the aim for the average, with the peak at most at its own.

    A flat top has lost its true height, so it counts as 6 dB above full scale.
    """
    if math.isinf(average_dbfs):
        return 0
    low, high = AIM_AVERAGE_DBFS
    if flat_tops:
        return -math.ceil(peak + 6.0 - AIM_PEAK_DBFS)
    if peak > AIM_PEAK_DBFS + _NOT_WORTH_DB:
        return -math.ceil(peak - AIM_PEAK_DBFS)
    if average_dbfs > high + _NOT_WORTH_DB:
        return -math.ceil(average_dbfs - high)
    if average_dbfs < low:
        # To the middle of the aim, but no peak beyond its own limit; a single decibel is not worth a turn.
        up = math.floor(min((low + high) / 2 - average_dbfs, AIM_PEAK_DBFS - peak))
        return up if up >= _LEAST_UP_DB else 0
    return 0
