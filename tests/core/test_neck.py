"""The neck by known cases: shapes, silence, places, pick path, ladder, recall, landing."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from thrumble.core.chords.names import read_chord_name
from thrumble.core.coach.progress import moves
from thrumble.core.coach.progress.moves import Landing, fit_landings
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument, Note
from thrumble.core.neck.catalogue import CATALOGUE, SHAPES, along_the_neck, place_shape
from thrumble.core.neck.grips import Grip, grips
from thrumble.core.neck.hand import Damping, Hand, School
from thrumble.core.neck.ladder import ladder_riff, reach_ladder
from thrumble.core.neck.muting_map import Silencer, muting_map
from thrumble.core.neck.picking import Picking, PickPath, Trouble, pick_path
from thrumble.core.neck.places import find_places, name_at, roots_of, uses_flats
from thrumble.core.neck.routes import plan_routes
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.printing import print_riff
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.riff.silence import silent_strings
from thrumble.core.rig.recall import Call, Order, draw_calls, hear_calls
from thrumble.trained import EAR

NECK = Instrument()
DROPPED = Instrument(tuning=("D2", "A2", "D3", "G3", "B3", "E4"))


def frets(notes: tuple[Note, ...] | None) -> dict[int, int | None]:
    return {note.string: note.fret for note in notes or ()}


# --- shapes ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("key", "neck", "root", "fret", "asked"),
    [
        ("two", NECK, 6, 3, {6: 3, 5: 5}),
        ("two", NECK, 3, 2, {3: 2, 2: 5}),  # one fret more between strings 3 and 2
        ("three", NECK, 4, 2, {4: 2, 3: 4, 2: 5}),
        ("one-finger", DROPPED, 6, 4, {6: 4, 5: 4, 4: 4}),
        ("bass-fifth", NECK, 5, 3, {6: 3, 5: 3}),
        ("wide", NECK, 6, 3, {6: 3, 4: 5, 3: 7}),
        ("wide", NECK, 5, 3, {5: 3, 3: 5, 2: 8}),
        ("fifth-root-fifth", NECK, 4, 5, {5: 5, 4: 5, 3: 7}),
        ("open", NECK, 6, 0, {6: 0, 5: 2, 4: 2}),
        ("open", NECK, 4, 0, {4: 0, 3: 2, 2: 3}),
        ("sixth", NECK, 5, 3, {5: 3, 4: 7}),
        ("seventh", NECK, 5, 3, {5: 3, 4: 8}),
        ("flat-fifth", NECK, 6, 3, {6: 3, 5: 4}),
        ("sharp-fifth", NECK, 6, 3, {6: 3, 5: 6}),
        ("over-bass", NECK, 4, 0, {6: 2, 4: 0, 3: 2, 2: 3}),
        ("drones", NECK, 6, 3, {6: 3, 5: 5, 4: 5, 2: 0, 1: 0}),
    ],
)
def test_shapes_lie_where_players_take_them(
    key: str, neck: Instrument, root: int, fret: int, asked: dict[int, int]
) -> None:
    assert frets(place_shape(SHAPES[key], neck, root, fret)) == asked


def test_shapes_that_a_tuning_has_no_place_for_are_none() -> None:
    assert place_shape(SHAPES["one-finger"], NECK, 6, 4) is None
    assert place_shape(SHAPES["open"], NECK, 6, 1) is None
    assert place_shape(SHAPES["wide"], NECK, 2, 1) is None


def test_the_shuffles_reach_along_the_neck() -> None:
    """Root and sixth, 648 mm: fret 1 126 mm, 3 112, 5 100, 7 89, 9 79, 12 67."""
    lines = {line.fret: line for line in along_the_neck(SHAPES["sixth"], NECK, 6, Hand())}
    known = {1: 126, 3: 112, 5: 100, 7: 89, 9: 79, 12: 67}
    assert {fret: round(lines[fret].span_mm) for fret in known} == known
    assert lines[1].grip is None and lines[5].grip is not None
    assert lines[5].grip.fingers == (1, 4)


@settings(max_examples=40, deadline=None)
@given(st.sampled_from(CATALOGUE), st.integers(1, 10), st.integers(3, 6))
def test_shapes_sound_their_intervals_wherever_they_lie(
    shape: object, fret: int, root: int
) -> None:
    notes = place_shape(shape, NECK, root, fret)  # type: ignore[arg-type]
    if notes is None:
        return
    base = NECK.open_midi(root) + fret
    sounding = [(NECK.midi(note) or 0) - base for note in notes if note.fret]
    assert sounding == list(shape.intervals[: len(sounding)])  # type: ignore[attr-defined]


# --- silence --------------------------------------------------------------------------------------


def grip(notes: tuple[Note, ...], fingers: tuple[int, ...]) -> Grip:
    (found,) = [g for g in grips(NECK, notes, 180, None) if g.fingers == fingers]
    return found


def silencers(
    notes: tuple[Note, ...], fingers: tuple[int, ...], damping: Damping = Damping.SWEEP
) -> dict[int, tuple[Silencer | None, int | None]]:
    found = muting_map(grip(notes, fingers).notes, 6, damping)
    return {one.string: (one.by, one.finger) for one in found.quiet}


FLAT, TIP, UNDER = Silencer.FLAT, Silencer.TIP, Silencer.UNDERSIDE


def test_what_lies_on_each_string() -> None:
    power = (Note(5, 3), Note(4, 5))
    assert silencers(power, (1, 3)) == {6: (TIP, 1), 3: (FLAT, 1), 2: (FLAT, 1), 1: (FLAT, 1)}
    high = silencers((Note(3, 5), Note(2, 8)), (1, 4))
    assert high[4] == (TIP, 1) and high[6] == (Silencer.THUMB, None) and high[5] == (None, None)
    aimed = silencers((Note(3, 5), Note(2, 8)), (1, 4), Damping.AIM)
    assert aimed[5] == (Silencer.PALM, None)
    wide = silencers((Note(6, 3), Note(4, 5), Note(3, 7)), (1, 2, 4))
    assert wide[5] == (UNDER, 1) and wide[1] == (FLAT, 1)
    over = silencers((Note(6, 2), Note(4, 0), Note(3, 2), Note(2, 3)), (5, 1, 2))
    assert over[5] == (Silencer.THUMB, None), "the thumb's own edge"
    opened = silencers((Note(6, 3), Note(5, 5), Note(1, 0)), (1, 3))
    assert opened[2] == (None, None), "finger 1 may not lie flat over an open string that rings"


def test_what_the_pick_must_keep_off() -> None:
    notes = grip((Note(5, 3), Note(4, 5), Note(1, 0)), (1, 3)).notes
    swept = muting_map(notes, 6)
    assert swept.unguarded == swept.avoid == (2,), "a flat finger would choke the open string"
    assert muting_map(notes, 6, Damping.AIM).avoid == (2, 3, 6)
    assert muting_map(notes, 6, ringing=frozenset({2})).unguarded == ()


def test_a_free_first_finger_lies_flat_behind_the_others() -> None:
    """The shuffle's sixth: finger 3 on it, the root open, finger 1 resting behind."""
    sixth = silencers((Note(5, 0), Note(4, 4)), (3,))
    assert sixth == {6: (Silencer.THUMB, None), 3: (FLAT, 1), 2: (FLAT, 1), 1: (FLAT, 1)}
    assert silencers((Note(6, 5), Note(5, 7)), (2, 4))[1] == (FLAT, 1)


def test_the_map_and_the_ear_mean_the_same_strings() -> None:
    """What must not ring is one list: the ear looks for these, the map says who damps them."""
    riff = parse_riff(
        "title: T\ntempo: 100\n[A]\n| 6:3,5:5,1:0^ o 5:3,4:5 o 6:5,5:7 o - - - - - |\n"
        "| 6:3,1:3 o - - - 6:2 m m o o |\n"
    )
    hits = [due.hit for due in expand(riff).hits]
    silent = silent_strings(hits, 6)
    assert silent[0] == (2, 3, 4) and silent[1] == (2, 3, 6), "string 1 rings on by right"
    assert silent[2] == (2, 3, 4) and silent[4] == (1, 2, 3, 4, 5)


# --- places ---------------------------------------------------------------------------------------


def test_a_name_is_found_everywhere_and_a_place_gives_its_name_back() -> None:
    chord = read_chord_name("F#5")
    assert chord is not None
    found = find_places(chord, NECK, Hand())
    spots = [frets(place.notes) for place in found]
    assert {6: 2, 5: 4} in spots and {5: 9, 4: 11} in spots and {4: 4, 3: 6} in spots
    assert all(name_at(NECK, p.root.string, p.root.fret or 0, flats=False) == "F#" for p in found)
    assert [(n.string, n.fret) for n in roots_of(6, NECK)][:3] == [(6, 2), (5, 9), (4, 4)]
    assert name_at(NECK, 6, 1, flats=True) == "F" and name_at(NECK, 6, 2, flats=True) == "Gb"
    assert [uses_flats(key) for key in ("F", "Bb", "G", "Gm", "Em")] == [
        True,
        True,
        False,
        True,
        False,
    ]


# --- pick path ------------------------------------------------------------------------------------


def path(
    bars: str, picking: Picking, *, tempo: int = 120, damping: Damping = Damping.AIM
) -> PickPath:
    expanded = expand(parse_riff(f"title: T\ntempo: {tempo}\n[A]\n{bars}\n"))
    route = plan_routes(expanded, NECK, strict=True)[0]
    return pick_path(expanded, route, picking, damping)


def test_a_stroke_goes_from_gap_to_gap_and_comes_to_rest_on_the_next_string() -> None:
    two = "| 6:3,5:5 o - 6:3,5:5 o - |"
    down = path(two, Picking.DOWN).strokes
    assert [(s.start, s.rest, s.passes) for s in down] == [(6, 4, (6, 5))] * 2
    assert down[1].crossed == 2, "back over both strings through the air"
    _, up = path("| 6:3,5:5 o o . . . . . . |", Picking.ALTERNATE).strokes
    assert (up.start, up.rest, up.passes, up.crossed) == (4, 6, (5, 6), 0)
    accents = path("| 6:3,5:5 o >o o o |", Picking.ACCENTS_UP).strokes
    assert [s.stroke.value for s in accents] == ["down", "up", "down", "down"]
    (fingers,) = path("| 6:3,4:5,3:7 o - - - |", Picking.FINGERS).strokes
    assert fingers.plucked == ((6, "pick"), (4, "middle"), (3, "ring"))
    (swept,) = path("| 5:3,4:5 o - - - |", Picking.DOWN, damping=Damping.SWEEP).strokes
    assert swept.passes == (6, 5, 4, 3, 2, 1), "everything is damped: a big, free stroke"


@pytest.mark.parametrize(
    ("bars", "picking", "tempo", "kind", "words"),
    [
        (
            "| 6:0,4:0 o - - - |",
            Picking.DOWN,
            100,
            Trouble.UNGUARDED,
            "String 5 lies in the middle",
        ),
        ("| 6:3 o 3:5 o 6:3 o 3:5 o |", Picking.DOWN, 300, Trouble.TOO_FAST, "an up-stroke"),
        ("| 6:3 o 4:5 o - - - - - - |", Picking.ALTERNATE, 160, Trouble.WRONG_SIDE, "down-stroke"),
    ],
)
def test_what_does_not_work_out_is_named_with_a_remedy(
    bars: str, picking: Picking, tempo: int, kind: Trouble, words: str
) -> None:
    found = path(bars, picking, tempo=tempo).conflicts
    assert found and found[0].kind is kind and words in found[0].words
    assert path("| 6:3,5:5 o - o - |", Picking.DOWN).conflicts == ()


# --- reach ladder ---------------------------------------------------------------------------------


def test_a_ladder_comes_down_from_where_it_is_easy() -> None:
    rungs = reach_ladder(NECK, (Note(6, 3), Note(5, 7)), Hand(reach_mm=112))
    assert [rung.fret for rung in rungs] == list(range(12, 2, -1))
    assert rungs[0].span_mm <= 0.6 * 112 < rungs[1].span_mm
    assert [round(rung.span_mm) for rung in rungs if rung.fret in (3, 5)] == [100, 112]
    riff = ladder_riff("root and sixth", rungs, NECK)
    assert parse_riff(print_riff(riff)) == riff and len(riff.sections[0].bars) == 20
    assert reach_ladder(NECK, (Note(6, 0), Note(5, 2)), Hand()) == ()
    assert len(reach_ladder(NECK, (Note(6, 9), Note(5, 11)), Hand())) == 4


# --- recall ---------------------------------------------------------------------------------------

ALL, LOW = tuple(range(12)), (6, 5)


def test_calls_keep_to_their_order() -> None:
    circle = draw_calls(ALL, LOW, Order.CIRCLE, 12, seed=3)
    assert all((b.root - a.root) % 12 == 7 for a, b in pairwise(circle))
    drawn = draw_calls(ALL, LOW, Order.RANDOM, 24, seed=3)
    assert drawn == draw_calls(ALL, LOW, Order.RANDOM, 24, seed=3)
    assert all(a != b for a, b in pairwise(drawn))
    slow = {Call(root, string): 400.0 for root in ALL for string in LOW} | {Call(1, 6): 6000.0}
    weak = [
        c for s in range(20) for c in draw_calls(ALL, LOW, Order.WEAK, 20, seed=s, times_ms=slow)
    ]
    assert weak.count(Call(1, 6)) > 0.3 * len(weak)
    for bad in (((), LOW, 4), (ALL, (), 4), (ALL, LOW, 99)):
        with pytest.raises(BadInput):
            draw_calls(bad[0], bad[1], Order.RANDOM, bad[2], seed=1)


@pytest.mark.parametrize("tone", list(Tone))
def test_answers_are_told_right_from_wrong_with_the_time_they_took(tone: Tone) -> None:
    """Every third call is answered a fret too high, each after so many eighths; one not at all."""
    calls = draw_calls(ALL, LOW, Order.RANDOM, 8, seed=11)
    bars, asked = [], []
    for k, call in enumerate(calls):
        fret = (call.root - NECK.open_midi(call.string)) % 12 + (1 if k % 3 == 2 else 0)
        wait = 2 + k % 3
        hit = f"{call.string}:{fret},{call.string - 1}:{fret + 2} o" if k != 4 else "."
        bars.append("| " + ". " * wait + hit + (" ~" if k != 4 else " .") * (7 - wait) + " |")
        asked.append((None if k == 4 else k % 3 != 2, wait))
    take = perform(
        parse_riff("title: T\ntempo: 100\n[A]\n" + "\n".join(bars) + "\n"),
        seed=5,
        tone=tone,
        click_db=-30.0,
    )
    times = [take.start_s + 2.4 * k for k in range(8)]
    found = hear_calls(take.samples, take.rate_hz, calls, times, times[-1] + 2.4, NECK, ear=EAR)
    assert [one.right for one in found] == [right for right, _ in asked]
    for one, (right, wait) in zip(found, asked, strict=True):
        if right is not None:
            assert one.recall_ms == pytest.approx(wait * 300, abs=25)
    silent = hear_calls(np.zeros(96000), 48000, calls[:2], [0.1, 0.9], 1.9, NECK, ear=EAR)
    assert all(one.right is None and one.recall_ms is None for one in silent)


# --- landing --------------------------------------------------------------------------------------


def landed(slope: float, seed: int, *, moves: int = 24) -> list[Landing]:
    rng = np.random.default_rng(seed)
    mm = rng.choice([30.0, 60.0, 95.0, 145.0, 190.0], moves)
    late = slope * mm / 100 + rng.normal(0, 12, moves)
    return [
        Landing(
            index=k,
            round=1,
            bar=k,
            mm=float(far),
            time_ms=250,
            late_ms=float(ms),
            in_time=abs(ms) < 20,
            early_ms=None,
        )
        for k, (far, ms) in enumerate(zip(mm, late, strict=True))
    ]


@pytest.mark.parametrize("slope", [0.0, 20.0])
def test_the_slopes_interval_holds_the_truth_19_times_of_20(slope: float) -> None:
    held = 0
    for seed in range(400):
        found = moves._slope(own := landed(slope, seed), [one.mm / 100 for one in own])
        assert found is not None and found.low <= found.value <= found.high
        held += found.low <= slope <= found.high
    assert 0.92 <= held / 400 <= 0.98


def test_too_few_moves_or_one_size_say_nothing() -> None:
    few = landed(20, 1, moves=7)
    assert moves._slope(few, [one.mm / 100 for one in few]) is None
    same = [replace(one, mm=53.0) for one in landed(20, 1)]
    assert moves._slope(same, [one.mm / 100 for one in same]) is None


def test_a_player_who_is_late_after_long_moves_is_told_so() -> None:
    """Short moves of one fret land in time, those of six frets 45 ms late."""
    text = "title: T\ntempo: 110\npedal: 6:0\n[A]\n" + "".join(
        f"| 6:2,5:4 o o o o 6:{a},5:{a + 2} o o o o |\n| 6:{a + 1},5:{a + 3} o o o o 6:{b},5:{b + 2} o o o o |\n"
        for a, b in ((3, 9), (4, 10), (3, 8), (5, 11))
    )
    riff = parse_riff(text)
    expanded = expand(riff)
    take = perform(riff, seed=2, tone=Tone.CRUNCH, flaws=Flaws(timing=3, shift=45))
    reading = read_take(
        take.samples,
        take.rate_hz,
        expanded,
        TakeInfo(start_s=take.start_s, delay_ms=0.0),
        ear=EAR,
    )
    fit = fit_landings(judge(reading, expanded))
    assert fit.per_100_mm is not None and fit.per_100_mm.clear and 15 < fit.per_100_mm.value < 60
    steady = perform(riff, seed=2, tone=Tone.CRUNCH, flaws=Flaws(timing=3))
    reading = read_take(
        steady.samples,
        steady.rate_hz,
        expanded,
        TakeInfo(start_s=steady.start_s, delay_ms=0.0),
        ear=EAR,
    )
    calm = fit_landings(judge(reading, expanded)).per_100_mm
    assert calm is not None and abs(calm.value) < 6


def test_schools_have_the_fingers_they_say() -> None:
    for school in School:
        for one in grips(NECK, (Note(6, 5), Note(5, 7)), 180, school):
            allowed = {"1-3": {1, 3}, "1-4": {1, 4}, "1-3-4": {1, 3, 4}, "barre": {1, 3}}
            assert set(one.fingers) <= allowed[school.value]


def test_fast_chugs_are_aimed_and_chords_with_time_are_swept() -> None:
    """No pick has to come back from a sweep in 68 ms for a low E chug."""
    chugs = expand(
        parse_riff("title: T\ntempo: 220\npedal: 6:0\n[A]\n| 6:3,5:5 o m m m m m m m |\n")
    )
    (route, *_) = plan_routes(chugs, NECK)
    path = pick_path(chugs, route, Picking.DOWN, Damping.SWEEP)
    assert not path.conflicts and all(len(stroke.passes) <= 2 for stroke in path.strokes)
    stabs = expand(parse_riff("title: T\ntempo: 100\n[A]\n| 6:3,5:5 o ~ ~ ~ o ~ ~ ~ |\n"))
    (route, *_) = plan_routes(stabs, NECK)
    swept = pick_path(stabs, route, Picking.DOWN, Damping.SWEEP).strokes
    aimed = pick_path(stabs, route, Picking.DOWN, Damping.AIM).strokes
    assert len(swept[0].passes) > len(aimed[0].passes) == 2
