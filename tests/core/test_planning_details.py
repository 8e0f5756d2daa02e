"""Planning and comparing, number by number: made by hand, or by a library."""

from datetime import UTC, date, datetime, timedelta

import numpy as np
import pytest

from tests.core.coach_takes import invented
from thrumble.core.coach.comparing.comparison import Difference, compare_sides
from thrumble.core.coach.comparing.metrics import METRICS, hits_of, rows_of
from thrumble.core.coach.comparing.trial import Outcome, judge_trial
from thrumble.core.coach.planning import next_riff
from thrumble.core.coach.planning.assignments import (
    Assignment,
    Practised,
    State,
    by_need,
    pupil_at_a_glance,
)
from thrumble.core.coach.planning.hand_health import (
    DayLoad,
    PracticeHistory,
    light_weeks,
    strokes_left,
)
from thrumble.core.coach.planning.plan import (
    Assigned,
    BlockKind,
    Standing,
    _candidates,
    _worthy,
    make_plan,
)
from thrumble.core.coach.progress.clean_speed import Estimate
from thrumble.core.riff.drills.catalogue import DrillKind

TODAY = date(2026, 12, 1)
TIMING = next(metric for metric in METRICS if metric.name == "spread_ms")


def ago(days: int) -> date:
    return TODAY - timedelta(days=days)


# --- assignments ---------------------------------------------------------------------------------


def assignment(**changes: object) -> Assignment:
    usual: dict[str, object] = {
        "id": 1,
        "riff_id": 1,
        "title": "Sluice Gate",
        "teacher_id": 2,
        "teacher": "Ida",
        "drill": None,
        "goal_bpm": None,
        "due": None,
        "words": "",
        "day": ago(5),
        "played_s": 0.0,
        "best_bpm": None,
    }
    return Assignment(**usual | changes)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("changes", "state"),
    [
        ({}, State.OPEN),
        ({"played_s": 1.0}, State.BEGUN),
        ({"played_s": 119.0}, State.BEGUN),
        ({"played_s": 120.0}, State.DONE),
        ({"goal_bpm": 120.0, "played_s": 900.0}, State.BEGUN),
        ({"goal_bpm": 120.0, "best_bpm": 119.0}, State.OPEN),
        ({"goal_bpm": 120.0, "best_bpm": 119.5}, State.DONE),
        ({"due": TODAY}, State.OPEN),
        ({"due": ago(1)}, State.OVERDUE),
        ({"due": ago(1), "played_s": 200.0}, State.DONE),
    ],
)
def test_how_far_an_assignment_has_come(changes: dict[str, object], state: State) -> None:
    assert assignment(**changes).state(TODAY) is state


@pytest.mark.parametrize(
    ("changes", "why"),
    [
        ({}, "from Ida"),
        ({"goal_bpm": 118.0, "due": TODAY}, "from Ida, 118 bpm clean, due today"),
        ({"due": ago(-1)}, "from Ida, due tomorrow"),
        ({"due": ago(-4)}, "from Ida, due in 4 days"),
        ({"due": ago(1)}, "from Ida, due yesterday"),
    ],
)
def test_the_reason_of_an_assignments_block(changes: dict[str, object], why: str) -> None:
    assert assignment(**changes).why(TODAY) == why


def played(back: int, takes: int, **findings: int) -> Practised:
    return Practised(day=ago(back), takes=takes, findings=findings)


def test_a_trend_holds_the_last_two_weeks_against_the_two_before() -> None:
    def trend(now: int, before: int, *, takes: int = 10) -> str:
        days = [played(3, takes, rang=now), played(20, takes, rang=before), played(35, 50, rang=50)]
        return pupil_at_a_glance(1, "Bo", days, [], TODAY).trend

    assert trend(5, 3) == "more often than before" and trend(3, 5) == "less often than before"
    assert trend(4, 3) == trend(3, 4) == trend(3, 3) == "as often as before"
    assert trend(2, 1, takes=3) == "too few takes for a trend"
    glance = pupil_at_a_glance(
        1,
        "Bo",
        [played(0, 4, rang=1, late=3), played(13, 1, late=1), played(14, 9, rang=9)],
        [],
        TODAY,
    )
    assert (glance.finding, glance.days, glance.last) == ("late", 2, TODAY)
    idle = pupil_at_a_glance(1, "Bo", [], [assignment(), assignment(played_s=500.0)], TODAY)
    assert (idle.finding, idle.trend, idle.last, idle.open) == (None, "", None, 1)


def test_who_needs_help_first_and_why() -> None:
    late = [assignment(due=ago(1))]
    pupils = {
        "one overdue": pupil_at_a_glance(1, "Zoe", [played(0, 5)], late, TODAY),
        "two overdue": pupil_at_a_glance(2, "Yan", [played(0, 5)], late * 2, TODAY),
        "never": pupil_at_a_glance(3, "Xia", [], [], TODAY),
        "silent": pupil_at_a_glance(4, "Wim", [played(7, 5)], [], TODAY),
        "longer silent": pupil_at_a_glance(5, "Vic", [played(9, 5)], [], TODAY),
        "grows": pupil_at_a_glance(
            6, "Uma", [played(1, 9, rang=9), played(20, 9, rang=1)], [], TODAY
        ),
        "well, a": pupil_at_a_glance(7, "ann", [played(6, 5)], [], TODAY),
        "well, b": pupil_at_a_glance(8, "Ben", [played(0, 5)], [], TODAY),
    }
    names = {pupil.player_id: name for name, pupil in pupils.items()}
    order = [names[pupil.player_id] for pupil in by_need(list(pupils.values())[::-1], TODAY)]
    assert order == [
        "two overdue",
        "one overdue",
        "never",
        "longer silent",
        "silent",
        "grows",
        "well, a",
        "well, b",
    ]
    assert {name: pupil.why for name, pupil in pupils.items()} == {
        "one overdue": "1 assignment overdue",
        "two overdue": "2 assignments overdue",
        "never": "hasn't played yet",
        "silent": "last played 7 days ago",
        "longer silent": "last played 9 days ago",
        "grows": "the main finding comes up more often",
        "well, a": "",
        "well, b": "",
    }


# --- what comes next -------------------------------------------------------------------------------


def stands(number: int, back: float | None, clean: int | None = None) -> next_riff.Standing:
    now = datetime(2026, 12, 1, 12, tzinfo=UTC)
    return next_riff.Standing(
        riff_id=number,
        last_played=None if back is None else now - timedelta(days=back),
        clean=clean,
        hits=None if clean is None else 100,
    )


@pytest.mark.parametrize(
    ("standings", "riff_id", "why"),
    [
        ([stands(1, 0, 60), stands(2, 0, 50)], 2, "50 of 100 hits clean last time, today"),
        ([stands(1, 4, 60), stands(2, 0, 50)], 1, "60 of 100 hits clean last time, 4 days ago"),
        ([stands(1, 3, 60), stands(2, 0, 50)], 2, "50 of 100 hits clean last time, today"),
        ([stands(1, 9, 95), stands(2, 0, 94)], 2, "94 of 100 hits clean last time, today"),
        ([stands(1, 9, 95), stands(2, None), stands(3, None)], 2, "not played yet"),
        ([stands(1, 2, 95), stands(2, 9, 100)], 2, "clean last time, 9 days ago"),
        ([stands(1, 2)], 1, "its last take isn't analysed"),
        ([stands(1, 1, 0)], 1, "0 of 100 hits clean last time, yesterday"),
    ],
)
def test_the_riff_that_gains_most_is_next(
    standings: list[next_riff.Standing], riff_id: int, why: str
) -> None:
    now = datetime(2026, 12, 1, 12, tzinfo=UTC)
    assert next_riff.next_riff(standings, now=now) == (riff_id, why)


def test_without_a_riff_nothing_is_next() -> None:
    assert next_riff.next_riff([], now=datetime(2026, 12, 1, tzinfo=UTC)) is None


# --- the plan --------------------------------------------------------------------------------------


def standing(number: int = 1, **changes: object) -> Standing:
    usual: dict[str, object] = {
        "riff_id": number,
        "title": f"Riff {number}",
        "goal_bpm": 120.0,
        "tempo_bpm": 104.0,
        "speed": None,
        "last": ago(0),
        "interval_days": 2,
        "drill": None,
        "bars": None,
        "weak_why": "",
        "strokes_a_minute": 200.0,
    }
    return Standing(**usual | changes)  # type: ignore[arg-type]


def worth(candidate: Standing) -> dict[BlockKind, float]:
    """What three minutes of each kind are worth."""
    return {c.block.kind: c.value for c in _candidates(candidate, TODAY) if c.block.minutes == 3}


def test_what_a_block_is_worth() -> None:
    assert worth(standing()) == {}, "played today"
    assert worth(standing(last=None)) == {BlockKind.NEW: 2.5}
    assert worth(standing(last=ago(1))) == {}, "not due yet"
    assert worth(standing(last=ago(2))) == {BlockKind.DUE: 3.0}
    assert worth(standing(last=ago(4))) == {BlockKind.DUE: 5.0}
    assert worth(standing(last=ago(6))) == worth(standing(last=ago(60))) == {BlockKind.DUE: 7.0}
    assert worth(standing(last=ago(-3))) == {}, "a clock that was wrong"
    slow = standing(speed=Estimate(90.0, 80.0, 100.0), drill=DrillKind.LOOP)
    assert worth(slow) == {BlockKind.WEAK: pytest.approx(2.0 + 12.0 * 0.25)}
    assert worth(standing(speed=Estimate(90.0, 80.0, 100.0))) == {}, "no drill to do about it"
    for bpm in (120.0, 130.0):
        fast = standing(speed=Estimate(bpm, 80.0, 140.0), drill=DrillKind.LOOP)
        assert worth(fast) == {BlockKind.STAMINA: 1.5}


@pytest.mark.parametrize(
    ("left", "value"),
    [(None, 9.0), (0, 15.0), (-5, 15.0), (3, 9.0 + 6.0 * 4 / 7), (7, 9.0), (30, 9.0)],
)
def test_an_assignment_is_worth_more_the_sooner_it_is_due(left: int | None, value: float) -> None:
    assigned = standing(last=None, assigned=Assigned("from Ida", None, left))
    assert worth(assigned) == {BlockKind.ASSIGNED: pytest.approx(value)}


def test_a_plan_has_a_block_for_every_six_minutes() -> None:
    many = [standing(number, last=ago(2 + number)) for number in range(1, 12)]

    def blocks(minutes: int) -> list[int]:
        made = make_plan(many, minutes, TODAY)
        return [block.minutes for block in made if block.kind is not BlockKind.WARM_UP]

    assert blocks(2) == [] and blocks(3) == [3] and len(blocks(7)) == 1
    assert len(blocks(20)) == 3 and sum(blocks(20)) <= 17
    assert make_plan([], 20, TODAY) == []
    assert make_plan(many, 8, TODAY)[0].kind is BlockKind.WARM_UP


def test_hands_that_need_care_get_no_stamina() -> None:
    fast = standing(speed=Estimate(130.0, 80.0, 140.0), last=ago(0))
    kinds = [block.kind for block in make_plan([fast], 20, TODAY)]
    assert BlockKind.STAMINA in kinds
    assert make_plan([fast], 20, TODAY, share=0.7) == []


def test_each_kind_and_length_keeps_its_best_candidates() -> None:
    many = [standing(number, last=ago(2 + number)) for number in range(1, 9)]
    candidates = [candidate for each in many for candidate in _candidates(each, TODAY)]
    kept = _worthy(candidates, 2)
    assert sorted({c.block.minutes for c in kept}) == [3, 5, 8] and len(kept) == 6
    for minutes in (3, 5, 8):
        values = sorted(c.value for c in candidates if c.block.minutes == minutes)
        assert sorted(c.value for c in kept if c.block.minutes == minutes) == values[-2:]


# --- the hands -------------------------------------------------------------------------------------


def history(*weeks: int, rise: float = 10.0) -> PracticeHistory:
    """Strokes of this week and of those before it, each played on its first and last day."""
    days = [
        DayLoad(ago(7 * back + side), strokes // 2, 10.0)
        for back, strokes in enumerate(weeks)
        for side in (0, 6)
    ]
    return PracticeHistory(TODAY, tuple(days), (), rise_percent=rise)


def test_a_week_may_rise_by_so_much_above_the_usual_of_three() -> None:
    assert strokes_left(history(1000)) is None, "no week before"
    assert strokes_left(history(1000, 12_000, 10_000, 8_000, 90_000)) == pytest.approx(10_000)
    assert strokes_left(history(0, 0, 0, 20_000)) == pytest.approx(22_000), "weeks played count"
    assert strokes_left(history(30_000, 10_000)) == 0
    assert strokes_left(history(1000, 2000)) == 5000, "a light week may grow to 6,000"
    assert strokes_left(history(0, 10_000, rise=0.0)) == 10_000
    assert strokes_left(history(0, 10_000, rise=100.0)) == 20_000
    assert light_weeks(history(0, 5000)) and not light_weeks(history(0, 6000))


# --- comparing -------------------------------------------------------------------------------------


def outcome(value: float, half: float, better: int | None = None) -> Outcome:
    metric = next(m for m in METRICS if m.better == (better or TIMING.better))
    return Outcome(
        metric=metric,
        a=10.0,
        b=10.0 + value,
        value=value,
        interval=(value - half, value + half),
        more_pairs=None,
    )


def test_a_way_is_better_only_if_it_is_clear_and_there_is_a_better() -> None:
    assert TIMING.better < 0
    assert outcome(-5.0, 2.0).better == "B" and outcome(5.0, 2.0).better == "A"
    assert outcome(-5.0, 6.0).better == ""
    least = TIMING.min_relevant
    assert outcome(0.0, least * 0.9).settled and not outcome(0.0, least * 1.1).settled
    assert not outcome(-5.0, 2.0).settled


def test_a_difference_may_matter_while_its_interval_holds_one_that_does() -> None:
    least = TIMING.min_relevant
    for low, high, may in ((-2, 0.5, True), (-0.5, 2, True), (-0.5, 0.5, False)):
        found = Difference(
            metric=TIMING, a=1.0, b=1.0, value=0.0, interval=(low * least, high * least)
        )
        assert found.is_open is may


def test_a_place_has_the_mean_of_each_side() -> None:
    rng = np.random.default_rng(4)
    late = np.tile(np.where(np.arange(8) == 3, 25.0, 0.0), 4)
    sides = [
        [hits_of(invented(list(rng.normal(0, 2, 32) + add))) for _ in range(4)]
        for add in (0.0, late)
    ]
    places = compare_sides(*sides).places
    worst = max(places, key=lambda place: abs(place.value))
    assert worst.at == "3/8"
    assert worst.b_ms - worst.a_ms == pytest.approx(worst.value) and worst.value > 15
    assert abs(worst.a_ms) < 5 < worst.b_ms


def test_a_trial_fits_way_and_steady_change_like_least_squares() -> None:
    rng = np.random.default_rng(8)
    ways = "ABBAABBA"
    spreads = [6.0 if way == "A" else 10.0 for way in ways]
    takes = [
        (way, hits_of(invented(list(rng.normal(0, spread, 96)))), 1)
        for way, spread in zip(ways, spreads, strict=True)
    ]
    found = next(o for o in judge_trial(takes) if o.metric is TIMING)
    samples = np.array(
        [
            TIMING.of(rows, np.ones((1, rows.round.size)))[0]
            for rows in (rows_of([hits], {}) for _, hits, _ in takes)
        ]
    )
    at = np.arange(8) - 3.5
    design = np.column_stack([np.ones(8), at, [0.5 if way == "B" else -0.5 for way in ways]])
    fitted, *_ = np.linalg.lstsq(design, samples, rcond=None)
    assert found.value == pytest.approx(fitted[2]) and found.clear and found.better == "A"
    a, b = (samples[[w == name for w in ways]].mean() for name in "AB")
    assert (found.a, found.b) == (pytest.approx(a), pytest.approx(b))
