"""What the player notes of takes. Pick, palm, fingers and what is tried go on from take to take
until they are changed; stars and free words belong to one take.
"""

from dataclasses import asdict, dataclass, replace
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from thrumble.store.takes.tables import NoteRow


@dataclass(frozen=True, slots=True, kw_only=True)
class Note:
    """A take's note."""

    pick: str = ""
    palm: str = ""
    fingers: str = ""
    tried: str = ""
    words: str = ""
    starred: bool = False


def note_of(session: Session, player_id: int, take_id: int) -> Note:
    """A take's note, empty if there is none."""
    row = session.get(NoteRow, take_id)
    if row is None or row.player_id != player_id:
        return Note()
    return Note(**{name: getattr(row, name) for name in Note.__slots__})


def keep_note(session: Session, player_id: int, take_id: int, note: Note) -> None:
    """Keeps it instead of what was; the take has to be the player's."""
    values = asdict(note)
    new = insert(NoteRow).values(take_id=take_id, player_id=player_id, **values)
    session.execute(new.on_conflict_do_update(index_elements=["take_id"], set_=values))


def carry_on(session: Session, player_id: int, take_id: int) -> None:
    """A new take is played as the one before, until the player says otherwise."""
    last = session.exec(
        select(NoteRow)
        .where(NoteRow.player_id == player_id, NoteRow.take_id < take_id)
        .order_by(col(NoteRow.take_id).desc())
        .limit(1)
    ).first()
    if last is None:
        return
    note = replace(note_of(session, player_id, last.take_id), words="", starred=False)
    if note != Note():
        keep_note(session, player_id, take_id, note)


def says(text: str, take_id: Any) -> Any:
    """Whether a take's note holds some words, whatever their case."""
    columns = (NoteRow.pick, NoteRow.palm, NoteRow.fingers, NoteRow.tried, NoteRow.words)
    return sa.exists().where(
        col(NoteRow.take_id) == take_id,
        sa.or_(*(col(column).icontains(text, autoescape=True) for column in columns)),
    )


def is_starred(take_id: Any) -> Any:
    """Whether a take has a star."""
    return sa.exists().where(col(NoteRow.take_id) == take_id, col(NoteRow.starred))


def starred_of(session: Session, player_id: int, takes: list[int]) -> set[int]:
    """Which of some takes have a star."""
    query = select(NoteRow.take_id).where(
        NoteRow.player_id == player_id, col(NoteRow.take_id).in_(takes), col(NoteRow.starred)
    )
    return set(session.exec(query))
