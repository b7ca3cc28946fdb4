"""Commands about microphones: stereo, spectrum, comb."""

import json
import math
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from fatsignal.cli.app import AsJson, app, or_refuse
from fatsignal.core.json_values import json_ready
from fatsignal.errors import FileRefused, SignalError

if TYPE_CHECKING:
    from fatsignal.core.level.third_octaves import PowerSpectrum

_BLOCK_FRAMES = 1 << 18


@app.command()
def stereo(file: Path, as_json: AsJson = False) -> None:
    """Compare the two channels of a sound file: correlation, loss in mono, delay, width, band by band."""

    def act() -> None:
        from fatsignal.core.stereo.report import report_stereo
        from fatsignal.files.sound import read_clip

        clip = read_clip(file)
        if clip.channels != 2:
            raise FileRefused(f"{file.name} has {_channels(clip.channels)}: a stereo comparison needs two")
        found = report_stereo(clip.channel(0), clip.channel(1), rate_hz=clip.rate_hz)
        if as_json:
            typer.echo(json.dumps(json_ready(asdict(found))))
            return
        typer.echo(f"{file.name}: correlation {found.correlation:+.2f}, mono loses {found.mono_loss_db:.1f} dB")
        if found.identical:
            typer.echo("  both channels are one: this is a mono recording")
        if found.level_difference_db is None:
            typer.echo("  one channel is silent")
        else:
            louder = "right" if found.level_difference_db >= 0 else "left"
            typer.echo(f"  {louder} is {abs(found.level_difference_db):.1f} dB louder")
        if found.delay_ms is not None:
            later = "right" if found.delay_ms >= 0 else "left"
            turned = "the same polarity" if found.polarity == 1 else "opposite polarity"
            typer.echo(f"  {later} is {abs(found.delay_ms):.3f} ms later, {turned}")
        for band in found.bands:
            if band.sum_db is not None and band.correlation is not None:
                limits = f"{band.low_hz:g} to {band.high_hz:g} Hz"
                typer.echo(
                    f"  {band.name:5s} {limits:16s} correlation {band.correlation:+.2f}, sum {band.sum_db:+.1f} dB"
                )

    or_refuse(act)


@app.command()
def spectrum(
    file: Path,
    reference: Annotated[Path | None, typer.Option(metavar="FILE", help="What it is held against.")] = None,
    as_json: AsJson = False,
) -> None:
    """Measure a sound file in thirds of an octave, the power of its channels together; also against a reference."""

    def act() -> None:
        found = _spectrum(file, reference)
        if as_json:
            typer.echo(json.dumps(json_ready(found)))
            return
        typer.echo(f"{file.name}: tilt {found['tilt_db_per_octave']:+.1f} dB per octave")
        for band in found["bands"]:
            apart_db = band.get("difference_at_equal_loudness_db")
            against = "" if apart_db is None else f"  {apart_db:+6.1f} dB at equal loudness"
            typer.echo(f"  {band['centre_hz']:8.1f} Hz {band['level_db']:8.1f} dB{against}")

    or_refuse(act)


@app.command()
def comb(
    delay_ms: Annotated[float, typer.Option("--delay-ms", metavar="D", help="How much later the second is.")],
    level_db: Annotated[float, typer.Option("--level-db", metavar="L", help="Its level against the first.")] = 0.0,
    flipped: Annotated[bool, typer.Option("--flipped", help="The second is turned over.")] = False,
    as_json: AsJson = False,
) -> None:
    """Predict the sum of a sound and its later copy: where it is hollow and where it is full."""

    def act() -> None:
        from fatsignal.core.stereo.comb import comb as predict

        found = predict(delay_ms, level_db, polarity=-1 if flipped else 1)
        if as_json:
            typer.echo(json.dumps(asdict(found)))
            return
        typer.echo(f"hollow by {found.notch_depth_db:.1f} dB at {_listed(found.notches_hz)}")
        typer.echo(f"full by {found.peak_db:.1f} dB at {_listed(found.peaks_hz)}")

    or_refuse(act)


def _spectrum(file: Path, reference: Path | None) -> dict[str, Any]:
    from fatsignal.core.level.third_octaves import NAMED_BANDS_HZ, named_levels_db, third_octaves, tilt_db_per_octave

    measured, lufs, rate_hz = _power(file)
    bands = third_octaves(measured)
    named = named_levels_db(measured)
    found: dict[str, Any] = {
        "rate_hz": rate_hz,
        "bands": [asdict(band) for band in bands],
        "tilt_db_per_octave": tilt_db_per_octave(bands),
        "named": [
            {"name": name, "low_hz": low, "high_hz": high, "level_db": named[name]}
            for name, (low, high) in NAMED_BANDS_HZ.items()
        ],
    }
    if reference is not None:
        other, other_lufs = _power(reference)[:2]
        held_against = third_octaves(other)
        theirs = {round(band.centre_hz, 3): band.level_db for band in held_against}
        louder_db = 0.0 if -math.inf in (lufs, other_lufs) else lufs - other_lufs
        for band in found["bands"]:
            level_db = theirs.get(round(band["centre_hz"], 3))
            apart_db = None if level_db is None else band["level_db"] - level_db
            band["difference_db"] = apart_db
            band["difference_at_equal_loudness_db"] = None if apart_db is None else apart_db - louder_db
        found["loudness_difference_db"] = louder_db
        found["tilt_difference_db_per_octave"] = found["tilt_db_per_octave"] - tilt_db_per_octave(held_against)
    return found


def _power(file: Path) -> tuple["PowerSpectrum", float, int]:
    """Mean power of all channels, loudness, rate."""
    from fatsignal.core.level.loudness import integrated_loudness_lufs
    from fatsignal.core.level.third_octaves import power_spectrum
    from fatsignal.files.sound import read_clip

    clip = read_clip(file)
    if not clip.samples.any():
        raise SignalError(f"{file.name} is silent: there is nothing to measure")
    blocks = (clip.samples[at : at + _BLOCK_FRAMES] for at in range(0, clip.frames, _BLOCK_FRAMES))
    return power_spectrum(blocks, rate_hz=clip.rate_hz), integrated_loudness_lufs(clip), clip.rate_hz


def _channels(count: int) -> str:
    return "one channel" if count == 1 else f"{count} channels"


def _listed(places_hz: list[float], most: int = 8) -> str:
    shown = ", ".join(f"{hz:.0f}" for hz in places_hz[:most])
    if not places_hz:
        return "no frequency up to 20 kHz"
    return f"{shown} Hz" if len(places_hz) <= most else f"{shown} Hz and {len(places_hz) - most} more"
