"""The command reamp: dry files, folders, takes and comps through one tone, several, or all."""

import asyncio
import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from fatsignal.cli.app import app, or_refuse
from fatsignal.errors import FatSignalError, FileRefused, InvalidSetting

if TYPE_CHECKING:
    from fatsignal.acts.dry_sound import DrySound
    from fatsignal.core.tone.document import Tone
    from fatsignal.core.tone.voltage import DiVoltage

# What a folder is searched for; others can be given by name.
ENDINGS = (".wav", ".flac", ".aif", ".aiff", ".w64", ".rf64", ".caf", ".ogg")


@app.command()
def reamp(
    sources: Annotated[
        list[str],
        typer.Argument(metavar="IN...", help='Dry recordings, folders of them, or with --session "Baritone 12".'),
    ],
    out: Annotated[Path, typer.Option(help="File to write, .wav or .flac; of several prints a folder.")],
    tone: Annotated[list[str] | None, typer.Option(help="Name of a tone, or a JSON file; more than once.")] = None,
    every_tone: Annotated[bool, typer.Option("--all", help="Through all tones that come with the program.")] = False,
    session: Annotated[
        str | None, typer.Option(help="A session: IN are takes by part and number, or comps by part and name.")
    ] = None,
    rate: Annotated[
        int | None, typer.Option(metavar="HZ", help="Rate of the output; that of the input when left out.")
    ] = None,
    depth: Annotated[str, typer.Option(help="16, 24 or 32f.")] = "24",
    oversample: Annotated[int | None, typer.Option(help="1, 2, 4 or 8; the tone's own when left out.")] = None,
    tail: Annotated[float, typer.Option(metavar="S", help="How long a tone may ring on after the end.")] = 0.0,
    volts: Annotated[
        float | None,
        typer.Option(help="Voltage at the jack that reads 0 dBFS; guessed from how it plays when left out."),
    ] = None,
    instrument: Annotated[str, typer.Option(help="Whose playing the guess goes by.")] = "six-string guitar",
    replace: Annotated[bool, typer.Option("--replace", help="Write over files that are there.")] = False,
    resume: Annotated[bool, typer.Option("--resume", help="Leave files that are there, and make the others.")] = False,
    quiet: Annotated[bool, typer.Option("--quiet", help="No progress bar.")] = False,
) -> None:  # fmt: skip
    """Run dry recordings through tones; one file a source and a tone."""
    wanted = _Wanted(rate, depth, oversample, tail, volts, instrument)
    or_refuse(
        lambda: _reamp_all(
            sources, tone or [], out, wanted, every_tone=every_tone, session=session, replaces=replace, resumes=resume,
            quiet=quiet,
        )
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Wanted:
    """How it is written."""

    rate_hz: int | None
    depth: str
    oversample: int | None
    tail_s: float
    volts: float | None
    instrument: str

    def check(self) -> None:
        from fatsignal.core.clip import HIGHEST_RATE_HZ, LOWEST_RATE_HZ
        from fatsignal.core.instrument.instruments import INSTRUMENTS
        from fatsignal.core.tone.print_settings import LONGEST_TAIL_S
        from fatsignal.core.tone.voltage import HIGHEST_FULL_SCALE_V, LOWEST_FULL_SCALE_V

        if self.depth not in ("16", "24", "32f"):
            raise InvalidSetting(f"a depth of {self.depth} is not written: choose 16, 24 or 32f")
        if self.oversample not in (None, 1, 2, 4, 8):
            raise InvalidSetting(f"oversampling of {self.oversample} is not done: choose 1, 2, 4 or 8")
        if self.rate_hz is not None and not LOWEST_RATE_HZ <= self.rate_hz <= HIGHEST_RATE_HZ:
            raise InvalidSetting(f"a rate of {self.rate_hz} Hz is outside {LOWEST_RATE_HZ} to {HIGHEST_RATE_HZ} Hz")
        if not 0 <= self.tail_s <= LONGEST_TAIL_S:
            raise InvalidSetting(f"a tail of {self.tail_s:g} s is not kept: choose 0 to {LONGEST_TAIL_S:g} s")
        if self.volts is not None and not LOWEST_FULL_SCALE_V <= self.volts <= HIGHEST_FULL_SCALE_V:
            raise InvalidSetting(
                f"{self.volts:g} V for full scale cannot be: give {LOWEST_FULL_SCALE_V:g} to {HIGHEST_FULL_SCALE_V:g} V"
            )
        if self.instrument not in INSTRUMENTS:
            raise InvalidSetting(f"there is no instrument {self.instrument}: choose {', '.join(INSTRUMENTS)}")


@dataclass(frozen=True, slots=True)
class _Source:
    """A dry recording: a file, or what a session sounds like."""

    name: str
    stem: str
    file: Path | None = None
    dry: "DrySound | None" = None

    def check(self) -> None:
        from fatsignal.files.sound import facts_of

        if self.file is not None:
            facts_of(self.file)

    def print_to(self, target: Path, tone: "Tone", wanted: _Wanted, on_progress: Callable[[float], None]) -> str:
        """Write it through a tone; returns what its voltage was taken for, where that was a guess."""
        from fatsignal.core.tone.print_settings import PrintSettings
        from fatsignal.core.tone.voltage import DiVoltage
        from fatsignal.files.reamp import reamp_file, reamp_material

        of_full_scale = None if wanted.volts is None else DiVoltage(wanted.volts)
        if self.dry is not None:
            from fatsignal.core.material.channels import DRY

            settings: dict[str, Any] = {
                "oversample": wanted.oversample, "depth": wanted.depth, "tail_s": wanted.tail_s,
            }  # fmt: skip
            with self.dry.recorded.reader() as reader:
                reamp_material(
                    reader, DRY, target, tone, voltage=of_full_scale or self.dry.voltage,
                    settings=PrintSettings(**settings), on_progress=on_progress,
                )  # fmt: skip
            return ""
        assert self.file is not None, "a source is one or the other"
        voltage, guess = (of_full_scale, "") if of_full_scale else _as_it_plays(self.file, wanted.instrument)
        reamp_file(
            self.file, target, tone, rate_hz=wanted.rate_hz, depth=wanted.depth,  # type: ignore[arg-type]
            oversample=wanted.oversample, tail_s=wanted.tail_s, voltage=voltage, on_progress=on_progress,
        )  # fmt: skip
        return guess


def _reamp_all(
    names: list[str], tone_names: list[str], out: Path, wanted: _Wanted, *, every_tone: bool, session: str | None,
    replaces: bool, resumes: bool, quiet: bool,
) -> None:  # fmt: skip
    from rich.console import Console
    from rich.progress import Progress, TimeRemainingColumn

    wanted.check()
    chosen = _tones(tone_names, every_tone=every_tone)
    if replaces and resumes:
        raise InvalidSetting("--replace writes over what is there and --resume leaves it: choose one")
    sources = _from_session(names, session, wanted) if session is not None else _from_files(names)
    several = len(sources) * len(chosen) > 1 or out.is_dir() or any(Path(name).is_dir() for name in names)
    jobs = [
        (source, tone, out / f"{source.stem} - {tone.name}.wav" if several else out)
        for source in sources
        for tone in chosen
    ]
    if len({target for *_, target in jobs}) != len(jobs):
        raise InvalidSetting("two of the files have the same name, and would become one: rename one of them")
    # Nothing is written before all inputs are known to be good.
    for source in sources:
        source.check()
    there = {target for *_, target in jobs if target.exists()}
    if there and not (replaces or resumes):
        raise InvalidSetting(
            f"{min(there)} exists already: choose another name, --replace to write over it, or --resume to go on"
        )
    if several:
        out.mkdir(parents=True, exist_ok=True)
    left = [job for job in jobs if not (resumes and job[2] in there)]
    guesses: dict[str, None] = {}
    bars = Progress(*Progress.get_default_columns()[:-1], TimeRemainingColumn(), console=Console(stderr=True),
                    disable=quiet, transient=True)  # fmt: skip
    with bars:
        whole = bars.add_task(f"{len(left)} prints", total=float(len(left))) if len(left) > 1 else None
        for number, (source, tone, target) in enumerate(left):
            bar = bars.add_task(f"{source.name} through {tone.name}", total=1.0)

            def told(share: float, bar: Any = bar, number: int = number) -> None:
                bars.update(bar, completed=share)
                if whole is not None:
                    bars.update(whole, completed=number + share)

            guess = _print(source, tone, target, wanted, told, replaces=replaces)
            bars.remove_task(bar)
            guesses |= {guess: None} if guess else {}
    if quiet:
        return
    for guess in guesses:
        typer.echo(guess, err=True)
    if len(left) < len(jobs):
        typer.echo(f"{len(jobs) - len(left)} of {len(jobs)} were there already", err=True)
    for *_, target in left:
        typer.echo(str(target))


def _print(
    source: _Source, tone: "Tone", target: Path, wanted: _Wanted, told: Callable[[float], None], *, replaces: bool
) -> str:
    """One print; what is replaced stays until the new one is whole."""
    written = target.with_name(f"{target.stem}.new{target.suffix}") if replaces and target.exists() else target
    try:
        guess = source.print_to(written, tone, wanted, told)
    except FatSignalError as refusal:
        raise FileRefused(f"{source.name}: {str(refusal).removeprefix(source.name).lstrip(': ')}") from None
    if written != target:
        os.replace(written, target)
    return guess


def _tones(names: list[str], *, every_tone: bool) -> "list[Tone]":
    from fatsignal.config import current_settings
    from fatsignal.core.tone.document import check_responses
    from fatsignal.core.tone.response_shelf import look_on
    from fatsignal.files.responses import ResponseFolder
    from fatsignal.tones import find_tone_file, shipped_tones

    if every_tone:
        if names:
            raise InvalidSetting("--all is every tone: leave --tone out")
        return list(shipped_tones())
    if not names:
        raise InvalidSetting("say through which tone: --tone NAME, or --all")
    found = [find_tone_file(name) for name in dict.fromkeys(names)]
    at_hand = {sha256: content for _, files in found for sha256, content in files.items()}
    look_on(ResponseFolder(current_settings().responses_folder, at_hand))
    for tone, _ in found:
        check_responses(tone)
    return [tone for tone, _ in found]


def _from_files(names: list[str]) -> list[_Source]:
    found: list[Path] = []
    for name in names:
        path = Path(name)
        if path.is_dir():
            inside = sorted(each for each in path.iterdir() if each.suffix.lower() in ENDINGS)
            if not inside:
                raise FileRefused(f"in {name} there is no sound file ({', '.join(ENDINGS)})")
            found += inside
        else:
            found.append(path)
    return [_Source(path.name, path.stem, file=path) for path in dict.fromkeys(found)]


def _from_session(names: list[str], session_name: str, wanted: _Wanted) -> list[_Source]:
    if wanted.rate_hz is not None:
        raise InvalidSetting("a session's takes are printed at its own rate: leave --rate out")
    return asyncio.run(_found_in(session_name, names))


async def _found_in(session_name: str, names: list[str]) -> list[_Source]:
    from psycopg import AsyncConnection, OperationalError

    from fatsignal.acts.dry_sound import dry_sound
    from fatsignal.config import current_settings
    from fatsignal.files.names import file_name
    from fatsignal.store import comps, parts, sessions, takes

    settings = current_settings()
    if not settings.database_url:
        raise FileRefused("the sessions cannot be reached: start Fat Signal first, or give files")
    try:
        async with await AsyncConnection.connect(settings.database_url, autocommit=True) as conn:
            there = await sessions.list_sessions(conn)
            session = next((each for each in reversed(there) if each.name.lower() == session_name.lower()), None)
            if session is None:
                known = ", ".join(each.name for each in there) or "none"
                raise InvalidSetting(f"there is no session {session_name!r}; there are {known}")
            of_parts = {part.id: part.name for part in await parts.list_parts(conn, session.id)}
            ids = {
                f"{of_parts[take.part_id]} {take.number}".lower(): take.id
                for take in await takes.list_takes(conn, session.id)
            }
            for comp in await comps.current_of_session(conn, session.id):
                ids[f"{of_parts[comp.part_id]} {comp.name}".lower()] = comp.id
            found = []
            for name in names:
                if name.lower() not in ids:
                    raise InvalidSetting(
                        f"in {session.name} there is no {name!r}: a take is called like 'Baritone 12', a comp like "
                        "'Baritone Comp 1'"
                    )
                dry = await dry_sound(conn, ids[name.lower()], settings.sessions_folder)
                found.append(_Source(name, file_name(name), dry=dry))
            return found
    except OperationalError as trouble:
        why = str(trouble).strip().splitlines()[0] if str(trouble).strip() else "no answer"
        raise FileRefused(
            f"the sessions cannot be reached: start Fat Signal first, or give files (the database says: {why})"
        ) from None


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
