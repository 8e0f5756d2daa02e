"""Tags of riffs."""

import sqlalchemy as sa
from sqlmodel import Session, col

from thrumble.store.riffs.riffs import own_riff
from thrumble.store.riffs.tables import RiffRow


def set_tags(session: Session, player_id: int, riff_id: int, tags: tuple[str, ...]) -> None:
    """Gives a riff these tags instead of those it had. Raises NotFound."""
    row = own_riff(session, player_id, riff_id)
    row.tags = list(tags)
    session.add(row)


def tags_of(session: Session, player_id: int, riff_id: int) -> tuple[str, ...]:
    """The tags of a riff. Raises NotFound."""
    return tuple(own_riff(session, player_id, riff_id).tags)


def all_tags(session: Session, player_id: int) -> list[str]:
    """Every tag in use on riffs that are not archived, the commonest first."""
    each = (
        sa.select(sa.func.unnest(col(RiffRow.tags)).label("tag"))
        .where(col(RiffRow.player_id) == player_id, col(RiffRow.archived_at).is_(None))
        .subquery()
    )
    counted = sa.select(each.c.tag).group_by(each.c.tag)
    return list(session.execute(counted.order_by(sa.func.count().desc(), each.c.tag)).scalars())
