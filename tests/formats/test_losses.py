"""Whatever a format does not hold of a riff is named: what comes back is the riff, but for that.
More riffs: `THRUMBLE_TRIAL_RIFFS=1000 ./check tests/formats/test_losses.py`.
"""

import os
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import Phase, given, settings

from tests.core.strategies import riffs
from thrumble.core.errors import RiffError
from thrumble.core.riff.editing.edits import unrolled
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation, Hit, Riff, Stroke
from thrumble.formats.exchange import FORMATS, Format, ImportOptions, read_any

RIFFS = int(os.environ.get("THRUMBLE_TRIAL_RIFFS", "60"))  # random ones a format

# what a named loss allows to differ, by how its words begin
ALLOWED: dict[str, dict[str, Any]] = {
    "stops": {"stop": False},
    "depths of palm mutes": {"depth": None},
    "bends": {"bend": None},
    "mutes that open up": {"opens": False},
    "chords struck string by string": {"arpeggio": False},
    "mute ramps": {"ramp": None},
    "staccato": {"staccato": False},
    "slides": {"slide_from": None, "legato": None, "stroke": None},
    "fingers and strokes": {"stroke": None},
    "how long hits ring": {"length": None, "stop": False},
    "chord names": {"label": None},
}


def essence(riff: Riff, lost: list[str]) -> dict[str, Any]:
    """What has to come back: everything but what the losses name."""
    no_pickup = "the pick-up" in lost
    in_a_row = "endings: their bars stand behind their section's" in lost
    played = expand(replace(unrolled(riff), play=riff.play) if in_a_row else riff)
    hits = [(due.bar, _hit(due.hit, lost)) for due in played.hits if due.bar or not no_pickup]
    out: dict[str, Any] = {
        "title": riff.title,
        "tempo": riff.tempo_bpm,
        "tuning": riff.tuning,
        "capo": riff.capo,
        "hits": hits,
        "meters": [str(bar.meter) for bar in played.bars if bar.number],
    }
    if "feels of single sections" not in lost:
        out["places"] = [round(bar.start_s, 9) for bar in played.bars if bar.number]
        out["due"] = [round(due.due_s, 9) for due in played.hits if due.bar]
    if "which note is the pedal" not in lost:
        out["pedal"] = riff.pedal
    return out


def _hit(hit: Hit, lost: list[str]) -> Hit:
    changes: dict[str, Any] = {}
    for words in lost:
        for name, fields in ALLOWED.items():
            if words.startswith(name):
                changes |= fields
    notes = hit.notes
    if "strings that ring on" in lost:
        notes = tuple(replace(note, let_ring=False) for note in notes)
    if "fingers and strokes" in lost:
        notes = tuple(replace(note, plucked=None) for note in notes)
    if "frets of dead hits" in lost and hit.articulation is Articulation.DEAD:
        notes = tuple(replace(note, fret=None) for note in notes)
    if "stroke" not in changes and hit.legato is None and hit.stroke is None:
        changes["stroke"] = Stroke.DOWN
    return replace(hit, notes=notes, **changes)


@pytest.mark.parametrize("into", FORMATS, ids=lambda one: one.name)
@settings(max_examples=RIFFS, phases=[Phase.explicit, Phase.generate])
@given(riffs())
def test_what_is_not_named_as_lost_comes_back(into: Format, riff: Riff) -> None:
    try:
        played = expand(riff)
    except RiffError:
        return  # nothing on the way through it
    if into.name == "tab" and not any(due.bar for due in played.hits):
        return  # tablature has no pick-up, so nothing would be left
    lost = into.loses(riff)
    back = read_any(into.write(riff), ImportOptions())
    assert back.left_out == ()
    if any(words.startswith("bar ") for words in lost):
        return  # hits are moved, and how many are left out is said
    assert essence(back.riff, lost) == essence(riff, lost)
    if into.name in ("json", "text"):
        assert back.riff == riff


def test_a_dense_bar_of_tablature_comes_back_whole() -> None:
    """Sixteenths beside triplets: 20 hits, of which 14 came back once."""
    text = (
        "title: Dense\ntempo: 90\n\n[A]\n"
        "| E5@6/0 (o o o o) (o o o) (o o o o) (o o o o o o o o o) |\n"
    )
    riff = read_any(text.encode()).riff
    tab = next(one for one in FORMATS if one.name == "tab")
    back = read_any(tab.write(riff)).riff
    assert [hit.at for hit in back.sections[0].bars[0].hits] == [
        hit.at for hit in riff.sections[0].bars[0].hits
    ]
    assert len(back.sections[0].bars[0].hits) == 20
