"""A plucked string as a loop of delay: tuned exactly, stiff, damped by finger, palm and air.

References
----------
.. [1] K. Karplus, A. Strong, "Digital synthesis of plucked-string and drum timbres", CMJ 7(2), 1983.
.. [2] D. A. Jaffe, J. O. Smith, "Extensions of the Karplus-Strong plucked-string algorithm", CMJ 7(2), 1983: pick
   position, tuning by a fractional delay.
.. [3] H. Fletcher, "Normal vibration frequencies of a stiff piano string", JASA 36, 1964: the partials of a
   stiff string, here by allpass sections in the loop.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.clip import Samples
from fatsignal.core.compiled import njit
from fatsignal.core.instrument.string_event import StringEvent

# One row an event of a string, times in frames; see `StringEvent`.
EventTable = NDArray[np.float64]

_DISPERSION_SECTIONS = 2
_SHORTEST_LOOP_FRAMES = 12
# A finger or palm takes about this long to lie down.
_SOFT_TOUCH_S = 0.003


@dataclass(frozen=True, slots=True)
class StringShape:
    """Where the string is picked and heard, as shares of its open length from the bridge; and how stiff it is."""

    pick_share: float = 0.16
    pickup_share: float = 0.11
    inharmonicity: float = 1e-4  # B of f_n = n·f0·sqrt(1 + B·n²)
    open_hz: float = 110.0


class StringRunner:
    """One running string; `process` gives its velocity over the pickup, full pluck about ±1."""

    def __init__(self, shape: StringShape, events: list[StringEvent], *, rate_hz: int, seed: int) -> None:
        lowest_hz = min([shape.open_hz, *(event.frequency_hz for event in events)]) * 0.94
        self._line = np.zeros(1 << math.ceil(math.log2(rate_hz / lowest_hz + 8)))
        self._events = _event_table(shape, events, rate_hz)
        self._rate_hz = rate_hz
        self._shape = shape
        # Write position, next event, loop delay, loop gain, loss, fraction, then filter memories, then
        # what is left of the pluck: frames left, its length, its gain and softness, its last value.
        self._state = np.zeros(24)
        self._state[2] = rate_hz / shape.open_hz
        self._random = np.array([seed * 2654435761 % 2**32 or 1], dtype=np.uint32)
        self._frame = 0

    def follow(self, events: list[StringEvent]) -> None:
        """More events after those that were given; a damping that would come after the first new stroke is left out."""
        first = min((event.frame for event in events if event.pluck), default=None)
        coming = self._events[int(self._state[1]) :]
        if first is not None:
            coming = coming[coming[:, 0] < first]
        self._events = np.concatenate((coming, _event_table(self._shape, events, self._rate_hz)))
        self._state[1] = 0

    def process(self, frames: int) -> Samples:
        """The next `frames` samples; blocks of any size give the same samples."""
        out = np.zeros(frames)
        _run_string(
            out, self._frame, self._line, self._events, self._state, self._random,
            self._shape.pick_share, self._shape.pickup_share,
            self._rate_hz / self._shape.open_hz, 1 / (_SOFT_TOUCH_S * self._rate_hz),
        )  # fmt: skip
        self._frame += frames
        return out


def _event_table(shape: StringShape, events: list[StringEvent], rate_hz: int) -> EventTable:
    """Loop parameters of every event: the loop's phase delay is brought to exactly one period."""
    rows = []
    for event in sorted(events, key=lambda event: event.frame):
        omega = 2 * math.pi * event.frequency_hz / rate_hz
        period = rate_hz / event.frequency_hz
        # Loss filter g((1-b) + b z^-1): b holds the highs back, g the fundamental.
        # A shorter string passes the loop more often in a second, so each pass takes less.
        loss = 0.3 * (1 - event.brightness) ** 1.5 * min(1.0, 110.0 / event.frequency_hz)
        response = (1 - loss) + loss * complex(math.cos(omega), -math.sin(omega))
        gain = 10 ** (-3 * period / (rate_hz * event.decay_s)) / abs(response)
        loss_delay = -math.atan2(response.imag, response.real) / omega
        stiffness = _dispersion_coefficient(shape.inharmonicity, omega)
        left = period - loss_delay - _DISPERSION_SECTIONS * _allpass_delay(stiffness, omega)
        whole = math.floor(left - 0.5)
        fraction = left - whole
        if whole < _SHORTEST_LOOP_FRAMES // 2:
            raise ValueError(f"{event.frequency_hz:.1f} Hz is too high for a string loop at {rate_hz} Hz")
        rows.append(
            (
                event.frame, whole, min(gain, 0.99995), loss, _fraction_coefficient(fraction, omega),
                event.force if event.pluck else 0.0, period, event.brightness,
                stiffness,
            )
        )  # fmt: skip
    return np.array(rows, dtype=np.float64).reshape(-1, 9)


@njit(cache=True)
def _allpass_delay(coefficient, omega):
    """Phase delay at `omega` of (c + z^-1)/(1 + c z^-1), frames."""
    z = complex(math.cos(omega), -math.sin(omega))
    value = (coefficient + z) / (1 + coefficient * z)
    return -math.atan2(value.imag, value.real) / omega


@njit(cache=True)
def _dispersion_coefficient(inharmonicity, omega):
    """Coefficient of the sections with which the tenth partial is as sharp as Fletcher's formula says.

    The n-th partial sounds where the loop's phase delay is its own n periods, so the sections must
    delay it less than the fundamental. Where the tenth lies too high, a lower partial is taken.
    """
    partial = max(2, min(10, int(1.2 / omega)))
    stretch = math.sqrt((1 + inharmonicity * partial**2) / (1 + inharmonicity))
    wanted = 2 * math.pi / omega * (1 - 1 / stretch)
    sharp = partial * omega * stretch
    low, high = -0.95, 0.0
    for _ in range(50):
        middle = 0.5 * (low + high)
        less = _DISPERSION_SECTIONS * (_allpass_delay(middle, omega) - _allpass_delay(middle, sharp))
        if less > wanted:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


def _fraction_coefficient(fraction: float, omega: float) -> float:
    """Allpass coefficient whose phase delay at `omega` is exactly `fraction` frames (0.5 to 1.5)."""
    half = omega / 2
    return math.sin(half * (1 - fraction)) / math.sin(half * (1 + fraction))


@njit(cache=True, nogil=True)
def _run_string(out, first_frame, line, events, state, random, pick_share, pickup_share, open_period, softness):
    """y[n] = e[n] + AP(AP(AP(g LP(y[n-D]))));  out = y[n] - y[n - pickup], the comb of the pickup's place."""
    mask = line.size - 1
    write = int(state[0])
    event = int(state[1])
    delay, gain, loss, fraction = state[2], state[3], state[4], state[5]
    last_read, x1, y1, x2, y2, x3, y3 = state[6:13]
    stiffness, wanted_gain = state[20], state[21]
    left, length, force, soft, shaped = state[13:18]
    tap = int(state[18])
    comb = int(state[19])
    for n in range(out.size):
        while event < events.shape[0] and events[event, 0] <= first_frame + n:
            wanted_gain = events[event, 2]
            if events[event, 5] == 0.0:
                # What touches a ringing string is soft: it neither retunes it nor stops it within a sample.
                event += 1
                continue
            delay, gain, loss, fraction = events[event, 1], events[event, 2], events[event, 3], events[event, 4]
            stiffness = events[event, 8]
            if events[event, 5] > 0.0:
                force = events[event, 5]
                length = events[event, 6]
                left = length
                soft = min(0.95, 0.1 + 0.45 * force * events[event, 7])
                shaped = 0.0
                # Positions lie on the whole string, so a fretted note is picked and heard farther along.
                tap = max(1, int(pickup_share * open_period))
                comb = min(max(1, int(pick_share * open_period)), int(0.5 * length))
            event += 1
        excitation = 0.0
        if left > 0.0:
            random[0] ^= random[0] << np.uint32(13)
            random[0] ^= random[0] >> np.uint32(17)
            random[0] ^= random[0] << np.uint32(5)
            noise = random[0] / 2147483648.0 - 1.0
            at = length - left
            # A string let go from a corner moves as a pulse: as long as the corner is from the bridge, and
            # back in the rest of the period, so that nothing is left at zero hertz. The pick adds roughness.
            push = 1.0 if at < comb else -comb / (length - comb)
            raw = 0.5 * force * (push + 0.08 * noise)
            shaped += soft * (raw - shaped)
            excitation = shaped
            left -= 1.0
        gain += softness * (wanted_gain - gain)
        read = line[(write - int(delay)) & mask]
        lost = gain * ((1.0 - loss) * read + loss * last_read)
        last_read = read
        a = stiffness * (lost - y1) + x1
        x1, y1 = lost, a
        b = stiffness * (a - y2) + x2
        x2, y2 = a, b
        c = fraction * (b - y3) + x3
        x3, y3 = b, c
        value = excitation + c
        line[write & mask] = value
        out[n] = value - line[(write - tap) & mask]
        write += 1
    state[0], state[1] = write & mask, event
    state[2], state[3], state[4], state[5] = delay, gain, loss, fraction
    state[6], state[7], state[8], state[9], state[10], state[11], state[12] = last_read, x1, y1, x2, y2, x3, y3
    state[13], state[14], state[15], state[16], state[17] = left, length, force, soft, shaped
    state[18], state[19], state[20], state[21] = tap, comb, stiffness, wanted_gain
