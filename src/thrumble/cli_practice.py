"""Commands of the practice room: drills of a riff, and how fast it is clean by now."""

import json
import sys
from datetime import date, datetime
from pathlib import Path
from typing import Annotated, Any

import typer

from thrumble.core.errors import ThrumbleError
from thrumble.shell import app, fail, load, save


@app.command()
def drill(
    riff: Path,
    listed: Annotated[
        bool, typer.Option("--list", help="The drills this riff has something for.")
    ] = False,
    kind: Annotated[str | None, typer.Option(help="Which drill: see --list.")] = None,
    bars: Annotated[str | None, typer.Option(help="Only these bars, such as 3-4.")] = None,
    tempo: Annotated[float | None, typer.Option(help="Else the drill's own.")] = None,
    out: Annotated[
        Path | None, typer.Option(help="Where to write it: .riff.json, .riff.txt and others.")
    ] = None,
) -> None:
    """A drill of a riff: an ordinary riff whose hits know which hit they came from."""
    from decimal import Decimal

    from thrumble.core.riff.drills.catalogue import DrillKind, drills_of, make_drill
    from thrumble.formats.exchange import format_of, read_any

    try:
        whole = read_any(load(riff)).riff
        if listed:
            for drill in drills_of(whole):
                print(f"{drill.kind.value:14s}{drill.name}: {drill.trains}")
            return
        if kind is None or out is None:
            fail("say which drill with --kind, and where to write it with --out; or ask for --list")
        if kind not in list(DrillKind):
            fail(f"there are the drills {', '.join(DrillKind)}; found {kind[:40]!r}")
        made = make_drill(
            whole,
            DrillKind(kind),
            bars=None if bars is None else _bar_range(bars),
            tempo_bpm=None if tempo is None else Decimal(str(tempo)),
        )
        into = format_of(out.name)
        lost = into.loses(made)
    except ThrumbleError as error:
        fail(str(error))
    save(out, into.write(made))
    if into.name != "json":
        lost.append("which hit of the riff each hit came from: only .riff.json keeps that")
    for words in lost:
        print(f"left out: {words}", file=sys.stderr)


def _bar_range(text: str) -> tuple[int, int]:
    """`3-4`, or `3` for one bar."""
    first, _, last = text.partition("-")
    if not (first.isdecimal() and (last or first).isdecimal()) or len(text) > 11:
        fail(f"bars are two numbers such as 3-4; found {text[:20]!r}")
    return int(first), int(last or first)


@app.command()
def progress(
    riff: Path,
    taken: Annotated[list[Path], typer.Argument(metavar="READING...")],
    day: Annotated[
        list[str] | None,
        typer.Option(
            metavar="READING=DATE", help="When a take was played, such as a.json=2026-09-01."
        ),
    ] = None,
    json_out: Annotated[
        str | None, typer.Option("--json", metavar="OUT", help="Write it as JSON; - for here.")
    ] = None,
) -> None:
    """How fast a riff is clean by now, from its readings: with what is not known about it."""
    from thrumble.formats.exchange import read_any
    from thrumble.formats.progress_json import PlayedReading, progress_document, progress_lines

    days = _days(day or [])
    try:
        whole = read_any(load(riff)).riff
        readings = [
            PlayedReading.read(load(path), path.name, days.get(path.name) or days.get(str(path)))
            for path in taken
        ]
        document = progress_document(whole, readings)
    except ThrumbleError as error:
        fail(str(error))
    _tell(document, json_out, progress_lines(document))


def _tell(document: dict[str, Any], json_out: str | None, lines: list[str]) -> None:
    """Write the document to the file that `--json` names and print lines of text; `-` prints the
    document alone.
    """
    text = json.dumps(document, ensure_ascii=False, indent=1) + "\n"
    if json_out == "-":
        sys.stdout.write(text)
        return
    if json_out is not None:
        save(Path(json_out), text.encode())
    for line in lines:
        print(line)


def _days(given: list[str]) -> dict[str, date]:
    """The days given by `--day`, by file name."""
    out: dict[str, Any] = {}
    for text in given:
        name, _, when = text.rpartition("=")
        try:
            out[name] = datetime.fromisoformat(when).date()
        except ValueError:
            fail(
                f"--day is an analysis and its date, such as a.json=2026-09-01; found {text[:60]!r}"
            )
    return out


@app.command(context_settings={"ignore_unknown_options": True})
def compare(
    given: Annotated[
        list[str], typer.Argument(metavar="READING_A... --with READING_B...", show_default=False)
    ],
    riff: Annotated[
        Path | None,
        typer.Option(help="The riff that was played: then moves and accents are compared, too."),
    ] = None,
    json_out: Annotated[
        str | None, typer.Option("--json", metavar="OUT", help="Write it as JSON; - for here.")
    ] = None,
) -> None:
    """Compare two sets of readings: what differs, and how surely."""
    from thrumble.core.coach.comparing.comparison import compare_sides
    from thrumble.formats.comparison_json import comparison_document, comparison_lines
    from thrumble.formats.exchange import read_any
    from thrumble.formats.progress_json import PlayedReading, hits_in

    if given.count("--with") != 1:
        fail("write thrumble compare A.json --with B.json: analyses before and after --with")
    at = given.index("--with")
    names = (given[:at], given[at + 1 :])
    if not all(names) or any(name.startswith("-") for side in names for name in side):
        fail("write thrumble compare A.json --with B.json: analyses before and after --with")
    try:
        whole = None if riff is None else read_any(load(riff)).riff
        sides = [
            [hits_in(PlayedReading.read(load(Path(n)), Path(n).name, None), whole) for n in side]
            for side in names
        ]
        comparison = compare_sides(sides[0], sides[1])
    except ThrumbleError as error:
        fail(str(error))
    document = comparison_document(comparison, (len(sides[0]), len(sides[1])))
    _tell(document, json_out, comparison_lines(comparison))
