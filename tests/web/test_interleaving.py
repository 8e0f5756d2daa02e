"""Two requests about the same thing at once, in every order: never an internal error, and nothing is
lost that nobody asked to lose.

Each pair runs three times: one after the other, and with either of them stopped just before it
commits while the other one runs. What waits for a lock goes on once the first has committed.
"""

import threading
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from itertools import combinations_with_replacement

import pytest
from sqlmodel import Session

from thrumble.actions import takes as verbs
from thrumble.actions.sound_check import begin_check
from thrumble.actions.storage import annotate_take, apply_rule, restore
from thrumble.core.errors import ThrumbleError
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.storage_rule import KeepingRule
from thrumble.core.takes import TakeState
from thrumble.demo import riff_texts
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.practice import trials
from thrumble.store.riffs import drills, riffs
from thrumble.store.riffs.drills import DrillOf
from thrumble.store.rig import rigs
from thrumble.store.rig.rigs import FIRST
from thrumble.store.takes import notes, storage, takes
from thrumble.store.takes.notes import Note
from thrumble.store.takes.takes import NewTake

TEXT = riff_texts()["6-stop-planks"]
WAIT_S = 0.06  # long enough for the second one to reach the first one's lock


@dataclass(frozen=True)
class Things:
    """One of everything, ids."""

    player: int
    riff: int
    rig: int
    tone: int
    take: int
    other: int
    trial: int


def made() -> Things:
    with database.session() as session:
        player = players.local_player(session)
        rigs.ensure_rig(session, player)
        rig = rigs.rigs_of(session, player)[0].id
        tone = rigs.add_tone(session, player, rig, "Crunch", "crunch").id
        revision = riffs.add_riff(session, player, parse_riff(TEXT), TEXT)
        ids = []
        for number in range(2):
            new = NewTake(
                riff_id=revision.riff_id,
                revision_id=revision.id,
                source="uploaded",
                tempo_bpm=Decimal(100),
                rounds=1,
                tone_id=tone,
                rig_id=rig,
                created_at=datetime(2020, 1, 1 + number, tzinfo=UTC),
            )
            take = takes.add_take(session, player, new, TakeState.QUEUED)
            takes.put_audio(session, player, take.id, [b"sound"] * 3)
            for state in (TakeState.READING, TakeState.READ):
                takes.set_state(session, player, take.id, state)
            ids.append(take.id)
        trial = trials.add_trial(
            session, player, revision.riff_id, way_a="1 and 3", way_b="1 and 4", pairs=1,
            turns="AB", tempo_bpm=100.0,
        )  # fmt: skip
        storage.keep_rule(session, player, KeepingRule(tidy=True, last=0, days=0))
    return Things(player, revision.riff_id, rig, tone, ids[0], ids[1], trial)


Verb = Callable[[Session, Things], object]
OF_A_TAKE: dict[str, Verb] = {
    "star": lambda s, t: annotate_take(s, t.player, t.take, Note(starred=True)),
    "follow the rule": lambda s, t: apply_rule(s, t.player),
    "restore": lambda s, t: restore(s, t.player, t.take),
    "analyse again": lambda s, t: verbs.reanalyse_take(s, t.player, t.take),
    "analyse all again": lambda s, t: verbs.reanalyse_all(s, t.player),
    "claim a turn": lambda s, t: trials.add_turn(s, t.player, t.trial, 0, t.take),
    "claim it with another take": lambda s, t: trials.add_turn(s, t.player, t.trial, 0, t.other),
    "delete the take": lambda s, t: takes.delete_take(s, t.player, t.take),
    "delete the trial": lambda s, t: trials.delete_trial(s, t.player, t.trial),
    "delete the riff": lambda s, t: riffs.delete_riff(s, t.player, t.riff),
}
OF_A_RIG: dict[str, Verb] = {
    "change the rig": lambda s, t: rigs.change_rig(s, t.player, t.rig, FIRST),
    "delete the rig": lambda s, t: rigs.delete_rig(s, t.player, t.rig),
    "add a tone": lambda s, t: rigs.add_tone(s, t.player, t.rig, "Lead", "high gain"),
    "delete the tone": lambda s, t: rigs.delete_tone(s, t.player, t.tone),
    "set its level": lambda s, t: rigs.set_level(s, t.player, t.tone, {"peak_db": -6.0}),
    "delete a take": lambda s, t: takes.delete_take(s, t.player, t.take),
}
OF_A_RIFF: dict[str, Verb] = {
    "save a revision": lambda s, t: riffs.add_revision(
        s, t.player, t.riff, parse_riff(TEXT), TEXT + "# more\n"
    ),
    "make a drill": lambda s, t: drills.keep_drill(
        s, t.player, DrillOf(t.riff, DrillKind.LOOP, (1, 1)), parse_riff(TEXT), TEXT
    ),
    "begin a sound check": lambda s, t: begin_check(s, t.player),
    "archive": lambda s, t: riffs.set_archived(s, t.player, t.riff, archived=True),
    "lengthen the trial": lambda s, t: trials.lengthen(s, t.player, t.trial, "BA"),
    "delete the riff": lambda s, t: riffs.delete_riff(s, t.player, t.riff),
}
GROUPS = {"take": OF_A_TAKE, "rig": OF_A_RIG, "riff": OF_A_RIFF}


def together(first: Verb, second: Verb, things: Things) -> list[Exception]:
    """Runs the first one up to its commit, lets the second one begin, then commits the first.
    Returns what either raised.
    """
    raised: list[Exception] = []
    ready, go = threading.Event(), threading.Event()

    def run(verb: Verb, *, holds: bool) -> None:
        try:
            with database.session() as session:
                verb(session, things)
                if holds:
                    ready.set()
                    go.wait(5)
        except Exception as error:
            raised.append(error)
        finally:
            ready.set()

    one = threading.Thread(target=run, args=(first,), kwargs={"holds": True})
    two = threading.Thread(target=run, args=(second,), kwargs={"holds": False})
    one.start()
    ready.wait(10)
    two.start()
    two.join(WAIT_S)
    go.set()
    one.join(20)
    two.join(20)
    assert not one.is_alive() and not two.is_alive(), "they wait for each other"
    return raised


@pytest.mark.parametrize("group", list(GROUPS))
def test_any_two_requests_at_once_end_in_order(own_database: str, group: str) -> None:
    verbs_of, wrong = GROUPS[group], []
    for a, b in combinations_with_replacement(verbs_of, 2):
        for first, second in ((a, b), (b, a)):
            things = made()
            raised = together(verbs_of[first], verbs_of[second], things)
            wrong += [
                f"{first} / {second}: {error!r}"
                for error in raised
                if not isinstance(error, ThrumbleError)
            ]
            wrong += [
                f"{first} / {second}: {lost}"
                for lost in lost_things(things, {verbs_of[first], verbs_of[second]})
            ]
            with database.session() as session:
                session.connection().exec_driver_sql("delete from player")
    assert not wrong


def lost_things(things: Things, done: set[Verb]) -> list[str]:
    """What is gone although nobody asked for its end, and what there is more than one of."""
    out = []
    ends = {OF_A_TAKE["delete the take"], OF_A_TAKE["delete the riff"]}
    ends |= {OF_A_RIFF["delete the riff"], OF_A_RIG["delete a take"]}
    with database.session() as session:
        if not done & ends:
            take = takes.get_take(session, things.player, things.take)
            held = take.state is not TakeState.READ
            held |= notes.note_of(session, things.player, things.take).starred
            if OF_A_TAKE["delete the trial"] not in done:
                trial = trials.get_trial(session, things.player, things.trial)
                held |= things.take in trial.takes.values()
            if held and not take.has_audio:
                out.append("held audio was deleted")
            if take.audio_bytes != 15:
                out.append("audio was removed for good")
        if len(drills.kept_drills(session, things.player)) > 1:
            out.append("two drills where there is one")
        checks = session.connection().exec_driver_sql(
            "select count(*) from riff where drill_kind = 'sound-check'"
        )
        if checks.scalar_one() > 1:
            out.append("two riffs of sound checks")
    return out


def test_the_tables_of_verbs_do_what_they_say(own_database: str) -> None:
    """Each verb works alone, or refuses with a reason: otherwise the pairs above would test nothing."""
    refused = {"restore"}  # nothing is deleted
    for verbs_of in (OF_A_TAKE, OF_A_RIG, OF_A_RIFF):
        for name, verb in verbs_of.items():
            things = made()
            with database.session() as session:
                verb(session, things)
            with database.session() as session:
                session.connection().exec_driver_sql("delete from player")
            refused.discard(name)
    assert not refused
