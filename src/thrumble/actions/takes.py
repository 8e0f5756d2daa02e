"""Verbs on takes with two callers, or that join store, formats and queue."""

import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import BinaryIO, TypeVar

import structlog
from sqlmodel import Session

from thrumble.actions.accompaniment import accompaniment_for_analysis, load_accompaniment
from thrumble.actions.coaching import note_help, store_judgement
from thrumble.actions.judging import judged_take
from thrumble.actions.rigs import profile_from
from thrumble.actions.sound import Spans, fetch, join_chunks, missing_spans, parts_of
from thrumble.core.ear.comparing import Difference, compare
from thrumble.core.ear.front.conditioning import MAX_S, WORK_RATE_HZ
from thrumble.core.ear.measure.articulation import Profile
from thrumble.core.ear.reading import Reading
from thrumble.core.ear.take import TakeInfo, read_recording
from thrumble.core.errors import Away, BadAudio, NotAllowed, NotFound, ThrumbleError
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Riff
from thrumble.core.signal import Samples
from thrumble.core.takes import RecorderReport, TakeState
from thrumble.formats.audio import read_audio
from thrumble.jobs import enqueue_reading, enqueue_readings
from thrumble.store import database
from thrumble.store.riffs import riffs
from thrumble.store.rig import rigs
from thrumble.store.takes import readings, takes
from thrumble.store.takes.space import check_room
from thrumble.store.takes.takes import NewTake, Take
from thrumble.trained import EAR

log = structlog.get_logger()
T = TypeVar("T")
OUTAGE_S = 60.0


def begin_take(session: Session, player_id: int, new: NewTake) -> Take:
    """A take whose sound will come in chunks. Begun again under the same key, it is the same take.
    Raises NoSpace.
    """
    if new.client_key is not None and (
        earlier := takes.take_by_key(session, player_id, new.client_key)
    ):
        return earlier
    check_room(session)
    return takes.add_take(session, player_id, new, TakeState.RECORDING)


def store_chunk(session: Session, player_id: int, take_id: int, frame: int, data: bytes) -> None:
    """Keeps sound of a take that is being recorded. Raises NotAllowed once it is finished, BadAudio
    beyond ten minutes.
    """
    take = takes.get_take(session, player_id, take_id, lock=True)
    if take.state is not TakeState.RECORDING:
        raise NotAllowed("this take is finished: begin a new one")
    if frame + len(data) // 4 > MAX_S * (take.rate_hz or 48000):
        raise BadAudio("this take is longer than ten minutes: finish it")
    takes.add_chunk(session, player_id, take_id, frame, data)


def finish_take(
    session: Session,
    player_id: int,
    take_id: int,
    report: RecorderReport,
    wanted: Spans | None = None,
) -> tuple[Take, Spans]:
    """Asks for a recording's reading. Gives the take, and the frames that have not come in yet:
    with any of them missing nothing is done.

    wanted : the frames that were recorded; None takes what is there, as for a take whose tab was
    closed.
    A take that is finished already stays as it is. Raises BadAudio if no sound came in.
    """
    take = takes.get_take(session, player_id, take_id, lock=True)
    if take.state is not TakeState.RECORDING:
        return take, []
    have = takes.chunk_spans(session, player_id, take_id)
    missing = missing_spans(have, wanted or [])
    if missing:
        return take, missing
    if not have:
        raise BadAudio("no sound of this take arrived: discard it and play again")
    takes.note_report(session, player_id, take_id, report.noted())
    take = takes.set_state(session, player_id, take_id, TakeState.QUEUED)
    enqueue_reading(session, take_id)
    return take, []


def discard_take(session: Session, player_id: int, take_id: int) -> None:
    """Drops a take that was abandoned while it was recorded. Raises NotAllowed once it is
    finished.
    """
    if takes.get_take(session, player_id, take_id, lock=True).state is not TakeState.RECORDING:
        raise NotAllowed("this take is finished: delete it on its own page")
    takes.delete_take(session, player_id, take_id)


def submit_upload(session: Session, player_id: int, new: NewTake, file: BinaryIO) -> Take:
    """Stores a file as it came and queues its analysis; whether it is sound, the worker finds out.
    The same upload sent again, because its answer was lost, is the same take. Raises NoSpace.
    """
    if new.client_key is not None and (
        earlier := takes.take_by_key(session, player_id, new.client_key)
    ):
        return earlier
    check_room(session)
    take = takes.add_take(session, player_id, new, TakeState.QUEUED)
    if take.audio_bytes:
        return take  # the same upload, sent twice at once
    takes.put_audio(session, player_id, take.id, parts_of(file))
    enqueue_reading(session, take.id)
    return take


def reanalyse_take(session: Session, player_id: int, take_id: int) -> Take:
    """Asks for a take's reading once more; one that waits already goes on waiting, and gets a job
    if it had lost its own.
    """
    take = takes.get_take(session, player_id, take_id, lock=True)
    if take.let_go_at is not None:
        raise NotAllowed(
            "your storage rule deleted this take's audio: restore it on the take's page first"
        )
    takes.forget_tries(session, player_id, take_id)
    if take.state is not TakeState.READING:
        take = takes.set_state(session, player_id, take_id, TakeState.QUEUED)
    enqueue_reading(session, take_id)
    return take


def reanalyse_all(session: Session, player_id: int) -> int:
    """Asks for a reading of every take that the present ear has not heard, and says how many."""
    stale = readings.queue_stale(session, player_id, EAR.version)
    enqueue_readings(session, stale)
    return len(stale)


def analyse_stored_take(take_id: int) -> None:
    """The worker's task: hears a take from its stored sound and keeps the reading. A take deleted
    meanwhile is no error.

    No transaction is open while the ear computes. Where the database goes away meanwhile, what was
    heard waits for it.
    """
    with tempfile.TemporaryDirectory(prefix="thrumble-") as folder:
        path = Path(folder) / "take"
        try:
            try:
                work = patiently(lambda: _load(take_id, path))
                result = _analyse(work, path)
            except (NotFound, NotAllowed, Away):
                raise
            except ThrumbleError as error:
                patiently(lambda problem=str(error): fail_take(take_id, problem))  # type: ignore[misc]
            else:
                patiently(lambda: _store(work, result))
        except NotFound:
            log.info("take gone before its reading", take=take_id)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Job:
    """Everything an analysis needs beside the sound."""

    take: Take
    riff: Riff
    examples: list[tuple[str, str, bytes]]
    before: Reading | None


@dataclass(frozen=True, slots=True, kw_only=True)
class _Result:
    """The outcome of an analysis, and how it differs from the take's last one."""

    reading: Reading
    expanded: ExpandedRiff
    changed: Difference | None


def _load(take_id: int, path: Path) -> _Job:
    """Marks the take as being read and brings its sound to a path."""
    with database.session() as session:
        player_id = takes.owner_of(session, take_id)
        take = takes.set_state(session, player_id, take_id, TakeState.READING)
    with database.session() as session:
        if takes.chunk_spans(session, player_id, take_id):
            join_chunks(session, take)
        take = takes.get_take(session, player_id, take_id)
        fetch(session, player_id, take_id, path)
        riff = riffs.get_revision(session, player_id, take.revision_id).riff
        return _Job(
            take=take,
            riff=riff,
            examples=[]
            if take.tone_id is None
            else rigs.example_sounds(session, player_id, take.tone_id),
            before=readings.older_reading(session, player_id, take_id, EAR.version),
        )


def _analyse(work: _Job, path: Path) -> _Result:
    take = work.take
    expanded = expand(work.riff, take.tempo_bpm)
    info = info_of(take, expanded, profile_from(work.examples))
    reading = read_recording(read_audio(path), expanded, info, ear=EAR)
    return _Result(
        reading=reading,
        expanded=expanded,
        changed=compare(work.before, reading) if work.before else None,
    )


def info_of(take: Take, expanded: ExpandedRiff, profile: Profile) -> TakeInfo:
    """All that is known of a stored take beside its sound."""
    report = RecorderReport(**(take.recorder or {}))
    return TakeInfo(
        start_s=None if take.start_s is None else take.start_s + (take.delay_ms or 0.0) / 1000,
        delay_ms=take.delay_ms,
        delay_spread_ms=take.delay_spread_ms,
        rounds=take.rounds,
        dropouts=report.dropouts(),
        profile=profile,
        accompaniment=_accompaniment(take, expanded),
        continues_previous=load_accompaniment(take.along).bars_before > 0,
        continues_next=report.goes_on,
    )


def _accompaniment(take: Take, expanded: ExpandedRiff) -> Samples | None:
    """What was to be heard beside a recording; None if nobody knows."""
    if None in (take.along, take.start_s, take.rounds, take.rate_hz):
        return None
    return accompaniment_for_analysis(
        expanded,
        load_accompaniment(take.along),
        rounds=take.rounds or 1,
        start_s=take.start_s or 0.0,
        rate_hz=take.rate_hz or WORK_RATE_HZ,
    )


def _store(work: _Job, result: _Result) -> None:
    take = work.take
    with database.session() as session:
        takes.get_take(session, take.player_id, take.id, lock=True)
        readings.put_reading(
            session,
            take.player_id,
            take.id,
            result.reading,
            result.expanded,
            changed=result.changed,
        )
        if take.rounds is None:
            tempo = Decimal(str(result.expanded.tempo_bpm))
            takes.set_timing(
                session, take.player_id, take.id, tempo_bpm=tempo, rounds=result.reading.rounds
            )
        judged = judged_take(session, take.player_id, take.id)
        store_judgement(session, take.player_id, judged)
        note_help(session, take.player_id, judged)
        takes.set_state(session, take.player_id, take.id, TakeState.READ)


def fail_take(take_id: int, problem: str) -> None:
    """Marks a take as not read, with the reason, whatever happened to it before."""
    with database.session() as session:
        takes.set_state(
            session, takes.owner_of(session, take_id), take_id, TakeState.FAILED, problem=problem
        )


def patiently(step: Callable[[], T]) -> T:
    """Does a step in the database, again and again while the database is away, for as long as an
    outage may reasonably last.
    """
    until = time.monotonic() + OUTAGE_S
    wait_s = 0.2
    while True:
        try:
            return step()
        except Away:
            if time.monotonic() > until:
                raise
        time.sleep(wait_s)
        wait_s = min(2.0, wait_s * 1.6)
