"""Care of the hands: every rule with the least that makes it speak, and what it leaves of the
day.
"""

from datetime import date, timedelta

import pytest

from thrumble.core.coach.planning.hand_health import (
    RULES,
    Comfort,
    DayLoad,
    PracticeHistory,
    TakeEffort,
    When,
    advice_for,
    light_weeks,
    share_left,
    strokes_left,
)

TODAY = date(2026, 11, 27)


def days(*strokes: tuple[int, int], minutes: float = 10.0) -> tuple[DayLoad, ...]:
    return tuple(DayLoad(TODAY - timedelta(days=ago), count, minutes) for ago, count in strokes)


def felt(score: int, *, ago: int = 0, when: When = When.BEFORE, numb: bool = False) -> Comfort:
    return Comfort(TODAY - timedelta(days=ago), when, score, (), numb)


EASY = tuple(TakeEffort(TODAY - timedelta(days=k), 4.0 + k / 10, True, True) for k in range(6))
TENSE = TakeEffort(TODAY, 8.0, True, True)
USUAL = ((8, 9000), (15, 9000), (22, 9000))
WORSE = tuple(
    felt(score, ago=ago, when=when)
    for ago in (5, 3, 1)
    for when, score in ((When.BEFORE, 1), (When.AFTER, 3))
)


@pytest.mark.parametrize(
    ("rule", "speaks", "silent", "share"),
    [
        (
            "numbness",
            {"comfort": (felt(0, numb=True),)},
            {"comfort": (felt(0, ago=1, numb=True),)},
            0.0,
        ),
        ("pain", {"comfort": (felt(7),)}, {"comfort": (felt(6),)}, 0.0),
        ("discomfort", {"comfort": (felt(4),)}, {"comfort": (felt(3),)}, 0.5),
        ("growing", {"comfort": WORSE}, {"comfort": WORSE[:4]}, 0.7),
        ("weekly rise", {"days": days((1, 10000), *USUAL)}, {"days": days((1, 9800), *USUAL)}, 0.7),
        (
            "long day",
            {"days": days((0, 100), minutes=45)},
            {"days": days((0, 100), minutes=44)},
            0.7,
        ),
        (
            "tension",
            {"takes": (*EASY, TENSE, TENSE)},
            {"takes": (*EASY, TENSE, TakeEffort(TODAY, 8.0, True, False))},
            0.7,
        ),
    ],
)
def test_each_rule_speaks_from_its_limit_on(
    rule: str, speaks: dict[str, object], silent: dict[str, object], share: float
) -> None:
    base: dict[str, object] = {"days": (), "comfort": ()}
    said = advice_for(PracticeHistory(today=TODAY, **{**base, **speaks}))  # type: ignore[arg-type]
    assert [one.rule for one in said] == [rule]
    assert share_left(said) == share and said[0].words and "{" not in said[0].words
    let_be = advice_for(PracticeHistory(today=TODAY, **{**base, **silent}))  # type: ignore[arg-type]
    assert rule not in [one.rule for one in let_be]


def test_every_rule_has_its_case_and_the_gravest_comes_first() -> None:
    assert len(RULES) == 7
    both = advice_for(
        PracticeHistory(
            today=TODAY,
            days=days((0, 100), minutes=60),
            comfort=(felt(8), felt(2, when=When.AFTER)),
        )
    )
    assert [one.rule for one in both] == ["pain", "long day"] and share_left(both) == 0
    assert "doctor or hand specialist" in both[0].words
    assert (
        advice_for(PracticeHistory(today=TODAY, days=(), comfort=())) == [] and share_left([]) == 1
    )


def test_a_first_week_and_a_players_own_limit_are_let_be() -> None:
    first = PracticeHistory(today=TODAY, days=days((1, 9000)), comfort=())
    assert advice_for(first) == [], "nothing to compare it with"
    own = PracticeHistory(today=TODAY, days=days((1, 10000), *USUAL), comfort=(), rise_percent=20)
    assert advice_for(own) == []
    assert light_weeks(first) and not light_weeks(own)
    assert strokes_left(first) is None and strokes_left(own) == 9000 * 1.2 - 10000
