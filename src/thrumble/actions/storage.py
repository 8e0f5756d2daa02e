"""The storage rule: deleting the audio of takes, restoring it, and removing it for good."""

from datetime import UTC, datetime

import structlog
from sqlmodel import Session

from thrumble.core.errors import NotAllowed
from thrumble.core.storage_rule import what_goes
from thrumble.store import database
from thrumble.store.takes import notes, storage, takes
from thrumble.store.takes.notes import Note
from thrumble.store.takes.takes import GRACE

log = structlog.get_logger()


def apply_rule(session: Session, player_id: int) -> int:
    """Deletes the audio that the player's rule deletes now; of how many takes. What is starred,
    compared or analysed again in the meantime stays.
    """
    rule = storage.rule_of(session, player_id)
    now = datetime.now(UTC)
    chosen = what_goes(storage.sounds_of(session, player_id), rule, now)
    if not chosen:
        return 0
    take_ids = [sound.take_id for sound in chosen]
    storage.lock_takes(session, player_id, take_ids)
    deleted = storage.delete_audio(session, player_id, take_ids, now)
    log.info("audio deleted by rule", player=player_id, takes=len(deleted))
    return len(deleted)


def restore(session: Session, player_id: int, take_id: int) -> None:
    """Brings back a take's audio. Raises NotFound, NotAllowed once it is removed for good."""
    take = takes.get_take(session, player_id, take_id, lock=True)
    if not storage.restore_audio(session, player_id, take_id) and not take.has_audio:
        raise NotAllowed("this take's audio can't be restored any more: 7 days have passed")


def annotate_take(session: Session, player_id: int, take_id: int, note: Note) -> None:
    """Stores a take's note. A star also brings back audio that the rule has just deleted. Raises
    NotFound.
    """
    takes.get_take(session, player_id, take_id, lock=True)
    notes.keep_note(session, player_id, take_id, note)
    if note.starred:
        storage.restore_audio(session, player_id, take_id)


def apply_rules() -> None:
    """Every player's rule, each in a transaction of its own; then what was deleted long enough ago
    is removed for good.
    """
    with database.session() as session:
        players = storage.players_with_rules(session)
    for player_id in players:
        with database.session() as session:
            apply_rule(session, player_id)
    with database.session() as session:
        freed = storage.purge_audio(session, datetime.now(UTC) - GRACE)
    if freed:
        log.info("deleted audio purged", bytes=freed)
