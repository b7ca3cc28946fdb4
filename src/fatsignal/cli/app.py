"""What all commands share: the application, refusals as one sentence."""

from collections.abc import Callable
from typing import Annotated

import typer

from fatsignal.errors import FatSignalError

app = typer.Typer(
    add_completion=False, no_args_is_help=True, help="Record DI and amp together, re-amp, judge tone at the source."
)

WRONG_INPUT = 2
AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON document.")]


def or_refuse(act: Callable[[], None]) -> None:
    """Run `act`; what is refused becomes one sentence on standard error and exit status 2."""
    try:
        act()
    except FatSignalError as refusal:
        typer.echo(str(refusal), err=True)
        raise typer.Exit(WRONG_INPUT) from None
    except OSError as trouble:
        typer.echo(f"{trouble.filename or 'a file'} could not be used: {trouble.strerror or trouble}", err=True)
        raise typer.Exit(WRONG_INPUT) from None
