"""A judged take made by hand, as views get it."""

from dataclasses import replace
from datetime import UTC, datetime
from decimal import Decimal

from thrumble.actions.judging import JudgedTake
from thrumble.core.coach.verdict.judgement import HitKey, judge
from thrumble.core.ear.reading import (
    Reading,
)
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.takes import TakeState
from thrumble.store.riffs.riffs import Revision
from thrumble.store.takes.corrections import Correction
from thrumble.store.takes.takes import Take

NOW = datetime(2031, 3, 4, 12, tzinfo=UTC)


TEXT = "title: Ballast\ntempo: 120\n[A]\n| 6:2 o o M x |\n"


def revision(text: str = TEXT) -> Revision:
    return Revision(id=7, riff_id=3, number=2, riff=parse_riff(text), source=text)


def a_take(**changes: object) -> Take:
    take = Take(
        id=5,
        player_id=1,
        riff_id=3,
        revision_id=7,
        number=4,
        state=TakeState.READ,
        source="recorded",
        tempo_bpm=Decimal(120),
        rounds=1,
        start_frame=48000,
        rate_hz=48000,
        delay_ms=None,
        delay_spread_ms=None,
        rig_id=None,
        tone_id=None,
        calibration_id=None,
        file_name="",
        audio_bytes=1_500_000,
        audio_sha256="",
        beyond_full_scale=0,
        recorder=None,
        problem="",
        client_key=None,
        along=None,
        let_go_at=None,
        tries=0,
        created_at=NOW,
        zone="UTC",
    )
    return replace(take, **changes)  # type: ignore[arg-type]


def judged(
    reading: Reading,
    of: Revision | None = None,
    corrections: dict[HitKey, Correction] | None = None,
    **take: object,
) -> JudgedTake:
    """A take of a riff with a reading, judged."""
    of = of or revision()
    said = corrections or {}
    kinds = {key: one.articulation for key, one in said.items()}
    instrument = of.riff.instrument
    return JudgedTake(
        take=a_take(**take),
        revision=of,
        instrument=instrument,
        reading=reading,
        corrections=said,
        judgement=judge(reading, expand(of.riff), instrument, kinds),
    )
