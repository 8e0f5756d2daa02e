"""Takes and jobs brought together again, whatever died in between."""

import time
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
import sqlalchemy as sa

from tests.queueing import reconciled, submit, with_queue, work_once
from thrumble.actions import takes as verbs
from thrumble.actions.reconcile import tidy_queue
from thrumble.core.errors import Away, NoSpace
from thrumble.core.takes import TakeState
from thrumble.formats.audio import write_flac
from thrumble.store import database, queue
from thrumble.store.players import players
from thrumble.store.takes import takes


def sql(*statements: str) -> None:
    with database.engine().begin() as connection:
        for statement in statements:
            connection.execute(sa.text(statement))


def one(query: str) -> object:
    with database.engine().connect() as connection:
        return connection.execute(sa.text(query)).scalar_one()


def state_of(take_id: int) -> takes.Take:
    with database.session() as session:
        return takes.get_take(session, players.local_player(session), take_id)


DEAD = "insert into procrastinate_workers (last_heartbeat) values (now() - interval '1 minute')"
ALIVE = "insert into procrastinate_workers (last_heartbeat) values (now())"
TAKEN = "update procrastinate_jobs set status = 'doing', worker_id = (select max(id) from procrastinate_workers)"


@pytest.mark.parametrize(
    "broken",
    [
        ("delete from procrastinate_jobs",),  # queued, and its job is gone
        (
            "delete from procrastinate_jobs",
            "update take set state = 'reading', tries = 1",
        ),  # the server was killed after the job had failed
        (
            "update procrastinate_jobs set status = 'failed'",
            "update take set state = 'reading', tries = 1",
        ),  # marking the failure failed, too
        (DEAD, TAKEN, "update take set state = 'reading', tries = 1"),  # its worker gives no sign
        (
            ALIVE,
            TAKEN,
            "delete from procrastinate_workers",
            "update take set state = 'reading', tries = 2",
        ),  # its worker is gone
    ],
)
def test_a_take_stuck_in_any_way_is_read(own_database: str, broken: tuple[str, ...]) -> None:
    take_id = submit()
    sql(*broken)
    suspects = reconciled(reconciled(set()))
    assert suspects == set()
    work_once()
    assert state_of(take_id).state is TakeState.READ


def test_a_job_in_good_hands_and_a_worker_that_just_woke_up_are_left_alone(
    own_database: str,
) -> None:
    submit()
    sql(ALIVE, TAKEN)
    assert reconciled(set()) == set()
    sql("update procrastinate_workers set last_heartbeat = now() - interval '8 hours'")
    suspects = reconciled(set())
    assert len(suspects) == 1 and one("select status::text from procrastinate_jobs") == "doing"
    sql("update procrastinate_workers set last_heartbeat = now()")
    assert (
        reconciled(suspects) == set()
        and one("select status::text from procrastinate_jobs") == "doing"
    )


def test_a_reading_that_ended_three_workers_is_set_aside_until_the_player_asks(
    own_database: str,
) -> None:
    take_id = submit()
    sql("delete from procrastinate_jobs", "update take set state = 'reading', tries = 3")
    reconciled(set())
    aside = state_of(take_id)
    assert aside.state is TakeState.FAILED and "three times" in aside.problem and aside.tries == 0
    with database.session() as session:
        verbs.reanalyse_take(session, players.local_player(session), take_id)
    work_once()
    assert state_of(take_id).state is TakeState.READ and state_of(take_id).tries == 0


def test_reading_again_during_a_reading_waits_its_turn_and_is_asked_for_once(
    own_database: str,
) -> None:
    take_id = submit()
    sql(ALIVE, TAKEN, "update take set state = 'reading', tries = 1")
    with database.session() as session:
        for _ in range(3):
            verbs.reanalyse_take(session, players.local_player(session), take_id)
    assert (
        one("select count(*) from procrastinate_jobs where status = 'todo'") == 1
        and state_of(take_id).state is TakeState.READING
    )


def test_only_one_worker_at_a_time_brings_things_together(own_database: str) -> None:
    submit()
    sql("delete from procrastinate_jobs")
    with database.session() as session:
        assert queue.only_one(session)
        reconciled(set())
        assert one("select count(*) from procrastinate_jobs") == 0
    reconciled(set())
    assert one("select count(*) from procrastinate_jobs") == 1


def test_what_ended_long_ago_is_not_kept(own_database: str) -> None:
    submit()
    sql(
        "update procrastinate_jobs set status = 'failed'",
        "update procrastinate_events set at = now() - interval '8 days'",
        DEAD,
    )
    sql("update procrastinate_workers set last_heartbeat = now() - interval '2 days'")
    with_queue(lambda app: tidy_queue(app.job_manager))
    assert (
        one("select count(*) from procrastinate_jobs")
        == one("select count(*) from procrastinate_workers")
        == 0
    )


def flaky(error: Exception, times: int) -> Callable[[], str]:
    left = [times]

    def step() -> str:
        left[0] -= 1
        if left[0] >= 0:
            raise error
        return "done"

    return step


def test_what_was_heard_waits_for_a_database_that_went_away(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(time, "sleep", lambda s: None)
    assert verbs.patiently(flaky(Away("away"), 5)) == "done"
    with pytest.raises(NoSpace):
        verbs.patiently(flaky(NoSpace("full"), 1))
    monkeypatch.setattr(verbs, "OUTAGE_S", -1.0)
    with pytest.raises(Away):
        verbs.patiently(flaky(Away("away"), 1))


def test_a_take_deleted_while_it_is_read_ends_quietly(
    own_database: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    take_id = submit()
    real = verbs.read_recording

    def hear(*args: object, **more: object) -> object:
        with database.session() as session:
            takes.delete_take(session, players.local_player(session), take_id)
        return real(*args, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(verbs, "read_recording", hear)
    verbs.analyse_stored_take(take_id)
    assert one("select count(*) from reading") == 0


def test_no_transaction_is_open_while_the_ear_computes(
    own_database: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    submit(data=write_flac(np.zeros(48000, np.float32), 48000)[0])
    busy = "select count(*) from pg_stat_activity where datname = current_database() and state like 'idle in transaction%'"
    seen: list[object] = []
    real = verbs.read_recording

    def watched(*arguments: Any, **named: Any) -> Any:
        seen.append(one(busy))
        return real(*arguments, **named)

    monkeypatch.setattr(verbs, "read_recording", watched)
    work_once()
    assert seen == [0]
