"""Commands about sound files: analyse, align, reamp; and the tones."""

import json
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from fatsignal.cli.app import AsJson, app, or_refuse
from fatsignal.core.json_values import json_ready
from fatsignal.errors import FatSignalError, FileRefused, InvalidSetting

if TYPE_CHECKING:
    from fatsignal.core.tone.voltage import DiVoltage


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
def reamp(
    files: Annotated[list[Path], typer.Argument(metavar="IN...", help="Dry recordings; several: OUT is a folder.")],
    tone: Annotated[str, typer.Option(help="Name of a tone, or a JSON file.")],
    out: Annotated[Path, typer.Option(help="File to write, .wav or .flac; for several files a folder.")],
    rate: Annotated[
        int | None, typer.Option(metavar="HZ", help="Rate of the output; that of the input when left out.")
    ] = None,
    depth: Annotated[str, typer.Option(help="16, 24 or 32f.")] = "24",
    oversample: Annotated[int | None, typer.Option(help="1, 2, 4 or 8; the tone's own when left out.")] = None,
    volts: Annotated[
        float | None,
        typer.Option(help="Voltage at the jack that reads 0 dBFS; guessed from how it plays when left out."),
    ] = None,
    instrument: Annotated[str, typer.Option(help="Whose playing the guess goes by.")] = "six-string guitar",
    quiet: Annotated[bool, typer.Option("--quiet", help="No progress bar.")] = False,
) -> None:
    """Run dry recordings through a tone."""
    or_refuse(lambda: _reamp_all(files, tone, out, rate, depth, oversample, volts, instrument, quiet))


def _reamp_all(
    files: list[Path], tone_name: str, out: Path, rate: int | None, depth: str, oversample: int | None,
    volts: float | None, instrument: str, quiet: bool,
) -> None:  # fmt: skip
    from rich.console import Console
    from rich.progress import Progress

    from fatsignal.core.clip import HIGHEST_RATE_HZ, LOWEST_RATE_HZ
    from fatsignal.core.instrument.instruments import INSTRUMENTS
    from fatsignal.core.tone.voltage import HIGHEST_FULL_SCALE_V, LOWEST_FULL_SCALE_V, DiVoltage
    from fatsignal.files.reamp import reamp_file
    from fatsignal.files.sound import facts_of
    from fatsignal.tones import find_tone

    if depth not in ("16", "24", "32f"):
        raise InvalidSetting(f"a depth of {depth} is not written: choose 16, 24 or 32f")
    if oversample not in (None, 1, 2, 4, 8):
        raise InvalidSetting(f"oversampling of {oversample} is not done: choose 1, 2, 4 or 8")
    if rate is not None and not LOWEST_RATE_HZ <= rate <= HIGHEST_RATE_HZ:
        raise InvalidSetting(f"a rate of {rate} Hz is outside {LOWEST_RATE_HZ} to {HIGHEST_RATE_HZ} Hz")
    if volts is not None and not LOWEST_FULL_SCALE_V <= volts <= HIGHEST_FULL_SCALE_V:
        raise InvalidSetting(
            f"{volts:g} V for full scale cannot be: give {LOWEST_FULL_SCALE_V:g} to {HIGHEST_FULL_SCALE_V:g} V"
        )
    if instrument not in INSTRUMENTS:
        raise InvalidSetting(f"there is no instrument {instrument}: choose {', '.join(INSTRUMENTS)}")
    chosen = find_tone(tone_name)
    several = len(files) > 1 or out.is_dir()
    targets = [out / f"{file.stem} - {chosen.name}.wav" if several else out for file in files]
    if len(set(targets)) != len(targets):
        raise InvalidSetting("two of the files have the same name, and would become one: rename one of them")
    # Nothing is written before all inputs are known to be good.
    for file, target in zip(files, targets, strict=True):
        facts_of(file)
        if target.exists():
            raise InvalidSetting(f"{target} exists already: choose another name, or remove it")
    if several:
        out.mkdir(parents=True, exist_ok=True)
    guesses: list[str] = []
    with Progress(console=Console(stderr=True), disable=quiet, transient=True) as bars:
        for file, target in zip(files, targets, strict=True):
            bar = bars.add_task(file.name, total=1.0)
            try:
                voltage, guess = (DiVoltage(volts), "") if volts is not None else _as_it_plays(file, instrument)
                reamp_file(
                    file, target, chosen, rate_hz=rate, depth=depth, oversample=oversample,  # type: ignore[arg-type]
                    voltage=voltage,
                    on_progress=lambda share, bar=bar: bars.update(bar, completed=share),  # type: ignore[misc]
                )  # fmt: skip
            except FatSignalError as refusal:
                raise FileRefused(f"{file.name}: {str(refusal).removeprefix(file.name).lstrip(': ')}") from None
            guesses.append(guess)
    if not quiet:
        for guess in filter(None, guesses):
            typer.echo(guess, err=True)
        for target in targets:
            typer.echo(str(target))


def _as_it_plays(file: Path, instrument: str) -> "tuple[DiVoltage, str]":
    """What a file without a rig sheet stands for, and in words, so that a person can say better."""
    from fatsignal.core.instrument.instruments import INSTRUMENTS
    from fatsignal.core.instrument.plays_like import likely_full_scale_v, plays_like
    from fatsignal.core.tone.voltage import DiVoltage
    from fatsignal.files.reamp import peak_dbfs

    of = INSTRUMENTS[instrument]
    volts = likely_full_scale_v(peak_dbfs(file), string_volts=of.string_volts)
    says = plays_like(volts, pickup=of.pickup, instrument=of.name)
    return DiVoltage(volts), f"{file.name} {says}; say --volts where you know it"


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
