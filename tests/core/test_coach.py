"""Verdicts name the flaw that was played; the next riff is the sensible one; takes move only as
their table allows.
"""

import re
from collections import defaultdict
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import product

import numpy as np
import pytest

from thrumble.core.coach.planning.next_riff import Standing, next_riff
from thrumble.core.coach.verdict.cause import Cause, CauseKind
from thrumble.core.coach.verdict.causes import find_causes
from thrumble.core.coach.verdict.judgement import JudgedHit, Judgement, judge
from thrumble.core.coach.verdict.words import say
from thrumble.core.ear.reading import HeardKind, HitReading, HitState, Reading, StartSource, Summary
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import NotAllowed
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.takes import CHANGES, FINAL, RecorderReport, TakeState, change
from thrumble.demo import riff_texts

NOW = datetime(2030, 5, 1, tzinfo=UTC)


def heard(
    riff: Riff,
    flaws: Flaws,
    *,
    tone: Tone = Tone.CRUNCH,
    seed: int = 31,
    delay_ms: float | None = None,
) -> Judgement:
    take = perform(riff, seed=seed, tone=tone, flaws=flaws)
    reading = read_take(
        take.samples, take.rate_hz, expand(riff), TakeInfo(start_s=take.start_s, delay_ms=delay_ms)
    )
    return judge(reading, expand(riff))


@pytest.mark.parametrize(
    ("riff", "flaws", "kind", "word"),
    [
        (
            "8-nine-locks-down",
            Flaws(timing=5, shift=40),
            CauseKind.SHIFTS,
            "late after long shifts",
        ),
        ("1-sluice-gate", Flaws(timing=5, ringing=0.3), CauseKind.RANG, "Palm mutes ring open"),
        ("1-sluice-gate", Flaws(timing=5, missed=0.12), CauseKind.MISSED, "You missed"),
        ("1-sluice-gate", Flaws(timing=26), CauseKind.SPREAD, "Your timing is loose"),
        (
            "6-stop-planks",
            Flaws(timing=4, stop=140, stop_spread=10),
            CauseKind.STOPS,
            "Your stops ring on",
        ),
        (
            "3-towpath-shuffle",
            Flaws(timing=4, swing=1.2),
            CauseKind.SWING,
            "straighter than written",
        ),
        ("2-ballast", Flaws(timing=5, choked=0.5), CauseKind.CHOKED, "Open hits are choked"),
        (
            "8-nine-locks-down",
            Flaws(timing=5, drift=12),
            CauseKind.DRIFT,
            "You speed up by about 1",
        ),
        (
            "8-nine-locks-down",
            Flaws(timing=5, drift=-14),
            CauseKind.DRIFT,
            "You slow down by about 1",
        ),
        (
            "8-nine-locks-down",
            Flaws(timing=5, tiring=50),
            CauseKind.TIRING,
            "gets loose from about bar",
        ),
        ("1-sluice-gate", Flaws(timing=5, wrong=0.12), CauseKind.UNLIKE, "don't sound as written"),
    ],
)
def test_the_flaw_that_was_played_is_the_first_cause(
    riff: str, flaws: Flaws, kind: CauseKind, word: str
) -> None:
    judgement = heard(parse_riff(riff_texts()[riff]), flaws)
    causes = find_causes(judgement)
    assert causes[0].kind is kind and word in say(causes[0], judgement), [
        say(c, judgement) for c in causes
    ]
    assert len(causes) <= 4 and [c.cost for c in causes] == sorted(
        (c.cost for c in causes), reverse=True
    )


@pytest.mark.parametrize("tone", list(Tone))
@pytest.mark.parametrize("riff", ["3-towpath-shuffle", "1-sluice-gate"])
def test_a_steady_player_is_called_clean_in_every_tone(riff: str, tone: Tone) -> None:
    """Also where a written sixth is the open string's own note, and where a spread of 9 ms puts a
    few hits beyond 20.
    """
    judgement = heard(parse_riff(riff_texts()[riff]), Flaws(timing=8), tone=tone, seed=5)
    assert [c.kind for c in find_causes(judgement)] == [CauseKind.CLEAN]


def test_silence_another_riff_and_a_damaged_recording_come_first_and_alone() -> None:
    planks, gate = (parse_riff(riff_texts()[name]) for name in ("6-stop-planks", "1-sluice-gate"))
    take = perform(planks, seed=1, tone=Tone.CLEAN, flaws=Flaws(timing=2, level=0.3))
    silent = judge(
        read_take(take.samples * 0, take.rate_hz, expand(planks), TakeInfo(start_s=take.start_s)),
        expand(planks),
    )
    assert [c.kind for c in find_causes(silent)] == [CauseKind.NOTHING] and (
        silent.clean,
        silent.counted,
    ) == (0, 0)
    other = judge(
        read_take(take.samples, take.rate_hz, expand(gate), TakeInfo(start_s=take.start_s)),
        expand(gate),
    )
    causes = find_causes(other)
    assert [c.kind for c in causes] == [
        CauseKind.OTHER_RIFF
    ] and "doesn't sound like Sluice Gate" in say(causes[0], other)
    info = TakeInfo(start_s=take.start_s, dropouts=("33 gaps of silence inside the sound",))
    broken = judge(read_take(take.samples, take.rate_hz, expand(planks), info), expand(planks))
    causes = find_causes(broken)
    assert [c.kind for c in causes] == [CauseKind.DAMAGED] and "33 gaps" in say(causes[0], broken)


@pytest.mark.parametrize("seed", [1, 2, 3, 4, 5])
def test_a_riff_on_the_same_grid_is_told_by_its_chords(seed: int) -> None:
    planks, gate = (parse_riff(riff_texts()[name]) for name in ("6-stop-planks", "1-sluice-gate"))
    tone = list(Tone)[seed % 3]
    take = perform(planks, seed=seed, tone=tone, flaws=Flaws(timing=6))
    for riff, own in ((gate, False), (planks, True)):
        reading = read_take(
            take.samples, take.rate_hz, expand(riff), TakeInfo(start_s=take.start_s)
        )
        judgement = judge(reading, expand(riff))
        causes = find_causes(judgement)
        assert (causes[0].kind is CauseKind.OTHER_RIFF) is not own
        if not own:
            assert re.search(r"\d+ of \d+ chords are different ones", say(causes[0], judgement))


def test_a_guitar_tuned_lower_plays_wrong_chords_and_no_other_riff() -> None:
    body = "| >o m o m o o m o |\n" * 6
    written, sounding = (
        parse_riff(f"title: T\ntempo: 110\n[A]\n{body.replace('| ', f'| {chord} ')}")
        for chord in ("A5@5/0", "G#5@6/4")
    )
    take = perform(sounding, seed=2, tone=Tone.CRUNCH, flaws=Flaws(timing=8))
    reading = read_take(take.samples, take.rate_hz, expand(written), TakeInfo(start_s=take.start_s))
    kinds = [cause.kind for cause in find_causes(judge(reading, expand(written)))]
    assert CauseKind.FRETS in kinds and CauseKind.OTHER_RIFF not in kinds


def invented(
    late_ms: list[float], *, slot_s: float = 0.25, known: bool = True, **changes: object
) -> Judgement:
    """A reading made by hand: eighths of one bar's pattern over and over, so late, every other one
    a palm mute heard as written.
    """
    bars = -(-len(late_ms) // 8)
    riff = parse_riff(
        "title: T\ntempo: 120\npedal: 6:0\n[A]\n" + "| E5@6/0 o m o m o m o m |\n" * bars
    )
    expanded = expand(riff)
    hits = [
        HitReading(
            index=k,
            round=1,
            section="A",
            bar=k // 8 + 1,
            at=str(expanded.hits[k].hit.at),
            expected_s=k * slot_s,
            state=HitState.PLAYED,
            expected_articulation=expanded.hits[k].hit.articulation,
            onset_s=k * slot_s + ms / 1000,
            deviation_ms=ms,
            heard_articulation=HeardKind(expanded.hits[k].hit.articulation.value),
        )
        for k, ms in enumerate(late_ms)
    ]
    for k, changed in changes.get("hits", {}).items():  # type: ignore[attr-defined]
        hits[k] = replace(hits[k], **changed)
    reading = Reading(
        engine="2.4",
        tempo_bpm=120,
        start_s=0.0,
        start_source=StartSource.GIVEN,
        sample_rate=48000,
        duration_s=60,
        rounds=1,
        hits=hits,
        extra_onsets=[],
        summary=Summary(matched=len(hits), missed=0, extra=0, unsure=0),
        cautions=[],
        bias_judged=known,
    )
    return judge(reading, expanded)


NOISE = np.random.default_rng(5).normal(0, 5, 96)


@pytest.mark.parametrize(
    ("late_ms", "kinds"),
    [
        (NOISE, {CauseKind.CLEAN}),
        (NOISE * 1.8, {CauseKind.CLEAN}),  # a spread of 9 ms, and what it does
        (NOISE + 25, {CauseKind.BIAS}),
        (NOISE + np.linspace(-55, 55, 96), {CauseKind.DRIFT}),
        (NOISE + 40 * np.linspace(-1, 1, 96) ** 2, {CauseKind.DRIFT}),
        (NOISE + np.where(np.arange(96) % 8 == 3, 30, 0), {CauseKind.SLOT}),
        (NOISE * np.linspace(0.5, 8, 96), {CauseKind.TIRING}),
        (NOISE * 5, {CauseKind.SPREAD}),
        (
            NOISE + np.linspace(-40, 40, 96) + np.where(np.arange(96) % 8 == 3, 35, 0),
            {CauseKind.DRIFT, CauseKind.SLOT},
        ),
    ],
)
def test_deviations_are_explained_in_turn_each_on_what_is_left(
    late_ms: np.ndarray, kinds: set[CauseKind]
) -> None:
    assert {c.kind for c in find_causes(invented(late_ms.tolist()))} == kinds


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
        and find_causes(judgement)[0].kind is CauseKind.CLEAN
    )


@pytest.mark.parametrize("count", [1, 2, 5])
def test_sentences_have_their_numbers_right(count: int) -> None:
    judgement = invented(
        NOISE.tolist(),
        hits={k * 8: {"chord_ok": False, "state": HitState.PLAYED} for k in range(count)},
    )
    text = say(
        Cause(
            kind=CauseKind.FRETS,
            cost=1,
            hits=tuple((1, k * 8) for k in range(count)),
            figures={"wrong": float(count)},
        ),
        judgement,
    )
    expected = {
        1: "1 chord is fretted wrong, in bar 1.",
        2: "2 chords are fretted wrong, in bars 1 and 2.",
        5: "5 chords are fretted wrong, all over the riff.",
    }
    assert text.startswith(expected[count])


def test_every_kind_of_cause_has_a_sentence() -> None:
    judgement = invented(NOISE.tolist())
    figures = defaultdict(lambda: 2.0)
    for kind in CauseKind:
        cause = Cause(
            kind=kind,
            cost=0.1,
            hits=((1, 0),),
            figures=figures,
            words={"what": "The recording is damaged.", "at": "1/8", "articulation": "palm"},
        )
        text = say(cause, judgement)
        assert text.endswith(".") and (text[0].isupper() or text[0].isdigit()) and "  " not in text


def standing(riff_id: int, days: int | None, clean: float | None) -> Standing:
    return Standing(
        riff_id=riff_id,
        last_played=None if days is None else NOW - timedelta(days=days),
        clean_share=clean,
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
    found = {cause.kind: say(cause, judgement) for cause in find_causes(judgement)}
    assert (
        found[CauseKind.FRETS].startswith("6 chords are fretted wrong")
        and "mostly string 1" in found[CauseKind.STRAYS]
    )


def test_a_latency_nobody_measured_makes_no_stop_ring_on() -> None:
    """Every hit and every stop comes 120 ms late, as over a slow sound card."""
    riff = parse_riff(riff_texts()["6-stop-planks"])
    flaws = Flaws(timing=5, bias=120, stop=0, stop_spread=5)
    stops: list[JudgedHit] = []
    for seed in (1, 2, 3, 9):
        take = perform(riff, seed=seed, tone=Tone.CLEAN, flaws=flaws)
        info = TakeInfo(start_s=take.start_s)
        reading = read_take(take.samples, take.rate_hz, expand(riff), info)
        judgement = judge(reading, expand(riff))
        assert CauseKind.STOPS not in {cause.kind for cause in find_causes(judgement)}
        stops += [hit for hit in judgement.hits if hit.stop_kept is not None]
    assert len(stops) > 40 and sum(hit.stop_kept is True for hit in stops) >= 0.9 * len(stops)
