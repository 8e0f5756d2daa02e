"""What a class played, day by day, in one question to the database."""

from collections import Counter
from datetime import date

import sqlalchemy as sa
from sqlmodel import Session, col

from thrumble.core.coach.planning.assignments import Practised
from thrumble.store.practice.rounds import is_newest
from thrumble.store.practice.tables import LoadRow
from thrumble.store.takes.tables import ReadingRow


def practised(session: Session, player_ids: list[int], since: date) -> dict[int, list[Practised]]:
    """Every player's days since one, with how many takes had which finding; of each take the newest
    analysis counts.
    """
    query = (
        sa.select(col(LoadRow.player_id), col(LoadRow.day), col(LoadRow.causes))
        .join(ReadingRow, col(ReadingRow.id) == col(LoadRow.reading_id))
        .where(col(LoadRow.player_id).in_(player_ids), col(LoadRow.day) >= since, is_newest())
    )
    days: dict[tuple[int, date], list[list[str]]] = {}
    for player_id, day, causes in session.execute(query):
        days.setdefault((player_id, day), []).append(causes)
    by_player: dict[int, list[Practised]] = {}
    for (player_id, day), takes in sorted(days.items()):
        counts = Counter(kind for causes in takes for kind in causes)
        by_player.setdefault(player_id, []).append(
            Practised(day=day, takes=len(takes), findings=dict(counts))
        )
    return by_player
