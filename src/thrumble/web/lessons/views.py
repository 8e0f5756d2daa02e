"""Lessons in words."""

from dataclasses import dataclass
from datetime import date

from thrumble.core.coach.planning.assignments import Assignment, Pupil, State
from thrumble.core.coach.verdict.findings import LABELS
from thrumble.core.counting import counted, days_ago
from thrumble.core.riff.drills.catalogue import TABLE, DrillKind
from thrumble.store.players.players import Player
from thrumble.store.practice.rounds import local_time
from thrumble.store.takes.take_lists import TakeLine
from thrumble.store.teaching.comments import Comment
from thrumble.store.teaching.lessons import Event
from thrumble.web.shared.reading import HitLine


@dataclass(frozen=True, slots=True)
class PupilLine:
    """A pupil in the class."""

    player_id: int
    name: str
    days: str
    finding: str
    trend: str
    assigned: str
    why: str


@dataclass(frozen=True, slots=True)
class AssignmentLine:
    """An assignment with its state. `offers`: a newer version of the teacher's riff."""

    id: int
    riff_id: int
    title: str
    what: str
    words: str
    state: str
    css: str
    progress: str
    offers: bool
    mine: bool


@dataclass(frozen=True, slots=True)
class LessonsView:
    """The page. `choices`: who can be let in."""

    pupils: list[PupilLine]
    teachers: list[tuple[int, str]]
    choices: list[tuple[int, str]]
    assignments: list[AssignmentLine]
    events: list[tuple[str, str, str]]


@dataclass(frozen=True, slots=True)
class PupilTake:
    """A take in the teacher's list."""

    take_id: int
    title: str
    words: str
    meta: str


@dataclass(frozen=True, slots=True)
class PupilView:
    """A pupil as the teacher sees them. `is_self`: the pupil looks at what the teacher sees."""

    pupil_id: int
    name: str
    is_self: bool
    takes: list[PupilTake]
    assignments: list[AssignmentLine]
    riffs: list[tuple[int, str]]
    theirs: list[tuple[int, str]]
    drills: list[tuple[str, str]]
    today: str


@dataclass(frozen=True, slots=True)
class CommentLine:
    """A comment. `place`: what it is about, in words; `from_hit`: where listening starts;
    `can_delete`: by whoever looks.
    """

    id: int
    author: str
    at: str
    words: str
    place: str
    bar: int | None
    from_hit: str
    seconds: str
    can_delete: bool
    replies: list["CommentLine"]


@dataclass(frozen=True, slots=True)
class CommentsView:
    """The comments on a take. `shown`: whether anybody has commented, or could."""

    pupil_id: int
    take_id: int
    lines: list[CommentLine]
    bars: list[int]
    shown: bool


def lessons_view(
    pupils: list[Pupil],
    teachers: list[Player],
    choices: list[Player],
    assigned: list[Assignment],
    events: list[Event],
    today: date,
    zone: str,
) -> LessonsView:
    """`choices`: whom the player may let in."""
    return LessonsView(
        pupils=[_pupil(pupil, today) for pupil in pupils],
        teachers=[(teacher.id, teacher.name) for teacher in teachers],
        choices=[(player.id, player.name) for player in choices],
        assignments=[_assignment(assignment, today) for assignment in assigned],
        events=[
            (f"{local_time(event.at, zone):%-d %B %Y, %H:%M}", event.teacher, event.words)
            for event in events
        ],
    )


def _pupil(pupil: Pupil, today: date) -> PupilLine:
    last = "" if pupil.last is None else f", last {days_ago((today - pupil.last).days)}"
    parts = []
    if pupil.overdue:
        titles = ", ".join(assignment.title for assignment in pupil.overdue[:2])
        parts.append(f"overdue: {titles}{' and more' if len(pupil.overdue) > 2 else ''}")
    if pupil.open:
        parts.append(f"{pupil.open} open")
    return PupilLine(
        player_id=pupil.player_id,
        name=pupil.name,
        days=f"{counted(pupil.days, 'day')} of 14{last}",
        finding=LABELS.get(pupil.finding or "", "none so far"),
        trend=pupil.trend,
        assigned=", ".join(parts),
        why=pupil.why,
    )


def _assignment(
    assignment: Assignment, today: date, teacher_id: int | None = None
) -> AssignmentLine:
    state = assignment.state(today)
    if assignment.best_bpm is not None:
        progress = f"fastest clean pass since: {assignment.best_bpm:.0f} bpm"
    elif assignment.played_s > 0:
        minutes = counted(max(1, round(assignment.played_s / 60)), "minute")
        progress = f"{minutes} played, no clean pass yet"
    else:
        progress = "not played yet"
    return AssignmentLine(
        id=assignment.id,
        riff_id=assignment.riff_id,
        title=assignment.title + (f": {TABLE[assignment.drill].name}" if assignment.drill else ""),
        what=assignment.why(today),
        words=assignment.words,
        state=state.value,
        css={State.DONE: "done", State.OVERDUE: "overdue"}.get(state, "open"),
        progress=progress,
        offers=assignment.newer_revision is not None,
        mine=teacher_id is not None and assignment.teacher_id == teacher_id,
    )


def take_lines_view(lines: list[TakeLine]) -> list[PupilTake]:
    """Takes in the teacher's list."""
    return [
        PupilTake(
            take_id=line.take.id,
            title=line.title,
            words=line.verdict or "not analysed yet",
            meta=f"take {line.take.number}, {line.take.created_at:%-d %B %Y}"
            + (f", {line.clean} of {line.judged} hits clean" if line.judged else ""),
        )
        for line in lines
    ]


def pupil_view(
    pupil: Player,
    lines: list[PupilTake],
    assigned: list[Assignment],
    riffs: list[tuple[int, str]],
    theirs: list[tuple[int, str]],
    today: date,
    teacher_id: int,
) -> PupilView:
    """`riffs`: of the teacher; `theirs`: of the pupil."""
    is_self = teacher_id == pupil.id
    return PupilView(
        pupil_id=pupil.id,
        name=pupil.name,
        is_self=is_self,
        takes=lines,
        assignments=[_assignment(assignment, today, teacher_id) for assignment in assigned],
        riffs=[] if is_self else riffs,
        theirs=theirs,
        drills=[(kind.value, TABLE[kind].name) for kind in DrillKind],
        today=today.isoformat(),
    )


def comments_view(
    stored: list[Comment],
    hits: list[HitLine],
    reader_id: int,
    pupil_id: int,
    take_id: int,
    *,
    has_teacher: bool,
    zone: str,
) -> CommentsView:
    """`reader_id`: who looks; `hits`: of the take, for what a comment is about."""
    by_mark = {hit.mark: hit for hit in hits}
    first_in_bar: dict[int, str] = {}
    for hit in hits:
        if hit.played:
            first_in_bar.setdefault(hit.bar, hit.mark)

    def line(comment: Comment) -> CommentLine:
        place, from_hit = "", ""
        if comment.hit in by_mark:
            hit = by_mark[comment.hit]
            place, from_hit = f"bar {hit.bar}, {hit.at}", comment.hit
        elif comment.bar is not None:
            place, from_hit = f"bar {comment.bar}", first_in_bar.get(comment.bar, "")
        return CommentLine(
            id=comment.id,
            author="You" if comment.author_id == reader_id else comment.author,
            at=f"{local_time(comment.at, zone):%-d %B, %H:%M}",
            words=comment.words,
            place=place,
            bar=comment.bar,
            from_hit=from_hit,
            seconds="" if comment.seconds is None else f"{max(1, round(comment.seconds))} s",
            can_delete=reader_id in (comment.author_id, pupil_id),
            replies=[line(reply) for reply in stored if reply.reply_to == comment.id],
        )

    return CommentsView(
        pupil_id=pupil_id,
        take_id=take_id,
        lines=[line(comment) for comment in stored if comment.reply_to is None],
        bars=sorted({hit.bar for hit in hits}),
        shown=bool(stored) or has_teacher or reader_id != pupil_id,
    )
