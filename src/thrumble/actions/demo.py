"""Fills an empty installation with the sample scenario: riffs as text, takes by the simulated guitarist, readings by the real ear."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from decimal import Decimal

from thrumble.actions.takes import read_stored_take
from thrumble.core.player.perform import perform
from thrumble.core.riff.text import parse_riff
from thrumble.core.takes import TakeState
from thrumble.demo import TAKES, DemoTake, riff_texts
from thrumble.formats.audio import write_flac
from thrumble.store import database, players, riffs, takes
from thrumble.store.riffs import Revision
from thrumble.store.takes import NewTake

DONE = "demo filled"


def fill_demo(say: Callable[[str], None]) -> None:
    """Once per installation, and only where there is no riff yet. `say` is told each step. A fill that was cut off goes on where it stood."""
    with database.session() as session:
        player_id = players.local_player(session)
        if players.is_marked(session, DONE):
            return
        standings = riffs.riff_standings(session, player_id)
        texts = {name: (parse_riff(text), text) for name, text in riff_texts().items()}
        known = {s.revision.riff.title: s.revision for s in standings}
        if any(title not in {riff.title for riff, _ in texts.values()} for title in known):
            players.mark(session, DONE)  # the player has begun on their own
            return
        revisions = {name: known.get(riff.title) or riffs.add_riff(session, player_id, riff, text) for name, (riff, text) in texts.items()}
        there = sum(s.takes for s in standings)
    say(f"demo: {len(texts)} riffs of the boat lift trio written")
    for number, take in enumerate(TAKES[there:], there + 1):
        say(f"demo: take {number} of {len(TAKES)}, {revisions[take.riff].riff.title}, played and read")
        _play(player_id, revisions[take.riff], take)
    with database.session() as session:
        players.mark(session, DONE)


def _play(player_id: int, revision: Revision, take: DemoTake) -> None:
    performance = perform(revision.riff, seed=take.seed, tone=take.tone, flaws=take.flaws)
    data, beyond = write_flac(performance.samples, performance.rate_hz)
    new = NewTake(
        riff_id=revision.riff_id, revision_id=revision.id, source="simulated", tempo_bpm=Decimal(str(performance.tempo_bpm)), rounds=1,
        start_frame=round(performance.start_s * performance.rate_hz), rate_hz=performance.rate_hz, created_at=datetime.now(UTC) - timedelta(days=take.days_ago),
    )  # fmt: skip
    with database.session() as session:
        stored = takes.add_take(session, player_id, new, TakeState.QUEUED)
        takes.put_audio(session, player_id, stored.id, data, beyond_full_scale=beyond)
    read_stored_take(stored.id)
