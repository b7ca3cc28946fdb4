"""A gate for what a high-gain chain would lift: hum and hiss between the notes."""

import math

import numpy as np

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit

_ATTACK_S = 0.0005
_HOLD_S = 0.03
_HYSTERESIS_DB = 4.0
_DEPTH_DB = -70.0


class GateRunner:
    """Opens in half a millisecond above the threshold, closes slowly 4 dB below it."""

    STATE = ("_state",)
    latency_frames = 0

    def __init__(self, *, threshold_dbv: float, release_ms: float, rate_hz: int) -> None:
        self._open = 10 ** (threshold_dbv / 20)
        self._close = 10 ** ((threshold_dbv - _HYSTERESIS_DB) / 20)
        self._attack = math.exp(-1 / (_ATTACK_S * rate_hz))
        self._release = math.exp(-1 / (release_ms / 1000 * rate_hz))
        self._fall = math.exp(-1 / (0.01 * rate_hz))
        self._hold_frames = round(_HOLD_S * rate_hz)
        # Envelope, gain, whether it is open, frames left to hold.
        self._state = np.array([0.0, 10 ** (_DEPTH_DB / 20), 0.0, 0.0])

    def process(self, signal: Samples) -> Samples:
        """Gate `signal`, shape (frames,); state goes on to the next call."""
        return np.asarray(
            _run_gate(
                signal, self._state, self._open, self._close, self._attack, self._release, self._fall,
                self._hold_frames, 10 ** (_DEPTH_DB / 20),
            )
        )  # fmt: skip


@njit(cache=True, nogil=True)
def _run_gate(signal, state, open_at, close_at, attack, release, fall, hold_frames, floor):
    """e = max(|x|, fall e);  g -> 1 with `attack` while open or held, else -> floor with `release`."""
    out = np.empty_like(signal)
    envelope, gain, is_open, hold = state
    for n in range(signal.size):
        envelope = max(abs(signal[n]), fall * envelope)
        if envelope >= open_at:
            is_open, hold = 1.0, hold_frames
        elif envelope < close_at:
            if hold > 0:
                hold -= 1
            else:
                is_open = 0.0
        gain = 1.0 + attack * (gain - 1.0) if is_open > 0.5 else floor + release * (gain - floor)
        out[n] = gain * signal[n]
    state[0], state[1], state[2], state[3] = envelope, gain, is_open, hold
    return out
