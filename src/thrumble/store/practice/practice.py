"""How a player practises: minutes and days, how they get faster, how much a week may rise, how
strictly takes are judged, and the calendar's secret.
"""

import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, time
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session, col, select

from thrumble.core.coach.planning.hand_health import MAX_RISE_PERCENT, RISE_RANGE_PERCENT
from thrumble.core.coach.planning.plan import MAX_MINUTES
from thrumble.core.coach.progress.ladder import LadderSchool
from thrumble.core.coach.verdict.judgement import DEFAULT_TOLERANCE_MS, TOLERANCE_RANGE_MS
from thrumble.core.errors import BadInput, NotFound
from thrumble.store.practice.tables import PracticeRow

EVERY_DAY = tuple(range(7))


@dataclass(frozen=True, slots=True, kw_only=True)
class Practice:
    """`weekdays`: 0 is Monday; `begins_at`: by the player's own clock, wherever that is."""

    minutes: int = 20
    weekdays: tuple[int, ...] = EVERY_DAY
    begins_at: time = time(18)
    ladder: LadderSchool = LadderSchool.EVIDENCE
    rise_percent: float = MAX_RISE_PERCENT
    tolerance_ms: float = DEFAULT_TOLERANCE_MS


def practice_of(session: Session, player_id: int) -> Practice:
    """The player's practice settings, or the usual ones."""
    row = session.get(PracticeRow, player_id)
    if row is None:
        return Practice()
    return Practice(
        minutes=row.minutes,
        weekdays=tuple(row.weekdays),
        begins_at=row.begins_at,
        ladder=LadderSchool(row.ladder),
        rise_percent=row.rise_percent,
        tolerance_ms=row.tolerance_ms,
    )


def keep_practice(session: Session, player_id: int, practice: Practice) -> None:
    """Keeps it instead of what was; the calendar's address stays. Raises BadInput for what no
    player can mean.
    """
    low, high = RISE_RANGE_PERCENT
    tightest_ms, loosest_ms = TOLERANCE_RANGE_MS
    if not 0 <= practice.minutes <= MAX_MINUTES:
        raise BadInput(
            f"a day has 0 to {MAX_MINUTES} minutes of practice; found {practice.minutes}"
        )
    if not low <= practice.rise_percent <= high:
        raise BadInput(f"a week may rise by {low:g} to {high:g} %; found {practice.rise_percent:g}")
    if not tightest_ms <= practice.tolerance_ms <= loosest_ms:
        raise BadInput(
            f"a tolerance is {tightest_ms:g} to {loosest_ms:g} ms; found {practice.tolerance_ms:g}"
        )
    if not practice.weekdays or not set(practice.weekdays) <= set(EVERY_DAY):
        raise BadInput("choose at least one day of the week to practise on")
    values = {
        "minutes": practice.minutes,
        "weekdays": sorted(set(practice.weekdays)),
        "begins_at": practice.begins_at,
        "ladder": practice.ladder.value,
        "rise_percent": practice.rise_percent,
        "tolerance_ms": practice.tolerance_ms,
        "changed_at": datetime.now(UTC),
    }
    new = insert(PracticeRow).values(player_id=player_id, **values)
    session.execute(new.on_conflict_do_update(index_elements=["player_id"], set_=values))


def tolerance_of(player_id: Any) -> Any:
    """A player's tolerance in SQL, ms. `player_id`: a number or a column."""
    tolerance = sa.select(col(PracticeRow.tolerance_ms)).where(
        col(PracticeRow.player_id) == player_id
    )
    return sa.func.coalesce(tolerance.scalar_subquery(), DEFAULT_TOLERANCE_MS)


def feed_key(session: Session, player_id: int, *, renew: bool = False) -> str:
    """The secret in the address of the player's calendar; `renew`: another one, so that the old
    address is worth nothing.
    """
    stored = session.exec(
        select(PracticeRow.feed_key).where(PracticeRow.player_id == player_id)
    ).first()
    if stored and not renew:
        return stored
    if stored is None:
        keep_practice(session, player_id, practice_of(session, player_id))
    key = secrets.token_urlsafe(24)
    session.execute(
        sa.update(PracticeRow).where(col(PracticeRow.player_id) == player_id).values(feed_key=key)
    )
    return key


def owner_of_feed(session: Session, key: str) -> int:
    """Whose calendar an address shows. Raises NotFound."""
    owner = session.exec(select(PracticeRow.player_id).where(PracticeRow.feed_key == key)).first()
    if owner is None:
        raise NotFound("there is no calendar at this address: copy it again from Today")
    return owner
