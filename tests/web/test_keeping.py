"""What is kept of takes' sound: the rule by itself, its preview, and what stays when sound goes."""

from datetime import UTC, datetime, timedelta
from html import unescape

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.web.coach_takes import SHORT, added, played
from tests.web.conftest import Browser
from thrumble.actions.storage import apply_rules
from thrumble.core.errors import BadInput
from thrumble.core.player.flaws import Flaws
from thrumble.core.storage_rule import KeepingRule, KeptSound, what_goes
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.takes import space, storage, takes

NOW = datetime(2031, 5, 20, 12, tzinfo=UTC)


def sound(number: int, *, days: float = 100, place: int = 50, **more: bool) -> KeptSound:
    at = NOW - timedelta(days=days)
    return KeptSound(
        take_id=number, place=place, played_at=at, size=5_000_000, **{"starred": False, **more}
    )


def going(rule: KeepingRule, *sounds: KeptSound) -> list[int]:
    return [one.take_id for one in what_goes(sounds, rule, NOW)]


def test_everything_stays_until_the_player_says_otherwise() -> None:
    assert going(KeepingRule(), *(sound(n, days=1000, place=999) for n in range(50))) == []


def test_stars_the_last_takes_recent_days_and_trials_keep_their_sound() -> None:
    kept = [
        sound(1, starred=True),
        sound(2, place=10),
        sound(3, days=29.9),
        sound(4, held=True),
    ]
    rule = KeepingRule(tidy=True, last=10, days=30)
    assert going(rule, *kept, sound(5, place=11, days=30.1), sound(6, days=90)) == [6, 5]


def test_beyond_the_limit_the_oldest_go_and_no_more_than_needed() -> None:
    sounds = [sound(n, days=100 - n) for n in range(10)]  # 50 MB
    rule = KeepingRule(limit_gb=0.032)
    assert going(rule, *sounds) == [0, 1, 2, 3]
    assert going(KeepingRule(limit_gb=0.05), *sounds) == []


@given(
    st.lists(
        st.builds(
            sound,
            st.integers(1, 500),
            days=st.floats(0, 400),
            place=st.integers(1, 60),
            starred=st.booleans(),
            held=st.booleans(),
        ),
        max_size=30,
        unique_by=lambda one: one.take_id,
    ),
    st.integers(0, 60),
    st.integers(0, 400),
)
def test_a_limit_never_lets_go_what_tidying_would_keep(
    sounds: list[KeptSound], last: int, days: int
) -> None:
    tidied = set(going(KeepingRule(tidy=True, last=last, days=days), *sounds))
    limited = set(going(KeepingRule(limit_gb=0.01, last=last, days=days), *sounds))
    assert limited <= tidied


@pytest.mark.parametrize(
    "rule", [KeepingRule(last=-1), KeepingRule(days=9999), KeepingRule(limit_gb=0)]
)
def test_numbers_nobody_can_mean_are_refused(rule: KeepingRule) -> None:
    with pytest.raises(BadInput):
        rule.checked()


FORM = {"tidy": "yes", "last": "1", "days": "0", "limit": ""}


def test_what_would_go_is_shown_first_and_figures_stay_when_it_has_gone(visitor: Browser) -> None:
    revision = added(SHORT)
    old, starred, new = (played(revision, Flaws(), seed=seed) for seed in (1, 2, 3))
    visitor.post(f"/takes/{starred}/note", data={"starred": "true"})
    preview = unescape(visitor.post("/keeping/preview", data=FORM).text)
    assert "deletes the audio of 1 take" in preview and "2 takes keep their audio" in preview
    assert visitor.get(f"/takes/{old}/listen.wav").status_code == 200, "nothing is done yet"

    before = visitor.get(f"/takes/{old}/reading.json").json()
    assert "The audio of 1 take is deleted" in visitor.post("/keeping", data=FORM).text
    assert visitor.get(f"/takes/{old}/listen.wav").status_code == 404
    assert "Your storage rule deleted this take's audio" in unescape(
        visitor.get(f"/takes/{old}/audio").text
    )
    for kept in (starred, new):
        assert visitor.get(f"/takes/{kept}/listen.wav").status_code == 200
    page = unescape(visitor.get(f"/takes/{old}").text)
    assert (
        "Your storage rule deleted this take's audio on" in page
        and "Restore audio" in page
        and "Analyse again" not in page
    )
    assert visitor.get(f"/takes/{old}/reading.json").json() == before
    again = visitor.post(f"/takes/{old}/read")
    assert again.status_code == 409 and "restore it on the take's page first" in unescape(
        again.text
    )
    assert visitor.get(f"/takes/{old}/reading.json").json() == before
    assert "Everything stays" not in visitor.get("/keeping").text


def test_the_rule_is_followed_by_itself_later(visitor: Browser) -> None:
    revision = added(SHORT)
    visitor.post("/keeping", data=FORM)
    old, new = (played(revision, Flaws(), seed=seed) for seed in (1, 2))
    apply_rules()
    with database.session() as session:
        player = players.local_player(session)
        assert takes.get_take(session, player, old).let_go_at is not None
        assert takes.get_take(session, player, new).let_go_at is None
        assert [one.take_id for one in storage.sounds_of(session, player)] == [new]


@pytest.mark.parametrize(
    ("field", "value"), [("last", "-3"), ("days", "many"), ("limit", "a lot"), ("limit", "-1")]
)
def test_nonsense_is_refused_and_nothing_goes(visitor: Browser, field: str, value: str) -> None:
    revision = added(SHORT)
    first, _ = (played(revision, Flaws(), seed=seed) for seed in (1, 2))
    answer = visitor.post("/keeping", data=FORM | {field: value})
    assert answer.status_code == 422 or answer.status_code == 400
    assert visitor.get(f"/takes/{first}/listen.wav").status_code == 200


def rule_followed_with_two_takes(visitor: Browser) -> tuple[int, int]:
    revision = added(SHORT)
    old, new = (played(revision, Flaws(), seed=seed) for seed in (1, 2))
    assert visitor.post("/keeping", data=FORM).status_code == 200
    return old, new


def test_deleted_audio_is_listed_and_comes_back_within_seven_days(visitor: Browser) -> None:
    old, _ = rule_followed_with_two_takes(visitor)
    sound = visitor.get("/keeping").text
    assert "Deleted audio</h2>" in sound and f"/takes/{old}" in sound
    assert visitor.post(f"/takes/{old}/restore").status_code == 204
    assert visitor.get(f"/takes/{old}/audio").status_code == 200
    assert "Deleted audio</h2>" not in visitor.get("/keeping").text


def test_after_seven_days_deleted_audio_is_gone_for_good(visitor: Browser) -> None:
    old, new = rule_followed_with_two_takes(visitor)
    with database.session() as session:
        player = players.local_player(session)
        assert storage.purge_audio(session, datetime.now(UTC) - timedelta(days=7)) == 0
        size = takes.get_take(session, player, old).audio_bytes
        later = datetime.now(UTC) + timedelta(seconds=1)
        assert storage.purge_audio(session, later) == size > 0
    refused = visitor.post(f"/takes/{old}/restore")
    assert refused.status_code == 409 and "7 days have passed" in refused.text
    page = unescape(visitor.get(f"/takes/{old}").text)
    assert "The analysis is kept" in page and "Restore audio" not in page
    assert visitor.get(f"/takes/{new}/audio").status_code == 200


def test_a_star_brings_back_what_the_rule_has_just_deleted(visitor: Browser) -> None:
    old, _ = rule_followed_with_two_takes(visitor)
    assert visitor.post(f"/takes/{old}/note", data={"starred": "true"}).status_code == 200
    assert visitor.get(f"/takes/{old}/audio").status_code == 200


def test_when_takes_fill_the_limit_deleted_audio_makes_room_first(
    visitor: Browser, monkeypatch: pytest.MonkeyPatch
) -> None:
    old, _ = rule_followed_with_two_takes(visitor)
    with database.session() as session:
        used = space.space(session).used_bytes
        monkeypatch.setattr(space.settings(), "most_take_gb", used / 1e9)
        space.check_room(session)
        assert not takes.get_take(session, players.local_player(session), old).audio_bytes
