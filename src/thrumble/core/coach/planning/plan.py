"""Today's minutes, filled with what is worth most: solved exactly as a choice of blocks under
limits, then put in an order that the hands like.
"""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum

import numpy as np

from thrumble.core.coach.progress.clean_speed import Estimate, Round
from thrumble.core.counting import counted, days_ago
from thrumble.core.errors import BadInput
from thrumble.core.riff.drills.catalogue import DrillKind

LENGTHS = {3: 1.0, 5: 1.45, 8: 1.8}  # minutes of a block, and what so long is worth
WARM_UP_MINUTES, WARM_UP_FROM = 2, 8
REST_MINUTES, REST_AFTER = 1, 10
MAX_MINUTES = 180
DAYS_AHEAD = 6
WARM_UP_SHARE = 0.7  # of the tempo
LONGEST_INTERVAL = 16  # days: nothing is left longer while it holds
A_BLOCK_MINUTES = 6.0  # a session of so many minutes for each block: not all riffs a little
CONSIDERED = 2  # times as many candidates of each length as there may be blocks
NEAR_ENOUGH = 2e-3  # of the best there is: the solver stops there
HELD_SHARE = 0.8  # of a day's rounds clean: the riff holds
NEW_RIFFS, STAMINAS = 1, 1
DUE, OVERDUE, MAX_OVERDUE = 3.0, 2.0, 3.0
GAP, WEAK = 12.0, 2.0
NEW, STAMINA = 2.5, 1.5
ASSIGNED, URGENT, URGENT_DAYS = (
    9.0,
    6.0,
    7,
)  # what a teacher wants comes first, the sooner it is due


class BlockKind(StrEnum):
    """What a block of practice is for, in the order they are played."""

    WARM_UP = "warm-up"
    ASSIGNED = "assigned"
    NEW = "new"
    WEAK = "weak"
    DUE = "due"
    STAMINA = "stamina"


@dataclass(frozen=True, slots=True)
class Assigned:
    """What a teacher wants of a riff: the reason as the block says it, the drill if it is one, and
    in how many days it is due, None for any time.
    """

    why: str
    drill: DrillKind | None
    days_left: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """A riff as the plan sees it. `interval_days`: since when it was played last it could wait;
    `bars`: the weakest part, None without one; `strokes_a_minute`: at the tempo that is next;
    `assigned`: by a teacher and not done yet.
    """

    riff_id: int
    title: str
    goal_bpm: float
    tempo_bpm: float
    speed: Estimate | None
    last: date | None
    interval_days: int
    drill: DrillKind | None
    bars: tuple[int, int] | None
    weak_why: str
    strokes_a_minute: float
    assigned: Assigned | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Block:
    """A piece of the session."""

    kind: BlockKind
    minutes: int
    why: str
    riff_id: int | None = None
    title: str = ""
    tempo_bpm: float | None = None
    drill: DrillKind | None = None
    bars: tuple[int, int] | None = None
    strokes: float = 0.0


@dataclass(frozen=True, slots=True)
class _Candidate:
    block: Block
    value: float


def make_plan(
    standings: list[Standing],
    minutes: int,
    today: date,
    *,
    share: float = 1.0,
    most_strokes: float | None = None,
    around: Sequence[Block] = (),
    without: Sequence[Block] = (),
) -> list[Block]:
    """The session: warm-up, what is new while fresh, what is weak, what is due, stamina last; rests
    between have their minutes, and come in by `rests_before`. `share`: of the minutes that the care
    of the hands leaves; `most_strokes`: that the week still allows; `around`: blocks that stand and
    take their minutes and strokes; `without`: what the player does not want today, riffs as a
    whole. Nothing for no
    minutes, no riffs, or hands that have to stop. Raises BadInput for a time that no day has.
    """
    if not 0 <= minutes <= MAX_MINUTES:
        raise BadInput(f"a plan is for 0 to {MAX_MINUTES} minutes; found {minutes}")
    allowed = int(minutes * share) - sum(block.minutes for block in around)
    if most_strokes is not None:
        most_strokes -= sum(block.strokes for block in around)
    if allowed < min(LENGTHS) or not standings:
        return []
    warm = WARM_UP_MINUTES if allowed >= WARM_UP_FROM and not around else 0
    rests = int(minutes * share - warm) // (REST_AFTER + REST_MINUTES) * REST_MINUTES
    room = allowed - warm - rests
    count = max(1, round(room / A_BLOCK_MINUTES))
    taken = {(block.riff_id, block.kind) for block in around}
    dropped = {block.riff_id for block in without if block.kind is not BlockKind.WARM_UP}
    candidates = [
        candidate
        for standing in standings
        for candidate in _candidates(standing, today)
        if (candidate.block.riff_id, candidate.block.kind) not in taken
        and candidate.block.riff_id not in dropped
    ]
    if share < 1:
        candidates = [
            candidate for candidate in candidates if candidate.block.kind is not BlockKind.STAMINA
        ]
    chosen = _best(_worthy(candidates, CONSIDERED * count), room, count, most_strokes)
    order = list(BlockKind)
    chosen.sort(key=lambda block: (order.index(block.kind), block.riff_id or 0))
    return [*_warm_up(chosen, warm), *chosen]


def _candidates(standing: Standing, today: date) -> list[_Candidate]:
    """What could be done with a riff today, each in every length."""
    kinds: list[tuple[BlockKind, float, str, DrillKind | None]] = []
    if standing.assigned is not None:
        left = standing.assigned.days_left
        urgency = (
            0.0 if left is None else URGENT * (1 - min(max(left, 0), URGENT_DAYS) / URGENT_DAYS)
        )
        assigned = standing.assigned
        kinds.append((BlockKind.ASSIGNED, ASSIGNED + urgency, assigned.why, assigned.drill))
    elif standing.last is None:
        kinds.append((BlockKind.NEW, NEW, "new: start while you're fresh", None))
    else:
        waited = max(0, (today - standing.last).days)
        late = min(MAX_OVERDUE, waited / max(1, standing.interval_days))
        if waited and late >= 1:
            why = f"due: last played {days_ago(waited)}"
            kinds.append((BlockKind.DUE, DUE + OVERDUE * (late - 1), why, None))
    if standing.speed is not None:
        gap = max(0.0, 1 - standing.speed.bpm / standing.goal_bpm)
        if gap > 0 and standing.drill is not None:
            kinds.append((BlockKind.WEAK, WEAK + GAP * gap, standing.weak_why, standing.drill))
        if gap == 0:
            kinds.append((BlockKind.STAMINA, STAMINA, "clean at full tempo: build stamina", None))
    return [
        _Candidate(_block(standing, kind, minutes, why, drill), value * worth)
        for kind, value, why, drill in kinds
        for minutes, worth in LENGTHS.items()
    ]


def _block(
    standing: Standing, kind: BlockKind, minutes: int, why: str, drill: DrillKind | None
) -> Block:
    return Block(
        kind=kind,
        minutes=minutes,
        why=why,
        riff_id=standing.riff_id,
        title=standing.title,
        tempo_bpm=standing.goal_bpm if kind is BlockKind.STAMINA else standing.tempo_bpm,
        drill=drill,
        bars=standing.bars if kind is BlockKind.WEAK else None,
        strokes=minutes * standing.strokes_a_minute,
    )


def _worthy(candidates: list[_Candidate], most: int) -> list[_Candidate]:
    """The candidates worth most, so many of each kind and length: the others are never chosen
    before them.
    """
    out: list[_Candidate] = []
    for kind in BlockKind:
        for length in LENGTHS:
            options = [
                candidate
                for candidate in candidates
                if candidate.block.kind is kind and candidate.block.minutes == length
            ]
            out += sorted(options, key=lambda candidate: -candidate.value)[:most]
    return out


def _best(
    candidates: list[_Candidate], minutes: int, count: int, most_strokes: float | None
) -> list[Block]:
    """The blocks worth most within the limits, by SciPy's mixed-integer solver, loaded when it is
    needed.
    """
    from scipy.optimize import Bounds, LinearConstraint, milp

    if not candidates or minutes < min(LENGTHS):
        return []
    blocks = [candidate.block for candidate in candidates]
    rows: list[list[float]] = [[float(block.minutes) for block in blocks]]
    most: list[float] = [float(minutes)]
    rows.append([1.0] * len(blocks))
    most.append(float(count))
    if most_strokes is not None:
        rows.append([block.strokes for block in blocks])
        most.append(most_strokes)
    for pair in {(block.riff_id, block.kind) for block in blocks}:  # one length of each
        rows.append([float((block.riff_id, block.kind) == pair) for block in blocks])
        most.append(1.0)
    kinds = {
        BlockKind.NEW: NEW_RIFFS,
        BlockKind.STAMINA: STAMINAS,
        BlockKind.WEAK: -(-count // 2),  # no session is all weak spots
    }
    for kind, limit in kinds.items():
        rows.append([float(block.kind is kind) for block in blocks])
        most.append(limit)
    solution = milp(
        c=-np.array([candidate.value for candidate in candidates]),
        constraints=LinearConstraint(np.array(rows), ub=np.array(most)),
        integrality=np.ones(len(blocks)),
        bounds=Bounds(0, 1),
        options={"mip_rel_gap": NEAR_ENOUGH},
    )
    if solution.x is None:
        return []
    return [block for block, taken in zip(blocks, solution.x, strict=True) if taken > 0.5]


def _warm_up(chosen: list[Block], minutes: int) -> list[Block]:
    """The hands first: the first riff's strokes on damped strings, slowly; nothing in no time, or
    for no riff.
    """
    first = next((block for block in chosen if block.tempo_bpm is not None), None)
    if not minutes or first is None or first.tempo_bpm is None:
        return []
    easy = round(first.tempo_bpm * WARM_UP_SHARE)
    return [
        Block(
            kind=BlockKind.WARM_UP,
            minutes=minutes,
            why=f"your hands first: damped strings at {easy}, loose from the wrist",
            riff_id=first.riff_id,
            title=first.title,
            tempo_bpm=float(easy),
            drill=DrillKind.RIGHT_HAND,
        )
    ]


def rests_before(minutes: Sequence[int]) -> list[int]:
    """Minutes of rest before each of some blocks that last so long: whenever they have gone on for
    ten minutes.
    """
    out, going = [], 0
    for length in minutes:
        rest = REST_MINUTES if going >= REST_AFTER else 0
        going = length if rest else going + length
        out.append(rest)
    return out


def week_ahead(
    standings: list[Standing],
    played: Collection[int | None],
    minutes: int,
    today: date,
    weekdays: Collection[int] = range(7),
) -> list[tuple[date, list[str]]]:
    """The six days after today, each with the riffs that it will most likely hold: those due
    longest by then, as many as the minutes take; if nothing is due the one farthest from its
    tempo. It is supposed that today's riffs (`played`) and all that are named are played and hold.
    A day that is none of the `weekdays` (0 is Monday) has none.
    """
    days = [today + timedelta(days=ahead) for ahead in range(1, DAYS_AHEAD + 1)]
    count = round(minutes / A_BLOCK_MINUTES) if minutes else 0
    last = {
        standing.riff_id: today if standing.riff_id in played else standing.last
        for standing in standings
    }
    waits = {
        standing.riff_id: min(
            LONGEST_INTERVAL, standing.interval_days * (2 if standing.riff_id in played else 1)
        )
        for standing in standings
    }
    out = []
    for day in days:
        chosen: list[Standing] = []
        if day.weekday() in weekdays and minutes:

            def overdue(standing: Standing, day: date = day) -> float:
                since = last[standing.riff_id]
                return 1.0 if since is None else (day - since).days / waits[standing.riff_id]

            due = sorted(
                (standing for standing in standings if overdue(standing) >= 1),
                key=lambda o: -overdue(o),
            )
            chosen = due[: max(1, count)] or sorted(standings, key=_share_reached)[:1]
        for block in chosen:
            last[block.riff_id] = day
            waits[block.riff_id] = min(LONGEST_INTERVAL, 2 * waits[block.riff_id])
        out.append((day, [block.title for block in chosen]))
    return out


def _share_reached(standing: Standing) -> float:
    return 0.0 if standing.speed is None else standing.speed.bpm / standing.goal_bpm


def interval_of(rounds: list[Round]) -> int:
    """How many days a riff may wait: a day, twice as long after every day that held, from the
    beginning again after one that did not.
    """
    days: dict[date, list[bool]] = {}
    for result in rounds:
        days.setdefault(result.day, []).append(result.clean)
    interval = 1
    for _, clean in sorted(days.items()):
        held = sum(clean) >= HELD_SHARE * len(clean)
        interval = min(LONGEST_INTERVAL, interval * 2) if held else 1
    return interval


def plan_words(blocks: list[Block]) -> str:
    """The session in a line."""
    minutes_each = [block.minutes for block in blocks]
    minutes = sum(minutes_each) + sum(rests_before(minutes_each))
    return f"{counted(minutes, 'minute')}, {counted(len(blocks), 'block')}"
