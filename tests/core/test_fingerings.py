"""What players know, against the planner: sixty passages, and what no route may ever do."""

from itertools import combinations

import pytest
from benchmarks.fingerings import CASES, Case, is_met, planned

from thrumble.core.riff.model import Articulation

MIN_MET = 58


def test_sixty_passages_are_fingered_as_players_do() -> None:
    assert len(CASES) >= 60 and len({case.name for case in CASES}) == len(CASES)
    missed = [case.name for case in CASES if not is_met(case)]
    assert len(CASES) - len(missed) >= MIN_MET * len(CASES) / 60, missed


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.name)
def test_no_route_does_what_nobody_does(case: Case) -> None:
    expanded, routes = planned(case)
    for route in routes:
        for due, place in zip(expanded.hits, route.places, strict=True):
            notes = place.grip.notes
            for a, b in combinations([note for note in notes if note.finger], 2):
                assert a.fret != b.fret or {a.finger, b.finger} != {1, 4}, "1 and 4 at one fret"
            written = {(note.string, note.fret) for note in due.hit.notes}
            if due.hit.articulation is Articulation.PALM:
                assert set(place.grip.layout) == written, "a palm mute on another string"
            kept = {(n.string, n.fret) for n in due.hit.notes if n.let_ring and not n.fret}
            assert kept <= set(place.grip.layout), "a drone that is fretted"
            inside = {(n.string, 0) for n in notes[1:] if not n.fret}
            assert inside <= written, "an open string inside a chord"
