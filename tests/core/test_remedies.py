"""What is practised against each finding is what the guide tells players."""

from decimal import Decimal

from benchmarks.remedies import GUIDE, THE_RIFF, table_of

from tests.core.coach_takes import heard
from thrumble.core.coach.progress.drill_tempo import DrillTempo, drill_tempo
from thrumble.core.coach.verdict.findings import FINDINGS, find_findings
from thrumble.core.coach.verdict.proposals import propose
from thrumble.core.coach.verdict.timing import LateAfterShifts
from thrumble.core.player.flaws import Flaws
from thrumble.core.riff.drills.catalogue import TABLE, DrillKind, make_drill
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.shifts import move_speeds_mm_s


def test_the_guide_says_what_the_coach_proposes() -> None:
    guide = table_of(GUIDE.read_text())
    proposed = {
        finding.label: tuple(
            THE_RIFF if remedy.drill is None else TABLE[remedy.drill].name
            for remedy in finding.remedies[:2]
        )
        for finding in FINDINGS
        if finding.label and finding.needs_practice
    }
    assert guide == proposed


def test_shifts_start_with_the_one_that_fails_and_never_with_a_slower_riff() -> None:
    chug = "o o o o o o o"
    bars = "\n".join(
        f"| {into}5@{place} o {home}5@{rest} {chug} |"
        for into, place, home, rest in [
            ("A", "6/5", "A", "6/5"),
            ("A#", "6/6", "A", "6/5"),
            ("E", "6/12", "E", "6/12"),
            ("D#", "6/11", "E", "6/12"),
        ]
    )
    riff = parse_riff(f"title: T\ntempo: 110\nplay: A A A\n[A]\n{bars}\n")
    judgement = heard(riff, Flaws(timing=9, shift=80), seed=5)
    findings = find_findings(judgement)
    proposals = propose(judgement, findings)
    assert findings[0].kind == LateAfterShifts.kind
    assert proposals[0].drill is DrillKind.SHIFTS and proposals[0].bars == (2, 3)
    assert all(proposal.drill is not None for proposal in proposals)
    assert all("tempo down" not in finding.sentence(judgement) for finding in findings)


def test_a_drill_starts_no_faster_than_the_riff_goes_and_the_hand_moves() -> None:
    riff = parse_riff("title: T\ntempo: 160\n[A]\n| F#5@6/2 o o E5@6/12 o o |\n")
    loop = make_drill(riff, DrillKind.LOOP)

    def start(step_bpm: float, best_mm_s: float) -> DrillTempo:
        return drill_tempo(loop, Decimal(1), 160.0, step_bpm, riff.instrument, best_mm_s)

    assert (start(160, 5000).tempo_bpm, start(160, 5000).why) == (160, "the riff's own tempo")
    assert start(120, 5000).tempo_bpm == 120
    slow = start(160, 400)
    fastest = max(move_speeds_mm_s(expand(loop, slow.tempo_bpm).hits, riff.instrument))
    assert 0.95 * 400 < fastest <= 400 and "your hand" in slow.why


def test_every_drill_says_whom_it_helps_how_long_and_until_when() -> None:
    for drill in TABLE.values():
        assert 2 <= drill.minutes <= 5
        for words in (drill.trains, drill.helps, drill.done):
            assert words and words[0].islower() and not words.endswith(".")
