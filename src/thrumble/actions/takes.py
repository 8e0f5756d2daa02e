"""Verbs on takes with two callers, or that join store, formats and queue."""

from decimal import Decimal

import numpy as np
import structlog
from sqlmodel import Session

from thrumble.actions.rigs import profile_for
from thrumble.core.coach.verdict import clean_hits, judge
from thrumble.core.ear.conditioning import MAX_S
from thrumble.core.ear.reading import ENGINE
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import BadAudio, NotAllowed, NotFound, ThrumbleError
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.takes import RecorderReport, TakeState
from thrumble.formats.audio import read_audio, write_flac
from thrumble.jobs import enqueue_reading
from thrumble.store import database, riffs, takes
from thrumble.store.takes import NewTake, Take

log = structlog.get_logger()
ZERO_RUN = 128
SOUND = 1e-4


def begin_take(session: Session, player_id: int, new: NewTake) -> Take:
    """A take whose sound will come in chunks."""
    return takes.add_take(session, player_id, new, TakeState.RECORDING)


def finish_take(session: Session, player_id: int, take_id: int, report: RecorderReport) -> Take:
    """Puts the chunks of a recording together, as 24-bit FLAC, and asks for its reading in the same transaction.

    Also finishes a take whose tab was closed. Raises BadAudio where no sound came in.
    """
    take = takes.get_take(session, player_id, take_id, lock=True)
    if take.state is not TakeState.RECORDING:
        raise NotAllowed("this take is finished already: open it to see its reading")
    takes.set_state(session, player_id, take_id, TakeState.QUEUED)
    samples, gaps = join_chunks(takes.get_chunks(session, player_id, take_id))
    data, beyond = write_flac(samples, take.rate_hz or 48000)
    noticed = {
        "gap_frames": max(report.gap_frames, gaps), "zero_runs": zero_runs(samples), "clock_slip_ms": report.clock_slip_ms,
        "underruns": report.underruns, "settings": report.settings,
    }  # fmt: skip
    takes.put_audio(session, player_id, take_id, data, beyond_full_scale=beyond, recorder=noticed)
    enqueue_reading(session, take_id)
    return takes.get_take(session, player_id, take_id)


def join_chunks(chunks: list[tuple[int, bytes]]) -> tuple[np.ndarray, int]:
    """One mono take from chunks placed by their frames, the first at the take's start; missing frames are zeros and counted."""
    if not chunks:
        raise BadAudio("no sound of this take arrived: discard it and play again")
    first = chunks[0][0]
    end = max(frame + len(data) // 4 for frame, data in chunks)
    if end - first > MAX_S * 192_000:
        raise BadAudio("this take's frames lie too far apart to be one recording: discard it and play again")
    samples, filled = np.zeros(end - first, dtype=np.float32), np.zeros(end - first, dtype=bool)
    for frame, data in chunks:
        part = np.frombuffer(data, dtype="<f4")
        samples[frame - first : frame - first + part.size] = part
        filled[frame - first : frame - first + part.size] = True
    return np.nan_to_num(samples), int(np.count_nonzero(~filled))


def zero_runs(samples: np.ndarray) -> int:
    """Runs of 128 exact zeros or more with sound on both sides: packets the browser dropped."""
    zero = np.concatenate([[0], (samples == 0).astype(np.int8), [0]])
    edges = np.flatnonzero(np.diff(zero))
    starts, ends = edges[::2], edges[1::2]
    count = 0
    for start, end in zip(starts, ends, strict=True):
        before, after = samples[max(0, start - 64) : start], samples[end : end + 64]
        if end - start >= ZERO_RUN and before.size and after.size and np.abs(before).max() > SOUND and np.abs(after).max() > SOUND:
            count += 1
    return count


def submit_upload(session: Session, player_id: int, new: NewTake, data: bytes) -> Take:
    """Stores a file as it came, once it has proved to be sound, and asks for its reading. Raises BadAudio."""
    read_audio(data)
    take = takes.add_take(session, player_id, new, TakeState.QUEUED)
    takes.put_audio(session, player_id, take.id, data)
    enqueue_reading(session, take.id)
    return take


def read_again(session: Session, player_id: int, take_id: int) -> None:
    """Asks for a take's reading once more."""
    takes.set_state(session, player_id, take_id, TakeState.QUEUED)
    enqueue_reading(session, take_id)


def read_all_again(session: Session, player_id: int) -> int:
    """Asks for a reading of every take that the present ear has not heard, and says how many."""
    stale = takes.stale_takes(session, player_id, ENGINE)
    for take_id in stale:
        read_again(session, player_id, take_id)
    return len(stale)


def read_stored_take(take_id: int) -> None:
    """The worker's task: hears a take from its stored bytes and keeps the reading. A take deleted meanwhile is no error."""
    try:
        with database.session() as session:
            player_id = takes.owner_of(session, take_id)
            take = takes.set_state(session, player_id, take_id, TakeState.READING)
            revision = riffs.get_revision(session, player_id, take.revision_id)
            audio = takes.get_audio(session, player_id, take_id)
    except NotFound:
        log.info("take gone before its reading", take=take_id)
        return
    try:
        with database.session() as session:
            _hear(session, take, revision.riff, audio)
    except ThrumbleError as error:
        with database.session() as session:
            takes.set_state(session, player_id, take_id, TakeState.FAILED, problem=str(error))


def _hear(session: Session, take: Take, riff: Riff, audio: bytes) -> None:
    recording = read_audio(audio)
    expanded = expand(riff, take.tempo_bpm)
    report = RecorderReport(**{k: v for k, v in (take.recorder or {}).items() if k != "settings"})
    start_s = None if take.start_s is None else take.start_s + (take.delay_ms or 0.0) / 1000
    info = TakeInfo(
        start_s=start_s, delay_ms=take.delay_ms, delay_spread_ms=take.delay_spread_ms, rounds=take.rounds, dropouts=report.dropouts(),
        profile=profile_for(session, take.player_id, take.tone_id),
    )  # fmt: skip
    reading = read_take(recording.samples, recording.rate_hz, expanded, info)
    clean, judged = clean_hits(reading, expanded)
    takes.put_reading(
        session, take.player_id, take.id, reading, expanded, verdict=judge(reading, expanded)[0].text, clean=clean, judged=judged
    )
    if take.rounds is None:
        takes.set_timing(session, take.player_id, take.id, tempo_bpm=Decimal(str(expanded.tempo_bpm)), rounds=reading.rounds)
    takes.set_state(session, take.player_id, take.id, TakeState.READ)


def fail_take(take_id: int, problem: str) -> None:
    """Marks a take as not read, with the reason, whatever happened to it before."""
    with database.session() as session:
        takes.set_state(session, takes.owner_of(session, take_id), take_id, TakeState.FAILED, problem=problem)
