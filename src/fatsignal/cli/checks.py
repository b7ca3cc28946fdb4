"""Commands of the rig's checks for files and shapes: tune, noise, chord."""

import json
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from fatsignal.cli.app import AsJson, app, or_refuse
from fatsignal.core.json_values import json_ready
from fatsignal.errors import InvalidSetting

Pitch = Annotated[float, typer.Option(metavar="HZ", help="Reference pitch of A4.")]
Tuning = Annotated[
    str, typer.Option(help='Open strings from the lowest as notes or MIDI numbers: "E2 A2 D3 G3 B3 E4".')
]


@app.command()
def tune(file: Path, tuning: Tuning = "", pitch: Pitch = 440.0, as_json: AsJson = False) -> None:
    """List the notes of a recording: start, length, frequency, nearest string or note, cents."""

    def act() -> None:
        from fatsignal.core.pitch.note_list import list_notes
        from fatsignal.core.pitch.notes import parse_tuning, targets_of
        from fatsignal.files.sound import read_clip

        _check_pitch(pitch)
        targets = targets_of(parse_tuning(tuning), reference_pitch_hz=pitch) if tuning else []
        notes = [asdict(note) for note in list_notes(read_clip(file), targets, reference_pitch_hz=pitch)]
        if as_json:
            typer.echo(json.dumps(json_ready(notes, digits=4)))
            return
        if not notes:
            typer.echo(f"{file.name}: no single note was found; chords, noise and silence have none")
        for note in notes:
            string = "" if note["string"] is None else f"  string {note['string'] + 1} from the lowest"
            typer.echo(
                f"{note['start_s']:8.3f} s  {note['length_s']:6.2f} s  {note['frequency_hz']:9.3f} Hz  "
                f"{note['note']:4s} {note['cents']:+6.1f} cents{string}"
            )

    or_refuse(act)


@app.command()
def noise(
    file: Path,
    playing: Annotated[float | None, typer.Option(metavar="DBFS", help="Average level while playing.")] = None,
    as_json: AsJson = False,
) -> None:
    """Tell hum, buzz and hiss apart in some seconds of hands off the strings."""

    def act() -> None:
        from fatsignal.core.level.noise import measure_noise, noise_advice
        from fatsignal.files.sound import read_clip

        clip = read_clip(file)
        reports = [
            measure_noise(clip.channel(index), rate_hz=clip.rate_hz, playing_dbfs=playing)
            for index in range(clip.channels)
        ]
        if as_json:
            document = [{**json_ready(asdict(report)), "worst": report.worst} for report in reports]
            typer.echo(json.dumps(document))
            return
        for number, report in enumerate(reports, start=1):
            mains = f" of {report.mains_hz:.1f} Hz" if report.mains_hz else ""
            typer.echo(
                f"channel {number}: floor {report.floor_dbfs:.1f} dBFS, {report.floor_dbfs_a:.1f} A-weighted; "
                f"hum{mains} {report.hum_dbfs:.1f}, buzz {report.buzz_dbfs:.1f}, hiss {report.hiss_dbfs:.1f}"
            )
            for advice in noise_advice(report, gain_db=0.0, single_coil=True, is_di_box=False):
                typer.echo(f"  try: {advice}")

    or_refuse(act)


@app.command()
def chord(
    shape: Annotated[list[str], typer.Option(help='Frets from the lowest string, as "x02210"; may be given again.')],
    tuning: Tuning = "E2 A2 D3 G3 B3 E4",
    alone: Annotated[str, typer.Option(help='Strings to leave alone in the compromise, from 1, as "1 6".')] = "",
    pitch: Pitch = 440.0,
    as_json: AsJson = False,
) -> None:
    """Every interval of chord shapes: cents from pure, beats; and the re-tuning that suits all of them best."""

    def act() -> None:
        from fatsignal.core.pitch.chords import Shape, best_compromise, parse_frets
        from fatsignal.core.pitch.notes import parse_tuning

        _check_pitch(pitch)
        open_notes = parse_tuning(tuning)
        shapes = [Shape(typed, parse_frets(typed)) for typed in shape]
        best = best_compromise(
            shapes, open_notes, left_alone=_strings(alone, len(open_notes)), reference_pitch_hz=pitch
        )
        if as_json:
            document = {
                "offsets_cents": best.offsets_cents,
                "shapes": [asdict(report) for report in best.before],
                "compromise": [asdict(report) for report in best.after],
            }
            typer.echo(json.dumps(document))
            return
        for report, after in zip(best.before, best.after, strict=True):
            typer.echo(f"{report.name}: {report.clash_cents:.1f} cents from pure, {after.clash_cents:.1f} re-tuned")
            for interval in report.intervals:
                typer.echo(
                    f"  {interval.low_note:4s} {interval.high_note:4s} {interval.name:28s} {interval.ratio:>6s} "
                    f"{interval.cents_from_pure:+6.1f} cents {interval.beats_hz:6.2f} Hz"
                )
        moved = "  ".join(f"{number}: {cents:+.1f}" for number, cents in enumerate(best.offsets_cents, start=1))
        typer.echo(f"best compromise, cents for each string from the lowest: {moved}")

    or_refuse(act)


def _strings(typed: str, strings: int) -> list[int]:
    parts = typed.replace(",", " ").split()
    if not all(part.isdigit() and 1 <= int(part) <= strings for part in parts):
        raise InvalidSetting(f'"{typed}" does not name strings to leave alone: numbers from 1 to {strings}')
    return [int(part) - 1 for part in parts]


def _check_pitch(pitch: float) -> None:
    if not 380 <= pitch <= 480:
        raise InvalidSetting(f"a reference pitch of {pitch:g} Hz is outside 380 to 480 Hz")
