"""Teachers: let in and withdrawn at once, every look listed; assignments in the plan; comments."""

import io
import re
from datetime import date, timedelta

import numpy as np
import pytest
import soundfile as sf
import sqlalchemy as sa
from fastapi.routing import iter_route_contexts
from sqlmodel import SQLModel

from tests.web.coach_takes import added, played
from tests.web.conftest import Browser
from tests.web.takes import TEXT
from thrumble.actions.portability import delete_player, export_player, import_player
from thrumble.core.coach.planning.assignments import (
    Assignment,
    Practised,
    State,
    by_need,
    pupil_at_a_glance,
)
from thrumble.core.player.flaws import Flaws
from thrumble.core.riff.drills.catalogue import DrillKind
from thrumble.demo import riff_texts
from thrumble.store import database
from thrumble.store.players import players
from thrumble.store.riffs import riffs
from thrumble.store.teaching import comments

TODAY = date(2026, 11, 30)
STRANGER = 99999


class Two:
    """A pupil with a take, and a teacher."""

    def __init__(self, visitor: Browser) -> None:
        self.visitor = visitor
        with database.session() as session:
            self.pupil = players.local_player(session)
            self.teacher = players.add_player(session, "Sluice").id
            players.rename_player(session, self.pupil, "Winch")
        revision = added(riff_texts()["6-stop-planks"])
        self.riff = revision.riff_id
        self.take = played(revision, Flaws(timing=8), seed=1)

    def get(self, player: int, url: str, **more):  # type: ignore[no-untyped-def]
        return self.visitor.get(url, headers={"x-thrumble-player": str(player)}, **more)

    def post(self, player: int, url: str, **more):  # type: ignore[no-untyped-def]
        return self.visitor.post(url, headers={"x-thrumble-player": str(player)}, **more)

    def let_in(self) -> None:
        answer = self.post(self.pupil, "/lessons/teachers", data={"teacher": str(self.teacher)})
        assert answer.status_code == 204, answer.text

    @property
    def looks(self) -> str:
        return str(self.get(self.pupil, "/lessons").text)


@pytest.fixture
def two(visitor: Browser) -> Two:
    return Two(visitor)


def test_a_teacher_sees_a_pupil_as_long_as_they_are_let_in(two: Two) -> None:
    pages = [f"/pupils/{two.pupil}", f"/pupils/{two.pupil}/takes/{two.take}"]
    sound = f"/pupils/{two.pupil}/takes/{two.take}/listen.wav"
    for page in [*pages, sound]:
        assert two.get(two.teacher, page).status_code == 404
    two.let_in()
    for page in [*pages, sound]:
        assert two.get(two.teacher, page).status_code == 200, page
        assert two.get(two.pupil, page).status_code == 200, "the pupil sees what the teacher sees"
    assert "Winch" in two.get(two.teacher, "/lessons").text
    for words in (
        "may look at takes",
        "looked at the list of takes",
        "looked at take 1 of Stop Planks",
        "listened to take 1 of Stop Planks",
        "looked at days and findings",
    ):
        assert words in two.looks, words
    listed = two.looks.count("looked at the list of takes")
    two.get(two.teacher, pages[0])
    assert two.looks.count("looked at the list of takes") == listed, (
        "the same look, once in a while"
    )
    two.post(two.pupil, f"/lessons/teachers/{two.teacher}/withdraw")
    for page in [*pages, sound]:
        assert two.get(two.teacher, page).status_code == 404
    assert "sees nothing any more" in two.looks
    assert "Your class" not in two.get(two.teacher, "/lessons").text


def answers(two: Two, player: int, pupil: int, take: int) -> list[tuple[int, str]]:
    """What every route about a pupil answers."""
    form = {"riff": f"theirs-{two.riff}", "words": "x", "bar": "1"}
    out = []
    for route in iter_route_contexts(two.visitor.client.app.routes):  # type: ignore[attr-defined]
        address = route.path_format or ""
        if "{pupil_id}" not in address:
            continue
        url = address.format(pupil_id=pupil, take_id=take, number=1)
        for method in sorted(route.methods or ()):
            answer = two.get(player, url) if method == "GET" else two.post(player, url, data=form)
            text = re.sub(r'content="[^"]*"|Request \w+|\d+|rail-name">: [^<]+', "", answer.text)
            out.append((answer.status_code, text))
    return out


def test_someone_who_is_not_let_in_is_answered_as_if_there_were_nobody(two: Two) -> None:
    theirs = answers(two, two.teacher, two.pupil, two.take)
    nobodys = answers(two, two.teacher, STRANGER, STRANGER)
    assert [pair for pair in zip(theirs, nobodys, strict=True) if pair[0] != pair[1]] == []
    assert {status for status, _ in theirs} == {404} and len(theirs) >= 8
    two.let_in()
    with database.session() as session:
        outsider = players.add_player(session, "Outsider").id
    theirs = answers(two, outsider, two.pupil, two.take)
    assert [pair for pair in zip(theirs, nobodys, strict=True) if pair[0] != pair[1]] == []
    statuses = [status for status, _ in answers(two, two.teacher, two.pupil, two.take)]
    assert statuses.count(200) >= 4
    missing = answers(two, two.teacher, two.pupil, STRANGER)
    assert [status for status, _ in missing].count(404) >= 6, "a take that isn't there"


def test_a_teacher_does_not_get_the_pupils_own_routes(two: Two) -> None:
    two.let_in()
    for url in (f"/takes/{two.take}", f"/riffs/{two.riff}", f"/takes/{two.take}/audio"):
        assert two.get(two.teacher, url).status_code == 404
    assert two.post(two.teacher, f"/takes/{two.take}/delete").status_code == 404


def assigned(two: Two, **more: str) -> None:
    form = {"riff": f"theirs-{two.riff}", **more}
    answer = two.post(two.teacher, f"/pupils/{two.pupil}/assignments", data=form)
    assert answer.status_code == 204, answer.text


def test_what_is_assigned_is_in_the_pupils_plan_with_its_reason(two: Two) -> None:
    two.let_in()
    before = two.post(two.pupil, "/plan/today").text
    assert "from Sluice" not in before
    due = (date.today() + timedelta(days=3)).isoformat()
    assigned(two, goal="96", due=due, words="Hold the stops short")
    plan = two.post(two.pupil, "/plan/today").text
    assert "assigned" in plan and "from Sluice, 96 bpm clean, due in" in plan
    mine = two.get(two.pupil, "/lessons").text
    assert "Hold the stops short" in mine and "not begun" in mine
    again = two.post(two.pupil, "/plan/today").text
    assert again.count("from Sluice") == 1, "one block, however often the page is loaded"


def test_a_drill_is_assigned_and_refused_nonsense_changes_nothing(two: Two) -> None:
    two.let_in()
    assigned(two, drill=DrillKind.RIGHT_HAND.value)
    plan = two.post(two.pupil, "/plan/today").text
    assert "from Sluice" in plan
    for form in (
        {"riff": "theirs-99999"},
        {"riff": f"mine-{two.riff}"},
        {"riff": "x"},
        {"riff": f"theirs-{two.riff}", "goal": "fast"},
        {"riff": f"theirs-{two.riff}", "goal": "9999"},
        {"riff": f"theirs-{two.riff}", "due": "2020-01-01"},
        {"riff": f"theirs-{two.riff}", "due": "soon"},
        {"riff": f"theirs-{two.riff}", "drill": "none such"},
    ):
        answer = two.post(two.teacher, f"/pupils/{two.pupil}/assignments", data=form)
        assert answer.status_code in (404, 422), form
    with database.session() as session:
        count = session.execute(sa.text("select count(*) from assignment")).scalar_one()
    assert count == 1


def test_a_riff_arrives_as_a_copy_and_a_newer_version_is_offered(two: Two) -> None:
    two.let_in()
    two.post(two.teacher, "/riffs", data={"source": TEXT.replace("Stop Planks", "Weir Gate")})
    with database.session() as session:
        mine = session.execute(
            sa.text("select id from riff where player_id = :p"), {"p": two.teacher}
        ).scalar_one()
    for _ in range(2):
        form = {"riff": f"mine-{mine}"}
        assert two.post(two.teacher, f"/pupils/{two.pupil}/assignments", data=form).is_success
    assert two.get(two.pupil, "/riffs").text.count(">Weir Gate<") == 1, "one copy"
    assert "newer version" not in two.get(two.pupil, "/lessons").text
    with database.session() as session:
        copied = session.execute(sa.text("select riff_id from assignment limit 1")).scalar_one()
        last = riffs.newest_revision(session, two.teacher, mine)
        text = last.source.replace("Weir Gate", "Weir Gate, shorter")
        from thrumble.core.riff.notation.text import parse_riff

        riffs.add_revision(session, two.teacher, mine, parse_riff(text), text)
    page = two.get(two.pupil, "/lessons").text
    assert "Take the newer version" in page
    assert "shorter" not in two.get(two.pupil, f"/riffs/{copied}").text, "never forced"
    number = re.search(r"/lessons/assignments/(\d+)/version", page)
    assert number
    taken = two.post(two.pupil, f"/lessons/assignments/{number[1]}/version")
    assert taken.headers["hx-redirect"] == f"/riffs/{copied}"
    assert "Weir Gate, shorter" in two.get(two.pupil, f"/riffs/{copied}").text
    assert "newer version" not in two.get(two.pupil, "/lessons").text
    assert two.post(two.pupil, f"/lessons/assignments/{number[1]}/version").status_code == 404


def spoken_wav(seconds: float) -> bytes:
    file = io.BytesIO()
    tone = 0.1 * np.sin(np.arange(int(seconds * 16000)) / 20)
    sf.write(file, tone, 16000, format="WAV")
    return file.getvalue()


def test_comments_are_written_spoken_answered_and_deleted(two: Two) -> None:
    two.let_in()
    url = f"/pupils/{two.pupil}/takes/{two.take}/comments"
    first = two.post(
        two.teacher,
        url,
        data={"words": "The stop rings on.\nPress sooner.", "bar": "2"},
        files={"sound": ("comment", spoken_wav(1.5))},
    )
    assert first.status_code == 200 and "bar 2" in first.text and "2 s" in first.text
    with database.session() as session:
        (comment,) = comments.comments_of(session, two.pupil, two.take)
    heard = two.get(two.pupil, f"{url}/{comment.id}/sound.flac")
    assert heard.headers["content-type"] == "audio/flac" and heard.content[:4] == b"fLaC"
    samples, rate = sf.read(io.BytesIO(heard.content))
    assert rate == 16000 and len(samples) == 24000
    reply = two.post(two.pupil, url, data={"words": "Will do", "reply_to": str(comment.id)})
    assert reply.status_code == 200 and "Will do" in two.get(two.teacher, url).text
    assert "commented on take" in two.looks
    for form, files in (
        ({"words": "  "}, None),
        ({"words": "x", "reply_to": "99999"}, None),
        ({"words": "x", "bar": "one"}, None),
        ({"words": "x", "hit": "<b>"}, None),
        ({"words": "x" * 2001}, None),
        ({"words": "x"}, {"sound": ("comment", spoken_wav(63))}),
        ({"words": "x"}, {"sound": ("comment", b"no sound at all")}),
    ):
        answer = two.post(two.teacher, url, data=form, files=files)
        assert answer.status_code in (404, 422), form
    assert len(re.findall(r'class="reply"', two.get(two.pupil, url).text)) == 1
    with database.session() as session:
        outsider = players.add_player(session, "Outsider").id
    assert two.post(outsider, f"{url}/{comment.id}/delete").status_code == 404
    assert two.post(two.teacher, f"{url}/{comment.id}/delete").status_code == 200
    assert "Will do" not in two.get(two.pupil, url).text, "an answer goes with what it answers"
    two.post(two.pupil, f"/lessons/teachers/{two.teacher}/withdraw")
    assert two.post(two.teacher, url, data={"words": "x"}).status_code == 404


def test_comments_travel_with_their_take_and_name_nobody_there(two: Two) -> None:
    two.let_in()
    url = f"/pupils/{two.pupil}/takes/{two.take}/comments"
    sound = {"sound": ("comment", spoken_wav(1))}
    two.post(two.teacher, url, data={"words": "Closer to the bridge"}, files=sound)
    file = io.BytesIO()
    export_player(two.pupil, file)
    with database.session() as session:
        other = players.add_player(session, "Elsewhere").id
    for _ in range(2):
        import_player(file, into=other)
    with database.session() as session:
        take = session.execute(
            sa.text("select id from take where player_id = :p"), {"p": other}
        ).scalar_one()
        (comment,) = comments.comments_of(session, other, take)
        assert (comment.words, comment.author) == ("Closer to the bridge", "Sluice")
        assert comment.author_id is None
        assert comments.comment_sound(session, other, take, comment.id)[:4] == b"fLaC"


def test_of_a_teacher_who_is_deleted_nothing_is_left_but_that_somebody_looked(two: Two) -> None:
    two.let_in()
    url = f"/pupils/{two.pupil}/takes/{two.take}/comments"
    two.post(two.teacher, url, data={"words": "Louder"})
    two.get(two.teacher, f"/pupils/{two.pupil}")
    assigned(two, goal="100")
    delete_player(two.teacher, "Sluice")
    page = two.get(two.pupil, "/lessons").text
    assert "A teacher who was deleted" in page and "looked at the list of takes" in page
    with database.session() as session:
        for table in SQLModel.metadata.tables:
            rows = session.execute(sa.text(f'select t::text from "{table}" t')).scalars()
            assert not [row for row in rows if "Sluice" in row or "Louder" in row], table


def test_a_renamed_teacher_has_their_new_name_everywhere(two: Two) -> None:
    two.let_in()
    url = f"/pupils/{two.pupil}/takes/{two.take}/comments"
    two.post(two.teacher, url, data={"words": "Louder"})
    assigned(two, goal="100")
    with database.session() as session:
        players.rename_player(session, two.teacher, "Weir keeper")
    for page in ("/lessons", url, "/"):
        text = two.get(two.pupil, page).text
        assert "Weir keeper" in text and ">Sluice<" not in text, page
    assert "from Weir keeper" in two.post(two.pupil, "/plan/today").text


def assignment(**more: object) -> Assignment:
    values: dict[str, object] = {
        "id": 1,
        "riff_id": 1,
        "title": "Weir",
        "teacher_id": 2,
        "teacher": "Sluice",
        "drill": None,
        "goal_bpm": None,
        "due": None,
        "words": "",
        "day": TODAY - timedelta(days=10),
        "played_s": 0.0,
        "best_bpm": None,
    }
    return Assignment(**values | more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("more", "state"),
    [
        ({}, State.OPEN),
        ({"played_s": 30.0}, State.BEGUN),
        ({"played_s": 130.0}, State.DONE),
        ({"played_s": 900.0, "goal_bpm": 104.0}, State.BEGUN),
        ({"goal_bpm": 104.0, "best_bpm": 103.6}, State.DONE),
        ({"goal_bpm": 104.0, "best_bpm": 103.0, "played_s": 9.0}, State.BEGUN),
        ({"due": TODAY}, State.OPEN),
        ({"due": TODAY - timedelta(days=1)}, State.OVERDUE),
        ({"due": TODAY - timedelta(days=1), "played_s": 500.0}, State.DONE),
    ],
)
def test_when_an_assignment_is_done(more: dict[str, object], state: State) -> None:
    assert assignment(**more).state(TODAY) is state


def days(ago: range, takes: int, finding: int) -> list[Practised]:
    return [
        Practised(day=TODAY - timedelta(days=k), takes=takes, findings={"drags": finding})
        for k in ago
    ]


def test_the_class_is_sorted_by_who_needs_help_never_by_how_well_they_play() -> None:
    late = assignment(due=TODAY - timedelta(days=2))
    pupils = [
        pupil_at_a_glance(1, "Fine", days(range(14), 3, 1), [], TODAY),
        pupil_at_a_glance(2, "Silent", days(range(9, 20), 3, 1), [], TODAY),
        pupil_at_a_glance(3, "Never", [], [], TODAY),
        pupil_at_a_glance(4, "Late", days(range(2), 3, 3), [late], TODAY),
        pupil_at_a_glance(5, "Worse", days(range(14), 3, 3) + days(range(14, 28), 3, 0), [], TODAY),
        pupil_at_a_glance(6, "Best", days(range(14), 9, 0), [], TODAY),
    ]
    order = [pupil.name for pupil in by_need(pupils, TODAY)]
    assert order == ["Late", "Never", "Silent", "Worse", "Best", "Fine"]
    whys = {pupil.name: pupil.why for pupil in pupils}
    assert whys["Late"] == "1 assignment overdue" and whys["Silent"] == "last played 9 days ago"
    assert whys["Never"] == "hasn't played yet" and whys["Fine"] == whys["Best"] == ""
    assert pupils[4].trend == "more often than before" and pupils[0].days == 14


def test_a_trend_needs_takes() -> None:
    few = pupil_at_a_glance(1, "Few", days(range(2), 1, 1) + days(range(15, 17), 1, 0), [], TODAY)
    assert few.trend == "too few takes for a trend"
    assert pupil_at_a_glance(1, "None", [], [], TODAY).trend == ""
