"""What is counted under a riff, and the drummer beside it."""

from decimal import Decimal
from fractions import Fraction

import numpy as np
import pytest

from thrumble.actions.rehearsal import swing_of
from thrumble.core.errors import BadInput, RiffError
from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.music.meter import Meter
from thrumble.core.pulse.groove import GROOVES, drum_sounds, groove_strokes, groove_track
from thrumble.core.riff import edits
from thrumble.core.riff.counts import Counting, counts_of
from thrumble.core.riff.expand import expand
from thrumble.core.riff.text import parse_riff
from thrumble.core.riff.whole import set_feel

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


@pytest.mark.parametrize("name", list(GROOVES))
def test_a_groove_fills_every_bar_and_keeps_to_the_beat(name: str) -> None:
    riff = parse_riff(HEAD + "[A]\n| E5@5/7 o o o o | 7/8: o o o o o o o | 6/8: o o o o o o |\n")
    expanded = expand(riff)
    strokes = groove_strokes(expanded, name, rounds=2, swing=lambda _: None)
    assert {stroke.drum for stroke in strokes} == {"kick", "snare", "hat"}
    assert strokes[0].at_s == 0 and all(0 <= s.at_s < 2 * expanded.round_s for s in strokes)
    first = [s for s in strokes if s.at_s < 2.0]
    if name in ("backbeat", "sixteenths"):
        assert [s.at_s for s in first if s.drum == "kick"] == [0.0, 1.0]
        assert [s.at_s for s in first if s.drum == "snare"] == [0.5, 1.5]
    hats = [s.at_s for s in first if s.drum == "hat"]
    assert np.allclose(np.diff(hats), np.diff(hats)[0])


def test_the_cymbal_swings_with_the_riff() -> None:
    expanded = expand(parse_riff(HEAD + "[A]\n| E5@5/7 o o o o |\n"))
    hats = [
        s.at_s
        for s in groove_strokes(expanded, "backbeat", rounds=1, swing=lambda _: 2.0)
        if s.drum == "hat"
    ]
    assert hats[:3] == pytest.approx([0, 1 / 3, 0.5])


def test_drums_sound_where_they_are_written() -> None:
    expanded = expand(parse_riff(HEAD + "[A]\n| E5@5/7 o o o o |\n"))
    strokes = groove_strokes(expanded, "four", rounds=1, swing=lambda _: None)
    track = groove_track(strokes, start_s=0.5, rate_hz=8000, frames=22_000)
    assert not track[:4000].any() and np.abs(track[4000:4100]).max() > 0.2
    assert all(np.abs(sound).max() == pytest.approx(0.9) for sound in drum_sounds(8000).values())


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
        expanded = expand(parse_riff(text.format(feel)))
        strokes = groove_strokes(expanded, "backbeat", rounds=1, swing=swing_of(expanded))
        hats = [stroke.at_s for stroke in strokes if stroke.drum == "hat"]
        assert hats[1] == pytest.approx(0.25)
        assert hats[9] - 2.0 == pytest.approx(second, abs=1e-9)
