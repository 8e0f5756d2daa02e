"""A player's data as one file: to be taken elsewhere, kept, or read by other programs. A zip with
the riffs, takes, log, plan and settings in open formats, and beside them every row as it is stored,
which is what an import reads.
"""

import csv
import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from itertools import chain
from typing import IO, Any, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, ValidationError
from sqlalchemy.exc import SQLAlchemyError
from sqlmodel import Session

from thrumble import __version__
from thrumble.actions.judging import find_judged_take
from thrumble.core.errors import BadInput, NotFound, ThrumbleError
from thrumble.formats.labels import label_track
from thrumble.formats.reading_json import reading_document, reading_from_document
from thrumble.formats.riff_json import riff_from_document
from thrumble.store import database
from thrumble.store.players import players, rows
from thrumble.store.players.players import Player
from thrumble.store.rig import rigs
from thrumble.store.takes import takes
from thrumble.store.teaching import comments, lessons

MANIFEST = "manifest.json"
PIECE = 1 << 20
MAX_FILES = 200_000
MAX_BYTES = 40_000_000_000
MAX_MANIFEST = 50_000_000
MAX_LINE = 50_000_000  # bytes of a row: the analysis of an hour has a few millions
README = """{name}: practice data from Thrumble, made {made_at}

riffs/            every riff as text, newest version
takes/NUMBER/     a take: audio.flac, analysis.json, labels.txt (for audio editors)
examples/         hits you kept as examples of a tone
log/*.csv         passes, strokes and seconds, what your hands felt
notes.csv         what you noted about takes
rig.json          guitars and their tones
settings.json     how you practise
data/*.jsonl      every row as it is stored: this is what an import reads
manifest.json     the format's version, and size and SHA-256 of every file

Import it on the Players page of any installation of this version or a newer one.
"""
LOGS = {"round": "log/passes.csv", "load": "log/load.csv", "comfort": "log/hands.csv"}
Progress = Callable[[int], None]


class ManifestFile(BaseModel):
    """A file of an export, with its SHA-256."""

    model_config = ConfigDict(extra="forbid")
    path: str
    sha256: str
    bytes: int


class Manifest(BaseModel):
    """`thrumble.export/1`: what an export of a player holds."""

    model_config = ConfigDict(extra="ignore")
    format: Literal["thrumble.export/1"]
    player: str
    key: UUID
    made_at: datetime
    program: str
    schema_version: str
    files: list[ManifestFile]


class _Writer:
    """A zip file that keeps a list of what was written into it."""

    def __init__(self, target: IO[bytes], progress: Progress) -> None:
        self._zip = zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, compresslevel=6)
        self._progress = progress
        self.files: list[ManifestFile] = []

    def add(self, path: str, pieces: Iterator[bytes], *, packed: bool = True) -> None:
        digest, size = hashlib.sha256(), 0
        info = zipfile.ZipInfo(path, datetime.now(UTC).timetuple()[:6])
        info.compress_type = zipfile.ZIP_DEFLATED if packed else zipfile.ZIP_STORED
        info.external_attr = 0o600 << 16
        with self._zip.open(info, "w", force_zip64=True) as opened:
            for piece in pieces:
                digest.update(piece)
                size += len(piece)
                opened.write(piece)
        self.files.append(ManifestFile(path=path, sha256=digest.hexdigest(), bytes=size))
        self._progress(len(self.files))

    def text(self, path: str, text: str) -> None:
        self.add(path, iter([text.encode()]))

    def give_up(self) -> None:
        """Lets go of a file that won't be finished."""
        with suppress(OSError, ValueError):
            self._zip.close()

    def close(self, manifest: Manifest) -> None:
        self._zip.writestr(MANIFEST, manifest.model_dump_json(indent=1))
        self._zip.close()


def export_player(player_id: int, target: IO[bytes], progress: Progress = lambda _: None) -> None:
    """Writes everything of a player. `progress` is told the number of files so far. Raises
    NotFound.
    """
    with database.session() as session:
        session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
        player = players.get_player(session, player_id)
        made_at = datetime.now(UTC)
        writer = _Writer(target, progress)
        writer.text("README.txt", README.format(name=player.name, made_at=f"{made_at:%Y-%m-%d}"))
        try:
            for table in rows.TABLES:
                writer.add(f"data/{table}.jsonl", _lines(rows.rows_of(session, player_id, table)))
            for number, sound in rigs.all_examples(session, player_id):
                writer.add(f"examples/{number}.flac", iter([sound]), packed=False)
            for number, sound in comments.all_sounds(session, player_id):
                writer.add(f"comments/{number}.flac", iter([sound]), packed=False)
            _readable(writer, session, player)
            writer.close(
                Manifest(
                    format="thrumble.export/1",
                    player=player.name,
                    key=player.key,
                    made_at=made_at,
                    program=__version__,
                    schema_version=database.version(session),
                    files=writer.files,
                )
            )
        except BaseException:
            writer.give_up()
            raise


def file_count(player_id: int) -> int:
    """About how many files an export will have. Raises NotFound."""
    with database.session() as session:
        players.get_player(session, player_id)
        return len(rows.TABLES) + len(LOGS) + rows.file_count(session, player_id)


def _lines(stored: Iterator[rows.Row]) -> Iterator[bytes]:
    for row in stored:
        yield json.dumps(row, ensure_ascii=False, separators=(",", ":")).encode() + b"\n"


def _readable(writer: _Writer, session: Session, player: Player) -> None:
    """Writes the player's data in formats that other programs read: text, FLAC, JSON, CSV."""
    newest = {row["riff_id"]: row for row in rows.rows_of(session, player.id, "revision")}
    for riff_id, row in newest.items():
        writer.text(f"riffs/{riff_id}.riff.txt", row["source"])
    for take_id in [row["id"] for row in rows.rows_of(session, player.id, "take")]:
        folder = f"takes/{take_id}"
        if (audio := _audio(session, player.id, take_id)) is not None:
            writer.add(f"{folder}/audio.flac", audio, packed=False)
        judged = find_judged_take(session, player.id, take_id)
        if judged is None:
            continue
        findings = list(zip(judged.findings, judged.sentences, strict=True))
        document = reading_document(judged.reading, findings, judged.take.created_at)
        writer.text(f"{folder}/analysis.json", json.dumps(document, ensure_ascii=False))
        writer.text(f"{folder}/labels.txt", label_track(judged.judgement))
    for table, path in LOGS.items():
        writer.text(path, _csv(rows.rows_of(session, player.id, table)))
    writer.text("comments.csv", _csv(rows.rows_of(session, player.id, "comment")))
    writer.text("notes.csv", _csv(rows.rows_of(session, player.id, "note")))
    rig = {
        table: list(rows.rows_of(session, player.id, table))
        for table in ("rig", "tone", "calibration")
    }
    writer.text("rig.json", json.dumps(rig, ensure_ascii=False, indent=1))
    settings = {
        table: list(rows.rows_of(session, player.id, table))
        for table in ("practice", "hand", "keeping")
    }
    writer.text("settings.json", json.dumps(settings, ensure_ascii=False, indent=1))


def _audio(session: Session, player_id: int, take_id: int) -> Iterator[bytes] | None:
    """A take's file in parts; None if it has none any more."""
    parts = takes.audio_parts(session, player_id, take_id)
    try:
        return chain([next(parts)], parts)
    except NotFound:
        return None


def _csv(stored: Iterator[rows.Row]) -> str:
    text = io.StringIO()
    writer: csv.DictWriter[str] | None = None
    for row in stored:
        if writer is None:
            writer = csv.DictWriter(text, list(row))
            writer.writeheader()
        writer.writerow(row)
    return text.getvalue()


@dataclass(frozen=True, slots=True)
class Imported:
    """What an import brought: the player, and how many riffs and takes that weren't there."""

    player_id: int
    name: str
    riffs: int
    takes: int


def import_player(
    source: IO[bytes],
    *,
    into: int | None = None,
    is_sample: bool = False,
    until: datetime | None = None,
) -> Imported:
    """Reads an export, whole, before anything is written; then adds it to a player, or as a new
    one. The same export again adds nothing: not to that player, nor as a second one.

    until : move all dates so that the export was made then
    Raises BadInput for a file that is no export, is damaged, or comes from a newer version.
    """
    try:
        archive = zipfile.ZipFile(source)
        with database.session() as session:
            manifest = _checked(archive, database.version(session))
            return _import(session, archive, manifest, into, is_sample, until)
    except zipfile.BadZipFile:
        raise BadInput("this file is no export of a player, or it is damaged") from None
    except (BadInput, NotFound):
        raise
    except (
        ThrumbleError,
        SQLAlchemyError,
        KeyError,
        TypeError,
        AttributeError,
        ValueError,
    ) as error:
        raise BadInput("this export is damaged: its rows contradict each other") from error


def _checked(archive: zipfile.ZipFile, version: str) -> Manifest:
    """The manifest, every file proved against it. `version`: of the tables here."""
    infos = {info.filename: info for info in archive.infolist()}
    if MANIFEST not in infos or infos[MANIFEST].file_size > MAX_MANIFEST:
        raise BadInput("this file is no export of a player: it has no manifest")
    try:
        manifest = Manifest.model_validate_json(archive.read(MANIFEST))
    except ValidationError:
        raise BadInput("this file is no export of a player that this version reads") from None
    if manifest.schema_version > version:
        raise BadInput("this export comes from a newer Thrumble: update this one first")
    listed = {file.path: file for file in manifest.files}
    if set(listed) != set(infos) - {MANIFEST}:
        raise BadInput("this export is damaged: files are missing or were added")
    total = sum(file.bytes for file in manifest.files)
    if len(listed) > MAX_FILES or total > MAX_BYTES:
        raise BadInput("this export is too large for one player")
    for path, file in listed.items():
        if infos[path].file_size != file.bytes or _digest(archive, path) != file.sha256:
            raise BadInput(f"this export is damaged: {path} isn't what was written")
    return manifest


def _digest(archive: zipfile.ZipFile, path: str) -> str:
    digest = hashlib.sha256()
    with archive.open(path) as opened:
        while piece := opened.read(PIECE):
            digest.update(piece)
    return digest.hexdigest()


def _import(
    session: Session,
    archive: zipfile.ZipFile,
    manifest: Manifest,
    into: int | None,
    is_sample: bool,
    until: datetime | None,
) -> Imported:
    player = None if into is None else players.get_player(session, into)
    if player is None:
        player = players.player_with_key(session, manifest.key) or players.add_player(
            session, manifest.player, is_sample=is_sample, key=manifest.key
        )
    players.lock(session, player.id)
    shift = timedelta(0) if until is None else until.date() - manifest.made_at.date()
    adding = rows.Import(session, player.id, shift=shift)
    names = set(archive.namelist())
    for table in rows.TABLES:
        path = f"data/{table}.jsonl"
        if path in names:
            sound = None
            if table == "example":
                sound = lambda number: archive.read(f"examples/{number}.flac")  # noqa: E731
            adding.add(table, _read(archive, path, table), sound)
    for name in names:
        folder, _, file = name.rpartition("/")
        if file == "audio.flac" and folder.startswith("takes/"):
            number = int(folder.removeprefix("takes/"))
            here = adding.number("take", number)
            if here and adding.is_added("take", number):
                with archive.open(name) as opened:
                    takes.add_audio(session, player.id, here, _pieces(opened))
        if folder == "comments" and file.endswith(".flac"):
            number = int(file.removesuffix(".flac"))
            here = adding.number("comment", number)
            if here and adding.is_added("comment", number):
                comments.set_sound(session, player.id, here, archive.read(name))
    return Imported(
        player_id=player.id,
        name=player.name,
        riffs=adding.added.get("riff", 0),
        takes=adding.added.get("take", 0),
    )


def _pieces(opened: IO[bytes]) -> Iterator[bytes]:
    while piece := opened.read(PIECE):
        yield piece


def _read(archive: zipfile.ZipFile, path: str, table: str) -> Iterator[dict[str, Any]]:
    """A table's rows; the documents in them are read as they will be, so that none breaks a page
    later.
    """
    with archive.open(path) as opened:
        while line := opened.readline(MAX_LINE):
            if not line.endswith(b"\n"):
                raise BadInput(f"this export is damaged: {path} has a row that never ends")
            row = json.loads(line)
            if table == "revision":
                riff_from_document(row["document"])
            if table == "reading":
                reading_from_document(row["document"])
            yield row


def delete_player(player_id: int, name: str) -> None:
    """Deletes a player with everything that is theirs, if the name is typed as it stands. Raises
    NotFound, BadInput.
    """
    with database.session() as session:
        player = players.get_player(session, player_id)
        if " ".join(name.split()) != player.name:
            raise BadInput(f"type the name as it stands, {player.name}, to delete this player")
        players.lock(session, player_id)
        lessons.forget_teacher(session, player_id)
        players.delete_player(session, player_id)
