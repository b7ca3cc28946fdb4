"""Valves against their published equations, written out apart from the code."""

import numpy as np
import pytest

from fatsignal.core.amp.power_valve import BEAM, PENTODE, drive_of, grid_of, knee_of, power_tables, screen_of
from fatsignal.core.amp.valve import HIGH_MU, grid_current_a, plate_current_a
from fatsignal.core.amp.valve_table import in_table, read_currents, valve_table

VALUES = HIGH_MU.values()


def test_plate_current_by_hand():
    """Koren 1996 at 250 V and −2 V, 12AX7 type."""
    e1 = 250 / 600 * np.log1p(np.exp(600 * (1 / 100 - 2 / np.sqrt(300 + 250**2))))
    current, by_grid, by_plate = plate_current_a(-2.0, 250.0, VALUES)
    assert current == pytest.approx(2 * e1**1.4 / 1060, rel=1e-12)
    step = 1e-5
    assert by_grid == pytest.approx((plate_current_a(-2 + step, 250.0, VALUES)[0] - current) / step, rel=1e-3)
    assert by_plate == pytest.approx((plate_current_a(-2.0, 250 + step, VALUES)[0] - current) / step, rel=1e-3)


@pytest.mark.parametrize(("p_grid", "p_plate"), [(-3.0, 260.0), (0.3, 240.0), (25.0, 250.0), (-0.7, 180.0)])
def test_a_table_holds_what_leaves_the_open_voltages(p_grid, p_plate):
    """v = p - K i(v): from the currents that the table tells back to the open voltages."""
    k = np.array([[60e3, 1500.0], [1500.0, 90e3]])
    table = valve_table(HIGH_MU, k[0, 0], k[0, 1], k[1, 1], 150.0, 300.0, 10.0)
    at = in_table(p_grid, (p_plate - table.plate_low_v) / table.plate_step_v, len(table.currents_a) - 1.000001)
    currents = np.array(read_currents(table.currents_a.ravel(), 0, *at))
    grid_v, plate_v = np.array([p_grid, p_plate]) - k @ currents
    assert grid_current_a(grid_v, VALUES)[0] == pytest.approx(currents[0], rel=2e-2, abs=1e-8)
    assert plate_current_a(grid_v, plate_v, VALUES)[0] == pytest.approx(currents[1], rel=1e-2, abs=2e-6)


@pytest.mark.parametrize("valve", [PENTODE, BEAM])
def test_a_power_valve_by_hand(valve):
    """Koren's pentode at −30 V, a screen of 400 V and a plate of 250 V."""
    tables = power_tables(valve, 50e3)
    e1 = 400 / valve.kp * np.log1p(np.exp(valve.kp * (1 / valve.mu - 30 / 400)))
    expected = 2 * e1**valve.exponent / valve.kg1 * np.arctan(250 / valve.kvb)
    knee = knee_of(tables.knee, 250.0, 1 / valve.kvb)[0]
    found = drive_of(tables.drive, -30 / 400) * screen_of(tables.screen, 400.0) * knee
    assert found == pytest.approx(expected, rel=1e-4)


def test_a_power_grid_conducts_above_its_cathode():
    """1 kΩ with a knee of 1.2 V behind 50 kΩ: of 100 V too many some two are left."""
    tables = power_tables(PENTODE, 50e3)
    grid_v = grid_of(tables.grid_v, 100.0)
    assert (100.0 - grid_v) / 50e3 == pytest.approx(1.2 * np.logaddexp(0, grid_v / 1.2) / 1000, rel=1e-3)
    assert grid_of(tables.grid_v, -40.0) == pytest.approx(-40.0, abs=1e-6)
