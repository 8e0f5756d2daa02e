"""The command line's part for players: one player's data out and in."""

import sys
from pathlib import Path
from typing import Annotated

import typer

from thrumble.core.counting import counted
from thrumble.core.errors import ThrumbleError
from thrumble.shell import app, fail


def export(name: str, file: Path) -> None:
    """Writes everything of the player of that name into a new file, or to standard output."""
    from thrumble.actions.portability import export_player
    from thrumble.store import database
    from thrumble.store.players import players

    try:
        with database.session() as session:
            named = [player for player in players.all_players(session) if player.name == name]
        if len(named) != 1:
            many = "several players have" if named else "no player has"
            fail(f"{many} the name {name!r}: look at the Players page")
        if str(file) == "-":
            export_player(named[0].id, sys.stdout.buffer)
            return
        with file.open("xb") as target:
            file.chmod(0o600)
            export_player(named[0].id, target)
    except FileExistsError:
        fail(f"{file} exists: give a new name")
    except OSError as error:
        file.unlink(missing_ok=True)
        fail(f"{file} cannot be written: {error.strerror}")
    except ThrumbleError as error:
        fail(str(error))
    print(f"{file}: {file.stat().st_size / 1e6:.1f} MB, everything of {name}")


@app.command("import-player")
def import_player_command(
    file: Path,
    into: Annotated[
        str | None, typer.Option(metavar="NAME", help="Add it to this player instead.")
    ] = None,
) -> None:
    """Bring in a player that was exported; importing the same file twice changes nothing."""
    from thrumble.actions.portability import import_player
    from thrumble.store import database
    from thrumble.store.players import players

    try:
        with database.session() as session:
            by_name = {player.name: player.id for player in players.all_players(session)}
        if into is not None and into not in by_name:
            fail(f"no player has the name {into!r}: look at the Players page")
        with file.open("rb") as source:
            imported = import_player(source, into=None if into is None else by_name[into])
    except OSError as error:
        fail(f"{file} cannot be read: {error.strerror}")
    except ThrumbleError as error:
        fail(str(error))
    print(
        f"{imported.name}: {counted(imported.riffs, 'riff')} and "
        f"{counted(imported.takes, 'take')} added"
    )
