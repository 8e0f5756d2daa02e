"""Drills: their hits are the riff's, each trains what it says; the coach proposes the right one."""

from decimal import Decimal
from itertools import pairwise
from typing import Any

import pytest

from thrumble.core.coach.progress.drill_effect import Measure, did_it_help, helped_words
from thrumble.core.coach.progress.passes import rounds_for, rounds_of
from thrumble.core.coach.verdict.findings import FINDINGS, find_findings
from thrumble.core.coach.verdict.judgement import Judgement, judge
from thrumble.core.coach.verdict.proposals import propose, worst_bar
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import BadInput
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.drills.catalogue import DRILLS, TABLE, DrillKind, drills_of, make_drill
from thrumble.core.riff.drills.pieces import pieces_of
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation, Riff
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.formats.riff_json import riff_document, riff_from_document
from thrumble.trained import EAR

RIFFS = {name: parse_riff(text) for name, text in riff_texts().items()}
NINE = RIFFS["8-nine-locks-down"]
HEAD = "title: T\ntempo: 100\n"


def riff(bars: str, head: str = "") -> Riff:
    return parse_riff(f"{HEAD}{head}[A]\n{bars}\n")


@pytest.mark.parametrize("name", list(RIFFS))
def test_the_hits_of_every_drill_are_hits_of_the_riff(name: str) -> None:
    whole = RIFFS[name]
    known = {due.identity for due in expand(whole).hits}
    offered = drills_of(whole)
    assert len(offered) >= 6
    for drill in offered:
        made = make_drill(whole, drill.kind)
        origins = [due.hit.origin for due in expand(made).hits]
        assert origins and all(one in known for one in origins)
        assert parse_riff(print_riff(made)) == made
        kept = riff_from_document(riff_document(made))
        assert [due.hit.origin for due in expand(kept).hits] == origins, "kept in the file"
        again = make_drill(kept, DrillKind.LOOP)
        assert [d.hit.origin for d in expand(again).hits] == origins, "a drill of a drill too"


@pytest.mark.parametrize("name", list(RIFFS))
def test_loops_of_every_bar_in_order_are_the_riff(name: str) -> None:
    whole = RIFFS[name]
    hits = [due for due in expand(whole).hits if due.bar > 0]
    looped: list[Any] = []
    for piece in pieces_of(whole):
        if piece.hits:
            bars = (piece.number, piece.number)
            looped += expand(make_drill(whole, DrillKind.LOOP, bars=bars)).hits
    assert [due.hit.origin for due in looped] == [due.identity for due in hits]
    assert [(d.hit.notes, d.hit.articulation, d.hit.at) for d in looped] == [
        (d.hit.notes, d.hit.articulation, d.hit.at) for d in hits
    ]


def made(whole: Riff, kind: DrillKind) -> str:
    return print_riff(make_drill(whole, kind)).split("]\n", 1)[1].strip()


def test_each_drill_is_what_it_says() -> None:
    chords = riff("| F#5@6/2 >o M o M B5@6/7 o M >o - |")
    assert made(chords, DrillKind.RIGHT_HAND).count("x") >= 7
    assert made(chords, DrillKind.MUTE_SWITCH) == "| F#5@6/2 >M M o o M M >o - |", "a quarter each"
    shifts = made(chords, DrillKind.SHIFTS)
    assert shifts.splitlines()[0] == "| F#5@6/2 o - B5@6/7 o - |"
    assert made(chords, DrillKind.STOPS) == "| . . . . . . B5@6/7 >o - |"
    accents = expand(make_drill(chords, DrillKind.ACCENTS)).hits
    assert [d.hit.accent for d in accents].count(True) == 2 and len(accents) == 7
    assert all(d.hit.accent or d.hit.articulation is Articulation.PALM for d in accents)
    assert made(chords, DrillKind.GRAB_RELEASE).splitlines() == [
        "| F#5@6/2 o - o - |",
        "| B5@6/7 o - o - |",
    ]
    half = expand(make_drill(chords, DrillKind.HALF_CHANGES))
    lows = [due.hit.notes[0].fret for due in half.hits]
    assert lows == [2] * 7 + [7] * 7, "each chord stays twice as long"
    wide = riff("| 6:3,5:7 o 6:3,5:5,4:5 o 6:5,5:7 /o o |")
    assert [len(d.hit.notes) for d in expand(make_drill(wide, DrillKind.TWO_STRINGS)).hits] == [
        2,
        2,
        2,
        2,
    ]
    plain = expand(make_drill(wide, DrillKind.PLAIN)).hits
    assert [note.fret for note in plain[0].hit.notes] == [3, 5], "root and fifth stay"
    assert all(due.hit.slide_from is None for due in plain)
    assert len(expand(make_drill(wide, DrillKind.SLIDES)).hits) == 1
    ladder = expand(make_drill(wide, DrillKind.REACH_LADDER)).hits
    assert [d.hit.notes[0].fret for d in ladder][::2] == [10, 9, 8, 7, 6, 5, 4, 3]
    burst = riff("| 5:3 o (m m) o o o o o o |", "pedal: 6:0\n")
    assert all(
        d.hit.articulation is Articulation.PALM
        for d in expand(make_drill(burst, DrillKind.BURST_RHYTHM)).hits
    )
    four = riff("| 6:3 o o | o o | o o | o o |")
    assert [d.bar for d in expand(make_drill(four, DrillKind.INNER_PULSE)).hits] == [1, 1, 2, 2]


def test_drills_refuse_what_they_cannot_train() -> None:
    single = riff("| 6:3 o o o o |")
    assert {drill.kind for drill in drills_of(single)} == {DrillKind.LOOP, DrillKind.RIGHT_HAND}
    with pytest.raises(BadInput, match="nothing for the drill 'stops alone'"):
        make_drill(single, DrillKind.STOPS)
    with pytest.raises(BadInput, match="bars 1 to 1"):
        make_drill(single, DrillKind.LOOP, bars=(2, 3))
    assert make_drill(NINE, DrillKind.SHIFTS).tempo_bpm == 90
    assert make_drill(NINE, DrillKind.SHIFTS, tempo_bpm=Decimal(77)).tempo_bpm == 77
    assert len(TABLE) == len(DRILLS) == len(DrillKind)


# --- from causes to drills ------------------------------------------------------------------------


def judged(
    whole: Riff, flaws: Flaws, *, seed: int = 4, rounds: int = 1, tempo: float | None = None
) -> Judgement:
    take = perform(whole, seed=seed, flaws=flaws, tone=Tone.CRUNCH, rounds=rounds, tempo_bpm=tempo)
    expanded = expand(whole, tempo)
    info = TakeInfo(start_s=take.start_s, delay_ms=0.0, rounds=rounds)
    return judge(read_take(take.samples, take.rate_hz, expanded, info, ear=EAR), expanded)


@pytest.mark.parametrize(
    ("name", "flaws", "asked"),
    [
        ("8-nine-locks-down", Flaws(timing=5, shift=40), DrillKind.SHIFTS),
        ("6-stop-planks", Flaws(timing=4, stop=140), DrillKind.STOPS),
        ("3-towpath-shuffle", Flaws(timing=4, swing=1.25), DrillKind.RIGHT_HAND),
    ],
)
def test_a_take_proposes_the_drill_that_answers_it(
    name: str, flaws: Flaws, asked: DrillKind
) -> None:
    judgement = judged(RIFFS[name], flaws, rounds=2)
    found = propose(judgement, find_findings(judgement))
    assert found and found[0].drill is asked and found[0].why
    assert 20 <= found[0].tempo_bpm <= judgement.expanded.tempo_bpm


def test_a_clean_take_proposes_nothing_and_every_remedy_is_a_drill() -> None:
    judgement = judged(NINE, Flaws(timing=3))
    assert propose(judgement, find_findings(judgement)) == []
    assert all(0 < remedy.tempo_share <= 1 for kind in FINDINGS for remedy in kind.remedies)


def test_the_bar_that_is_worst_by_far_is_looped() -> None:
    calm = "| F#5@6/2 o o o o o o o o |"
    whole = riff("\n".join([calm, calm, "| F#5@6/2 o x o x o x o x |", calm]))
    strayed = riff("\n".join([calm] * 4))
    take = perform(strayed, seed=3, flaws=Flaws(timing=3), tone=Tone.CRUNCH)
    expanded = expand(whole)
    info = TakeInfo(start_s=take.start_s, delay_ms=0.0)
    judgement = judge(read_take(take.samples, take.rate_hz, expanded, info, ear=EAR), expanded)
    assert worst_bar(judgement) == 3
    best = propose(judgement, find_findings(judgement))[0]
    assert (best.drill, best.bars) == (DrillKind.LOOP, (3, 3))


# --- rounds and what a drill says about its riff --------------------------------------------------


def test_rounds_are_clean_or_not_whole_and_by_section() -> None:
    whole = parse_riff(f"{HEAD}play: A B\n[A]\n| F#5@6/2 o o o o |\n[B]\n| B5@5/2 o o o - |\n")
    good = rounds_of(judged(whole, Flaws(timing=2), rounds=2))
    assert [(one.round, one.section) for one in good] == [
        (1, ""),
        (1, "A"),
        (1, "B"),
        (2, ""),
        (2, "A"),
        (2, "B"),
    ]
    assert all(one.clean and one.timing for one in good)
    bad = rounds_of(judged(whole, Flaws(timing=30), rounds=2))
    assert not any(one.clean for one in bad if one.section == "")


def test_a_loop_counts_for_the_sections_it_holds_and_other_drills_for_none() -> None:
    whole = parse_riff(f"{HEAD}play: A B\n[A]\n| F#5@6/2 o o o o |\n[B]\n| B5@5/2 o o o - |\n")
    loop = judged(make_drill(whole, DrillKind.LOOP, bars=(1, 1)), Flaws(timing=2))
    assert [one.section for one in rounds_for(loop, expand(whole))] == ["A"]
    both = judged(make_drill(whole, DrillKind.LOOP), Flaws(timing=2))
    assert [one.section for one in rounds_for(both, expand(whole))] == ["", "A", "B"]
    damped = judged(make_drill(whole, DrillKind.RIGHT_HAND), Flaws(timing=2))
    assert rounds_for(damped, expand(whole)) == []


def test_whether_a_drill_helped_is_said_with_its_interval_or_not_at_all() -> None:
    held = frozenset(
        d.hit.origin for d in expand(make_drill(NINE, DrillKind.SHIFTS)).hits if d.hit.origin
    )
    before = judged(NINE, Flaws(timing=5, shift=60), seed=1)
    after = judged(NINE, Flaws(timing=5), seed=2)
    found = did_it_help(DrillKind.SHIFTS, before, after, held)
    assert found.clear and found.change is not None and found.change < -15
    words = helped_words(found, "shifts alone")
    assert words.startswith("Shifts alone helped: the same hits lie") and "closer" in words
    same = did_it_help(DrillKind.SHIFTS, after, judged(NINE, Flaws(timing=5), seed=3), held)
    assert not same.clear and "can't tell yet" in helped_words(same, "shifts alone")
    none = did_it_help(DrillKind.SHIFTS, before, after, frozenset())
    assert none.change is None and "Too early to say" in helped_words(none, "shifts alone")
    assert did_it_help(DrillKind.MUTE_SWITCH, before, after, held).measure is Measure.MUTING


def test_a_shuffle_is_one_chord_and_open_chords_cannot_be_released() -> None:
    boogie = riff("| 5:0,4:2 o o 5:0,4:4 o o 5:0,4:2 o o 5:0,4:4 o o |")
    kinds = {drill.kind for drill in drills_of(boogie)}
    assert DrillKind.HALF_CHANGES not in kinds, "fifth and sixth are no change"
    assert DrillKind.GRAB_RELEASE not in kinds, "an open string can't be let go"
    two = riff(
        "| 6:5,5:7 o o 6:5,5:9 o o 6:5,5:7 o o 6:5,5:9 o o |\n"
        "| 5:5,4:7 o o 5:5,4:9 o o 5:5,4:7 o o 5:5,4:9 o o |"
    )
    assert DrillKind.HALF_CHANGES in {drill.kind for drill in drills_of(two)}
    half = expand(make_drill(two, DrillKind.HALF_CHANGES)).hits
    assert [due.hit.notes[1].fret for due in half[:8]] == [7, 7, 9, 9, 7, 7, 9, 9], "still rocking"


def test_fast_strokes_switch_the_mute_by_quarters() -> None:
    fast = riff("| 6:5,5:7 (M M M M) (M M M M) (M M M M) o o o o |")
    kinds = [due.hit.articulation for due in expand(make_drill(fast, DrillKind.MUTE_SWITCH)).hits]
    switches = sum(a is not b for a, b in pairwise(kinds))
    assert switches == 3, "four quarters, three switches"
