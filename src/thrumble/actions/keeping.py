"""Letting the sound of takes go by the player's rule."""

from datetime import UTC, datetime

import structlog
from sqlmodel import Session

from thrumble.core.keeping import what_goes
from thrumble.store import database, keeping

log = structlog.get_logger()


def follow_rule(session: Session, player_id: int) -> int:
    """Lets go of what the player's rule lets go now; how many takes that were."""
    rule = keeping.rule_of(session, player_id)
    gone = what_goes(keeping.sounds_of(session, player_id), rule, datetime.now(UTC))
    if gone:
        keeping.let_go(session, player_id, [one.take_id for one in gone])
        log.info("sound let go", player=player_id, takes=len(gone))
    return len(gone)


def follow_rules() -> None:
    """The same for every player with a rule, each by itself."""
    with database.session() as session:
        players = keeping.players_with_rules(session)
    for player_id in players:
        with database.session() as session:
            follow_rule(session, player_id)
