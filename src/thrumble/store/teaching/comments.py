"""What teachers and pupils say of takes."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import sqlalchemy as sa
from sqlmodel import Session, col, select

from thrumble.core.errors import BadInput, NotFound
from thrumble.store.players.players import Player
from thrumble.store.players.tables import PlayerRow
from thrumble.store.riffs.tables import RevisionRow
from thrumble.store.takes.tables import TakeRow
from thrumble.store.takes.takes import get_take
from thrumble.store.teaching.tables import CommentRow

LATEST = timedelta(days=14)
MAX_COMMENTS = 200  # of a take
GONE = "this comment isn't there any more: reload the page"


@dataclass(frozen=True, slots=True, kw_only=True)
class Comment:
    """A comment. `bar` and `hit`: what it is about, if not the whole take; `seconds`: how long it
    speaks, None if it is only written; `reply_to`: the comment it answers.
    """

    id: int
    author_id: int | None
    author: str
    words: str
    bar: int | None
    hit: str
    seconds: float | None
    reply_to: int | None
    at: datetime


def add_comment(
    session: Session,
    player_id: int,
    take_id: int,
    author: Player,
    *,
    words: str,
    bar: int | None = None,
    hit: str = "",
    reply_to: int | None = None,
    sound: tuple[bytes, float] | None = None,
) -> None:
    """`player_id`: whose take it is; `sound`: FLAC and its seconds. Raises NotFound, and BadInput
    for an empty comment or too many.
    """
    get_take(session, player_id, take_id)
    if not words and sound is None:
        raise BadInput("write or record something first")
    there = comments_of(session, player_id, take_id)
    if len(there) >= MAX_COMMENTS:
        raise BadInput(f"a take has {MAX_COMMENTS} comments at most")
    if reply_to is not None:
        answered = next((comment for comment in there if comment.id == reply_to), None)
        if answered is None:
            raise NotFound(GONE)
        reply_to = answered.reply_to or answered.id  # a conversation has one thread
        bar, hit = answered.bar, answered.hit
    session.add(
        CommentRow(
            player_id=player_id,
            take_id=take_id,
            author_id=author.id,
            author_name=author.name,
            reply_to=reply_to,
            words=words,
            bar=bar,
            hit=hit,
            seconds=None if sound is None else sound[1],
            data=None if sound is None else sound[0],
            created_at=datetime.now(UTC),
        )
    )
    session.flush()


def comments_of(session: Session, player_id: int, take_id: int) -> list[Comment]:
    """A take's comments in the order they were made, without sound."""
    row = CommentRow
    query = (
        sa.select(
            col(row.id),
            col(row.author_id),
            sa.func.coalesce(col(PlayerRow.name), col(row.author_name)),
            col(row.words),
            col(row.bar),
            col(row.hit),
            col(row.seconds),
            col(row.reply_to),
            col(row.created_at),
        )
        .outerjoin(PlayerRow, col(PlayerRow.id) == col(row.author_id))
        .where(col(row.player_id) == player_id, col(row.take_id) == take_id)
        .order_by(col(row.id))
    )
    return [
        Comment(
            id=number,
            author_id=author_id,
            author=author,
            words=words,
            bar=bar,
            hit=hit,
            seconds=seconds,
            reply_to=reply_to,
            at=at,
        )
        for number, author_id, author, words, bar, hit, seconds, reply_to, at in session.execute(
            query
        )
    ]


def comment_sound(session: Session, player_id: int, take_id: int, number: int) -> bytes:
    """The sound of a spoken comment, as FLAC. Raises NotFound."""
    row = CommentRow
    query = select(row.data).where(
        row.player_id == player_id, row.take_id == take_id, row.id == number
    )
    data = session.exec(query).first()
    if data is None:
        raise NotFound(GONE)
    return data


def all_sounds(session: Session, player_id: int) -> list[tuple[int, bytes]]:
    """Every spoken comment on a player's takes, by its number."""
    query = select(CommentRow.id, CommentRow.data).where(
        CommentRow.player_id == player_id, col(CommentRow.data).is_not(None)
    )
    return [(number, data) for number, data in session.exec(query) if number and data]


def set_sound(session: Session, player_id: int, number: int, data: bytes) -> None:
    """Gives a comment its sound, when it comes with an import."""
    session.execute(
        sa.update(CommentRow)
        .where(col(CommentRow.id) == number, col(CommentRow.player_id) == player_id)
        .values(data=data)
    )


def delete_comment(
    session: Session, player_id: int, take_id: int, author_id: int, number: int
) -> None:
    """Deletes a comment with the replies to it: one's own, or any on one's own take. Raises
    NotFound.
    """
    row = CommentRow
    mine = sa.true() if author_id == player_id else col(row.author_id) == author_id
    gone = session.execute(
        sa.delete(row)
        .where(
            col(row.id) == number,
            col(row.player_id) == player_id,
            col(row.take_id) == take_id,
            mine,
        )
        .returning(col(row.id))
    )
    if gone.first() is None:
        raise NotFound(GONE)


@dataclass(frozen=True, slots=True)
class CommentOf:
    """A comment by somebody else, for the list of what is new."""

    take_id: int
    title: str
    number: int
    author: str
    words: str


def latest_comments(session: Session, player_id: int, limit: int = 3) -> list[CommentOf]:
    """What others said of a player's takes in the last two weeks, the newest first."""
    row = CommentRow
    query = (
        sa.select(
            col(row.take_id),
            col(RevisionRow.title),
            col(TakeRow.number),
            sa.func.coalesce(col(PlayerRow.name), col(row.author_name)),
            col(row.words),
        )
        .outerjoin(PlayerRow, col(PlayerRow.id) == col(row.author_id))
        .join(TakeRow, col(TakeRow.id) == col(row.take_id))
        .join(RevisionRow, col(RevisionRow.id) == col(TakeRow.revision_id))
        .where(
            col(row.player_id) == player_id,
            col(row.author_id).is_distinct_from(player_id),
            col(row.created_at) > datetime.now(UTC) - LATEST,
        )
        .order_by(col(row.id).desc())
        .limit(limit)
    )
    return [CommentOf(*values) for values in session.execute(query)]
