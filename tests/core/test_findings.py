"""Findings: each one is found in a take with the matching flaw, speaks with its evidence, and says
the same of recorded takes as before.
"""

import gzip
import json
import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from tests.core.coach_takes import NOISE, heard, invented
from thrumble.core.coach.verdict import whole_take
from thrumble.core.coach.verdict.articulation import (
    DeadHitsRing,
    FlatMuteRamp,
    NotAsWritten,
    OpenHitsChoked,
    PalmMutesRing,
)
from thrumble.core.coach.verdict.finding import Finding, Review
from thrumble.core.coach.verdict.findings import FINDINGS, find_findings
from thrumble.core.coach.verdict.hits import ExtraHits, MissedHits, UnevenLevel
from thrumble.core.coach.verdict.judgement import HitKey, Judgement, judge
from thrumble.core.coach.verdict.strings import StopsRingOn, StrayStrings, WrongFrets
from thrumble.core.coach.verdict.tempo import Drift, Swing
from thrumble.core.coach.verdict.timing import (
    LateAfterShifts,
    LeadOrLag,
    LooseTiming,
    OneBeatOff,
    Tiring,
)
from thrumble.core.coach.verdict.whole_take import (
    AlsoWrong,
    Clean,
    DamagedRecording,
    FewErrors,
    NothingHeard,
    WrongRiff,
)
from thrumble.core.ear.reading import HeardKind, HitState
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.formats.reading_json import reading_document, reading_from_document
from thrumble.formats.riff_json import riff_from_document
from thrumble.trained import EAR

GOLDEN = Path(__file__).parent.parent / "golden/findings.json.gz"
RIFFS = {name: parse_riff(text) for name, text in riff_texts().items()}
DEAD = parse_riff("title: T\ntempo: 110\n[A]\n" + "| A5@5/0 o x o x o x o x |\n" * 6)
RUNG = parse_riff("title: T\ntempo: 110\n[A]\n" + "| A5@5/0 o o o o o o o o |\n" * 6)
RAMP = parse_riff(
    "title: T\ntempo: 110\npedal: 6:0\n[A]\n| { m=0.95 m m m m m m m | m m m m m m m m=0.2 } |\n"
)
FLAT = parse_riff(
    "title: T\ntempo: 110\npedal: 6:0\n[A]\n"
    + "| m=0.6 m=0.6 m=0.6 m=0.6 m=0.6 m=0.6 m=0.6 m=0.6 |\n" * 2
)


def demo(name: str, *, delay_ms: float | None = None, **flaws: float) -> Judgement:
    """A sample riff played with a flaw."""
    return heard(RIFFS[name], Flaws(**{"timing": 5.0, **flaws}), delay_ms=delay_ms)


def analysed_as(played: Riff, written: Riff, info: TakeInfo | None = None) -> Judgement:
    """One riff played, analysed as another."""
    take = perform(played, seed=5, tone=Tone.CRUNCH, flaws=Flaws(timing=5))
    info = replace(info or TakeInfo(), start_s=take.start_s, delay_ms=0.0)
    return judge(
        read_take(take.samples, take.rate_hz, expand(written), info, ear=EAR), expand(written)
    )


def silent(riff: Riff) -> Judgement:
    take = perform(riff, seed=1)
    info = TakeInfo(start_s=take.start_s)
    return judge(
        read_take(take.samples * 0, take.rate_hz, expand(riff), info, ear=EAR), expand(riff)
    )


GATE, PLANKS = RIFFS["1-sluice-gate"], RIFFS["6-stop-planks"]
GAPS = TakeInfo(dropouts=("33 gaps of silence inside the sound",))
RANG = {"heard_articulation": HeardKind.OPEN, "probabilities": {"open": 0.99, "palm": 0.01}}
# a take that shows each finding, and a part of what it says of it
TAKES: dict[type[Finding], tuple[Callable[[], Judgement], str]] = {
    NothingHeard: (lambda: silent(PLANKS), "We heard nothing"),
    WrongRiff: (lambda: analysed_as(PLANKS, GATE), "doesn't sound like Sluice Gate"),
    DamagedRecording: (lambda: analysed_as(PLANKS, PLANKS, GAPS), "33 gaps"),
    Drift: (lambda: demo("8-nine-locks-down", drift=-14), "You slow down by about 1"),
    Swing: (lambda: demo("3-towpath-shuffle", timing=4, swing=1.2), "straighter than written"),
    LeadOrLag: (lambda: demo("1-sluice-gate", bias=30, delay_ms=0.0), "ms behind the click"),
    LateAfterShifts: (lambda: demo("8-nine-locks-down", shift=40), "late after long shifts"),
    OneBeatOff: (
        lambda: invented([ms + 30 * (k % 8 == 3) for k, ms in enumerate(NOISE)]),
        "Your hits on the “&” of 2 are",
    ),
    Tiring: (lambda: demo("8-nine-locks-down", tiring=50), "gets loose from about bar"),
    LooseTiming: (lambda: demo("1-sluice-gate", timing=26), "Your timing is loose"),
    MissedHits: (lambda: demo("1-sluice-gate", missed=0.12), "You missed"),
    ExtraHits: (lambda: demo("2-ballast", extra=0.15), "that the riff doesn't have"),
    UnevenLevel: (lambda: heard(GATE, Flaws(timing=5, level=6), tone=Tone.CLEAN), "vary by"),
    NotAsWritten: (lambda: demo("1-sluice-gate", wrong=0.12), "don't sound as written"),
    PalmMutesRing: (lambda: demo("1-sluice-gate", ringing=0.3), "Palm mutes ring open"),
    OpenHitsChoked: (lambda: demo("2-ballast", choked=0.5), "Open hits are choked"),
    DeadHitsRing: (lambda: analysed_as(RUNG, DEAD), "Dead hits ring all over the riff, 24 of 24"),
    FlatMuteRamp: (lambda: analysed_as(FLAT, RAMP), "Your mute ramp in bar 1 stays at one depth"),
    StopsRingOn: (lambda: demo("6-stop-planks", stop=140, stop_spread=10), "Your stops ring on"),
    WrongFrets: (lambda: demo("1-sluice-gate", fret=0.3), "fretted wrong"),
    StrayStrings: (lambda: demo("1-sluice-gate", stray=0.4), "A stray open string is ringing"),
    Clean: (lambda: invented(NOISE.tolist()), "Clean: 96 of 96 hits are in time"),
    FewErrors: (
        lambda: invented(NOISE[:24].tolist(), hits={1: RANG, 3: RANG}),
        "In time: 24 of 24 hits (within 20 ms). 2 palm mutes ring: bar 1.",
    ),
    AlsoWrong: (
        lambda: invented((NOISE + 25).tolist(), hits={1: RANG}),
        "Also: 1 palm mute rings: bar 1.",
    ),
}  # fmt: skip


def test_every_finding_has_a_take_that_shows_it() -> None:
    assert set(TAKES) == {*FINDINGS, *whole_take.CLOSING}


@pytest.mark.parametrize("kind", TAKES, ids=lambda kind: kind.__name__)
def test_a_flaw_gives_its_finding_which_speaks_with_its_evidence(kind: type[Finding]) -> None:
    make, words = TAKES[kind]
    judgement = make()
    findings = find_findings(judgement)
    found = [finding for finding in findings if isinstance(finding, kind)]
    sentences = [finding.sentence(judgement) for finding in findings]
    assert len(found) == 1, sentences
    assert findings.index(found[0]) == (len(findings) - 1 if kind is AlsoWrong else 0), sentences
    costs = [finding.cost for finding in findings]
    assert len(findings) <= 4 and costs == sorted(costs, reverse=True)
    text = found[0].sentence(judgement)
    assert words in text, sentences
    assert re.fullmatch(r"(?:[A-Z0-9“][^.]*(?:\.\d[^.]*)*\.\s?)+", text) and "  " not in text, text
    assert bool(found[0].label) == found[0].is_cause
    by_key = judgement.by_key()
    assert all(found[0].mark(by_key[key]) for key in found[0].hits)
    evidence = found[0].evidence()
    assert not {"cost", "hits"} & set(evidence) and None not in evidence.values()
    assert json.loads(json.dumps(evidence)) == evidence


def test_kinds_in_files_and_in_the_database_are_distinct() -> None:
    classes: list[type[Finding]] = [*FINDINGS, Clean, FewErrors]
    kinds = [kind.kind for kind in classes]
    assert len(kinds) == len(set(kinds))


def test_recorded_takes_get_the_same_findings_as_ever() -> None:
    """32 analysed takes with flaws alone, in pairs, and none; their findings as of November 2026."""
    differing = []
    for case in json.loads(gzip.decompress(GOLDEN.read_bytes())):
        expanded = expand(riff_from_document(case["riff"]))
        judgement = judge(reading_from_document(case["reading"]), expanded)
        findings = [(found, found.sentence(judgement)) for found in find_findings(judgement)]
        document = reading_document(judgement.reading, findings)
        shown = [
            {name: cause[name] for name in ("kind", "cost", "text")} for cause in document["causes"]
        ]
        if shown != case["findings"]:
            differing.append((case["name"], shown, case["findings"]))
    assert not differing


def test_a_steady_tone_is_sound_without_hits_and_not_silence() -> None:
    rate_hz = 48000
    hum = (0.2 * np.sin(2 * np.pi * 100 * np.arange(12 * rate_hz) / rate_hz)).astype(np.float32)
    expanded = expand(PLANKS)
    judgement = judge(read_take(hum, rate_hz, expanded, TakeInfo(start_s=0.5), ear=EAR), expanded)
    (finding,) = find_findings(judgement)
    assert finding.sentence(judgement).startswith("We heard sound in this take but no hits.")
    assert judgement.reading.cautions[0].code == "no_hits"


@pytest.mark.parametrize(
    ("count", "sentence"),
    [
        (1, "1 chord is fretted wrong, in bar 1."),
        (2, "2 chords are fretted wrong, in bars 1 and 2."),
        (5, "5 chords are fretted wrong, all over the riff."),
    ],
)
def test_sentences_have_their_numbers_right(count: int, sentence: str) -> None:
    wrong = {row * 8: {"chord_ok": False} for row in range(count)}
    judgement = invented(NOISE.tolist(), hits=wrong)
    keys = tuple(HitKey(1, row * 8) for row in range(count))
    finding = WrongFrets(cost=1, hits=keys, wrong=count, checked=12)
    assert finding.sentence(judgement).startswith(sentence)


@pytest.mark.parametrize(
    ("away_ms", "left"),
    [(60.0, {"tiring", "missed", "drift"}), (100.0, {"missed", "drift"}), (-130.0, {"drift"})],
)
def test_far_off_the_click_what_follows_from_it_is_not_reported(
    away_ms: float, left: set[str]
) -> None:
    drift = Drift(cost=0.5, drift_bpm_per_min=9, tempo_off_bpm=0, span_s=9, away_ms=away_ms, bar=3)
    tiring = Tiring(cost=0.2, before_ms=5, after_ms=20, bar=3, round=1)
    loose = LooseTiming(cost=0.1, spread_ms=20, off=9, played=64, early_share=0.5)
    findings = [
        drift,
        tiring,
        loose,
        MissedHits(cost=0.2, missed=4, due=64),
        LeadOrLag(cost=0.3, bias_ms=20),
    ]
    assert {finding.kind for finding in findings if not finding.is_suppressed(findings)} == left


def test_wrong_hits_of_many_kinds_are_reported_together_unless_one_prevails() -> None:
    keys = tuple(HitKey(1, index) for index in range(10))
    together = NotAsWritten(cost=0.1, hits=keys, wrong=10, told=64)
    for rung, together_reported in ((4, True), (5, False)):
        ringing = PalmMutesRing(cost=0.05, hits=keys[:rung], wrong=rung, written=32, after_open=0)
        findings: list[Finding] = [together, ringing]
        assert together.is_suppressed(findings) is not together_reported
        assert ringing.is_suppressed(findings) is together_reported


def test_a_missed_hit_beside_a_lag_is_listed_with_it() -> None:
    judgement = invented((NOISE + 25).tolist(), hits={9: {"state": HitState.MISSED}})
    assert AlsoWrong.find(Review(judgement)) is None, "nothing is named yet"
    last = find_findings(judgement)[-1]
    assert last.sentence(judgement) == "Also: 1 hit is missing: bar 2."


def test_the_headline_of_loose_timing_counts_the_hits_that_the_screens_call_out_of_time() -> None:
    """Also with a lag that is too small for a finding of its own, and beside one that is not."""
    checked = set()
    cases: tuple[dict[str, float], ...] = (
        {"timing": 16.0, "delay_ms": 0.0},
        {"timing": 22.0},
        {"timing": 26.0, "delay_ms": 0.0},
    )
    for flaws in cases:
        for riff in ("1-sluice-gate", "3-towpath-shuffle", "5-puddle-clay"):
            judgement = demo(riff, **flaws)  # type: ignore[arg-type]
            findings = find_findings(judgement)
            off = {hit.key for hit in judgement.played if not hit.in_time}
            for finding in findings:
                if isinstance(finding, LooseTiming):
                    assert set(finding.hits) <= off and finding.off == len(finding.hits)
                    assert finding.beside_others or finding.off == len(off)
                    checked.add((riff, finding.beside_others))
    assert len(checked) >= 3
