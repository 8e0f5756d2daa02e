"""The sample player of an empty installation: riffs as text, takes by the simulated guitarist,
analysed as any take. It ships ready-made, for to play and analyse it takes minutes.
"""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from importlib.resources import files

import numpy as np
from sqlmodel import Session

from thrumble.actions.coaching import drill_for
from thrumble.actions.portability import import_player
from thrumble.actions.rigs import keep_example
from thrumble.actions.takes import analyse_stored_take
from thrumble.core.coach.planning.hand_health import Comfort, When
from thrumble.core.counting import counted
from thrumble.core.music.pitch import STANDARD_TUNING
from thrumble.core.player.perform import perform
from thrumble.core.player.single import strike
from thrumble.core.player.sound import Tone
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.takes import TakeState
from thrumble.demo import (
    CHAIN,
    EXAMPLES,
    FELT,
    GUITAR_SEED,
    RIG,
    TAKES,
    TONES,
    DemoTake,
    guitar,
    riff_texts,
    setup_of,
)
from thrumble.formats.audio import write_flac
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.practice import hand_health
from thrumble.store.riffs import riff_lists, riffs
from thrumble.store.riffs.drills import DrillOf
from thrumble.store.riffs.riffs import Revision
from thrumble.store.rig import rigs
from thrumble.store.takes import take_lists, takes
from thrumble.store.takes.takes import NewTake

DONE = "demo filled"
SHIPPED = files("thrumble.demo") / "sample.zip"
SAMPLE = "Boat lift trio"


def fill_demo(say: Callable[[str], None]) -> None:
    """The sample player, once per installation, and only if nobody has begun yet: brought in as
    it ships, its dates moved to today. `say` is told each step.
    """
    with database.session() as session:
        if players.is_marked(session, DONE):
            return
        everybody = players.all_players(session)
        if any(not player.is_sample for player in everybody):
            players.mark(session, DONE)  # somebody has begun on their own
            return
    with SHIPPED.open("rb") as file:
        sample = import_player(file, is_sample=True, until=datetime.now(UTC))
    say(f"sample data: {counted(sample.riffs, 'riff')} and {counted(sample.takes, 'take')}")
    with database.session() as session:
        players.mark(session, DONE)


def reset_sample() -> int:
    """The sample player as it ships, whatever became of it here. Returns the player."""
    with database.session() as session:
        for player in players.all_players(session):
            if player.is_sample:
                players.delete_player(session, player.id)
    with SHIPPED.open("rb") as file:
        return import_player(file, is_sample=True, until=datetime.now(UTC)).player_id


def play_demo(say: Callable[[str], None]) -> int:
    """Makes the sample player anew, take by take, by the simulated guitarist. Returns the player. A
    run that was cut off goes on where it stood.
    """
    with database.session() as session:
        everybody = players.all_players(session)
        sample = next((player for player in everybody if player.is_sample), None)
        player_id = (sample or players.add_player(session, SAMPLE, is_sample=True)).id
        standings = riff_lists.riff_standings(session, player_id, limit=1000)
        texts = {name: (parse_riff(text), text) for name, text in riff_texts().items()}
        newest = {s.revision.riff.title: s.revision for s in standings}
        revisions = {
            name: newest.get(riff.title) or riffs.add_riff(session, player_id, riff, text)
            for name, (riff, text) in texts.items()
        }
        there = take_lists.count_takes(session, player_id)
        tones = _rig(session, player_id)
    say(f"sample: {counted(len(texts), 'riff')} of the {SAMPLE} written")
    for number, take in enumerate(TAKES[there:], there + 1):
        title = revisions[take.riff].riff.title
        say(f"sample: take {number} of {len(TAKES)}, {title}, played and analysed")
        _play(player_id, revisions[take.riff], take, tones[take.tone])
    with database.session() as session:
        today = datetime.now(UTC).date()
        for ago, scores in FELT.items():
            for when, score in zip(When, scores, strict=True):
                answer = Comfort(today - timedelta(days=ago), when, score)
                hand_health.add_answer(session, player_id, answer, "UTC")
    return player_id


def _rig(session: Session, player_id: int) -> dict[Tone, rigs.ToneProfile]:
    """The trio's rig with its tones; examples of the one that is played most, by the simulated
    guitarist. Made once.
    """
    tones_by_name = {tone.name: tone for tone in rigs.tones_of(session, player_id)}
    if tones_by_name:
        return {tone: tones_by_name[name] for tone, name in TONES.items()}
    rig = rigs.add_rig(
        session, player_id, rigs.NewRig(name=RIG, tuning=STANDARD_TUNING, chain=CHAIN)
    )
    made = {
        tone: rigs.add_tone(session, player_id, rig.id, name, tone.value.replace("-", " "))
        for tone, name in TONES.items()
    }
    rng, setup = np.random.default_rng(GUITAR_SEED), setup_of(Tone.CRUNCH)
    played = guitar(setup, rng)
    for kind, (articulation, depth, count) in EXAMPLES.items():
        for k in range(count):
            midi = [40.0, 47.0] if k % 2 else [45.0]
            sound = strike(played, setup, articulation, depth=depth, midi=midi, rng=rng)
            keep_example(
                session, player_id, made[Tone.CRUNCH].id, kind=kind, samples=sound, rate_hz=48000
            )
    return made


def _play(player_id: int, revision: Revision, take: DemoTake, tone: rigs.ToneProfile) -> None:
    if take.drill is not None:
        with database.session() as session:
            of = DrillOf(revision.riff_id, take.drill, None)
            revision = drill_for(session, player_id, of, take.tempo_bpm)
    performance = perform(
        revision.riff,
        tempo_bpm=take.tempo_bpm,
        rounds=take.rounds,
        seed=take.seed,
        flaws=take.flaws,
        setup=setup_of(take.tone),
        guitar=guitar,
    )
    data, beyond = write_flac(performance.samples, performance.rate_hz)
    new = NewTake(
        riff_id=revision.riff_id,
        revision_id=revision.id,
        source="simulated",
        tempo_bpm=Decimal(str(performance.tempo_bpm)),
        rounds=take.rounds,
        start_frame=round(performance.start_s * performance.rate_hz),
        rate_hz=performance.rate_hz,
        created_at=datetime.combine(
            datetime.now(UTC).date() - timedelta(days=take.days_ago), take.at, UTC
        ),
        rig_id=tone.rig_id,
        tone_id=tone.id,
    )
    with database.session() as session:
        stored = takes.add_take(session, player_id, new, TakeState.QUEUED)
        takes.put_audio(session, player_id, stored.id, [data], beyond_full_scale=beyond)
    analyse_stored_take(stored.id)
