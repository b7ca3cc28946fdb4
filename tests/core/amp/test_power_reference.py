"""The power stage against its own equations, solved by scipy's bracketing root finder at every sample.

Nothing of the running code is used: no table, no Newton, no guess from the last sample.
"""

import math

import numpy as np
import pytest
from scipy.optimize import brentq

from fatsignal.core.amp.power_stage import PowerRunner, PowerStage
from tests.signals import sine

RATE = 48_000
# Pentode after Koren 1996 (form); values of an EL34 type from memory. Grid: 1 kΩ with a knee of 1.2 V.
MU, EX, KG1, KP, KVB = 11.0, 1.35, 650.0, 60.0, 24.0
GRID_OHM, KNEE_V = 1_000.0, 1.2


def grid_current_a(grid_v):
    return KNEE_V * np.logaddexp(0.0, grid_v / KNEE_V) / GRID_OHM


def saturation_a(grid_v, screen_v):
    """Plate current over its arc tangent's share."""
    e1 = screen_v / KP * np.logaddexp(0.0, KP * (1 / MU + grid_v / screen_v))
    return 2 * e1**EX / KG1


class Side:
    """One half: coupling capacitor, leak and grid, by backward Euler."""

    def __init__(self, stage):
        self.stage, self.charge_v = stage, -stage.bias_v

    def grid_v(self, swing_v):
        s = self.stage
        series = 1 / (s.splitter_ohm + 1 / (s.coupling_farad * RATE))
        drive = swing_v - self.charge_v

        def unbalance(grid_v):
            return (drive - grid_v) * series - (grid_v - s.bias_v) / s.leak_ohm - grid_current_a(grid_v)

        found = brentq(unbalance, -2_000, 2_000, xtol=1e-10)
        self.charge_v += (drive - found) * series / (s.coupling_farad * RATE)
        return found


def solve(stage, swing_v):
    """Output over the supply, and the supply voltage, at every sample; from the stage's voltages at switching on."""
    halves = Side(stage), Side(stage)
    quarter = stage.plate_to_plate_ohm / 4
    supply_v = screen_v = stage.supply_v
    out, supplies = [], []
    for swing in swing_v:
        a, b = (saturation_a(half.grid_v(sign * swing), screen_v) for half, sign in zip(halves, (1, -1), strict=True))

        def currents(d, a=a, b=b, supply_v=supply_v):
            return a * math.atan((supply_v - quarter * d) / KVB), b * math.atan((supply_v + quarter * d) / KVB)

        d = brentq(lambda d, of=currents: d - of(d)[0] + of(d)[1], -b * math.pi / 2 - 1e-9, a * math.pi / 2 + 1e-9)
        screen_v = supply_v
        supply_v += ((stage.supply_v - supply_v) / stage.supply_ohm - sum(currents(d))) / (stage.reservoir_farad * RATE)
        out.append(quarter * d / stage.supply_v)
        supplies.append(supply_v)
    return np.array(out), np.array(supplies)


@pytest.mark.parametrize("peak_v", [2.0, 40.0, 150.0])
def test_clean_clipping_and_blocking_are_those_of_the_equations(peak_v):
    stage = PowerStage()
    # Idle current pulls the supply down first, as the runner does when it is made.
    idle = np.zeros(RATE // 10)
    played = sine(180.0, peak=peak_v, seconds=0.04, rate_hz=RATE)
    expected, _ = solve(stage, np.concatenate((idle, played)))
    found = PowerRunner(stage, RATE).process(played)
    assert np.abs(found - expected[len(idle) :]).max() < 2e-4 * np.abs(expected).max() + 1e-6


def test_the_idle_current_is_what_a_pair_of_such_valves_draws():
    """Class AB of this size idles at some tens of milliamperes a side (common practice, no source)."""
    stage = PowerStage()
    _, supplies = solve(stage, np.zeros(RATE // 10))
    both_a = (stage.supply_v - supplies[-1]) / stage.supply_ohm
    assert 0.02 < both_a / 2 < 0.08


def test_a_softer_supply_falls_further():
    loud = sine(110.0, peak=90.0, seconds=0.05, rate_hz=RATE)
    lowest = [solve(PowerStage(supply_ohm=ohm), loud)[1].min() for ohm in (20.0, 200.0)]
    assert lowest[1] < lowest[0] < PowerStage().supply_v
