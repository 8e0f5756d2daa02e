"""Verdicts name the flaw that was played; the next riff is the sensible one; takes move only as their table allows."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import product

import pytest

from thrumble.core.coach.next_riff import Standing, next_riff
from thrumble.core.coach.verdict import CauseKind, clean_hits, judge
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import NotAllowed
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import expand
from thrumble.core.riff.text import parse_riff
from thrumble.core.takes import CHANGES, FINAL, RecorderReport, TakeState, change
from thrumble.demo import riff_texts

NOW = datetime(2030, 5, 1, tzinfo=UTC)


@pytest.mark.parametrize(
    ("riff", "flaws", "kind", "word"),
    [
        ("8-nine-locks-down", Flaws(timing=5, shift=40), CauseKind.SHIFTS, "long moves arrive late"),
        ("1-sluice-gate", Flaws(timing=5, ringing=0.3), CauseKind.RANG, "mutes rang"),
        ("1-sluice-gate", Flaws(timing=5, missed=0.12), CauseKind.MISSED, "missing"),
        ("1-sluice-gate", Flaws(timing=26), CauseKind.SPREAD, "early or late"),
        ("6-stop-planks", Flaws(timing=4, stop=140, stop_spread=10), CauseKind.STOPS, "stops ring on"),
        ("3-towpath-shuffle", Flaws(timing=4, swing=1.2), CauseKind.SWING, "straighter than written"),
        ("2-ballast", Flaws(timing=5, choked=0.5), CauseKind.CHOKED, "choked"),
    ],
)  # fmt: skip
def test_the_flaw_that_was_played_is_the_first_cause(riff: str, flaws: Flaws, kind: CauseKind, word: str) -> None:
    known = parse_riff(riff_texts()[riff])
    take = perform(known, seed=31, tone=Tone.CRUNCH, flaws=flaws)
    reading = read_take(take.samples, take.rate_hz, expand(known), TakeInfo(start_s=take.start_s))
    causes = judge(reading, expand(known))
    assert causes[0].kind is kind and word in causes[0].text
    assert len(causes) <= 4 and [c.cost for c in causes] == sorted((c.cost for c in causes), reverse=True)


def test_a_clean_take_is_called_clean_and_silence_nothing() -> None:
    known = parse_riff(riff_texts()["6-stop-planks"])
    take = perform(known, seed=2, tone=Tone.CLEAN, flaws=Flaws(timing=2, level=0.3))
    reading = read_take(take.samples, take.rate_hz, expand(known), TakeInfo(start_s=take.start_s))
    assert judge(reading, expand(known))[0].kind is CauseKind.CLEAN
    clean, judged = clean_hits(reading, expand(known))
    assert judged >= clean >= 0.9 * judged > 0
    silent = read_take(take.samples * 0, take.rate_hz, expand(known), TakeInfo(start_s=take.start_s))
    assert judge(silent, expand(known))[0].kind is CauseKind.NOTHING and clean_hits(silent, expand(known)) == (0, 0)


def standing(riff_id: int, days: int | None, clean: float | None) -> Standing:
    return Standing(riff_id=riff_id, last_played=None if days is None else NOW - timedelta(days=days), clean_share=clean)


@pytest.mark.parametrize(
    ("standings", "chosen"),
    [
        ([], None),
        ([standing(1, None, None), standing(2, None, None)], 1),
        ([standing(1, None, None), standing(2, 1, 0.6)], 2),
        ([standing(1, 9, 0.8), standing(2, 1, 0.7)], 1),
        ([standing(1, 1, 0.99), standing(2, None, None)], 2),
        ([standing(1, 1, 0.99), standing(2, 5, 0.97)], 2),
    ],
)  # fmt: skip
def test_the_next_riff_is_begun_unclean_and_long_unplayed_first(standings: list[Standing], chosen: int | None) -> None:
    found = next_riff(standings, now=NOW)
    assert (found and found[0]) == chosen


def test_takes_change_only_as_the_table_says() -> None:
    for before, after in product(TakeState, TakeState):
        if after in CHANGES[before]:
            assert change(before, after) is after
        else:
            with pytest.raises(NotAllowed, match="cannot become"):
                change(before, after)
    assert {TakeState.READ, TakeState.FAILED} == FINAL and all(TakeState.QUEUED in CHANGES[state] for state in FINAL)


def test_a_recorder_report_speaks_only_of_what_it_noticed() -> None:
    assert RecorderReport().dropouts() == ()
    words = RecorderReport(gap_frames=128, zero_runs=1, clock_slip_ms=-31, underruns=2).dropouts()
    assert len(words) == 4 and "1 gap of" in words[1] and "31 ms" in words[2]
    assert RecorderReport(clock_slip_ms=19).dropouts() == ()


def test_chords_off_their_fret_and_strings_that_ring_along_are_named() -> None:
    riff = parse_riff(riff_texts()["1-sluice-gate"])
    take = perform(riff, seed=31, tone=Tone.CRUNCH, flaws=Flaws(timing=4))
    base = read_take(take.samples, take.rate_hz, expand(riff), TakeInfo(start_s=take.start_s))
    changed = {2: {"chord_ok": False}, 4: {"stray_strings": [1]}, 6: {"stray_strings": [1, 2]}}
    hits = [replace(hit, **changed.get(k, {"chord_ok": None, "stray_strings": None})) for k, hit in enumerate(base.hits)]
    found = {cause.kind: cause for cause in judge(replace(base, hits=hits), expand(riff))}
    assert "1 chord was not fretted" in found[CauseKind.FRETS].text and found[CauseKind.FRETS].hits == ((1, 2),)
    assert "string 1" in found[CauseKind.STRAYS].text
