"""The rig's words and places without a browser, and the reading's new ones."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from tests.web.judged import judged
from thrumble.core.coach.verdict.judgement import HitKey
from thrumble.core.ear.comparing import Difference
from thrumble.core.ear.reading import Change, ChangeKind, HeardKind, HitReading, HitState, SwingBar
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import perform
from thrumble.core.player.sound import Tone as Sound
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.text import parse_riff
from thrumble.core.rig.fret_hand import ChordString, Release, Releases, StringState
from thrumble.core.rig.levels import Loudness, Silence
from thrumble.core.rig.palm import LIGHTEST, TIGHTEST, Place, Repeatability, SingleHit
from thrumble.demo import riff_texts
from thrumble.store.riffs.riffs import Revision
from thrumble.store.rig.rigs import Calibration, Example, Rig, ToneProfile
from thrumble.store.takes.corrections import Correction
from thrumble.store.takes.readings import Changed
from thrumble.trained import EAR
from thrumble.web.drawings.palm import POCKET_FROM, POCKET_TO, WIDE, palm_scale, place_on_scale
from thrumble.web.rig.views import (
    delay_cards,
    hit_document,
    level_document,
    level_words,
    releases_document,
    rig_view,
    steady_words,
    strings_document,
    tone_view,
)
from thrumble.web.shared.reading import corrected_words, reading_view
from thrumble.web.shared.uploading import rig_tones
from thrumble.web.takes.views import again_view

RIG = Rig(
    id=1,
    name="Six",
    tuning=["E2", "A2", "D3", "G3", "B3", "E4"],
    capo=2,
    scale_mm=648.0,
    left_handed=True,
    chain="interface",
)
TONE = ToneProfile(id=7, rig_id=1, name="gate", sound="crunch", level=None)


def an_example(kind: str, number: int) -> Example:
    return Example(id=number, tone_id=7, kind=kind, rate_hz=48000, depth=0.5, origin="finder")


def a_delay(**changed: object) -> Calibration:
    values = {
        "id": 1,
        "browser": "b",
        "device": "interface",
        "rate_hz": 48000,
        "kind": "return",
        "delay_ms": 12.34,
        "repeat_ms": 0.03,
        "spread_ms": 0.4,
        "openings_ms": [12.34],
        "created_at": datetime.now(UTC),
    }
    return Calibration(**(values | changed))  # type: ignore[arg-type]


def test_a_rig_in_words_with_its_tones_and_delays() -> None:
    kept = [an_example(kind, k) for k, kind in enumerate(("open", "full", "full", "dead"))]
    view = rig_view(
        RIG,
        [RIG, replace(RIG, id=2, name="Other")],
        [(TONE, kept), (replace(TONE, level={"peak_db": -8.6}), [])],
        [a_delay()],
        1,
    )
    assert (
        view.meta == "6 strings, E2 A2 D3 G3 B3 E4 · capo 2 · 648 mm · left-handed · interface"
        and view.takes == "1 take played on it"
    )
    assert [tab.here for tab in view.tabs] == [True, False]
    assert (view.tones[0].ready, view.tones[0].examples, view.tones[0].level) == (
        True,
        "4 examples kept",
        "level not checked",
    )
    assert (view.tones[1].ready, view.tones[1].level) == (False, "peaks at -9 dB")


def test_only_the_newest_delay_of_each_input_is_shown_with_what_it_is_worth() -> None:
    old = a_delay(id=0, delay_ms=99.0, created_at=datetime.now(UTC) - timedelta(days=3))
    cards = delay_cards(
        [
            a_delay(),
            old,
            a_delay(
                device="other",
                kind="drum",
                spread_ms=None,
                created_at=datetime.now(UTC) - timedelta(days=1),
            ),
        ]
    )
    assert [(c.figure, c.device) for c in cards] == [
        ("12.3 ms", "interface at 48 kHz"),
        ("12.3 ms", "other at 48 kHz"),
    ]
    assert "varies by 0.40 ms" in cards[0].words and "today" in cards[0].words
    assert (
        "includes your own timing" in cards[1].words
        and "not checked over several openings" in cards[1].words
        and "yesterday" in cards[1].words
    )


def test_a_tones_bench_counts_examples_and_mirrors_for_the_left_hand() -> None:
    view = tone_view(TONE, RIG, [an_example("full", k) for k in range(6)])
    full = next(g for g in view.groups if g.kind == "full")
    assert (full.pips, full.over, full.newest) == ([True] * 4, "+2", 5) and view.scale.flip
    assert next(g for g in view.groups if g.kind == "open").newest is None


def test_levels_are_kept_over_each_other_and_say_what_to_turn() -> None:
    silence = Silence(floor_db=-62.0, hum_hz=50.0, hum_db=-58.0)
    loud = Loudness(
        peak_db=-0.1,
        clipped=True,
        headroom_db=0.1,
        gain_change_db=-6.0,
        above_floor_db=62.0,
        gated=True,
        gate_at_db=-41.0,
    )
    document = level_document(None, loud, level_document(silence, None, None))
    rows, warnings = level_words(document)
    assert ("turn the input", "down by 6 dB") in rows and ("hum", "50 Hz at -58 dB") in rows
    assert [w.split(":")[0].split(" ")[0] for w in warnings] == [
        "Mains",
        "The",
        "A",
    ] and "-41 dB" in warnings[2]
    calm, none = level_words(
        level_document(
            replace(silence, hum_hz=None, hum_db=None),
            replace(loud, clipped=False, gated=False, gain_change_db=None),
            None,
        )
    )
    assert ("hum", "none found") in calm and ("turn the input", "leave it") in calm and none == []
    assert level_words(None) == ([], [])


def a_hit(**changed: object) -> SingleHit:
    values = {
        "onset_s": 0.1,
        "scale": 0.5,
        "depth": 0.5,
        "decay_s": 0.21,
        "clarity": 0.9,
        "level_db": -20.0,
        "peak_db": -6.0,
        "chances": (0.1, 0.8, 0.1),
        "place": Place.POCKET,
        "measures": np.zeros(1),
    }
    return SingleHit(**(values | changed))  # type: ignore[arg-type]


def test_a_hit_is_drawn_inside_its_zone() -> None:
    document = hit_document(a_hit(), None)
    assert (
        POCKET_FROM < document["at"] < POCKET_TO
        and document["decay"] == "210 ms"
        and document["words"] == "in the pocket"
    )
    assert hit_document(a_hit(decay_s=None, scale=0.05, place=Place.BACK), None)["at"] > POCKET_TO
    assert hit_document(a_hit(scale=0.99, place=Place.FORWARD), None)["at"] < POCKET_FROM
    ends = [place_on_scale(v, LIGHTEST, TIGHTEST) for v in (0, LIGHTEST, TIGHTEST, 1)]
    assert ends == [WIDE, POCKET_TO, POCKET_FROM, 0.0]
    right, left = palm_scale(left_handed=False), palm_scale(left_handed=True)
    assert [WIDE - z.at for z in right.zones] == [z.at for z in left.zones]


@pytest.mark.parametrize(
    ("spread", "word"), [(0.02, "steady"), (0.09, "fairly steady"), (0.2, "loose")]
)
def test_how_steady_the_hand_is(spread: float, word: str) -> None:
    words = steady_words(Repeatability(hits=8, middle=0.6, spread=spread, in_pocket=7))
    assert words.startswith(f"{word}:") and f"{spread:.2f}" in words and "7 in the pocket" in words
    assert "three more hits" in steady_words(None)


def test_releases_and_strings_in_words() -> None:
    one = Release(late_ms=12.3, fall_ms=None, left_db=-40.0)
    found = releases_document(
        Releases(each=(one,), late_ms=12.3, fall_ms=None, left_db=-40.0, words="Good.")
    )
    assert (found["late"], found["fall"], found["left"]) == (
        "+12",
        "not measured",
        "-40",
    ) and found["each"][0]["fall_ms"] is None
    strings = [
        ChordString(string=5, level_db=0.0, fall_db_per_s=15.2, state=StringState.RINGS),
        ChordString(string=4, level_db=-3.0, fall_db_per_s=80.0, state=StringState.DAMPED),
    ]
    document = strings_document(strings)
    assert document["words"].startswith("String 4 is half muted") and [
        s["string"] for s in document["each"]
    ] == [5, 4]
    assert strings_document(strings[:1])["words"] == "Every string rings clear."
    buzz = strings_document(
        [replace(strings[0], state=StringState.BUZZES), replace(strings[1], state=StringState.WEAK)]
    )["words"]
    assert "buzzes" in buzz and "barely sounds" in buzz


def test_the_offer_the_progress_and_the_outcome_of_reading_again() -> None:
    assert (
        again_view(0, 0).words == ""
        and again_view(1, 0).words.startswith("1 take was")
        and again_view(3, 0).stale == 3
    )
    middle = again_view(0, 2, 5)
    assert (middle.done, middle.waiting, middle.words) == (3, 2, "3 of 5 takes re-analysed …")
    other = Changed(
        take_id=2,
        number=2,
        title="B",
        difference=Difference(hits=50, found=0, lost=0, renamed=4, moved=0),
    )
    done = again_view(0, 0, 2, (1, [other]))
    assert "Results changed for 1" in done.words and done.changes == [
        ("B, take 2", 2, "of 50 hits 4 called something else")
    ]


def test_tones_to_play_with_name_their_rig_only_where_there_are_several() -> None:
    assert [t.words for t in rig_tones([RIG], [TONE])] == ["gate"]
    assert [t.words for t in rig_tones([RIG, replace(RIG, id=2)], [TONE])] == ["Six: gate"]


def test_a_reading_shows_what_else_was_measured_and_what_the_player_says() -> None:
    riff = parse_riff(riff_texts()["1-sluice-gate"])
    take = perform(riff, seed=2, tone=Sound.CRUNCH, flaws=Flaws(timing=6))
    heard = read_take(
        take.samples, take.rate_hz, expand(riff), TakeInfo(start_s=take.start_s), ear=EAR
    )
    more = {
        "mute_depth": 0.62,
        "heard_articulation": HeardKind.PALM,
        "rest_db": -33.0,
        "strum_ms": 4.4,
        "chord_ok": False,
        "stray_strings": [1, 2],
    }
    hits = [replace(heard.hits[0], **more), *heard.hits[1:]]  # type: ignore[arg-type]
    changes = [
        Change(kind=ChangeKind.SPREAD, bar=7, round=2, amount=6.4),
        Change(kind=ChangeKind.TEMPO, bar=3, round=1, amount=-2.0),
    ]
    bars = [
        SwingBar(bar=1, round=1, ratio=1.4, interval=(1.3, 1.5)),
        SwingBar(bar=4, round=1, ratio=2.1, interval=(1.9, 2.3)),
    ]
    reading = replace(
        heard,
        hits=hits,
        summary=replace(heard.summary, changes=changes, swing_bars=bars, up_stroke_db=-1.5),
    )
    revision = Revision(id=7, riff_id=3, number=1, riff=riff, source="")
    one = Correction(index=0, round=1, articulation="open", heard="palm", example_id=4)
    view = reading_view(judged(reading, revision, {HitKey(1, 0): one}, tone_id=7))
    assert (
        view.hits[0].more
        == "depth 0.62, rest -33 dB, strings over 4 ms, wrong fret, string 1 and 2 ring"
    )
    assert (view.hits[0].said, view.hits[0].joined, view.hits[1].said, view.can_join) == (
        "open",
        True,
        "",
        True,
    )
    figures = {line.name: line.value for line in view.figures}
    assert (
        figures["spread from bar 7, pass 2 on"] == "+6.4 ms"
        and figures["tempo from bar 3 on"] == "-2.0 bpm"
    )
    assert (
        figures["swing by bar"] == "1.40 in bar 1 to 2.10 in bar 4"
        and figures["up-strokes"] == "-1.5 dB"
    )
    assert (
        view.corrected == "1 hit corrected by you. What we heard is kept, too."
        and corrected_words(0) == ""
    )
    assert not reading_view(judged(reading, revision)).can_join


def test_a_missed_hit_cannot_be_corrected() -> None:
    missed = HitReading(
        index=0,
        round=1,
        section="A",
        bar=1,
        at="0",
        expected_s=1.0,
        state=HitState.MISSED,
        expected_articulation=Articulation.OPEN,
    )
    riff = parse_riff(riff_texts()["6-stop-planks"])
    take = perform(riff, seed=2, flaws=Flaws(timing=6))
    heard = read_take(
        take.samples, take.rate_hz, expand(riff), TakeInfo(start_s=take.start_s), ear=EAR
    )
    revision = Revision(id=7, riff_id=3, number=1, riff=riff, source="")
    without = replace(heard, hits=[missed, *heard.hits[1:]])
    view = reading_view(judged(without, revision))
    assert not view.hits[0].played and view.hits[1].played
