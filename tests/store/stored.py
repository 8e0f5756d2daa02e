"""A take stored with its reading."""

from decimal import Decimal

from sqlmodel import Session

from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.takes import TakeState
from thrumble.store.riffs import riffs
from thrumble.store.takes import takes
from thrumble.store.takes.takes import NewTake, Take

TEXT = "title: Ballast\ntempo: 100\n[A]\n| E5@6/0 o M M x |\n"


RIFF = parse_riff(TEXT)


def stored(session: Session, player: int, state: TakeState = TakeState.QUEUED) -> Take:
    revision = riffs.add_riff(session, player, RIFF, TEXT)
    new = NewTake(
        riff_id=revision.riff_id,
        revision_id=revision.id,
        source="uploaded",
        tempo_bpm=Decimal("100.5"),
        rounds=1,
        start_frame=960,
        rate_hz=48000,
    )
    return takes.add_take(session, player, new, state)
