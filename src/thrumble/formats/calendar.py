"""Practice as an iCalendar document. Times have no zone: they are by the player's own clock,
wherever they are.
"""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from icalendar import Calendar, Event

DOMAIN = "thrumble.invalid"


@dataclass(frozen=True, slots=True)
class PracticeDay:
    """A day's practice: how long, and what, a line each."""

    day: date
    minutes: int
    lines: list[str]


def write_calendar(days: list[PracticeDay], begins_at: time, now: datetime, *, owner: int) -> bytes:
    """The days as events; a day without minutes has none. The same day of the same player is the
    same event whenever it is written.
    """
    calendar = Calendar()
    calendar.add("prodid", "-//Thrumble//practice//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", "Thrumble practice")
    calendar.add("refresh-interval", timedelta(hours=1), parameters={"VALUE": "DURATION"})
    for day in days:
        if not day.minutes:
            continue
        event = Event()
        event.add("uid", f"practice-{owner}-{day.day.isoformat()}@{DOMAIN}")
        event.add("dtstamp", now)
        event.add("dtstart", datetime.combine(day.day, begins_at))
        event.add("duration", timedelta(minutes=day.minutes))
        event.add("summary", f"Guitar, {day.minutes} min")
        event.add("description", "\n".join(day.lines))
        calendar.add_component(event)
    return bytes(calendar.to_ical())
