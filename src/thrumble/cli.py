"""The command line. Every command imports what it needs when it runs: `analyze` starts in a
fraction of a second, without web or database.
"""

import sys
from pathlib import Path

if Path(sys.argv[0]).stem in ("thrumble", "cli"):  # this process is the command
    from thrumble.interrupts import never_lose_one

    never_lose_one()  # before the imports below, in which an interrupt may come

import json
import os
import re
from typing import Annotated

import typer

from thrumble import cli_practice as cli_practice
from thrumble.cli_players import export
from thrumble.core.errors import ThrumbleError
from thrumble.shell import app, fail, load, save


@app.command()
def analyze(
    riff: Path,
    take: Path,
    tempo: Annotated[
        float | None,
        typer.Option(help="Tempo played, quarter notes per minute; the riff's own if left out."),
    ] = None,
    start: Annotated[
        float | None,
        typer.Option(
            help="Seconds from the start of the file to bar 1, beat 1; found if left out."
        ),
    ] = None,
    rounds: Annotated[
        int | None, typer.Option(min=1, max=500, help="How often the riff is played in the take.")
    ] = None,
    json_out: Annotated[
        str | None,
        typer.Option(
            "--json", metavar="OUT", help="Write the analysis as JSON; - for standard output."
        ),
    ] = None,
) -> None:
    """Read a recorded take of a riff, hit by hit."""
    from thrumble.actions.listening import listen, read_riff
    from thrumble.core.coach.verdict.findings import find_findings
    from thrumble.core.coach.verdict.judgement import judge
    from thrumble.core.ear.take import TakeInfo
    from thrumble.core.riff.expand import expand
    from thrumble.formats.reading_json import reading_document

    try:
        riff_read = read_riff(load(riff))
        reading = listen(
            riff_read,
            load(take),
            tempo_bpm=tempo,
            info=TakeInfo(start_s=start, rounds=rounds or (None if start is None else 1)),
        )
    except ThrumbleError as error:
        fail(str(error))
    judgement = judge(reading, expand(riff_read, tempo))
    findings = [(finding, finding.sentence(judgement)) for finding in find_findings(judgement)]
    text = json.dumps(reading_document(reading, findings), ensure_ascii=False, allow_nan=False)
    if json_out == "-":
        print(text)
        return
    if json_out:
        save(Path(json_out), text.encode())
    summary = reading.summary
    due = summary.matched + summary.missed
    print(
        f"{riff_read.title}: {summary.matched} of {due} hits heard at {reading.tempo_bpm:g} bpm, "
        f"{summary.extra} extra, {summary.unsure} unsure"
    )
    for _, sentence in findings:
        print(f"- {sentence}")
    for caution in reading.cautions:
        print(f"  ({caution.text})")


@app.command()
def simulate(
    riff: Path,
    out: Annotated[Path, typer.Option(help="WAV file to write.")],
    truth: Annotated[
        Path | None, typer.Option(help="Where to write what was really played.")
    ] = None,
    tempo: Annotated[
        float | None, typer.Option(help="Quarter notes per minute; the riff's own if left out.")
    ] = None,
    seed: int = 0,
    tone: Annotated[str, typer.Option(help="clean, crunch or high-gain")] = "crunch",
    flaw: Annotated[
        list[str] | None, typer.Option(metavar="NAME=VALUE", help="May be given several times.")
    ] = None,
    rounds: Annotated[int, typer.Option(min=1, max=100)] = 1,
    click: Annotated[
        float | None,
        typer.Option(
            min=-60, max=6, help="Click bleed in dB against the guitar; none if left out."
        ),
    ] = None,
) -> None:
    """Have the simulated guitarist play a riff."""
    from thrumble.actions.listening import read_riff
    from thrumble.core.player.flaws import read_flaws
    from thrumble.core.player.perform import perform
    from thrumble.core.player.sound import Tone
    from thrumble.formats.audio import write_wav
    from thrumble.formats.truth_json import truth_document

    try:
        riff_read = read_riff(load(riff))
        flaws = read_flaws(flaw or [])
        if tone not in list(Tone):
            fail(f"{tone!r} is no tone: {', '.join(Tone)}")
        performance = perform(
            riff_read,
            tempo_bpm=tempo,
            seed=abs(seed),
            tone=Tone(tone),
            flaws=flaws,
            rounds=rounds,
            click_db=click,
        )
    except ThrumbleError as error:
        fail(str(error))
    save(out, write_wav(performance.samples, performance.rate_hz))
    if truth:
        save(
            truth,
            json.dumps(
                truth_document(performance, riff=riff.name, audio=out.name), indent=1
            ).encode(),
        )
    print(
        f"{out}: {performance.samples.size / performance.rate_hz:.1f} s, bar 1 beat 1 at "
        f"{performance.start_s:.3f} s, {performance.tempo_bpm:g} bpm"
    )


@app.command()
def convert(
    source: Annotated[Path, typer.Argument(metavar="IN")],
    out: Annotated[Path, typer.Argument(metavar="OUT")],
    strict: Annotated[
        bool, typer.Option(help="Exit with status 3 if the file can't hold everything.")
    ] = False,
    part: Annotated[
        int | None, typer.Option(help="Which part of a file with several, from 0.")
    ] = None,
    grid: Annotated[
        str | None, typer.Option(help="A column's step in tablature without rhythm, such as 1/16.")
    ] = None,
) -> None:
    """Convert a riff between JSON, text, MIDI, MusicXML and tablature, by the files' names."""
    from fractions import Fraction

    from thrumble.formats.exchange import ImportOptions, format_of

    try:
        into = format_of(out.name)
        of = format_of(source.name)
        if grid is not None and not re.fullmatch(r"1/([1-9]\d?)", grid):
            fail("a grid is a note value such as 1/8 or 1/16")
        options = ImportOptions(part, None if grid is None else Fraction(grid))
        imported = of.read(load(source), options)
        lost = [*imported.left_out, *into.loses(imported.riff)]
        data = imported.source.encode() if into.name == "text" else into.write(imported.riff)
    except ThrumbleError as error:
        fail(str(error))
    save(out, data)
    for words in lost:
        print(f"left out: {words}", file=sys.stderr)
    if imported.guessed_grid is not None and grid is None:
        print(
            f"no rhythm is written: each step of the columns counts as {imported.guessed_grid}; "
            "give --grid for another one",
            file=sys.stderr,
        )
    if lost and strict:
        raise typer.Exit(3)


@app.command()
def route(
    riff: Path,
    scale: Annotated[float, typer.Option(help="The strings' length in mm.")] = 648.0,
    reach: Annotated[float | None, typer.Option(help="Finger 1 to 4, mm.")] = None,
    school: Annotated[str | None, typer.Option(help="1-3, 1-3-4, 1-4 or barre.")] = None,
    tempo: float | None = None,
    strict: Annotated[
        bool, typer.Option("--strict", help="The written strings and frets: only fingers.")
    ] = False,
    json_out: Annotated[
        Path | None, typer.Option("--json", help="Where to write it; -: here.")
    ] = None,
) -> None:
    """The best ways along the neck: where to take each chord, with which fingers."""
    from dataclasses import replace

    from thrumble.core.counting import counted
    from thrumble.core.instrument import check_instrument
    from thrumble.core.neck.hand import DEFAULT_REACH_MM, Hand, School
    from thrumble.core.neck.routes import plan_routes
    from thrumble.core.riff.expand import expand
    from thrumble.formats.exchange import read_any
    from thrumble.formats.routes_json import routes_document

    if school is not None and school not in {choice.value for choice in School}:
        fail(f"a school is one of {', '.join(School)}")
    hand = Hand(
        reach_mm=DEFAULT_REACH_MM if reach is None else reach,
        school=None if school is None else School(school),
    )
    try:
        expanded = expand(read_any(load(riff)).riff, tempo)
        neck = check_instrument(replace(expanded.riff.instrument, scale_mm=scale))
        routes = plan_routes(expanded, neck, hand, strict=strict)
    except ThrumbleError as error:
        fail(str(error))
    document = routes_document(routes, expanded, hand, scale_mm=scale)
    text = json.dumps(document, ensure_ascii=False, indent=1) + "\n"
    if json_out is not None and str(json_out) == "-":
        sys.stdout.write(text)
        return
    if json_out is not None:
        save(json_out, text.encode())
    if not document["complete"]:
        print("stopped early, there are too many places to take these chords: the best so far")
    for route in routes:
        print(
            f"{route.name}: {route.totals['travel_mm']:.0f} mm in "
            f"{counted(len(route.moves), 'move')}"
        )
        if route.worst_move is not None:
            worst = route.moves[route.worst_move]
            print(
                f"  fastest: {worst.distance_mm:.0f} mm in {worst.time_ms:.0f} ms "
                f"before hit {worst.to_index + 1}"
            )


@app.command()
def click(
    riff: Annotated[Path, typer.Option(help="The riff to keep time for.")],
    out: Annotated[Path, typer.Option(help="WAV to write.")],
    groove: Annotated[str | None, typer.Option(help="Drums instead of the click.")] = None,
    rounds: Annotated[int, typer.Option(min=1, max=100)] = 1,
    tempo: float | None = None,
    kind: Annotated[str, typer.Option(help="Where the click falls; beats if not said.")] = "",
    silent: Annotated[str, typer.Option(help="Bars left out: two-two, random or fade.")] = "none",
) -> None:
    """The click of a riff, or a drum groove, alone: one bar of count-in, then every round."""
    from thrumble.actions.rehearsal import timekeeping
    from thrumble.formats.exchange import read_any

    try:
        wav = timekeeping(
            read_any(load(riff)).riff,
            groove=groove,
            rounds=rounds,
            tempo_bpm=tempo,
            click=kind,
            silence=silent,
        )
    except ThrumbleError as error:
        fail(str(error))
    save(out, wav)


@app.command()
def serve(
    host: str = "127.0.0.1",
    port: Annotated[int, typer.Option(min=1, max=65535)] = 8642,
    demo: Annotated[
        bool, typer.Option("--demo", help="Fill an empty database with the sample scenario.")
    ] = False,
    tls_cert: Path | None = None,
    tls_key: Path | None = None,
) -> None:
    """Serve the web application, with one background worker beside it."""
    from thrumble.serving import serve as run

    try:
        run(host=host, port=port, demo=demo, tls_cert=tls_cert, tls_key=tls_key)
    except ThrumbleError as error:
        fail(str(error))


@app.command()
def worker() -> None:
    """Run a further background worker."""
    from thrumble.worker import main as run

    try:
        run()
    except ThrumbleError as error:
        fail(str(error))


@app.command("recovery-codes")
def recovery_codes(
    name: Annotated[str, typer.Argument(help="Name of the account.")],
) -> None:
    """Print new recovery codes for someone who can't sign in any more."""
    from thrumble.actions.signing_in import new_recovery_codes
    from thrumble.store import database
    from thrumble.store.accounts.accounts import find_account

    try:
        database.migrate()
        with database.session() as session:
            account = find_account(session, name)
            if account is None:
                fail(f"there is no account named {name}")
            codes = new_recovery_codes(session, account.id)
    except ThrumbleError as error:
        fail(str(error))
    print("\n".join(codes))


@app.command()
def backup(
    file: Annotated[Path, typer.Argument(help="File to write; - for standard output.")],
    player: Annotated[
        str | None,
        typer.Option(metavar="NAME", help="Only this player, as a zip that can be imported."),
    ] = None,
) -> None:
    """Write everything (riffs, takes, analyses, queue) into one file that only you may read."""
    from thrumble.actions.backup import write_backup, write_backup_to

    if player is not None:
        export(player, file)
        return
    if str(file) == "-":
        try:
            write_backup_to(sys.stdout.buffer)
        except ThrumbleError as error:
            fail(str(error))
        return
    shown = sys.stderr.isatty()

    def progress(size: int) -> None:
        if shown:
            print(f"\r{size / 1e6:.1f} MB written ...", end="", file=sys.stderr, flush=True)

    try:
        size = write_backup(file, progress)
    except ThrumbleError as error:
        fail(str(error))
    print(
        f"{file}: {size / 1e6:.1f} MB, checked. The secret that signs cookies is not in it: "
        "browsers are new to a restored installation."
    )


@app.command()
def restore(file: Path) -> None:
    """Bring a backup into an empty installation."""
    from thrumble.actions.backup import restore_backup

    try:
        restore_backup(file)
    except ThrumbleError as error:
        fail(str(error))
    print("restored")


# the ancestor of everything that is wrong with the words of a command
UsageError: type[Exception] = next(
    kind for kind in typer.BadParameter.__mro__ if kind.__name__ == "ClickException"
)


def main() -> None:
    """Entry point of the installed command; a wrong word on the line is one clear line too.

    The ear's matrices are small: a second thread of the linear algebra would only spin.
    """
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    try:
        sys.exit(app(standalone_mode=False) or 0)
    except UsageError as error:
        words = " ".join(error.format_message().split())  # type: ignore[attr-defined]
        if words:  # a bare command has printed its help already
            print(f"thrumble: {words} Try 'thrumble --help'.", file=sys.stderr)
        sys.exit(2)
    except KeyboardInterrupt:
        sys.exit(130)


if __name__ == "__main__":
    main()
