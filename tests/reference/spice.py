"""Runs ngspice on a netlist and reads its numbers: the ground truth for circuits."""

import subprocess
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.amp import valve as valve_model
from fatsignal.core.amp.triode import TriodeStage

# Koren's plate current and the same grid current as ours, as behavioural sources.
_VALVE = """
.subckt valve plate grid cathode
Bsoft soft 0 V=ln(1+exp(min(40,{kp}*(1/{mu}+V(grid,cathode)/sqrt({kvb}+V(plate,cathode)*V(plate,cathode))))))
Bplate plate cathode I=2*pow(max(0,V(plate,cathode)/{kp}*V(soft)),{ex})/{kg1}
Bgrid grid cathode I={gg}*pow(ln(1+exp(min(40,{gc}*V(grid,cathode))))/{gc},{gx})
.ends
"""


def valve() -> str:
    return _VALVE.format(
        kp=valve_model.KP, mu=valve_model.MU, kvb=valve_model.KVB, ex=valve_model.EX, kg1=valve_model.KG1,
        gg=valve_model.GRID_GAIN, gc=valve_model.GRID_SHARPNESS, gx=valve_model.GRID_EXPONENT,
    )  # fmt: skip


def stage_netlist(stage: TriodeStage, *, frequency_hz: float, peak_v: float, seconds: float) -> str:
    """A driven stage, as `TriodeStage.circuit` draws it."""
    return f"""driven stage
{valve()}
Vin in 0 SIN(0 {peak_v} {frequency_hz})
Vs supply 0 {stage.supply_v}
Rs in source {stage.source_ohm}
Cc source leak {stage.coupling_farad}
Rl leak 0 {stage.leak_ohm}
Rg leak grid {stage.stopper_ohm}
Cm grid 0 {stage.miller_farad}
Rp supply plate {stage.plate_ohm}
Rk cathode 0 {stage.cathode_ohm}
Ck cathode 0 {stage.cathode_farad or 1e-12}
X1 plate grid cathode valve
.options reltol=1e-5 abstol=1e-12
.tran 2u {seconds} 0 1u
.end
"""


def run(netlist: str, *, analysis: str, vector: str, folder: Path) -> NDArray[np.float64]:
    """Rows of (axis, value) of one vector after a `tran` or `ac` analysis."""
    deck, table = folder / "deck.cir", folder / "table.txt"
    control = f".control\nrun\nset wr_singlescale\nset numdgt=9\nwrdata {table} {vector}\n.endc\n.end\n"
    deck.write_text(netlist.replace(".end\n", control) if netlist.endswith(".end\n") else netlist + control)
    text = deck.read_text()
    # Only the last `.end` closes the deck; the subcircuit's `.ends` was left alone.
    assert text.count(".control") == 1, f"the {analysis} deck must hold one control block"
    # Batch mode ends with status 1 when a deck has no `.plot`; the table tells whether it ran.
    done = subprocess.run(["ngspice", "-b", str(deck)], capture_output=True, text=True, check=False, timeout=120)
    assert table.exists(), done.stdout + done.stderr
    return np.loadtxt(table)
