"""Commands about sound files: analyse, align; and the tones."""

import json
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from fatsignal.cli.app import AsJson, app, or_refuse
from fatsignal.core.json_values import json_ready
from fatsignal.errors import FileRefused


@app.command()
def analyse(file: Path, as_json: AsJson = False) -> None:
    """Measure the levels of a sound file."""

    def act() -> None:
        from fatsignal.core.level.report import measure_level
        from fatsignal.files.sound import read_clip

        report = asdict(measure_level(read_clip(file)))
        if as_json:
            typer.echo(json.dumps(json_ready(report)))
            return
        channels, seconds = report["channels"], report["frames"] / report["rate_hz"]
        typer.echo(f"{file.name}: {report['rate_hz']} Hz, {channels} channel{'s'[: channels != 1]}, {seconds:.2f} s")
        typer.echo(f"  loudness   {report['loudness_lufs']:8.1f} LUFS")
        for name, label, unit in (
            ("peak_dbfs", "peak", "dBFS"), ("true_peak_dbtp", "true peak", "dBTP"), ("rms_dbfs", "RMS", "dBFS"),
            ("crest_db", "crest", "dB"), ("dc", "offset", ""), ("flat_top_runs", "flat tops", ""),
        ):  # fmt: skip
            shown = "  ".join(f"{value:8.4g}" if name == "dc" else f"{value:8.1f}" for value in report[name])
            typer.echo(f"  {label:10s} {shown} {unit}")

    or_refuse(act)


@app.command()
def align(reference: Path, other: Path, as_json: AsJson = False) -> None:
    """Measure how much later OTHER is than REFERENCE, and its polarity."""

    def act() -> None:
        from fatsignal.core.timing.delay import align as measure
        from fatsignal.files.sound import read_clip

        first, second = read_clip(reference), read_clip(other)
        if first.rate_hz != second.rate_hz:
            raise FileRefused(
                f"{reference.name} has {first.rate_hz} Hz and {other.name} {second.rate_hz} Hz: bring them to one rate"
            )
        found = asdict(measure(first.channel(0), second.channel(0), rate_hz=first.rate_hz))
        if as_json:
            typer.echo(json.dumps(found))
            return
        way = "later" if found["delay_samples"] >= 0 else "earlier"
        typer.echo(
            f"{other.name} is {abs(found['delay_samples']):.2f} samples ({abs(found['delay_ms']):.3f} ms, "
            f"{abs(found['path_difference_m']) * 100:.1f} cm) {way}, "
            f"{'same' if found['polarity'] > 0 else 'opposite'} polarity, confidence {found['confidence']:.2f}"
        )

    or_refuse(act)


@app.command()
def tones(
    as_json: AsJson = False, schema: Annotated[bool, typer.Option(help="Print the JSON Schema.")] = False
) -> None:
    """List the tones that come with the program."""
    from fatsignal.core.tone.document import tone_schema
    from fatsignal.tones import shipped_tones

    if schema:
        typer.echo(json.dumps(tone_schema(), indent=1))
    elif as_json:
        typer.echo(json.dumps([tone.model_dump(mode="json") for tone in shipped_tones()]))
    else:
        for tone in shipped_tones():
            typer.echo(f"{tone.name:14s} {tone.use}")
