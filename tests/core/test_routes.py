"""Ways along the neck: distances by hand, fingerings known, the best route against every other."""

import random
import time
from dataclasses import replace
from itertools import combinations, pairwise, product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument, Note
from thrumble.core.neck.grips import Grip, grips, layouts
from thrumble.core.neck.hand import Hand, School, measure_reach
from thrumble.core.neck.locks import Lock
from thrumble.core.neck.routes import Route, plan_routes, ways_of
from thrumble.core.neck.shortest_path import ShortestPath, Stage
from thrumble.core.neck.weights import Weights, Wish, weights_for
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.notation.text import parse_riff

NECK = Instrument()
ONE_THREE = Hand(school=School.ONE_THREE)


def riff(bars: str, *, tempo: int = 120) -> ExpandedRiff:
    return expand(parse_riff(f"title: T\ntempo: {tempo}\npedal: 6:0\n[A]\n{bars}\n"))


def taken(route: Route, place: int = 0) -> list[tuple[int, int, int]]:
    return [(n.string, n.fret, n.finger) for n in route.places[place].grip.notes]


def fingers_of(
    notes: tuple[Note, ...], school: School | None, reach: float = 130
) -> set[tuple[int, ...]]:
    return {grip.fingers for grip in grips(NECK, notes, reach, school)}


def test_known_fingerings_of_power_chords() -> None:
    two = (Note(6, 5), Note(5, 7))
    assert fingers_of(two, School.ONE_THREE) == {(1, 3)}
    assert fingers_of(two, School.ONE_FOUR) == {(1, 4)}
    three = (*two, Note(4, 7))
    assert fingers_of(three, School.ONE_THREE_FOUR) == {(1, 3, 4)}
    assert fingers_of(three, School.BARRE) == {(1, 3, 3)}
    drop = (Note(6, 3), Note(5, 3), Note(4, 3))
    assert (1, 1, 1) in fingers_of(drop, None) and (2, 2, 2) not in fingers_of(drop, None)
    assert fingers_of((Note(6, 0), Note(5, 0)), None) == {()}


def test_the_hand_lies_where_finger_1_lies_or_rests() -> None:
    found = {grip.fingers: grip.hand for grip in grips(NECK, (Note(6, 5), Note(5, 7)), 130, None)}
    assert found[1, 3] == 5 and found[2, 4] == 4
    (four,) = [g for g in grips(NECK, (Note(6, 7),), 130, None) if g.fingers == (4,)]
    assert four.hand == 4 and four.span_mm == 0


def test_spans_and_moves_are_true_to_the_scale() -> None:
    """648 mm: fret 1 to 5 126 mm, 2 to 7 145, 1 to 8 203."""
    (wide,) = {g.span_mm for g in grips(NECK, (Note(6, 1), Note(5, 5)), 130, None)}
    assert wide == pytest.approx(648 * (2 ** (-1 / 12) - 2 ** (-5 / 12)), abs=0.01)
    for a, b, mm in ((2, 7, 145), (1, 8, 203), (5, 7, 53)):
        bars = f"| 6:{a},5:{a + 2} o 6:{b},5:{b + 2} o |"
        (route,) = plan_routes(riff(bars), NECK, ONE_THREE, strict=True)[:1]
        assert route.moves[0].distance_mm == pytest.approx(mm, abs=0.5)
        assert route.moves[0].time_ms == pytest.approx(500, abs=1), "half of a half note"
        assert route.moves[0].speed_mm_s == pytest.approx(route.moves[0].distance_mm * 2, rel=0.01)
    held = plan_routes(riff("| 6:2,5:4 o m m m m m m 6:9,5:11 o |"), NECK, strict=True)[0]
    assert held.moves[0].time_ms == pytest.approx(1750 - 125), "open strings leave the hand free"


def test_back_and_forth_within_three_frets_is_a_pivot_and_a_long_way_is_not() -> None:
    bars = "| 6:5,5:7 o 6:7,5:9 o 6:5,5:7 o 6:12,5:14 o |"
    (route,) = plan_routes(riff(bars), NECK, ONE_THREE, strict=True)[:1]
    assert [move.pivot for move in route.moves] == [True, True, False]
    assert route.worst_move == 2 and route.totals["travel_mm"] == pytest.approx(
        sum(move.distance_mm for move in route.moves), abs=0.1
    )


def test_the_written_place_comes_first_until_it_is_too_fast_for_this_hand() -> None:
    bars = "| 6:3,5:5 o 6:8,5:10 o |"
    first, second = plan_routes(riff(bars, tempo=240), NECK)[:2]
    assert first.written and first.name == "as written" and first.hardest_mm_s > 400
    assert not second.written and "no shifting at all" in second.advantages
    best = plan_routes(riff(bars, tempo=240), NECK, limit_mm_s=400)[0]
    assert [n[:2] for n in taken(best, 1)] == [(5, 3), (4, 5)] and not best.moves
    assert "no shifting at all" in best.advantages
    kept = plan_routes(riff(bars, tempo=240), NECK, strict=True)[0]
    assert [n[:2] for n in taken(kept, 1)] == [(6, 8), (5, 10)] and len(kept.moves) == 1


@settings(max_examples=25, deadline=None)
@given(
    st.lists(st.integers(1, 9), min_size=2, max_size=3),
    st.sampled_from([60, 120, 240]),
    st.sets(st.sampled_from(Wish), min_size=1, max_size=2),
)
def test_the_first_route_is_the_best_of_all(
    frets: list[int], tempo: int, wishes: set[Wish]
) -> None:
    """Every way there is, its cost added up by hand from the stated weights. With a wish the first
    route is the one that costs least, wherever it lies.
    """
    bars = "| " + " ".join(f"6:{fret},5:{fret + 2} o" for fret in frets) + " |"
    expanded = riff(bars, tempo=tempo)
    stops = [due for k, due in enumerate(expanded.hits) if not k or frets[k] != frets[k - 1]]
    if len(stops) < 2:
        return
    ways = [ways_of(due, NECK, Hand(reach_mm=130)) for due in stops]
    times = [0.0]
    for before, after in pairwise(stops):
        last = expanded.hits[after.index - 1]
        assert before.index <= last.index < after.index
        times.append(after.due_s - last.due_s - last.slot_s / 2)
    best = plan_routes(expanded, NECK, Hand(reach_mm=130), wishes=frozenset(wishes))[0]
    weights = weights_for(frozenset(wishes))
    least = min(by_hand(list(chosen), times, weights, 130) for chosen in product(*ways))
    assert best.cost == pytest.approx(least, abs=1e-4)


def by_hand(chosen: list[Grip], times: list[float], w: Weights, reach: float) -> float:
    """What a way costs, item by item."""
    total = 0.0
    for grip in chosen:
        tight = 1 - grip.spare_mm / reach if len(grip.fingers) > 1 else 0
        total += w.spread * max(0, min(1, tight)) ** 3 + w.unguarded * grip.unguarded
        total += w.skipped * grip.skipped + w.high * (grip.hand or 0) + w.odd * grip.odd
        total += w.little * (4 in grip.fingers) + w.thumb * (5 in grip.fingers)
        total += w.open_strings * len(grip.fingers)
    for k, (a, b) in enumerate(pairwise(chosen), 1):
        mm = abs(NECK.fret_mm(a.hand or 0) - NECK.fret_mm(b.hand or 0))
        across = abs(a.notes[0].string - b.notes[0].string)
        total += w.travel * mm + w.hurry * (mm / times[k] / w.quick_mm_s) ** 2
        total += w.strings * across + w.pick * max(0, across - 1)
        if a.fingers != b.fingers:
            total += w.fingers * (1 if shape_of(a) and shape_of(a) == shape_of(b) else 0.036)
        if form_of(a) != form_of(b):  # the same chord here: root and fifth
            total += w.form
    return total


def form_of(grip: Grip) -> list[tuple[int, bool]]:
    return [(grip.notes[0].string - note.string, not note.finger) for note in grip.notes]


def shape_of(grip: Grip) -> list[tuple[int, int]]:
    """How the pressed notes lie to each other; a single fret is no shape."""
    own = [note for note in grip.notes if note.finger]
    if len({note.fret for note in own}) < 2:
        return []
    return [(own[0].string - note.string, note.fret - own[0].fret) for note in own]


@settings(max_examples=60, deadline=None)
@given(st.lists(st.integers(0, 12), min_size=1, max_size=8), st.booleans())
def test_every_route_sounds_what_is_written(frets: list[int], strict: bool) -> None:
    bars = "| " + " ".join(f"6:{fret},5:{fret + 2} o" for fret in frets) + " |"
    expanded = riff(bars)
    found = plan_routes(expanded, NECK, Hand(reach_mm=150), strict=strict)
    assert found[0].written
    for route in found:
        assert [place.index for place in route.places] == [due.index for due in expanded.hits]
        for place, due in zip(route.places, expanded.hits, strict=True):
            asked = sorted(NECK.midi(note) or 0 for note in due.hit.notes)
            assert asked == sorted(
                NECK.open_midi(note.string) + note.fret for note in place.grip.notes
            )
            if strict:
                assert [(n.string, n.fret) for n in place.grip.notes] == [
                    (n.string, n.fret) for n in due.hit.notes
                ]


@settings(max_examples=40, deadline=None)
@given(st.integers(1, 8))
def test_an_octave_up_the_neck_halves_the_span(fret: int) -> None:
    def span(at: int) -> float:
        return next(
            iter(grips(NECK, (Note(6, at), Note(5, at + 2)), 200, School.ONE_THREE))
        ).span_mm

    assert span(fret + 12) == pytest.approx(span(fret) / 2, rel=1e-9)
    left = replace(NECK, left_handed=True)
    assert [g.span_mm for g in grips(left, (Note(6, fret), Note(5, fret + 2)), 200, None)] == [
        g.span_mm for g in grips(NECK, (Note(6, fret), Note(5, fret + 2)), 200, None)
    ]


def test_what_is_out_of_reach_is_named_with_what_would_do() -> None:
    stretched = riff("| 6:1,5:5 o - - - |")
    with pytest.raises(
        BadInput, match=r"bar 1: your hand can't reach .* with 80 mm.*nearest is 6:1,4:0"
    ):
        plan_routes(stretched, NECK, Hand(reach_mm=80), strict=True)
    with pytest.raises(BadInput, match="realistic reach"):
        plan_routes(stretched, NECK, Hand(reach_mm=20))
    assert plan_routes(stretched, NECK, Hand(reach_mm=130), strict=True)


def test_twelve_equal_strings_are_planned_as_far_as_time_allows() -> None:
    """Any of 495 ways to take each chord: far beyond what is gone through, and that is said."""
    frets = random.Random(5)
    bars = "\n".join(
        "| "
        + " ".join(
            ",".join(f"{string}:{frets.choice((3, 4, 5))}" for string in (11, 8, 5, 2)) + " o"
            for _ in range(8)
        )
        + " |"
        for _ in range(16)
    )
    text = f"title: All alike\ntempo: 100\ntuning: {' '.join(['E2'] * 12)}\n\n[A]\n{bars}\n"
    expanded = expand(parse_riff(text))
    begun = time.process_time()
    found = plan_routes(expanded, expanded.riff.instrument, Hand(reach_mm=130))
    assert time.process_time() - begun < 10, "14 s before, and an hour with twelve notes a chord"
    assert found and not found[0].complete
    assert [len(place.grip.notes) for place in found[0].places] == [4] * 128


def test_a_chord_on_twelve_strings_is_fingered_at_once() -> None:
    notes = tuple(Note(string, 3 + string % 2) for string in range(12, 0, -1))
    neck = Instrument(tuning=("E2",) * 12)
    assert grips(neck, notes, 150, None) == [], "no hand presses two frets in turn on twelve"
    barre = tuple(Note(string, 3) for string in range(12, 0, -1))
    assert {(1,) * 12, (3,) * 12} <= {grip.fingers for grip in grips(neck, barre, 150, None)}


def test_strings_that_nothing_silences_are_counted() -> None:
    def left(notes: tuple[Note, ...], fingers: tuple[int, ...]) -> int:
        (grip,) = [g for g in grips(NECK, notes, 150, None) if g.fingers == fingers]
        return grip.unguarded

    assert left((Note(6, 5), Note(5, 7)), (1, 3)) == 0, "finger 1 lies flat over the higher strings"
    assert left((Note(6, 5), Note(5, 7)), (2, 4)) == 0, "finger 1 is free to do so"
    assert left((Note(4, 5), Note(3, 7)), (1, 3)) == 0, "tip on string 5, thumb on string 6"
    assert left((Note(3, 5),), (1,)) == 1, "string 5 has neither tip nor thumb"


def test_layouts_are_all_places_of_the_pitches() -> None:
    found = layouts(NECK, (52, 59))
    assert (Note(5, 7), Note(4, 9)) in found and (Note(4, 2), Note(3, 4)) in found
    assert all([NECK.midi(note) for note in way] == [52, 59] for way in found)
    assert isinstance(plan_routes(riff("| m m m m |"), NECK)[0].places[0].grip, Grip)


FOUR = "| 6:3,5:5 o m 6:8,5:10 o m 6:1,5:3 o m 5:5,4:7 o m |"


def layouts_of(route: Route) -> list[tuple[tuple[int, int], ...]]:
    return [place.grip.layout for place in route.places]


def test_routes_lie_truly_elsewhere_and_each_has_its_own_name() -> None:
    found = plan_routes(riff(FOUR), NECK)
    assert len(found) == 4 and len({route.name for route in found}) == 4
    for one, other in combinations(found, 2):
        apart = sum(a != b for a, b in zip(layouts_of(one), layouts_of(other), strict=True))
        assert apart >= 1
    kept = plan_routes(riff(FOUR), NECK, strict=True)
    assert {tuple(layouts_of(route)) for route in kept} == {tuple(layouts_of(kept[0]))}
    assert len({tuple(p.grip.fingers for p in route.places) for route in kept}) == len(kept) > 1


def test_wishes_are_granted() -> None:
    def first(*wishes: Wish) -> Route:
        return plan_routes(riff(FOUR), NECK, wishes=frozenset(wishes))[0]

    def hands(route: Route) -> list[int]:
        return [place.grip.hand or 0 for place in route.places]

    fingers = {f for place in first(Wish.SPARE_LITTLE).places for f in place.grip.fingers}
    assert 4 not in fingers
    assert sum(hands(first(Wish.LOW))) <= sum(hands(first()))
    assert first(Wish.ONE_PLACE).totals["travel_mm"] <= first().totals["travel_mm"]
    opens = [
        sum(n.finger == 0 for p in first(*w).places for n in p.grip.notes)
        for w in ((), (Wish.OPEN_STRINGS,))
    ]
    assert opens[1] >= opens[0]
    assert first(Wish.SAME_FINGERS).totals["finger_changes"] <= first().totals["finger_changes"]


@pytest.mark.parametrize("number", range(4))
def test_locking_a_routes_own_choices_returns_it(number: int) -> None:
    route = plan_routes(riff(FOUR), NECK)[number]
    locks = tuple(
        Lock(place.index, place.grip.layout, place.grip.fingers)
        for place in route.places
        if place.grip.hand
    )
    (again,) = plan_routes(riff(FOUR), NECK, locks=locks)
    assert [p.grip for p in again.places] == [p.grip for p in route.places]
    assert again.cost == pytest.approx(route.cost)


def test_one_lock_moves_the_rest_as_little_as_can_be_and_bad_locks_are_named() -> None:
    place = ((5, 3), (4, 5))
    held = plan_routes(riff(FOUR), NECK, locks=(Lock(2, place, (1, 4)),))
    assert all(r.places[2].grip.layout == place for r in held)
    assert all(r.places[2].grip.fingers == (1, 4) for r in held)
    for locks, words in (
        ((Lock(2, ((6, 7), (5, 9))),), "bar 1: your hand can't take 6:8, 5:10 as 6:7, 5:9"),
        ((Lock(2, place), Lock(2, ((6, 8), (5, 10)))), "bar 1: two locks pull 6:8, 5:10 apart"),
        ((Lock(1, ((6, 0),)),), "hit 2 presses no string"),
        ((Lock(2, None, (2, 2)),), "as fingers 2 2: unlock it"),
    ):
        with pytest.raises(BadInput, match=words):
            plan_routes(riff(FOUR), NECK, locks=locks)


def test_moves_say_what_stays_what_leads_and_where_to_look() -> None:
    bars = "| 6:3,5:5 o 6:8,5:10 o 5:8,4:10 o 6:8,5:10,4:10 o |"
    (route,) = plan_routes(riff(bars), NECK, ONE_THREE, strict=True)[:1]
    slide, across, fuller = route.changes
    assert (slide.slides, slide.guide, slide.look_fret) == (True, 1, 8)
    assert slide.across_mm == 0 and slide in route.moves
    assert across.distance_mm == 0 and across not in route.moves and across.guide is None
    spacing = 7.2 + 3.3 * NECK.fret_mm(8) / 648
    assert across.across_mm == pytest.approx(spacing, abs=0.06)
    assert fuller.stays == (3,) and not fuller.slides
    assert slide.fails_at_bpm(120, 700) == pytest.approx(120 * 700 / slide.speed_mm_s)
    assert across.fails_at_bpm(120, 700) is None


def test_reach_from_three_answers() -> None:
    """648 mm: fret 1 to 4 is 98 mm and to 5 126; 5 to 9 is 100, to 10 122; 9 to 13 79, to 14 97."""
    found = measure_reach(NECK, {1: 4, 5: 9, 9: 14})
    assert found.agree and 100 < found.low_mm < found.high_mm
    found = measure_reach(NECK, {5: 9})
    assert (found.low_mm, found.high_mm) == pytest.approx((100.15, 121.77), abs=0.01)
    assert found.low_mm < found.reach_mm < found.high_mm
    assert not measure_reach(NECK, {1: 6, 5: 8, 9: 12}).agree
    for bad in ({}, {1: 1}, {5: 30}):
        with pytest.raises(BadInput):
            measure_reach(NECK, bad)


def test_a_stage_without_hits_has_no_way() -> None:
    assert ShortestPath([], NECK, 112, Weights()).best() == []
    assert Stage((), 0.0, (), False).grips == ()
