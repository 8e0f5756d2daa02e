"""A take and its job are one transaction; the worker reads from stored bytes and says why where it
cannot.
"""

import contextlib
import io
from pathlib import Path

import numpy as np
import procrastinate
import pytest
import sqlalchemy as sa

from tests.queueing import RIFF, new_take, submit, with_queue, work_once
from thrumble import worker
from thrumble.actions import takes as verbs
from thrumble.actions.copies import last_copy
from thrumble.actions.sound import Joined, missing_spans, zero_runs
from thrumble.core.errors import BadAudio
from thrumble.core.player.perform import perform
from thrumble.core.takes import RecorderReport, TakeState
from thrumble.formats.audio import write_flac
from thrumble.settings import settings
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.takes import readings, takes


def jobs_waiting() -> int:
    with database.engine().connect() as connection:
        return int(
            connection.execute(
                sa.text("select count(*) from procrastinate_jobs where status = 'todo'")
            ).scalar_one()
        )


def test_a_take_and_its_job_are_stored_together_or_not_at_all(own_database: str) -> None:
    with contextlib.suppress(RuntimeError), database.session() as session:
        player = players.local_player(session)
        verbs.submit_upload(
            session,
            player,
            new_take(session, player),
            io.BytesIO(write_flac(perform(RIFF).samples, 48000)[0]),
        )
        raise RuntimeError("the request dies after the job was asked for")
    assert jobs_waiting() == 0
    submit()
    assert jobs_waiting() == 1


def test_the_worker_reads_a_take_and_a_deleted_one_is_no_error(own_database: str) -> None:
    kept, gone = submit(1), submit(2)
    with database.session() as session:
        takes.delete_take(session, players.local_player(session), gone)
    work_once()
    with database.session() as session:
        player = players.local_player(session)
        assert takes.get_take(session, player, kept).state is TakeState.READ
        reading = readings.get_reading(session, player, kept)
    assert reading is not None and reading.summary.matched == 8
    with database.engine().connect() as connection:
        assert (
            connection.execute(
                sa.text("select count(*) from procrastinate_jobs where queue_name = 'readings'")
            ).scalar_one()
            == 0
        ), "what is done is not kept"


def test_a_reading_that_fails_says_why_and_can_be_run_again(
    own_database: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    take_id = submit()
    monkeypatch.setattr(
        verbs,
        "read_audio",
        lambda data: (_ for _ in ()).throw(BadAudio("the disk has eaten it: play it again")),
    )
    work_once()
    with database.session() as session:
        player = players.local_player(session)
        failed = takes.get_take(session, player, take_id)
        assert failed.state is TakeState.FAILED and "eaten" in failed.problem
        monkeypatch.undo()
        monkeypatch.setenv("DATABASE_URL", own_database)
        verbs.reanalyse_take(session, player, take_id)
    work_once()
    with database.session() as session:
        assert takes.get_take(session, player, take_id).state is TakeState.READ


def test_a_fault_of_our_own_is_told_without_its_innards(
    own_database: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    take_id = submit()
    monkeypatch.setattr(verbs, "read_recording", lambda *a, **k: 1 / 0)
    work_once()
    with database.session() as session:
        failed = takes.get_take(session, players.local_player(session), take_id)
    assert (
        failed.state is TakeState.FAILED
        and "failed unexpectedly" in failed.problem
        and "division" not in failed.problem
    )


def test_a_recording_is_put_together_from_its_chunks(own_database: str) -> None:
    take = perform(RIFF, seed=3)
    with database.session() as session:
        player = players.local_player(session)
        new = new_take(
            session,
            player,
            source="recorded",
            start_frame=round(take.start_s * take.rate_hz),
            rate_hz=take.rate_hz,
        )
        take_id = verbs.begin_take(session, player, new).id
        for frame in range(0, take.samples.size, 48000):
            takes.add_chunk(
                session,
                player,
                take_id,
                frame,
                take.samples[frame : frame + 48000].astype("<f4").tobytes(),
            )
        verbs.finish_take(
            session, player, take_id, RecorderReport(underruns=1, settings={"label": "in"})
        )
    work_once()
    with database.session() as session:
        assert (
            takes.chunk_spans(session, player, take_id) == []
            and takes.get_take(session, player, take_id).audio_bytes > 1000
        )
        reading = readings.get_reading(session, player, take_id)
    assert reading is not None and reading.summary.matched == 8
    assert any("underrun" in caution.text for caution in reading.cautions)


def test_frames_that_never_came_are_zeros_and_counted() -> None:
    """Also where pieces overlap: what was sent twice, cut at other places, is the same sound."""
    pieces = {10: [1, 2, 3, 4], 12: [3, 4, 5], 20: [6, 7]}
    joined = Joined(
        [(f, f + len(p)) for f, p in pieces.items()],
        lambda frame: np.array(pieces[frame], dtype="<f4").tobytes(),
    )
    assert (
        np.concatenate(list(joined)).tolist() == [1, 2, 3, 4, 5, 0, 0, 0, 0, 0, 6, 7]
        and joined.gap_frames == 5
    )


@pytest.mark.parametrize(
    ("have", "wanted", "missing"),
    [
        ([], [(0, 9)], [(0, 9)]),
        ([(0, 9)], [(0, 9)], []),
        ([(0, 4), (6, 9)], [(0, 9)], [(4, 6)]),
        ([(2, 3)], [(0, 5), (8, 9)], [(0, 2), (3, 5), (8, 9)]),
        ([(0, 5), (3, 9)], [(1, 8)], []),
        ([(0, 9)], [], []),
    ],
)
def test_what_has_not_arrived_is_named(
    have: list[tuple[int, int]], wanted: list[tuple[int, int]], missing: list[tuple[int, int]]
) -> None:
    assert missing_spans(have, wanted) == missing


def test_a_take_whose_frames_lie_hours_apart_is_refused_without_filling_memory(
    own_database: str,
) -> None:
    with database.session() as session:
        player = players.local_player(session)
        take_id = verbs.begin_take(
            session, player, new_take(session, player, source="recorded", rate_hz=8000)
        ).id
        with pytest.raises(BadAudio, match="ten minutes"):
            verbs.store_chunk(session, player, take_id, 10**8, b"\0" * 8)
        for frame in (0, 8000 * 601):
            takes.add_chunk(session, player, take_id, frame, np.ones(8, dtype="<f4").tobytes())
        verbs.finish_take(session, player, take_id, RecorderReport())
    work_once()
    with database.session() as session:
        failed = takes.get_take(session, player, take_id)
    assert failed.state is TakeState.FAILED and "too far apart" in failed.problem


def test_dropped_packets_are_runs_of_zeros_with_sound_on_both_sides() -> None:
    sound = np.random.default_rng(1).uniform(0.1, 0.5, 3000).astype(np.float32)
    assert zero_runs(sound) == 0
    broken = sound.copy()
    broken[1000:1441] = 0
    broken[2000:2100] = 0  # too short to be a packet
    assert zero_runs(broken) == 1
    assert (
        zero_runs(np.concatenate([np.zeros(500, np.float32), sound, np.zeros(500, np.float32)]))
        == 0
    )
    lead = np.concatenate([np.zeros(5000, np.float32), broken, np.zeros(900, np.float32), sound])
    pieces = {k: lead[k : k + 333] for k in range(0, lead.size, 333)}
    joined = Joined(
        [(f, f + p.size) for f, p in pieces.items()],
        lambda frame: pieces[frame].astype("<f4").tobytes(),
    )
    assert sum(block.size for block in joined) == lead.size and joined.zero_runs == 2, (
        "also if a run lies across pieces"
    )


def test_upkeep_runs_by_the_clock_in_a_queue_of_its_own(
    own_database: str, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("THRUMBLE_BACKUPS", str(tmp_path / "copies"))
    monkeypatch.setattr(worker, "FIRST_S", 0.0)
    settings.cache_clear()
    due = with_queue(periodic_names)
    assert due == {"copy_if_due", "tidy_up"}
    for name in due:
        with_queue(lambda app, name=name: app.tasks[name].defer_async(timestamp=0))  # type: ignore[misc]
    assert jobs_waiting() == 2
    work_once("readings")
    assert jobs_waiting() == 2 and last_copy() is None, "takes are read without waiting for it"
    work_once("upkeep")
    assert jobs_waiting() == 0 and last_copy() is not None
    monkeypatch.undo()
    settings.cache_clear()


async def periodic_names(app: procrastinate.App) -> set[str]:
    return {name for name, _ in app.periodic_registry.periodic_tasks}
