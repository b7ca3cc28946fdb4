"""Measuring what was listened to: from the files of a check to a verdict, a sentence and all figures."""

from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

from fatsignal.core.clip import Clip
from fatsignal.core.level.aims import AIM_AVERAGE_DBFS, AIM_PEAK_DBFS
from fatsignal.core.level.bleed import measure_bleed
from fatsignal.core.level.level_check import check_levels
from fatsignal.core.level.noise import measure_noise, noise_advice
from fatsignal.core.pitch.note_list import NoteFound, list_notes
from fatsignal.core.pitch.notes import note_name, targets_of
from fatsignal.core.pitch.tuner import IN_TUNE_CENTS, NEARLY_CENTS
from fatsignal.core.plain import json_ready
from fatsignal.core.timing.buffers import buffer_table, feel_of
from fatsignal.core.timing.click import render_click
from fatsignal.core.timing.latency import measure_round_trip
from fatsignal.engine.protocol import ListenKind, ListenOrder
from fatsignal.files.sound import read_clip
from fatsignal.rig.interface import BUFFER_FRAMES
from fatsignal.rig.setup import InputUse, RigSetup

Verdict = Literal["good", "look", "fix"]

# Distances to the playing level at which noise, and the click in a microphone, is heard; common practice, no source.
_QUIET_DB, _NOISY_DB = 60.0, 45.0
_CLEAN_DB, _BLEEDING_DB = 50.0, 35.0
_SPREAD_FRAMES = 0.5
_PROVEN_FRAMES = 1.0
# Where no level was checked yet, the middle of the aim stands for how loud the playing is.
USUAL_PLAYING_DBFS = sum(AIM_AVERAGE_DBFS) / 2


@dataclass(frozen=True, slots=True)
class CheckFound:
    """What a check found; `result` is JSON, with null where a level is silence."""

    kind: ListenKind
    verdict: Verdict
    says: str
    result: dict[str, Any]


def run_check(
    order: ListenOrder, *, playing_dbfs: dict[str, float], first_pass_frames: float | None = None
) -> CheckFound:
    """Measure the files of a finished check.

    Parameters
    ----------
    playing_dbfs : dict
        Average level of each channel while it is played, from the newest level check; may be empty.
    first_pass_frames : float, optional
        The round trip that the pass before measured: this one proves it.

    Raises
    ------
    SignalError
        If the files hold too little, or pings did not come back: a sentence for the player.
    """
    found = _measured(order, playing_dbfs, first_pass_frames)
    return replace(found, result=json_ready(found.result, digits=4))


def _measured(order: ListenOrder, playing_dbfs: dict[str, float], first_pass_frames: float | None) -> CheckFound:
    channels = {
        path.stem.rsplit(" - ", 1)[-1]: read_clip(path)
        for path in sorted(order.folder.glob("*.wav"), key=lambda path: path.stat().st_mtime_ns)
    }
    match order.kind:
        case "level":
            return _level(order, channels)
        case "tuning":
            return _tuning(order, channels)
        case "noise":
            return _noise(order, channels, playing_dbfs)
        case "bleed":
            return _bleed(order, channels, playing_dbfs)
        case "latency":
            return _latency(order, next(iter(channels.values())), first_pass_frames)
        case "computer":
            raise ValueError("what the computer plays is a backing track, not a check")


def _rig(order: ListenOrder) -> RigSetup:
    assert order.setup is not None, "a check of a rig has one"
    return order.setup


def _inputs(order: ListenOrder, channels: dict[str, Clip]) -> list[tuple[str, InputUse, Clip]]:
    return [(name, use, channels[name]) for name, use in _rig(order).inputs if name in channels]


def _level(order: ListenOrder, channels: dict[str, Clip]) -> CheckFound:
    used = _inputs(order, channels)
    together = Clip.locked([clip.channel(0) for _, _, clip in used], order.rate_hz)
    kinds = ["di" if name == "DI" else "mic" for name, _, _ in used]
    found = check_levels(together, kinds=kinds, inputs=[f"input {use.number}" for _, use, _ in used])
    verdict = _worst([channel.verdict for channel in found])
    wrong = [
        f"{name}: {channel.says}"
        for (name, _, _), channel in zip(used, found, strict=True)
        if channel.verdict != "good"
    ]
    says = "; ".join(wrong) or "every level is right"
    return CheckFound(
        "level", verdict, says,
        {
            "aim_average_dbfs": list(AIM_AVERAGE_DBFS),
            "aim_peak_dbfs": AIM_PEAK_DBFS,
            "channels": [
                {"name": name, "input": use.number, "gain_db": use.gain_db, **asdict(channel)}
                for (name, use, _), channel in zip(used, found, strict=True)
            ],
        },
    )  # fmt: skip


def _tuning(order: ListenOrder, channels: dict[str, Clip]) -> CheckFound:
    rig = _rig(order)
    targets = targets_of(
        rig.open_notes, reference_pitch_hz=order.reference_pitch_hz, offsets_cents=rig.string_offsets_cents or None
    )
    notes = list_notes(next(iter(channels.values())), targets, reference_pitch_hz=order.reference_pitch_hz)
    newest: dict[int, NoteFound] = {note.string: note for note in notes if note.string is not None}
    strings = [
        {
            "string": target.string,
            "note": target.name,
            "target_hz": target.frequency_hz,
            "cents": newest[target.string].cents if target.string in newest else None,
            "drift_cents": newest[target.string].drift_cents if target.string in newest else None,
        }
        for target in targets
    ]
    result = {"strings": strings, "reference_pitch_hz": order.reference_pitch_hz}
    if not newest:
        return CheckFound("tuning", "fix", "no string was heard: play them one by one", result)
    off = [
        f"{note_name(rig.open_notes[string])} {note.cents:+.1f}".replace("-", "−")
        for string, note in sorted(newest.items())
        if abs(note.cents) > IN_TUNE_CENTS
    ]
    worst = max(abs(note.cents) for note in newest.values())
    missing = len(targets) - len(newest)
    verdict: Verdict = "fix" if worst > NEARLY_CENTS else "look" if off or missing else "good"
    said = f"out by cents: {', '.join(off)}" if off else "every string that was heard is in tune"
    if missing:
        said += f"; {missing} of {len(targets)} not heard yet"
    return CheckFound("tuning", verdict, said, result)


def _noise(order: ListenOrder, channels: dict[str, Clip], playing_dbfs: dict[str, float]) -> CheckFound:
    rig, rows, verdicts, said = _rig(order), [], [], []
    for name, use, clip in _inputs(order, channels):
        playing = playing_dbfs.get(name, USUAL_PLAYING_DBFS)
        report = measure_noise(clip.channel(0), rate_hz=order.rate_hz, playing_dbfs=playing)
        distance = report.below_playing_db
        verdict = _distance_verdict(distance, _QUIET_DB, _NOISY_DB)
        di = name == "DI"
        advice = noise_advice(
            report, gain_db=use.gain_db, single_coil=di and rig.pickup.kind == "single coil",
            is_di_box=di and rig.di is not None and rig.di.box != "none",
        )  # fmt: skip
        verdicts.append(verdict)
        if verdict != "good" and distance is not None:
            said.append(f"{name}: {report.worst} {distance:.0f} dB below the playing")
        rows.append(
            {
                "name": name, "verdict": verdict, "playing_dbfs": playing, "playing_measured": name in playing_dbfs,
                "advice": advice if verdict != "good" else [], **asdict(report), "worst": report.worst,
            }
        )  # fmt: skip
    says = "; ".join(said) or "quiet enough on every channel"
    return CheckFound("noise", _worst(verdicts), says, {"channels": rows})


def _bleed(order: ListenOrder, channels: dict[str, Clip], playing_dbfs: dict[str, float]) -> CheckFound:
    rows, verdicts, said = [], [], []
    for name, _, clip in _inputs(order, channels):
        if name == "DI":
            continue
        click = render_click(order.tempo, from_frame=0, to_frame=clip.frames, settings=order.click).channel(0)
        playing = playing_dbfs.get(name, USUAL_PLAYING_DBFS)
        report = measure_bleed(clip.channel(0), click, rate_hz=order.rate_hz, playing_dbfs=playing)
        verdict = _distance_verdict(report.below_playing_db if report.found else None, _CLEAN_DB, _BLEEDING_DB)
        verdicts.append(verdict)
        if verdict != "good":
            said.append(f"{name}: the click is {report.below_playing_db:.0f} dB below the playing")
        rows.append({"name": name, "verdict": verdict, "playing_dbfs": playing, **asdict(report)})
    if not rows:
        return CheckFound("bleed", "good", "no microphone is open: nothing can bleed", {"channels": []})
    says = "; ".join(said) or "no click is heard in any microphone"
    if said:
        says += ": turn the phones down, or take closed ones"
    return CheckFound("bleed", _worst(verdicts), says, {"channels": rows})


def _latency(order: ListenOrder, heard: Clip, first_pass_frames: float | None) -> CheckFound:
    rate_hz, buffer = order.rate_hz, order.device.settings.buffer_frames
    found = measure_round_trip(heard.channel(0), rate_hz=rate_hz)
    total = found.frames if first_pass_frames is None else first_pass_frames
    result = {
        "round_trip_frames": total,
        "round_trip_ms": 1000 * total / rate_hz,
        "spread_frames": found.spread_frames,
        "pings": found.pings,
        "clearness_db": found.clearness_db,
        "buffer_frames": buffer,
        "buffer_share": 2 * buffer / total if total > 0 else None,
        "feel": feel_of(1000 * total / rate_hz),
        "left_frames": None if first_pass_frames is None else found.frames,
        "table": [
            asdict(row) for row in buffer_table(total, at_buffer_frames=buffer, rate_hz=rate_hz, sizes=BUFFER_FRAMES)
        ],
    }
    if first_pass_frames is None:
        return CheckFound("latency", "look", f"{total:.1f} frames there and back: the second ping follows", result)
    proven = abs(found.frames) <= _PROVEN_FRAMES
    steady = found.spread_frames <= _SPREAD_FRAMES
    said = f"{total:.1f} samples, {1000 * total / rate_hz:.1f} ms there and back"
    if not steady:
        return CheckFound("latency", "look", f"{said}, but pings differ by {found.spread_frames:.1f} samples", result)
    if not proven:
        return CheckFound("latency", "fix", f"{said}; the second ping is off by {found.frames:.1f} samples", result)
    return CheckFound("latency", "good", f"{said}; what is left is {abs(found.frames):.2f} of a sample", result)


def _distance_verdict(distance_db: float | None, good_db: float, bad_db: float) -> Verdict:
    if distance_db is None or distance_db >= good_db:
        return "good"
    return "look" if distance_db >= bad_db else "fix"


def _worst(verdicts: list[Verdict]) -> Verdict:
    order: list[Verdict] = ["fix", "look", "good"]
    return next((verdict for verdict in order if verdict in verdicts), "good")
