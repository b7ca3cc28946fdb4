"""The way of a signal from the strings to the disk and to the ears: what each choice does, computed.

Levels are those of the loudest strokes through the whole rig, noise is that of every part of it together, the curve is
the pickup's under its load; warnings are sentences of common practice about combinations that lose a take.
"""

from functools import lru_cache

import numpy as np

from fatsignal.core.clip import Clip
from fatsignal.core.instrument.inputs import BOXES, INPUTS, box_gain_db, load_ohm
from fatsignal.core.instrument.pickup import Load, piezo_corner_hz, resonance_hz, response_db
from fatsignal.core.level.peak import flat_top_runs, peak_dbfs
from fatsignal.core.level.report import played_average_dbfs
from fatsignal.core.level.target_levels import AIM_PEAK_DBFS, turn_by_db
from fatsignal.core.mics.microphone import MIC_KINDS
from fatsignal.core.timing.buffers import feel_of
from fatsignal.core.units import speed_of_sound_m_s
from fatsignal.rig.check_scenarios import scenario
from fatsignal.rig.interface import SimulatedInterface
from fatsignal.rig.noise import di_noise_dbfs, mic_noise_dbfs
from fatsignal.rig.path_report import ChannelFigures, EarPath, LoadCurve, PathWarning, RigPath
from fatsignal.rig.rig_clock import RigClock
from fatsignal.rig.setup import InputUse, MicOnRig, RigSetup
from fatsignal.rig.simulated import SimulatedRig

_STRUM_S, _RATE_HZ = 2.0, 48_000
_CURVE_HZ = np.geomspace(40.0, 16_000.0, 121)
_SHORT_CABLE = Load(cable_farad=300e-12, input_ohm=1e6)
_LONG_CABLE_M = 9.0
_LOST_LOWS_HZ = 45.0
_AMP_AWAY_M = 1.5


def walk(setup: RigSetup, interface: SimulatedInterface, *, rate_hz: int) -> RigPath:
    """Follow both cords of a rig."""
    channels = _channels(setup.model_dump_json())
    curve = _curve(setup)
    warnings = [*_di_warnings(setup, curve), *(warning for mic in setup.mics for warning in _mic_warnings(mic))]
    # A level says nothing about an input that is wrong altogether.
    wrong = {warning.node for warning in warnings if warning.verdict == "fix"}
    warnings += [warning for warning in _level_warnings(setup, channels) if warning.node not in wrong]
    return RigPath(channels, curve, _ears(setup, interface, rate_hz), warnings)


@lru_cache(maxsize=64)
def _channels(rig_json: str) -> list[ChannelFigures]:
    """The loudest strokes of two seconds, played through the rig as it is."""
    setup = RigSetup.model_validate_json(rig_json)
    rig = SimulatedRig(
        setup,
        scenario("loudest", setup, rate_hz=_RATE_HZ, seconds=_STRUM_S, seed=3),
        pace=RigClock(0),
        block_frames=4096,
    )
    blocks = []
    while (block := rig.read_block()) is not None:
        blocks.append(block.samples)
    heard = Clip(np.concatenate(blocks), _RATE_HZ)
    averages = played_average_dbfs(heard)
    figures = []
    for index, (name, use) in enumerate(setup.inputs):
        signal = heard.channel(index)
        peak, flat = peak_dbfs(signal), flat_top_runs(signal)
        di = index == 0 and setup.di is not None
        noise = di_noise_dbfs(setup) if di else mic_noise_dbfs(setup.mics[index - (setup.di is not None)])
        figures.append(
            ChannelFigures(
                name, "di" if di else "mic", use.number, max(peak, -120.0), max(averages[index], -120.0), noise,
                turn_by_db(averages[index], peak, flat),
            )
        )  # fmt: skip
    return figures


def _curve(setup: RigSetup) -> LoadCurve:
    pickup, load = setup.pickup.circuit, setup.load
    gain = response_db(pickup, load, _CURVE_HZ)
    found = resonance_hz(pickup, load) if pickup.kind != "piezo" else None
    return LoadCurve(
        _CURVE_HZ.round(1).tolist(), gain.round(2).tolist(),
        response_db(pickup, _SHORT_CABLE, _CURVE_HZ).round(2).tolist(), found, float(gain.max()), load.input_ohm,
        load.cable_farad,
    )  # fmt: skip


def _ears(setup: RigSetup, interface: SimulatedInterface, rate_hz: int) -> list[EarPath]:
    ways = []
    if setup.listens in ("amp", "both"):
        delay_ms = 1000 * _AMP_AWAY_M / speed_of_sound_m_s()
        ways.append(EarPath(f"the amp in the room, {_AMP_AWAY_M:g} m away", delay_ms, feel_of(delay_ms)))
    if setup.listens in ("phones", "both"):
        delay_ms = 1000 * interface.round_trip_frames() / rate_hz
        ways.append(EarPath(f"phones, through a buffer of {interface.buffer_frames}", delay_ms, feel_of(delay_ms)))
    return ways


def _di_warnings(setup: RigSetup, curve: LoadCurve) -> list[PathWarning]:
    if setup.di is None:
        return []
    di, use, warnings = setup.di, setup.di.input, []
    box, ohm = BOXES[di.box], load_ohm(di.box, di.input.kind, ratio=di.ratio)
    if setup.pickup.kind == "piezo":
        corner_hz = piezo_corner_hz(setup.pickup.circuit, setup.load)
        if corner_hz > _LOST_LOWS_HZ:
            says = f"a piezo into {_ohms(setup.load.input_ohm)} loses its lows below {corner_hz:.0f} Hz: "
            says += "take an active DI box"
            warnings.append(PathWarning("di", "fix" if corner_hz > 150 else "look", says))
    elif ohm < 100e3:
        best_db = max(curve.unloaded_db)
        cure = "take the instrument input or a DI box" if box is None else "take an active DI box"
        says = (
            f"{_ohms(ohm)} load the pickup: its resonance stands at {_signed(curve.peak_db)} dB "
            f"instead of {_signed(best_db)}, "
            f"the highs are lost for good: {cure}"
        )
        warnings.append(PathWarning("di", "fix" if ohm < 30e3 else "look", says))
    if box is not None and use.kind != "microphone":
        says = (
            f"a DI box gives a microphone's level, input {use.number} is for {_plural(use.kind)}: set it to microphone"
        )
        warnings.append(PathWarning("di", "look", says))
    if box is not None and box.needs_phantom and not (use.phantom and use.kind == "microphone"):
        says = f"the active DI box is silent without phantom: switch it on at input {use.number}"
        warnings.append(PathWarning("di", "fix", says))
    if use.phantom and use.kind != "microphone":
        says = f"phantom comes with microphone inputs only: it does nothing at input {use.number}"
        warnings.append(PathWarning("di", "look", says))
    if di.cable_m > _LONG_CABLE_M and setup.pickup.kind != "piezo" and curve.resonance_hz:
        down = f"{curve.resonance_hz / 1000:.1f} kHz"
        says = f"{di.cable_m:g} m of cable pull the resonance down to {down}: shorter is brighter"
        warnings.append(PathWarning("instrument", "look", says))
    return warnings


def _mic_warnings(mic: MicOnRig) -> list[PathWarning]:
    kind, use = MIC_KINDS[mic.kind], mic.input
    at, powered = f"mic:{mic.name}", mic.input.phantom and mic.input.kind == "microphone"
    if use.kind != "microphone":
        says = (
            f"{mic.name} is on input {use.number}, which is for {_plural(use.kind)}: "
            f"its {1000 * kind.sensitivity_v_pa:.1f} mV drown there: set it to microphone"
        )
        return [PathWarning(at, "fix", says)]
    if kind.hurt_by_phantom and powered:
        says = f"phantom can tear the ribbon of {mic.name}: switch it off at input {use.number} before anything else"
        return [PathWarning(at, "fix", says)]
    if kind.needs_phantom and not powered:
        says = (
            f"{mic.name}, {_article(mic.kind)}, needs phantom and is silent without: switch it on at input {use.number}"
        )
        return [PathWarning(at, "fix", says)]
    return []


def _level_warnings(setup: RigSetup, channels: list[ChannelFigures]) -> list[PathWarning]:
    warnings = []
    for figures in channels:
        at = "di" if figures.kind == "di" else f"mic:{figures.name}"
        use = next(use for name, use in setup.inputs if name == figures.name)
        if figures.peak_dbfs > -1:
            says = f"the loudest strokes reach full scale: turn input {figures.input} down {-figures.turn_db} dB"
            warnings.append(PathWarning(at, "fix", says + _pad_word(use, figures.turn_db)))
        elif figures.kind == "di" and setup.di and setup.di.box != "none" and figures.turn_db > 3:
            lost = f"the {setup.di.box} box takes {_box_db(setup):.1f} dB away"
            says = f"{lost}: give input {figures.input} {figures.turn_db} dB more"
            warnings.append(PathWarning(at, "look", says))
        elif figures.peak_dbfs < AIM_PEAK_DBFS - 18 and figures.turn_db > 0:
            warnings.append(PathWarning(at, "look", f"weak: turn input {figures.input} up {figures.turn_db} dB"))
    return warnings


def _pad_word(use: InputUse, turn_db: int) -> str:
    return ", or switch its pad in" if use.gain_db + turn_db < INPUTS[use.kind].lowest_gain_db and not use.pad else ""


def _box_db(setup: RigSetup) -> float:
    return -box_gain_db(setup.di.box, ratio=setup.di.ratio) if setup.di else 0.0


def _ohms(ohm: float) -> str:
    return f"{ohm / 1e6:.2g} MΩ" if ohm >= 1e6 else f"{ohm / 1e3:.3g} kΩ"


def _signed(decibels: float) -> str:
    return f"{decibels:+.1f}".replace("-", "−")


def _plural(kind: str) -> str:
    return {"instrument": "instruments", "line": "line signals"}.get(kind, "microphones")


def _article(kind: str) -> str:
    return f"an {kind}" if kind[0] in "aeiou" else f"a {kind}"
