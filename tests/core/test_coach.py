"""Verdicts name the flaw that was played; the next riff is the sensible one; takes move only as
their table allows.
"""

import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import product

import numpy as np
import pytest

from tests.core.coach_takes import NOISE, heard, invented
from thrumble.core.coach.planning.next_riff import Standing, next_riff
from thrumble.core.coach.verdict.findings import find_findings
from thrumble.core.coach.verdict.judgement import JudgedHit, judge
from thrumble.core.coach.verdict.strings import StopsRingOn, StrayStrings, WrongFrets
from thrumble.core.coach.verdict.tempo import Drift
from thrumble.core.coach.verdict.timing import LeadOrLag, LooseTiming, OneBeatOff, Tiring
from thrumble.core.coach.verdict.whole_take import Clean, WrongRiff
from thrumble.core.ear.reading import HeardKind, HitState
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import NotAllowed
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.takes import CHANGES, FINAL, RecorderReport, TakeState, change
from thrumble.demo import riff_texts
from thrumble.trained import EAR

NOW = datetime(2030, 5, 1, tzinfo=UTC)


@pytest.mark.parametrize("tone", list(Tone))
@pytest.mark.parametrize("riff", ["3-towpath-shuffle", "1-sluice-gate"])
def test_a_steady_player_is_called_clean_in_every_tone(riff: str, tone: Tone) -> None:
    """Also where a written sixth is the open string's own note, and where a spread of 9 ms puts a
    few hits beyond 20.
    """
    judgement = heard(parse_riff(riff_texts()[riff]), Flaws(timing=8), tone=tone, seed=5)
    assert [c.kind for c in find_findings(judgement)] == [Clean.kind]


@pytest.mark.parametrize("seed", [1, 2, 3, 4, 5])
def test_a_riff_on_the_same_grid_is_told_by_its_chords(seed: int) -> None:
    planks, gate = (parse_riff(riff_texts()[name]) for name in ("6-stop-planks", "1-sluice-gate"))
    tone = list(Tone)[seed % 3]
    take = perform(planks, seed=seed, tone=tone, flaws=Flaws(timing=6))
    for riff, own in ((gate, False), (planks, True)):
        reading = read_take(
            take.samples,
            take.rate_hz,
            expand(riff),
            TakeInfo(start_s=take.start_s),
            ear=EAR,
        )
        judgement = judge(reading, expand(riff))
        causes = find_findings(judgement)
        assert (causes[0].kind is WrongRiff.kind) is not own
        if not own:
            assert re.search(r"\d+ of \d+ chords don't match", causes[0].sentence(judgement))


def test_a_guitar_tuned_lower_plays_wrong_chords_and_no_other_riff() -> None:
    body = "| >o m o m o o m o |\n" * 6
    written, sounding = (
        parse_riff(f"title: T\ntempo: 110\n[A]\n{body.replace('| ', f'| {chord} ')}")
        for chord in ("A5@5/0", "G#5@6/4")
    )
    take = perform(sounding, seed=2, tone=Tone.CRUNCH, flaws=Flaws(timing=8))
    reading = read_take(
        take.samples, take.rate_hz, expand(written), TakeInfo(start_s=take.start_s), ear=EAR
    )
    kinds = [cause.kind for cause in find_findings(judge(reading, expand(written)))]
    assert WrongFrets.kind in kinds and WrongRiff.kind not in kinds


@pytest.mark.parametrize(
    ("late_ms", "kinds"),
    [
        (NOISE, {Clean.kind}),
        (NOISE * 1.8, {Clean.kind}),  # a spread of 9 ms, and what it does
        (NOISE + 25, {LeadOrLag.kind}),
        (NOISE + np.linspace(-55, 55, 96), {Drift.kind}),
        (NOISE + 40 * np.linspace(-1, 1, 96) ** 2, {Drift.kind}),
        (NOISE + np.where(np.arange(96) % 8 == 3, 30, 0), {OneBeatOff.kind}),
        (NOISE * np.linspace(0.5, 8, 96), {Tiring.kind}),
        (NOISE * 5, {LooseTiming.kind}),
        (
            NOISE + np.linspace(-40, 40, 96) + np.where(np.arange(96) % 8 == 3, 35, 0),
            {Drift.kind, OneBeatOff.kind},
        ),
    ],
)
def test_deviations_are_explained_in_turn_each_on_what_is_left(
    late_ms: np.ndarray, kinds: set[str]
) -> None:
    assert {c.kind for c in find_findings(invented(late_ms.tolist()))} == kinds


def test_every_hit_is_judged_once_by_one_set_of_limits() -> None:
    judgement = invented(
        [0.0, 19.9, 20.1, -30.0],
        hits={
            0: {"stop_late_ms": 60.0},
            1: {"heard_articulation": HeardKind.UNSURE},
            3: {"state": HitState.MISSED},
        },
    )
    late, unsure, off, missed = judgement.hits
    assert (late.in_time, late.stop_kept, late.clean, late.off) == (True, False, False, True)
    assert (unsure.in_time, unsure.as_written, unsure.counts, unsure.off) == (
        True,
        None,
        False,
        False,
    )
    assert (off.in_time, off.clean, off.off) == (False, False, True) and (
        missed.missed,
        missed.counts,
        missed.clean,
    ) == (True, True, False)
    assert (judgement.clean, judgement.counted, judgement.due) == (0, 3, 4)
    quick = replace(
        judgement,
        hits=tuple(replace(h, limit_ms=judgement.limits.for_slot_ms(0.06)) for h in judgement.hits),
    )
    assert quick.hits[1].limit_ms == pytest.approx(15) and not quick.hits[1].in_time, (
        "never more than a quarter of the slot"
    )


def test_without_a_known_latency_early_and_late_count_from_the_middle() -> None:
    judgement = invented((NOISE + 25).tolist(), known=False)
    assert (
        judgement.around_ms == pytest.approx(np.median(NOISE) + 25)
        and find_findings(judgement)[0].kind is Clean.kind
    )


def standing(riff_id: int, days: int | None, clean: float | None) -> Standing:
    return Standing(
        riff_id=riff_id,
        last_played=None if days is None else NOW - timedelta(days=days),
        clean=None if clean is None else round(100 * clean),
        hits=None if clean is None else 100,
    )


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
)
def test_the_next_riff_is_begun_unclean_and_long_unplayed_first(
    standings: list[Standing], chosen: int | None
) -> None:
    found = next_riff(standings, now=NOW)
    assert (found and found[0]) == chosen


def test_takes_change_only_as_the_table_says() -> None:
    for before, after in product(TakeState, TakeState):
        if after in CHANGES[before]:
            assert change(before, after) is after
        else:
            with pytest.raises(NotAllowed, match="cannot become"):
                change(before, after)
    assert {TakeState.READ, TakeState.FAILED} == FINAL and all(
        TakeState.QUEUED in CHANGES[state] for state in FINAL
    )


def test_a_recorder_report_speaks_only_of_what_it_noticed() -> None:
    assert RecorderReport().dropouts() == ()
    words = RecorderReport(gap_frames=128, zero_runs=1, clock_slip_ms=-31, underruns=2).dropouts()
    assert len(words) == 4 and "1 gap of" in words[1] and "31 ms" in words[2]
    assert RecorderReport(clock_slip_ms=19).dropouts() == ()


def test_chords_off_their_fret_and_strings_that_ring_along_are_named() -> None:
    wrong = {
        k: {"chord_ok": k % 16 != 0, "stray_strings": [1, 2] if k in (4, 20, 36, 52) else []}
        for k in range(0, 96, 4)
    }
    judgement = invented(NOISE.tolist(), hits=wrong)
    found = {cause.kind: cause.sentence(judgement) for cause in find_findings(judgement)}
    assert (
        found[WrongFrets.kind].startswith("6 chords are fretted wrong")
        and "mostly string 1" in found[StrayStrings.kind]
    )


def test_a_latency_nobody_measured_makes_no_stop_ring_on() -> None:
    """Every hit and every stop comes 120 ms late, as over a slow sound card."""
    riff = parse_riff(riff_texts()["6-stop-planks"])
    flaws = Flaws(timing=5, bias=120, stop=0, stop_spread=5)
    stops: list[JudgedHit] = []
    for seed in (1, 2, 3, 9):
        take = perform(riff, seed=seed, tone=Tone.CLEAN, flaws=flaws)
        info = TakeInfo(start_s=take.start_s)
        reading = read_take(take.samples, take.rate_hz, expand(riff), info, ear=EAR)
        judgement = judge(reading, expand(riff))
        assert StopsRingOn.kind not in {cause.kind for cause in find_findings(judgement)}
        stops += [hit for hit in judgement.hits if hit.stop_kept is not None]
    assert len(stops) > 40 and sum(hit.stop_kept is True for hit in stops) >= 0.9 * len(stops)
