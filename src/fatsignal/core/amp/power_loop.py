"""The loop of a power stage (`power_amp`): the splitter's triodes, power grids and plates, solved at every sample.

What is linear gets currents on the mean between the last sample and this one, half a sample late, as in `junctions`.
Where currents bend between two samples that mean is found by a function of its own, outside of the loop, which would
be slower for a call that it makes. Products are not contracted with sums: the compiler does so in the first turn of
a loop otherwise than in the next, and samples would hang on where blocks begin.
"""

import numpy as np

from fatsignal.core.amp.power_layout import (
    ABOVE,
    AT_PLATE,
    AT_SPEAKER,
    BACK_TO_MODES,
    BACK_TO_PORTS,
    BELOW,
    CURRENTS,
    DRIVEN,
    FOUND,
    I_LAST,
    I_NOW,
    I_OLDER,
    MODES,
    NEXT,
    OUT,
    OUT_A,
    OUT_C,
    OUT_OHM,
    OUT_W,
    P_LAST,
    P_NOW,
    PAIR,
    POLES,
    PORTS,
    SEEN,
    STAGE,
    TO_MODES,
    TO_PORTS,
    WORKING,
    K,
    P,
    W,
)
from fatsignal.core.amp.power_valve import drive_of, grid_of, knee_of, screen_of
from fatsignal.core.amp.valve_table import SCALE, WARP_V, in_table, read_with_slopes
from fatsignal.core.compiled import hot_loop, njit

_MOST_STEPS = 8
# Between two samples: by how much currents may bend within a stretch (of the plates, of the splitter with the power
# grids), and the narrowest that is halved.
_BEND_A, _SMALL_BEND_A, _NARROWEST = 0.005, 20e-6, 1 / 64


@njit(cache=True, inline="always", error_model="numpy")
def _read_valve(tables, start, p_grid, row_at, last_row):
    """Grid and plate current, and how their sum rises by the volt at the grid and by the row."""
    column_at, row_at = in_table(p_grid, row_at, last_row)
    grid_a, plate_a, by_column, by_row = read_with_slopes(tables, start, column_at, row_at)
    return grid_a, plate_a, by_column * (SCALE * WARP_V / (abs(p_grid) + WARP_V) ** 2), by_row


@njit(cache=True, inline="always", error_model="numpy")
def _solve_pair(z, tables, before, sum_a, sum_b):
    """Both triodes of the splitter: S_a = T_a(p_a - K_ab S_b),  S_b = T_b(p_b - K_ba S_a), against their rest, from a
    guess of both sums.

    What power grids drew last, and what the tables' steps left, come with the currents of the sample before.
    """
    ia, pa, ib, pb, power_a, power_b, _, _ = before
    grid_a, grid_b = z[PAIR] + z[P] - z[PAIR + 7] * ia, z[PAIR + 8] + z[P + 2] - z[PAIR + 15] * ib
    plate_a = z[P + 1] - z[K + 12] * power_a - z[K + 13] * power_b
    plate_b = z[P + 3] - z[K + 28] * power_a - z[K + 29] * power_b
    for _ in range(_MOST_STEPS):
        row = z[PAIR + 1] + z[PAIR + 2] * (plate_a - z[K + 11] * sum_b)
        ia, pa, by_grid, by_row = _read_valve(tables, z[PAIR + 6], grid_a - z[K + 3] * sum_b, row, z[PAIR + 3])
        by_b = by_grid * z[K + 3] + by_row * z[PAIR + 2] * z[K + 11]
        row = z[PAIR + 9] + z[PAIR + 10] * (plate_b - z[K + 25] * sum_a)
        ib, pb, by_grid, by_row = _read_valve(tables, z[PAIR + 14], grid_b - z[K + 17] * sum_a, row, z[PAIR + 11])
        by_a = by_grid * z[K + 17] + by_row * z[PAIR + 10] * z[K + 25]
        ia, ib = ia - z[PAIR + 4], ib - z[PAIR + 12]
        off_a, off_b = sum_a - ia - pa + z[PAIR + 5], sum_b - ib - pb + z[PAIR + 13]
        determinant = 1.0 / (1.0 - by_a * by_b)
        step_a, step_b = (off_a - by_b * off_b) * determinant, (off_b - by_a * off_a) * determinant
        sum_a -= step_a
        sum_b -= step_b
        # Newton squares its error: after a step of ten microamperes less than a nanoampere is left.
        if abs(step_a) + abs(step_b) < 1e-5:
            break
    return ia, sum_a - ia, ib, sum_b - ib


@njit(cache=True, inline="always", error_model="numpy")
def _plates(d, drive_a, drive_b, above, below, plate_ohm, per_kvb, knee_table):
    """The difference of both plates' currents from a guess of it, by Newton; and their sum.

    The root lies between the currents that one side alone could draw; where a step leaves this bracket or fails to
    shrink, the bracket is halved instead: both knees of the arc tangent would else throw Newton to and fro.
    """
    low, high = -1.5707963267948966 * drive_b, 1.5707963267948966 * drive_a
    if drive_b == 0.0:
        low = -high
    d = min(max(d, low), high)
    share_a, share_b, last_step = 0.0, 0.0, high - low
    for _ in range(40):
        share_a, rise_a = knee_of(knee_table, above - plate_ohm * d, per_kvb)
        share_b, rise_b = knee_of(knee_table, below + plate_ohm * d, per_kvb)
        residual = d - drive_a * share_a + drive_b * share_b
        if residual > 0.0:
            high = d
        else:
            low = d
        step = residual / (1.0 + plate_ohm * (drive_a * rise_a + drive_b * rise_b))
        if d - step < low or d - step > high or abs(step) > 0.5 * last_step:
            last_step = 0.5 * (high - low)
            d = low + last_step
            continue
        last_step = abs(step)
        d -= step
        # Newton squares its error: of the amperes that flow some ten nanoamperes are left.
        if last_step < 3e-4:
            break
    return d, drive_a * share_a + drive_b * share_b


@njit(cache=True, inline="always", error_model="numpy")
def _solve(z, before, guess, at, tables, grid_table, drive_table, knee_table):
    """All currents at the open voltages, from a guess of them."""
    bias_v, screen, per_screen, both, plate_ohm, per_kvb = at
    ia, pa, ib, pb, power_b, drive_b = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    if both > 0.0:
        ia, pa, ib, pb = _solve_pair(z, tables, before, guess[0] + guess[1], guess[2] + guess[3])
    # Power grids, each behind its share of the splitter's circuit.
    open_a = bias_v + z[P + 4] - z[K + 33] * pa - z[K + 35] * pb
    grid_v = grid_of(grid_table, open_a)
    power_a, drive_a = (open_a - grid_v) / z[K + 36], screen * drive_of(drive_table, grid_v * per_screen)
    if both > 0.0:
        open_b = bias_v + z[P + 5] - z[K + 41] * pa - z[K + 43] * pb
        grid_v = grid_of(grid_table, open_b)
        power_b, drive_b = (open_b - grid_v) / z[K + 45], screen * drive_of(drive_table, grid_v * per_screen)
    d, drawn = _plates(guess[6], drive_a, drive_b, z[P + ABOVE], z[P + BELOW], plate_ohm, per_kvb, knee_table)
    return ia, pa, ib, pb, power_a, power_b, d, drawn


@njit(cache=True, inline="always", error_model="numpy")
def _sum(x, a, y, b):
    """x a + y b, of all currents."""
    return (
        x * a[0] + y * b[0], x * a[1] + y * b[1], x * a[2] + y * b[2], x * a[3] + y * b[3],
        x * a[4] + y * b[4], x * a[5] + y * b[5], x * a[6] + y * b[6], x * a[7] + y * b[7],
    )  # fmt: skip


@njit(cache=True, inline="always", error_model="numpy")
def _bend(start, middle, end):
    """Whether currents at three times, evenly apart, are far from lying on a line."""
    bend = _sum(1.0, _sum(1.0, start, -2.0, middle), 1.0, end)
    small = abs(bend[0] + bend[1]) + abs(bend[2] + bend[3]) + abs(bend[4]) + abs(bend[5])
    return small > _SMALL_BEND_A or abs(bend[6]) > _BEND_A


@hot_loop()
def _solve_between(z, share, before, at, tables, grid_table, drive_table, knee_table):
    """All currents at some share of the time between two samples, from those of a time close to it."""
    for lane in range(PORTS):
        z[P + lane] = z[P_LAST + lane] + share * (z[P_NOW + lane] - z[P_LAST + lane])
    return _solve(z, before, before, at, tables, grid_table, drive_table, knee_table)


@hot_loop()
def _mean(z, start, stage, tables, grid_table, drive_table, knee_table):
    """Currents on the mean between two samples, `start` at the first, while open voltages go straight from the one to
    the other.

    Where they bend within a stretch it is halved, as in `junctions`: what switches between two samples switches at its
    own time.
    """
    for lane in range(PORTS):
        z[P_NOW + lane] = z[P + lane]
    mean = _sum(0.0, start, 0.0, start)
    at, width, end = 0.0, 1.0, _currents(z, I_NOW)
    while at < 1.0:
        if at > 0.0:
            end = _solve_between(z, at + width, start, stage, tables, grid_table, drive_table, knee_table)
        middle = _solve_between(z, at + 0.5 * width, end, stage, tables, grid_table, drive_table, knee_table)
        while width > _NARROWEST and _bend(start, middle, end):
            # Its middle is the end of its first half.
            width *= 0.5
            end = middle
            middle = _solve_between(z, at + 0.5 * width, end, stage, tables, grid_table, drive_table, knee_table)
        mean = _sum(1.0, mean, 0.25 * width, _sum(1.0, _sum(1.0, start, 2.0, middle), 1.0, end))
        start = end
        at += width
        width = min(2.0 * width, 1.0 - at)
    for lane in range(PORTS):
        z[P + lane] = z[P_NOW + lane]
    return mean


@njit(cache=True, inline="always", error_model="numpy")
def _currents(z, at):
    """Currents as they are remembered."""
    return z[at], z[at + 1], z[at + 2], z[at + 3], z[at + 4], z[at + 5], z[at + 6], z[at + 7]


@njit(cache=True, inline="always", error_model="numpy")
def _found(z):
    """What plate and loudspeaker find of what coils and iron hold; each in two sums that wait for nothing."""
    plate, plate_too, speaker, speaker_too = 0.0, 0.0, 0.0, 0.0
    for m in range(OUT // 2):
        plate += z[AT_PLATE + m] * z[OUT_W + m]
        plate_too += z[AT_PLATE + OUT // 2 + m] * z[OUT_W + OUT // 2 + m]
        speaker += z[AT_SPEAKER + m] * z[OUT_W + m]
        speaker_too += z[AT_SPEAKER + OUT // 2 + m] * z[OUT_W + OUT // 2 + m]
    return plate + plate_too, speaker + speaker_too


@hot_loop()
def _run_until_bent(signal, out, n, z, bent, mean, tables, grid_table, drive_table, screen_table, knee_table):
    """From the sample `n` on to one that needs a mean of its own, or to the end: which. `mean` is sample `bent`'s.

    The plates: d = i_a(V - v) - i_b(V + v) with v = p + R (d - i_m);  i_m of the flux before, which v adds to."""
    source_v, bias_v, charge_cathode, leak_cathode, recharge, drain = z[STAGE : STAGE + 6]
    per_henry, full_vs, period_s, to_tap, both, kvb = z[STAGE + 6 : STAGE + 12]
    supply_v, screen_v, cathode_v, flux, speaker_v = z[WORKING : WORKING + 5]
    plate_ohm, speaker_ohm = z[OUT_OHM : OUT_OHM + 2]
    per_kvb = 1.0 / kvb
    last, older = _currents(z, I_LAST), _currents(z, I_OLDER)
    plate_found, speaker_found = z[FOUND], z[FOUND + 1]
    while n < signal.size:
        u, back = signal[n], -to_tap * speaker_v
        for port in range(PORTS):
            z[P + port] = z[TO_PORTS + port] * u + z[BACK_TO_PORTS + port] * back
        for m in range(MODES):
            for port in range(PORTS):
                z[P + port] += z[SEEN + m * PORTS + port] * z[W + m]
        # What the coils and the iron hold already, and what of it the plates find.
        share = flux / full_vs
        square = share * share
        magnetising = flux * per_henry * (1.0 + square * square * square)
        held = plate_found - plate_ohm * magnetising
        z[P + ABOVE], z[P + BELOW] = supply_v - cathode_v - held, supply_v - cathode_v + held
        screen = screen_of(screen_table, screen_v)
        stage = bias_v - cathode_v, screen, 1.0 / screen_v, both, plate_ohm, per_kvb
        # Newton starts where the last two samples point, and mostly needs one step or two.
        currents = _solve(z, last, _sum(2.0, last, -1.0, older), stage, tables, grid_table, drive_table, knee_table)
        # Linear parts get currents on the mean between the last sample and this one, which is late by half of it.
        if n != bent:
            if _bend(older, last, currents):
                for place in range(CURRENTS):
                    z[I_NOW + place] = currents[place]
                break
            mean = _sum(0.5, last, 0.5, currents)
        older, last = last, currents
        for lane in range(PORTS):
            z[P_LAST + lane] = z[P + lane]
        for m in range(MODES):
            z[W + m] = z[POLES + m] * z[W + m] + z[TO_MODES + m] * u + z[BACK_TO_MODES + m] * back
        for m in range(MODES):
            from_a = z[DRIVEN + m] * mean[0] + z[DRIVEN + MODES + m] * mean[1]
            from_b = z[DRIVEN + 2 * MODES + m] * mean[2] + z[DRIVEN + 3 * MODES + m] * mean[3]
            from_power = z[DRIVEN + 4 * MODES + m] * mean[4] + z[DRIVEN + 5 * MODES + m] * mean[5]
            z[W + m] += from_a + from_b + from_power
        into = mean[6] - magnetising
        speaker_v = speaker_found + speaker_ohm * into
        flux += period_s * (held + plate_ohm * mean[6])
        for row in range(OUT):
            z[NEXT + row] = z[OUT_C + row] * into
        for m in range(OUT):
            for row in range(OUT):
                z[NEXT + row] += z[OUT_A + m * OUT + row] * z[OUT_W + m]
        for row in range(OUT):
            z[OUT_W + row] = z[NEXT + row]
        # What of it plate and loudspeaker will find is known a sample ahead, so nothing waits for these sums.
        plate_found, speaker_found = _found(z)
        screen_v = supply_v - cathode_v
        cathode_v += charge_cathode * mean[7] - leak_cathode * cathode_v
        supply_v += (source_v - supply_v) * recharge - drain * mean[7]
        out[n] = speaker_v / source_v
        n += 1
    z[WORKING], z[WORKING + 1], z[WORKING + 2], z[WORKING + 3] = supply_v, screen_v, cathode_v, flux
    z[WORKING + 4] = speaker_v
    z[FOUND], z[FOUND + 1] = plate_found, speaker_found
    for place in range(CURRENTS):
        z[I_LAST + place], z[I_OLDER + place] = last[place], older[place]
    return n


@njit(cache=True, nogil=True, error_model="numpy")
def run_power(signal, z, tables, grid_table, drive_table, screen_table, knee_table):
    """All samples. Where currents bend is left to a function of its own: a loop is slower for a call that it makes."""
    out = np.empty_like(signal)
    mean = _currents(z, I_LAST)
    n = _run_until_bent(signal, out, 0, z, -1, mean, tables, grid_table, drive_table, screen_table, knee_table)
    while n < signal.size:
        screen_v, cathode_v = z[WORKING + 1], z[WORKING + 2]
        stage = (
            z[STAGE + 1] - cathode_v, screen_of(screen_table, screen_v), 1.0 / screen_v, z[STAGE + 10], z[OUT_OHM],
            1.0 / z[STAGE + 11],
        )  # fmt: skip
        mean = _mean(z, _currents(z, I_LAST), stage, tables, grid_table, drive_table, knee_table)
        n = _run_until_bent(signal, out, n, z, n, mean, tables, grid_table, drive_table, screen_table, knee_table)
    return out
