"""Commands for takes as files: timing against a click, and takes of one part held against each other."""

import json
from dataclasses import asdict
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from fatsignal.cli.app import AsJson, app, or_refuse
from fatsignal.errors import InvalidSetting, SignalError

if TYPE_CHECKING:
    from fatsignal.core.timing.tempo import TempoMap

Bpm = Annotated[str, typer.Option(help='Beats a minute, as 104, 92.5 or "311/3".')]
FirstBeat = Annotated[float, typer.Option(metavar="S", help="Where bar 1 beat 1 lies in the file, seconds.")]
Beats = Annotated[int, typer.Option(help="Beats in a bar.")]


@app.command()
def timing(file: Path, bpm: Bpm, first_beat: FirstBeat = 0.0, beats: Beats = 4, as_json: AsJson = False) -> None:
    """Every stroke of a recording with ms early or late, and how the hand stands against the click as a whole."""

    def act() -> None:
        from fatsignal.core.takes.click_timing import against_click
        from fatsignal.core.timing.pluck_onsets import find_attacks
        from fatsignal.files.sound import read_clip

        clip = read_clip(file)
        tempo = _tempo(bpm, first_beat, beats, clip.rate_hz)
        attacks = find_attacks(clip.channel(0), rate_hz=clip.rate_hz)
        found = against_click([attack.frame for attack in attacks], tempo)
        if as_json:
            document = {
                **{key: value for key, value in asdict(found).items() if key != "strokes"},
                "onsets": [
                    {"at_s": round(stroke.frame / clip.rate_hz, 5), "bar": bar, "beat": beat, "ms": stroke.ms}
                    for stroke in found.strokes
                    for bar, beat in [tempo.bar_beat_at(stroke.place_frame)]
                ],
            }
            typer.echo(json.dumps(document))
            return
        if not found.strokes:
            typer.echo(f"{file.name}: no stroke was found")
            return
        typer.echo(
            f"{len(found.strokes)} strokes, {found.mean_ms:+.1f} ms in the mean (late is positive), spread "
            f"{found.spread_ms:.1f} ms, drift {found.drift_ms:+.1f} ms from the first to the last"
        )
        for stroke in found.strokes:
            bar, beat = tempo.bar_beat_at(stroke.place_frame)
            typer.echo(f"{stroke.frame / clip.rate_hz:9.3f} s  bar {bar}.{beat}  {stroke.ms:+7.1f} ms")

    or_refuse(act)


@app.command()
def check(files: list[Path], bpm: Bpm, first_beat: FirstBeat = 0.0, beats: Beats = 4, as_json: AsJson = False) -> None:
    """Takes of one part, each a file that begins at the same place, held against each other and against the click."""

    def act() -> None:
        from fatsignal.core.level.peak import flat_tops
        from fatsignal.core.takes.judge import JudgedTake, judge, timing_of
        from fatsignal.core.takes.notes import listen_to
        from fatsignal.core.takes.windows import Window
        from fatsignal.files.sound import read_clip

        clips = [read_clip(file) for file in files]
        rates = {clip.rate_hz for clip in clips}
        if len(rates) > 1:
            raise SignalError(f"takes have to be of one rate; these have {', '.join(map(str, sorted(rates)))} Hz")
        tempo = _tempo(bpm, first_beat, beats, clips[0].rate_hz)
        takes = [
            JudgedTake(
                listen_to(clip.channel(0), rate_hz=clip.rate_hz), 0, (Window(0, clip.frames),),
                flat_tops={"the file": flat_tops(clip.channel(0))},
            )
            for clip in clips
        ]  # fmt: skip
        whole = Window(0, max(clip.frames for clip in clips))
        verdicts = judge(takes, [whole], tempo)
        documents = []
        for file, take, (verdict,) in zip(files, takes, verdicts, strict=True):
            stands = timing_of(take, whole, tempo)
            documents.append(
                {
                    "file": file.name,
                    "strokes": take.playing.strokes,
                    "mean_ms": stands.mean_ms, "spread_ms": stands.spread_ms, "drift_ms": stands.drift_ms,
                    "findings": [
                        {
                            "kind": found.kind, "at_s": round(found.at_frame / tempo.rate_hz, 4),
                            "amount": found.amount, "says": found.says,
                        }
                        for found in verdict.findings
                    ],
                }
            )  # fmt: skip
        if as_json:
            typer.echo(json.dumps(documents))
            return
        for document, (verdict,) in zip(documents, verdicts, strict=True):
            typer.echo(
                f"{document['file']}: {document['strokes']} strokes, {document['mean_ms']:+.1f} ms, spread "
                f"{document['spread_ms']:.1f} ms, {len(verdict.findings) or 'nothing'} found"
            )
            for found in verdict.findings:
                bar, beat = tempo.bar_beat_at(found.at_frame)
                typer.echo(f"  {found.at_frame / tempo.rate_hz:9.3f} s  bar {bar}.{beat}  {found.says}")

    or_refuse(act)


def _tempo(bpm: str, first_beat_s: float, beats: int, rate_hz: int) -> "TempoMap":
    from fatsignal.core.timing.tempo import TempoMap, parse_tempo

    if not 0 <= first_beat_s <= 3600:
        raise InvalidSetting(f"a first beat at {first_beat_s:g} s is outside 0 to 3600 s")
    if not 1 <= beats <= 32:
        raise InvalidSetting(f"{beats} beats in a bar is outside 1 to 32")
    steady = TempoMap.steady(Fraction(parse_tempo(bpm)), rate_hz=rate_hz, beats_per_bar=beats)
    return steady.moved_to(round(first_beat_s * rate_hz))
