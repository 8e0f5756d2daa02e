"""The calendar: a library of its own reads what was written."""

from datetime import UTC, date, datetime, time, timedelta

import icalendar

from thrumble.formats.calendar import PracticeDay, write_calendar

NOW = datetime(2026, 11, 27, 6, tzinfo=UTC)
DAYS = [
    PracticeDay(date(2026, 11, 27), 20, ["5 min: Ballast; Balk, due: yes", "8 min: Puddle Clay"]),
    PracticeDay(date(2026, 11, 28), 0, ["nothing"]),
    PracticeDay(date(2026, 11, 29), 35, ["Sluice Gate"]),
]


def test_every_day_with_minutes_is_an_event_by_the_players_own_clock() -> None:
    written = write_calendar(DAYS, time(7, 30), NOW, owner=3)
    events = icalendar.Calendar.from_ical(written).walk("VEVENT")
    assert [one.decoded("dtstart") for one in events] == [
        datetime(2026, 11, 27, 7, 30),
        datetime(2026, 11, 29, 7, 30),
    ]
    assert [one.decoded("duration") for one in events] == [
        timedelta(minutes=20),
        timedelta(minutes=35),
    ]
    assert str(events[0]["description"]).split("\n") == DAYS[0].lines
    again = icalendar.Calendar.from_ical(write_calendar(DAYS, time(8), NOW, owner=3))
    assert [one["uid"] for one in again.walk("VEVENT")] == [one["uid"] for one in events]
    assert all(len(line) <= 75 for line in written.split(b"\r\n"))
