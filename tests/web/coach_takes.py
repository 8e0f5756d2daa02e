"""Riffs and analysed takes of the simulated guitarist in the database."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from functools import lru_cache

from thrumble.actions.takes import analyse_stored_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import Performance, perform
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.takes import RecorderReport, TakeState
from thrumble.formats.audio import write_flac
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.riffs import riffs
from thrumble.store.riffs.riffs import Revision
from thrumble.store.takes import takes
from thrumble.store.takes.takes import NewTake

SHORT = (
    "title: Weir\ntempo: 110\nplay: A B\n[A]\n| F#5@6/2 >o o o o 6:7,5:9 o o o o |\n"
    "[B]\n| F#5@6/2 >o o o o B5@6/7 o o o - |\n"
)


def added(text: str) -> Revision:
    with database.session() as session:
        return riffs.add_riff(session, players.local_player(session), parse_riff(text), text)


@lru_cache(maxsize=64)
def recorded(
    riff: Riff, flaws: Flaws, seed: int, tempo_bpm: float | None
) -> tuple[Performance, bytes]:
    """A take and its audio; many tests ask for the same one."""
    made = perform(riff, seed=seed, flaws=flaws, tempo_bpm=tempo_bpm)
    data, _ = write_flac(made.samples, made.rate_hz)
    return made, data


def played(
    revision: Revision,
    flaws: Flaws,
    *,
    seed: int = 1,
    days_ago: int = 0,
    tempo: float | None = None,
    gap_frames: int = 0,
) -> int:
    """A take of the simulated guitarist, read."""
    made, data = recorded(revision.riff, flaws, seed, tempo)
    new = NewTake(
        riff_id=revision.riff_id,
        revision_id=revision.id,
        source="simulated",
        tempo_bpm=Decimal(f"{made.tempo_bpm:g}"),
        rounds=1,
        start_frame=round(made.start_s * made.rate_hz),
        rate_hz=made.rate_hz,
        delay_ms=0.0,
        created_at=datetime.now(UTC) - timedelta(days=days_ago),
    )
    with database.session() as session:
        player = players.local_player(session)
        stored = takes.add_take(session, player, new, TakeState.QUEUED)
        report = RecorderReport(gap_frames=gap_frames).noted()
        takes.put_audio(session, player, stored.id, [data], recorder=report)
    analyse_stored_take(stored.id)
    return stored.id
