"""Lessons: what a teacher sees of a pupil, assigns and says, as long as the pupil lets them in."""

import io
import itertools
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path

import numpy as np
from sqlmodel import Session

from thrumble.core.coach.planning.assignments import (
    Pupil,
    by_need,
    pupil_at_a_glance,
)
from thrumble.core.errors import BadAudio, BadInput, NotFound
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.formats.audio import encode_flac, read_audio
from thrumble.store import database
from thrumble.store.players.players import Player, get_player
from thrumble.store.riffs import riffs
from thrumble.store.teaching import assignments, comments, lessons
from thrumble.store.teaching.assignments import Assigning
from thrumble.store.teaching.lessons import EventKind
from thrumble.store.teaching.overview import practised

SIX_WEEKS = timedelta(days=42)
MAX_SPOKEN_S = 60.0
GRACE_S = 1.0  # of a recorder that stops by the clock
TEMPO_BPM = (20.0, 400.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Wish:
    """What a teacher fills in. `riff`: the number of a riff of theirs, or with `is_pupils` of the
    pupil's.
    """

    riff: int
    is_pupils: bool
    drill: DrillKind | None
    goal_bpm: float | None
    due: date | None
    words: str


def class_at_a_glance(session: Session, teacher_id: int, today: date) -> list[Pupil]:
    """Every pupil in a line, who needs help first; noted in their lists of accesses."""
    pupils = lessons.pupils_of(session, teacher_id)
    ids = [pupil.id for pupil in pupils]
    played = practised(session, ids, today - SIX_WEEKS)
    assigned = assignments.assignments_of(session, ids)
    if ids:
        with database.session() as writing:
            lessons.note_looks(
                writing, ids, get_player(writing, teacher_id), "looked at days and findings"
            )
    return by_need(
        [
            pupil_at_a_glance(
                pupil.id, pupil.name, played.get(pupil.id, []), assigned[pupil.id], today
            )
            for pupil in pupils
        ],
        today,
    )


def look(session: Session, teacher_id: int, pupil_id: int, words: str) -> Player:
    """A teacher looks at something of a pupil's: allowed as long as they are let in, and noted in
    the pupil's list of accesses by a transaction of its own. Raises NotFound.
    """
    pupil = lessons.get_pupil(session, teacher_id, pupil_id)
    if teacher_id != pupil_id:
        with database.session() as writing:
            lessons.get_pupil(writing, teacher_id, pupil_id, lock=True)
            lessons.note_looks(writing, [pupil_id], get_player(writing, teacher_id), words)
    return pupil


def assign(session: Session, teacher_id: int, pupil_id: int, wish: Wish, today: date) -> None:
    """Puts a riff, a drill of it or a tempo into a pupil's plan. A riff of the teacher's arrives as
    a copy, the first time. Raises NotFound, BadInput.
    """
    if teacher_id == pupil_id:
        raise BadInput("a teacher assigns this: let one in on Teachers")
    lessons.get_pupil(session, teacher_id, pupil_id, lock=True)
    if wish.due is not None and wish.due < today:
        raise BadInput("choose a day that is still to come, or none")
    if wish.goal_bpm is not None and not TEMPO_BPM[0] <= wish.goal_bpm <= TEMPO_BPM[1]:
        raise BadInput("a tempo lies between 20 and 400 bpm")
    teacher = get_player(session, teacher_id)
    if wish.is_pupils:
        revision = riffs.newest_revision(session, pupil_id, wish.riff)
        riff_id, source = wish.riff, None
    else:
        revision = riffs.newest_revision(session, teacher_id, wish.riff)
        there = assignments.copied_riff(session, pupil_id, wish.riff)
        if there is None:
            there = riffs.add_riff(session, pupil_id, revision.riff, revision.source).riff_id
        riff_id, source = there, (wish.riff, revision.id)
    assignments.add_assignment(
        session,
        pupil_id,
        teacher,
        Assigning(
            riff_id=riff_id,
            source=source,
            drill=wish.drill,
            goal_bpm=wish.goal_bpm,
            due=wish.due,
            words=wish.words,
            day=today,
        ),
    )
    lessons.note(session, pupil_id, teacher, EventKind.WROTE, f"assigned {revision.riff.title}")


def take_new_version(session: Session, pupil_id: int, number: int) -> int:
    """A pupil takes the teacher's newer version of an assigned riff over, as a revision of their
    own copy. Returns the riff. Raises NotFound if there is none, or the teacher is gone.
    """
    there = assignments.assignments_of(session, [pupil_id])[pupil_id]
    offered = next((each for each in there if each.id == number), None)
    if offered is None or offered.newer_revision is None or offered.source_riff_id is None:
        raise NotFound("there is no newer version any more")
    newest = riffs.newest_revision(session, offered.teacher_id, offered.source_riff_id)
    riffs.add_revision(session, pupil_id, offered.riff_id, newest.riff, newest.source)
    assignments.note_version(session, pupil_id, offered.source_riff_id, newest.id)
    return offered.riff_id


def spoken(source: Path) -> tuple[bytes, float]:
    """A recorded comment as mono FLAC, and its seconds. Raises BadAudio for what isn't sound or is
    longer than a minute.
    """
    recording = read_audio(source)
    rate = recording.rate_hz
    limit = int((MAX_SPOKEN_S + GRACE_S) * rate)
    blocks, count = [], 0
    for block in recording.blocks():
        mono = np.asarray(block, dtype=np.float32)
        mono = mono if mono.ndim == 1 else mono.mean(axis=1)
        blocks.append(mono)
        count += len(mono)
        if count > limit:
            raise BadAudio("a spoken comment lasts a minute at most: record it shorter")
    if count < rate // 4:
        raise BadAudio("nothing was recorded: allow the microphone, then record again")
    file = io.BytesIO()
    encode_flac(itertools.chain(blocks), rate, file)
    return file.getvalue(), count / rate


def comment(
    session: Session,
    author_id: int,
    player_id: int,
    take_id: int,
    *,
    words: str,
    bar: int | None,
    hit: str,
    reply_to: int | None,
    sound: tuple[bytes, float] | None,
) -> None:
    """Says something of a take: the player themselves, or a teacher who is let in. Raises NotFound,
    BadInput.
    """
    lessons.get_pupil(session, author_id, player_id, lock=True)
    author = get_player(session, author_id)
    comments.add_comment(
        session,
        player_id,
        take_id,
        author,
        words=words,
        bar=bar,
        hit=hit,
        reply_to=reply_to,
        sound=sound,
    )
    if author_id != player_id:
        lessons.note(session, player_id, author, EventKind.WROTE, f"commented on take {take_id}")
