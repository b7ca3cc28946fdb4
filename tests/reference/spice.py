"""Runs ngspice on a netlist and reads its numbers: the ground truth for circuits."""

import subprocess
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fatsignal.core.amp.valve import HIGH_MU, Triode

# Koren's plate current and the same grid current as ours, as behavioural sources.
_VALVE = """
.subckt valve plate grid cathode
Bsoft soft 0 V=ln(1+exp(min(40,{kp}*(1/{mu}+V(grid,cathode)/sqrt({kvb}+V(plate,cathode)*V(plate,cathode))))))
Bplate plate cathode I=2*pow(max(0,V(plate,cathode)/{kp}*V(soft)),{ex})/{kg1}
Bgrid grid cathode I={gg}*pow(ln(1+exp(min(40,{gc}*V(grid,cathode))))/{gc},{gx})
.ends
"""


def valve(of: Triode = HIGH_MU) -> str:
    return _VALVE.format(
        kp=of.kp, mu=of.mu, kvb=of.kvb, ex=of.exponent, kg1=of.kg1, gg=of.grid_gain, gc=of.grid_sharpness,
        gx=of.grid_exponent,
    )  # fmt: skip


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
