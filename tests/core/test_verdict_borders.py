"""Where findings begin and end: one hit, one bar or one figure to either side of a limit."""

from dataclasses import replace

import numpy as np
import pytest

from tests.core.hand_made import expanded, heard
from thrumble.core.coach.verdict.articulation import FlatMuteRamp, PalmMutesRing
from thrumble.core.coach.verdict.finding import Review, bars_named
from thrumble.core.coach.verdict.findings import FINDINGS, find_findings
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.coach.verdict.proposals import propose, worst_bar
from thrumble.core.coach.verdict.strings import WrongFrets
from thrumble.core.coach.verdict.tempo import Drift, Swing
from thrumble.core.coach.verdict.timing import OneBeatOff, _standard_errors_later
from thrumble.core.coach.verdict.whole_take import error_mark
from thrumble.core.ear.reading import HeardKind, HitState, RampReading, RingEnd
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


@pytest.mark.parametrize(
    ("change", "mark"),
    [
        ({"heard_articulation": HeardKind.DEAD, "deviation_ms": 40.0}, "dead"),
        ({"deviation_ms": 40.0}, "40 late"),
        ({"deviation_ms": -40.0}, "40 early"),
        ({"stop_late_ms": 90.0, "ring_end": RingEnd.STOP}, "rings on 90"),
    ],
)
def test_an_error_that_no_cause_explains_is_marked_as_what_it_is(
    change: dict[str, object], mark: str
) -> None:
    riff = expanded("| 6:2 o ~ - o ~ - o ~ |")
    reading = replace(heard(riff, hits={0: change}), bias_judged=True)
    assert error_mark(judge(reading, riff, NECK).hits[0]) == mark


def ringing(after_open: int, after_palm: int) -> PalmMutesRing:
    """Palm mutes that ring, so many right after an open hit and so many after a palm mute."""
    riff = expanded("|" + " 6:2 o m m m |" * 16)
    late = [k * 4 + 1 for k in range(after_open)] + [40 + k * 4 + 3 for k in range(after_palm)]
    ring: dict[int, dict[str, object]] = {}
    for due in riff.hits:
        kind = "open" if due.index in late else due.hit.articulation.value
        sure = {name: 0.999 if name == kind else 0.0005 for name in ("open", "palm", "dead")}
        ring[due.index] = {"heard_articulation": HeardKind(kind), "probabilities": sure}
    found = PalmMutesRing.find(Review(judge(heard(riff, hits=ring), riff, NECK)))
    assert found is not None and found.after_open == after_open
    return found


@pytest.mark.parametrize(
    ("after_open", "after_palm", "late"),
    [(3, 0, True), (3, 1, True), (3, 2, False), (7, 3, False), (8, 3, True)],
)
def test_the_palm_comes_back_late_if_over_seven_of_ten_ring_after_open_hits(
    after_open: int, after_palm: int, late: bool
) -> None:
    found = ringing(after_open, after_palm)
    riff = expanded("|" + " 6:2 o m m m |" * 16)
    words = found.sentence(judge(heard(riff), riff, NECK))
    assert ("comes back late after the open hits" in words) is late
    assert ("keep your palm down" in words) is not late


@pytest.mark.parametrize("kept", [False, True, None])
def test_a_flat_mute_ramp_is_about_all_of_its_hits(kept: bool | None) -> None:
    riff = expanded(FOUR_BARS)
    ramp = RampReading(
        first_index=2,
        last_index=5,
        round=1,
        section="A",
        bar=1,
        at="1/4",
        written=(0.9, 0.1),
        heard=(0.5, 0.4),
        kept=kept,
    )
    reading = replace(heard(riff), ramps=[ramp])
    judgement = judge(reading, riff, NECK)
    found = FlatMuteRamp.find(Review(judgement))
    assert (found is not None) is (kept is False)
    if found:
        assert [key.index for key in found.hits] == [2, 3, 4, 5]
        assert (found.wrong, found.told, found.bar) == (1, 1, 1)
        assert (found.heard_from, found.heard_to) == (0.5, 0.4)
        assert (found.written_from, found.written_to) == (0.9, 0.1)
        assert found.sentence(judgement).startswith("Your mute ramp in bar 1 stays at one depth")
        assert "start tight" in found.sentence(judgement)


@pytest.mark.parametrize(("bars", "told"), [(3, False), (4, True)])
def test_a_beat_is_always_late_from_four_bars_on(bars: int, told: bool) -> None:
    """Two places are enough: one that is always there and in time, one that is late."""
    riff = expanded("|" + " 6:2 o . . . |" * 12 + " 6:2 o . o . |" * bars)
    late = {due.index: {"deviation_ms": 40.0} for due in riff.hits if due.hit.at}
    reading = replace(heard(riff, hits=late), bias_judged=True)
    found = OneBeatOff.find(Review(judge(reading, riff, NECK)))
    assert (found is not None) is told
    assert found is None or (found.at, round(found.late_ms)) == ("1/2", 40)


def test_moved_hits_are_weighed_against_six_others_at_least() -> None:
    late = np.array([30.0] * 3 + [0.0] * 6)
    moved = np.arange(9) < 3
    # medians 30 ms apart, each of them known to 3 ms over the root of so many
    errors = 1.25 * np.hypot(3 / np.sqrt(3), 3 / np.sqrt(6))
    assert _standard_errors_later(late, moved) == pytest.approx(30 / errors)
    assert _standard_errors_later(late[:-1], moved[:-1]) == 0.0
    assert _standard_errors_later(late[1:], moved[1:]) == 0.0
    assert _standard_errors_later(-late, moved) == 0.0


@pytest.mark.parametrize(("late_ms", "rings_on"), [(59.0, False), (59.9, False), (60.0, True)])
def test_a_stop_rings_on_from_sixty_milliseconds(late_ms: float, rings_on: bool) -> None:
    riff = expanded("| 6:2 o ~ - o ~ - o ~ |")
    stops = {0: {"stop_late_ms": late_ms, "ring_end": RingEnd.STOP}}
    reading = replace(heard(riff, hits=stops), bias_judged=True)
    assert judge(reading, riff, NECK).hits[0].stop_late is rings_on


@pytest.mark.parametrize("tempo_bpm", [118.5, 121.5, 122.0])
def test_a_tempo_that_is_off_leads_as_far_as_it_must(tempo_bpm: float) -> None:
    """At another tempo every second gains or loses the same."""
    riff = expanded("|" + " 6:2 o o o o o o o o |" * 20)
    gain = 1000 * (120 / tempo_bpm - 1)
    late = {due.index: {"deviation_ms": due.due_s * gain} for due in riff.hits}
    reading = replace(heard(riff, hits=late), bias_judged=True)
    drift = Drift.find(Review(judge(reading, riff, NECK)))
    assert drift is not None and drift.tempo_off_bpm == pytest.approx(tempo_bpm - 120, abs=0.06)
    assert drift.away_ms == pytest.approx(riff.hits[-1].due_s * gain, abs=1.0)
    assert drift.bar == 20 and drift.span_s == pytest.approx(riff.hits[-1].due_s, rel=0.06)


def test_three_things_to_practise_are_proposed_at_most() -> None:
    riff = expanded("|" + " 6:2 o m o m 6:9 o m o m |" * 8)
    wrong: dict[int, dict[str, object]] = {}
    for due in riff.hits:
        kind = "dead" if due.index % 4 == 0 else "open"
        sure = {name: 0.999 if name == kind else 0.0005 for name in ("open", "palm", "dead")}
        late_ms = 70.0 if due.index % 8 == 4 else 45.0 * (-1) ** due.index
        wrong[due.index] = {
            "heard_articulation": HeardKind(kind),
            "probabilities": sure,
            "deviation_ms": late_ms,
        }
    judgement = judge(heard(riff, hits=wrong), riff, NECK)
    findings = find_findings(judgement)
    assert len(findings) >= 2
    assert len(propose(judgement, findings)) == 3
