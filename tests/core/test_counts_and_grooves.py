"""What is counted under a riff, and the drummer beside it."""

from decimal import Decimal
from fractions import Fraction

import numpy as np
import pytest

from thrumble.core.errors import BadInput, RiffError
from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.music.meter import Meter
from thrumble.core.pulse.cues import (
    BeatGrid,
    Click,
    Cue,
    Pulse,
    Silence,
    Voice,
    bar_levels,
    count_cues,
    count_in_s,
    cue_track,
    round_cues,
    sound_of,
    take_cues,
)
from thrumble.core.pulse.groove import GROOVES, drum_sounds
from thrumble.core.riff.beat_grid import beat_grid
from thrumble.core.riff.counts import Counting, counts_of
from thrumble.core.riff.editing import edits
from thrumble.core.riff.editing.whole import set_feel
from thrumble.core.riff.expand import expand
from thrumble.core.riff.notation.text import parse_riff
from thrumble.trained import VOICE

HEAD = "title: T\ntempo: 120\npedal: 6:0\n"


def counted(bars: str, way: Counting, head: str = HEAD) -> list[str]:
    found = counts_of(expand(parse_riff(f"{head}[A]\n{bars}\n")), way)
    return [] if found is None else [found[k] for k in sorted(found)]


def test_strokes_are_counted_on_each_chord_with_the_mutes_that_belong_to_it() -> None:
    assert counted("| E5@5/7 o m m o G5@6/3 o m o m |", Counting.STROKES) == list("12341234")
    assert counted("| E5@5/7 o o o o |", Counting.BEATS) == []


def test_groups_are_counted_from_accent_to_accent_across_the_bar_line() -> None:
    """Seven, then nine, over two bars of eight."""
    bars = "| E5@5/7 >o m m m m m m >o | m m m m m m m m |"
    assert counted(bars, Counting.GROUPS) == list("1234567") + list("123456789")
    assert counted("| E5@5/7 >o m (m m) m m m m m |", Counting.GROUPS)[:5] == list("123&4")


FOUR = HEAD + "[A]\n| E5@5/7 o o o o |\n"  # two seconds at 120


def timed(text: str = FOUR) -> BeatGrid:
    return beat_grid(expand(parse_riff(text)))


def drums(name: str, text: str = FOUR, rounds: int = 1) -> list[Cue]:
    return take_cues(timed(text), Pulse(click=Click.NONE, groove=name), rounds=rounds)


def times(cues: list[Cue], *sounds: str) -> list[float]:
    return [round(cue.at_s, 9) for cue in cues if cue.sound in sounds and cue.bar >= 0]


@pytest.mark.parametrize("name", list(GROOVES))
def test_a_groove_fills_every_bar_and_keeps_to_the_beat(name: str) -> None:
    text = HEAD + "[A]\n| E5@5/7 o o o o | 7/8: o o o o o o o | 6/8: o o o o o o |\n"
    cues = [cue for cue in drums(name, text, rounds=2) if cue.bar >= 0]
    assert cues[0].at_s == 0 and all(0 <= cue.at_s < 2 * timed(text).round_s for cue in cues)
    assert {cue.bar for cue in cues} == {0, 1, 2}
    hats = [cue.at_s for cue in cues if cue.sound == "hat" and cue.at_s < 2.0]
    assert bool(hats) == (name != "stop-time")
    if name not in ("shuffle", "stop-time"):
        assert np.allclose(np.diff(hats), np.diff(hats)[0])


def test_the_drummer_plays_the_groove_that_was_asked_for() -> None:
    """Written out by hand at 120: a beat is half a second."""
    assert times(drums("backbeat"), "kick") == [0, 1.0]
    assert times(drums("backbeat"), "snare") == [0.5, 1.5]
    assert times(drums("half-time"), "snare") == [1.0]
    assert times(drums("shuffle"), "hat")[:3] == pytest.approx([0, 1 / 3, 0.5])
    assert times(drums("gallop"), "kick")[:4] == [0, 0.25, 0.375, 0.5]
    assert times(drums("stop-time"), "kick", "snare", "hat", "crash") == [0]
    swung = FOUR.replace("pedal", "feel: shuffle 3.0\npedal")
    assert times(drums("backbeat", swung), "hat")[:3] == [0, 0.375, 0.5]


def test_the_groove_follows_the_riffs_accents() -> None:
    accented = HEAD + "[A]\n| E5@5/7 >o o >o >o |\n"
    assert times(drums("backbeat", accented), "crash") == [0, 1.0, 1.5]
    assert times(drums("backbeat", accented), "kick") == [0, 1.0, 1.5]


def test_drums_sound_where_they_are_written() -> None:
    cues = [cue for cue in drums("four") if cue.bar >= 0]
    track = cue_track(cues, start_s=0.5, rate_hz=8000, frames=22_000, voice=VOICE)
    assert not track[:4000].any() and np.abs(track[4000:4100]).max() > 0.1
    assert all(np.abs(sound).max() == pytest.approx(0.9) for sound in drum_sounds(8000).values())


@pytest.mark.parametrize(
    ("kind", "due"),
    [
        (Click.BEATS, [0, 0.5, 1.0, 1.5]),
        (Click.EIGHTHS, [0, 0.25, 0.5, 0.75, 1.0, 1.25, 1.5, 1.75]),
        (Click.TRIPLETS, [k / 6 for k in range(12)]),
        (Click.SIXTEENTHS, [k / 8 for k in range(16)]),
        (Click.SHUFFLE, [0, 1 / 3, 0.5, 5 / 6, 1.0, 4 / 3, 1.5, 11 / 6]),
        (Click.TWO_FOUR, [0.5, 1.5]),
        (Click.ONE, [0]),
        (Click.OFF_BEATS, [0.25, 0.75, 1.25, 1.75]),
        (Click.NONE, []),
    ],
)
def test_the_click_falls_where_the_player_wants_it(kind: Click, due: list[float]) -> None:
    cues = round_cues(timed(), Pulse(click=kind))
    assert [cue.at_s for cue in cues] == pytest.approx(due)
    assert [cue.at_s for cue in cues if cue.sound == "accent"] == due[:1] * (due[:1] == [0])


def test_clicks_between_the_beats_swing_as_the_riff_does_and_are_softer() -> None:
    swung = timed(FOUR.replace("pedal", "feel: shuffle 3.0\npedal"))
    cues = round_cues(swung, Pulse(click=Click.EIGHTHS))
    assert [cue.at_s for cue in cues[:3]] == pytest.approx([0, 0.375, 0.5])
    assert cues[1].level < cues[0].level == cues[2].level


def test_the_click_counts_the_riffs_own_groups_across_the_bar_line() -> None:
    """Seven, then nine, over two bars of eight at 120: eighths of a quarter of a second."""
    bars = "[A]\n| E5@5/7 >o m m m m m m >o | m m m m m m m m |\n"
    cues = round_cues(timed(HEAD + bars), Pulse(click=Click.GROUPS))
    assert [cue.at_s for cue in cues] == pytest.approx([k / 4 for k in range(16)])
    assert [cue.at_s for cue in cues if cue.sound == "accent"] == pytest.approx([0, 1.75])


@pytest.mark.parametrize(("bars", "beats"), [(0, 2), (1, 4), (3, 12)])
def test_the_count_in_is_as_long_as_asked(bars: int, beats: int) -> None:
    cues = count_cues(timed(), Pulse(count_bars=bars))
    assert [cue.at_s for cue in cues] == pytest.approx([-k / 2 for k in range(beats, 0, -1)])
    assert count_in_s(timed(), Pulse(count_bars=bars)) == pytest.approx(beats / 2)


def test_a_pick_up_is_always_counted_in() -> None:
    pickup = timed(HEAD + "[pickup]\n| 3/4: E5@5/7 o o o |\n[A]\n| E5@5/7 o o o o |\n")
    assert count_in_s(pickup, Pulse(count_bars=0)) == pytest.approx(2.0)


def test_a_spoken_count_has_its_vowels_on_the_beats() -> None:
    cues = count_cues(timed(), Pulse(voice=Voice.SPOKEN))
    assert [cue.sound for cue in cues] == ["say-1", "say-2", "say-3", "say-4"]
    rate = 16_000
    track = cue_track(cues, start_s=2.5, rate_hz=rate, frames=3 * rate, voice=VOICE)
    for beat in (0.5, 1.0, 1.5, 2.0):
        at = round(beat * rate)
        before, after = track[at - 3200 : at - 1600], track[at : at + 1600]
        assert np.square(after).sum() > 4 * np.square(before).sum()


def test_silent_bars_come_by_the_rule_and_go_on_from_round_to_round() -> None:
    two = Pulse(silence=Silence.TWO_TWO)
    cues = take_cues(timed(), two, rounds=6)
    heard = {int(cue.at_s // 2) for cue in cues if cue.bar >= 0}
    assert heard == {0, 1, 4, 5}
    later = take_cues(timed(), two, rounds=1, bars_before=2)
    assert later == [] and len(take_cues(timed(), two, rounds=1, bars_before=4)) == 4
    levels = bar_levels(Pulse(silence=Silence.FADE))
    assert levels[:4] == (1, 1, 1, 1) and levels[-1] == 0
    assert list(levels[4:]) == sorted(levels[4:], reverse=True)


def test_bars_left_out_at_random_are_the_same_again_by_their_seed() -> None:
    by_seed = [bar_levels(Pulse(silence=Silence.RANDOM, seed=seed)) for seed in (1, 1, 2)]
    assert by_seed[0] == by_seed[1] != by_seed[2]
    for levels in by_seed:
        silent = "".join("s" if level == 0 else "." for level in levels)
        assert silent.startswith("..") and max(map(len, silent.split("."))) <= 3
        assert 0.25 < silent.count("s") / len(silent) < 0.65


def test_every_sound_that_a_cue_names_is_there() -> None:
    named = {
        cue.sound
        for groove in GROOVES
        for voice in Voice
        for cue in take_cues(timed(), Pulse(groove=groove, voice=voice), rounds=1)
    }
    for name in named:
        assert 0.3 < np.abs(sound_of(name, 48_000, VOICE)).max() <= 1.0


def test_the_shuffle_is_set_for_the_whole_riff() -> None:
    riff = parse_riff(HEAD + "[A]\n| E5@5/7 o o o o o o o o |\n")
    swung = set_feel(riff, Decimal("1.75"), Fraction(1, 8))
    assert swung.feel == Feel(Fraction(7, 4), Fraction(1, 8))
    assert set_feel(swung, Decimal(1), Fraction(1, 8)).feel == STRAIGHT
    mixed = parse_riff(HEAD + "[A]\n| E5@5/7 (o o o) (o o) o o |\n")
    assert set_feel(mixed, Decimal(2), Fraction(1, 8)).feel.ratio == 2
    both = parse_riff(HEAD + "[A]\n| E5@5/7 (o o o) o o o o o o o |\n")
    with pytest.raises(RiffError):
        set_feel(both, Decimal(2), Fraction(1, 8))


def test_a_bars_meter_changes_and_what_no_longer_fits_goes() -> None:
    riff = parse_riff(HEAD + "[A]\n| E5@5/7 o o o o | o ~ ~ ~ |\n")
    odd = edits.set_meter(riff, 0, 0, Meter(3, 4))
    assert [str(bar.meter) for bar in odd.sections[0].bars] == ["3/4", "4/4"]
    assert [len(bar.hits) for bar in odd.sections[0].bars] == [3, 1]
    both = edits.set_meter(riff, 0, 1, Meter(7, 8))
    assert [str(bar.meter) for bar in both.sections[0].bars] == ["7/8", "7/8"]
    assert both.sections[0].bars[1].hits[0].length == Fraction(7, 8)
    with pytest.raises(BadInput):
        edits.set_meter(riff, 0, 9, Meter(7, 8))


def test_each_section_swings_as_it_does() -> None:
    """By the drums that a player listens to: straight in A, shuffled in B; a shuffle on sixteenths
    leaves the eighths where they are.
    """
    text = HEAD + "[A]\n| E5@5/7 o o o o |\n[B]\nfeel: shuffle {}\n| E5@5/7 o o o o |\n"
    for feel, second in (("2.0 on 1/8", 1 / 3), ("2.0 on 1/16", 0.25)):
        hats = times(drums("backbeat", text.format(feel)), "hat")
        assert hats[1] == pytest.approx(0.25)
        assert hats[9] == pytest.approx(2.0 + second, abs=1e-9)
