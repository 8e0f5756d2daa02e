"""Where findings begin and end: one hit, one bar or one figure to either side of a limit."""

from dataclasses import replace

import pytest

from tests.core.hand_made import expanded, heard
from thrumble.core.coach.verdict.finding import Review, bars_named
from thrumble.core.coach.verdict.findings import FINDINGS
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.coach.verdict.proposals import worst_bar
from thrumble.core.coach.verdict.strings import WrongFrets
from thrumble.core.coach.verdict.tempo import Swing
from thrumble.core.ear.reading import HitState
from thrumble.core.instrument import Instrument

NECK = Instrument()
SHUFFLE = "title: T\ntempo: 100\nfeel: shuffle {asked} on 1/8\n"
FOUR_BARS = "|" + " 6:2 o o o o o o o o |" * 4


def test_of_more_bars_than_six_five_are_named_and_the_rest_are_counted() -> None:
    assert bars_named(range(1, 7)) == "bars 1, 2, 3, 4, 5 and 6"
    assert bars_named(range(1, 10)) == "bars 1, 2, 3, 4, 5 and 4 more"


def test_no_remedy_is_practised_faster_than_the_take_or_below_half_of_it() -> None:
    shares = {remedy.tempo_share for finding in FINDINGS for remedy in finding.remedies}
    assert shares and min(shares) >= 0.5 and max(shares) <= 1.0


def test_the_only_chord_that_could_be_checked_is_named_if_it_is_wrong() -> None:
    riff = expanded("| E5@6/0 o o o o o o o o |")

    def wrong(**chords: bool) -> WrongFrets | None:
        changes: dict[int, dict[str, object]] = {
            int(k[1:]): {"chord_ok": ok, "chord_probability": 0.7} for k, ok in chords.items()
        }
        return WrongFrets.find(Review(judge(heard(riff, hits=changes), riff, NECK)))

    only = wrong(_2=False)
    assert only is not None and (only.wrong, only.checked) == (1, 1)
    assert wrong(_2=False, _3=True) is None
    assert wrong(_2=True) is None


def test_only_what_was_played_tells_where_the_player_is() -> None:
    riff = expanded(FOUR_BARS)
    changes: dict[int, dict[str, object]] = {k: {"deviation_ms": 30.0} for k in range(12)}
    changes |= {
        k: {"state": HitState.MISSED, "deviation_ms": -300.0, "onset_s": None}
        for k in range(12, 32)
    }
    judgement = judge(heard(riff, hits=changes), riff, NECK)
    assert judgement.around_ms == 30.0
    assert judgement.in_time == 12 and judgement.due == 32


@pytest.mark.parametrize(
    ("asked", "low", "high", "told"),
    [
        (1.5, 1.3, 1.9, False),  # well within
        (1.5, 1.55, 1.9, False),  # a tenth is within
        (1.5, 1.65, 1.9, True),
        (2.0, 1.4, 1.95, False),
        (2.0, 1.4, 1.85, True),
    ],
)
def test_a_shuffle_is_off_if_its_interval_excludes_what_is_asked(
    asked: float, low: float, high: float, told: bool
) -> None:
    riff = expanded(FOUR_BARS, SHUFFLE.format(asked=asked))
    changes: dict[int, dict[str, object]] = {
        k: {"deviation_ms": 60.0 if k % 2 else 0.0} for k in range(32)
    }
    reading = replace(heard(riff, hits=changes), bias_judged=True)
    summary = replace(reading.summary, swing_ratio=(low + high) / 2, swing_interval=(low, high))
    finding = Swing.find(Review(judge(replace(reading, summary=summary), riff, NECK)))
    assert (finding is not None) is told
    if finding:
        assert (finding.low, finding.high, finding.asked) == (low, high, asked)
        assert len(finding.hits) == 16  # the off-beats
        assert ("straighter" if (low + high) / 2 < asked else "harder") in finding.sentence(
            judge(reading, riff, NECK)
        )


def test_the_first_bar_may_be_the_worst() -> None:
    riff = expanded(FOUR_BARS)
    late = {k: {"deviation_ms": 60.0} for k in range(5)}
    assert worst_bar(judge(heard(riff, hits=late), riff, NECK)) == 1
    nothing = {k: {"state": HitState.NOT_REACHED, "deviation_ms": None} for k in range(32)}
    assert worst_bar(judge(heard(riff, hits=nothing), riff, NECK)) is None
