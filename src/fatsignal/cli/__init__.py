"""The command line: files and checks; and the server and worker that the launcher starts."""

from fatsignal.cli import checks, files, placement, reamp, service, takes
from fatsignal.cli.app import app

__all__ = ["app", "checks", "files", "placement", "reamp", "service", "takes"]
