"""Fair trials and the takes of their turns."""

from dataclasses import dataclass
from datetime import UTC, datetime

import sqlalchemy as sa
from sqlmodel import Session, col, select

from thrumble.core.errors import NotAllowed, NotFound
from thrumble.store.practice.tables import TrialRow, TurnRow
from thrumble.store.takes.storage import restore_audio
from thrumble.store.takes.tables import TakeRow


@dataclass(frozen=True, slots=True, kw_only=True)
class Trial:
    """A trial. `takes`: of the turns that were played, by number of the turn; a take that was
    deleted since is missing.
    """

    id: int
    riff_id: int
    way_a: str
    way_b: str
    pairs: int
    turns: str
    tempo_bpm: float
    created_at: datetime
    takes: dict[int, int]

    @property
    def next_turn(self) -> int | None:
        """The turn to play, None when all were."""
        return next((k for k in range(len(self.turns)) if k not in self.takes), None)

    def way(self, turn: int) -> str:
        """The name of the way that a turn is played in."""
        return self.way_a if self.turns[turn] == "A" else self.way_b


def add_trial(
    session: Session,
    player_id: int,
    riff_id: int,
    *,
    way_a: str,
    way_b: str,
    pairs: int,
    turns: str,
    tempo_bpm: float,
) -> int:
    """Begins a trial; its number."""
    row = TrialRow(
        player_id=player_id,
        riff_id=riff_id,
        way_a=way_a,
        way_b=way_b,
        pairs=pairs,
        turns=turns,
        tempo_bpm=tempo_bpm,
        created_at=datetime.now(UTC),
    )
    session.add(row)
    session.flush()
    assert row.id is not None
    return row.id


def get_trial(session: Session, player_id: int, trial_id: int, *, lock: bool = False) -> Trial:
    """A trial, if wanted locked until the transaction ends. Raises NotFound."""
    query = select(TrialRow).where(TrialRow.id == trial_id, TrialRow.player_id == player_id)
    row = session.exec(query.with_for_update(key_share=True) if lock else query).first()
    if row is None:
        raise NotFound("there is no such trial: it was deleted")
    return _trial(row, _turns(session, player_id, [trial_id]))


def trials_of(session: Session, player_id: int) -> list[Trial]:
    """A player's trials, the newest first."""
    rows = session.exec(
        select(TrialRow).where(TrialRow.player_id == player_id).order_by(col(TrialRow.id).desc())
    ).all()
    turns = _turns(session, player_id, [row.id for row in rows if row.id is not None])
    return [_trial(row, turns) for row in rows]


def _turns(session: Session, player_id: int, trials: list[int]) -> dict[int, dict[int, int]]:
    query = select(TurnRow).where(TurnRow.player_id == player_id, col(TurnRow.trial_id).in_(trials))
    out: dict[int, dict[int, int]] = {}
    for row in session.exec(query):
        out.setdefault(row.trial_id, {})[row.number] = row.take_id
    return out


def _trial(row: TrialRow, turns: dict[int, dict[int, int]]) -> Trial:
    assert row.id is not None
    return Trial(
        id=row.id,
        riff_id=row.riff_id,
        way_a=row.way_a,
        way_b=row.way_b,
        pairs=row.pairs,
        turns=row.turns,
        tempo_bpm=row.tempo_bpm,
        created_at=row.created_at,
        takes=turns.get(row.id, {}),
    )


def add_turn(session: Session, player_id: int, trial_id: int, turn: int, take_id: int) -> None:
    """A turn was played. The same again changes nothing. Raises NotFound, NotAllowed for a take of
    another riff or a turn that was played already.
    """
    trial = get_trial(session, player_id, trial_id, lock=True)
    # the take is locked too: the storage rule must not delete its audio just now
    riff_id = session.exec(
        select(TakeRow.riff_id)
        .where(TakeRow.id == take_id, TakeRow.player_id == player_id)
        .with_for_update(key_share=True)
    ).first()
    if riff_id is None:
        raise NotFound("take not found: it may have been deleted")
    if trial.takes.get(turn) == take_id:
        return
    if riff_id != trial.riff_id:
        raise NotAllowed("this take is of another riff than the trial: play the trial's own")
    if not 0 <= turn < len(trial.turns) or turn in trial.takes:
        raise NotAllowed("this turn was played already: go on with the trial from its own page")
    if take_id in trial.takes.values():
        raise NotAllowed("this take is one of the trial's already")
    session.add(TurnRow(trial_id=trial_id, number=turn, player_id=player_id, take_id=take_id))
    session.flush()
    restore_audio(session, player_id, take_id)


def lengthen(session: Session, player_id: int, trial_id: int, turns: str) -> None:
    """Adds turns to a trial, for another sitting or for more pairs."""
    trial = get_trial(session, player_id, trial_id, lock=True)
    session.execute(
        sa.update(TrialRow).where(col(TrialRow.id) == trial_id).values(turns=trial.turns + turns)
    )


def delete_trial(session: Session, player_id: int, trial_id: int) -> None:
    """The trial goes, its takes stay. Raises NotFound."""
    get_trial(session, player_id, trial_id)
    session.execute(
        sa.delete(TrialRow).where(
            col(TrialRow.id) == trial_id, col(TrialRow.player_id) == player_id
        )
    )
