"""Commands that the launcher calls: serve, worker; and the API's document."""

import asyncio
import json
from typing import Annotated

import typer

from fatsignal.cli.app import app, or_refuse


@app.command(hidden=True)
def serve() -> None:
    """Serve the application; the launcher calls this with the database running."""
    from fatsignal.serve import serve as run

    or_refuse(run)


@app.command(hidden=True)
def worker(
    name: Annotated[str, typer.Option(help="Shown in the log.")] = "worker",
    beside: Annotated[int | None, typer.Option(help="End when this process is gone.")] = None,
) -> None:
    """Compute for an application that runs here or elsewhere: prints, imports, judging."""
    from fatsignal.serve import run_worker

    or_refuse(lambda: asyncio.run(run_worker(name, beside=beside)))


@app.command(hidden=True)
def openapi() -> None:
    """Print the API's OpenAPI document, from which the front end's types are made."""
    from fatsignal.web.app import create_app

    typer.echo(json.dumps(create_app().openapi(), indent=1))
