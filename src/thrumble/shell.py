"""What every command of the shell shares: the application, one clear line for a fault, files."""

import sys
from pathlib import Path
from typing import NoReturn

import typer

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Practice bench of a rock rhythm guitarist.",
)


def fail(message: str) -> NoReturn:
    """One clear line on standard error, exit 2."""
    print(f"thrumble: {' '.join(str(message).split())}", file=sys.stderr)
    raise typer.Exit(2)


def load(path: Path) -> bytes:
    """A file's bytes, or a clear end."""
    try:
        return path.read_bytes()
    except OSError as error:
        fail(f"{path} cannot be read: {error.strerror}")


def save(path: Path, data: bytes) -> None:
    """Writes a file, or ends clearly."""
    try:
        path.write_bytes(data)
    except OSError as error:
        fail(f"{path} cannot be written: {error.strerror}")
