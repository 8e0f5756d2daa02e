"""Ways along the neck: distances by hand, fingerings known, the best route against every other."""

from dataclasses import replace
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument, Note
from thrumble.core.neck import routes as planning
from thrumble.core.neck.grips import Grip, School, grips, layouts
from thrumble.core.neck.routes import PRESETS, Route, plan_routes
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.text import parse_riff

NECK = Instrument()


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
        (route,) = plan_routes(riff(bars), NECK, school=School.ONE_THREE, strict=True)[:1]
        assert route.moves[0].distance_mm == pytest.approx(mm, abs=0.5)
        assert route.moves[0].time_ms == pytest.approx(500, abs=1), "half of a half note"
        assert route.moves[0].speed_mm_s == pytest.approx(route.moves[0].distance_mm * 2, rel=0.01)
    held = plan_routes(riff("| 6:2,5:4 o m m m m m m 6:9,5:11 o |"), NECK, strict=True)[0]
    assert held.moves[0].time_ms == pytest.approx(1750 - 125), "open strings leave the hand free"


def test_back_and_forth_within_three_frets_is_a_pivot_and_a_long_way_is_not() -> None:
    bars = "| 6:5,5:7 o 6:7,5:9 o 6:5,5:7 o 6:12,5:14 o |"
    (route,) = plan_routes(riff(bars), NECK, school=School.ONE_THREE, strict=True)[:1]
    assert [move.pivot for move in route.moves] == [True, True, False]
    assert route.worst_move == 2 and route.totals["travel_mm"] == pytest.approx(
        sum(move.distance_mm for move in route.moves), abs=0.1
    )


def test_a_string_change_is_taken_instead_of_a_jump_and_strict_keeps_what_is_written() -> None:
    bars = "| 6:3,5:5 o 6:8,5:10 o |"
    best = plan_routes(riff(bars, tempo=240), NECK)[0]
    assert [n[:2] for n in taken(best, 1)] == [(5, 3), (4, 5)] and not best.moves
    kept = plan_routes(riff(bars, tempo=240), NECK, strict=True)[0]
    assert [n[:2] for n in taken(kept, 1)] == [(6, 8), (5, 10)] and len(kept.moves) == 1


def every_route(expanded: ExpandedRiff, reach: float) -> float:
    """The cost of the best of all routes, each tried."""
    stops = planning._stops(expanded, NECK, reach, None, strict=False)
    weights = PRESETS["the easiest way"]
    return min(
        planning._cost(stops, list(chosen), NECK, reach, weights)
        for chosen in product(*(stop.grips for stop in stops))
    )


@settings(max_examples=25, deadline=None)
@given(st.lists(st.integers(1, 9), min_size=2, max_size=3), st.sampled_from([60, 120, 240]))
def test_the_first_route_is_the_best_of_all(frets: list[int], tempo: int) -> None:
    bars = "| " + " ".join(f"6:{fret},5:{fret + 2} o" for fret in frets) + " |"
    expanded = riff(bars, tempo=tempo)
    best = plan_routes(expanded, NECK, reach_mm=130)[0]
    assert best.cost == pytest.approx(every_route(expanded, 130), abs=1e-6)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.integers(0, 12), min_size=1, max_size=8), st.booleans())
def test_every_route_sounds_what_is_written(frets: list[int], strict: bool) -> None:
    bars = "| " + " ".join(f"6:{fret},5:{fret + 2} o" for fret in frets) + " |"
    expanded = riff(bars)
    found = plan_routes(expanded, NECK, reach_mm=150, strict=strict)
    assert found == sorted(found, key=lambda route: route.cost)
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
        plan_routes(stretched, NECK, reach_mm=80, strict=True)
    with pytest.raises(BadInput, match="no hand's"):
        plan_routes(stretched, NECK, reach_mm=20)
    assert plan_routes(stretched, NECK, reach_mm=130, strict=True)


def test_strings_that_nothing_silences_are_counted() -> None:
    def left(notes: tuple[Note, ...], fingers: tuple[int, ...]) -> int:
        (grip,) = [g for g in grips(NECK, notes, 150, None) if g.fingers == fingers]
        return grip.unguarded

    assert left((Note(6, 5), Note(5, 7)), (1, 3)) == 0, "finger 1 lies flat over the higher strings"
    assert left((Note(6, 5), Note(5, 7)), (2, 4)) == 4
    assert left((Note(4, 5), Note(3, 7)), (1, 3)) == 0, "tip on string 5, thumb on string 6"
    assert left((Note(3, 5),), (1,)) == 1, "string 5 has neither tip nor thumb"


def test_layouts_are_all_places_of_the_pitches() -> None:
    found = layouts(NECK, (52, 59))
    assert (Note(5, 7), Note(4, 9)) in found and (Note(4, 2), Note(3, 4)) in found
    assert all([NECK.midi(note) for note in way] == [52, 59] for way in found)
    assert isinstance(plan_routes(riff("| m m m m |"), NECK)[0].places[0].grip, Grip)
