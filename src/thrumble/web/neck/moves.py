"""The moves of a route in words: the fastest, which fail first, where they lie."""

from thrumble.core.chords.names import name_notes
from thrumble.core.music.meter import spoken_count
from thrumble.core.neck.moves import Move
from thrumble.core.neck.routes import Route
from thrumble.core.riff.expand import DueHit, ExpandedRiff

MAX_FIRST = 3
MAX_TEMPO_BPM = 400.0  # nobody plays faster


def figure_words(route: Route, expanded: ExpandedRiff, limit: float) -> tuple[str, str]:
    """How fast the route can be played, as the page's largest figure, and what ends it."""
    fails = fails_at(route, expanded, limit)
    if fails is None:
        return "any tempo", "no shift limits you"
    worst = route.moves[route.worst_move or 0]
    return f"{fails:.0f}", f"bpm: good up to here. Hardest shift: {_into(worst, expanded)[5:]}"


def fails_at(route: Route, expanded: ExpandedRiff, limit: float) -> float | None:
    """The tempo up to which every move lands; None if the hand stays or no tempo is too fast."""
    if route.worst_move is None:
        return None
    fails = route.moves[route.worst_move].fails_at_bpm(expanded.tempo_bpm, limit)
    return None if fails is None or fails > MAX_TEMPO_BPM else fails


def _into(move: Move, expanded: ExpandedRiff) -> str:
    return f"into {where_words(expanded, expanded.hits[move.to_index])}"


def where_words(expanded: ExpandedRiff, due: DueHit) -> str:
    meter = next(bar.meter for bar in expanded.bars if bar.number == due.bar)
    beat, inside = divmod(due.hit.at, meter.beat)
    count = f"{int(beat) + 1}" + (spoken_count(due.hit.at, meter) if inside else "")
    return f"bar {due.bar} on {count}" if due.bar else f"pick-up on {count}"


def moves_sentence(route: Route, expanded: ExpandedRiff, limit: float, *, measured: bool) -> str:
    """Which shift goes first, and at which tempo."""
    if route.worst_move is None:
        return "Your hand stays in one place for the whole riff."
    worst, fails = route.moves[route.worst_move], fails_at(route, expanded, limit)
    if fails is None:
        return "No shift limits you at any tempo."
    whose = "" if measured else " Most hands do: your own takes don't tell yet."
    if fails <= expanded.tempo_bpm and not measured:
        return (
            f"The shift {_into(worst, expanded)} is hard at {expanded.tempo_bpm:g} bpm: most hands "
            f"manage it up to about {fails:.0f}. Your own takes don't tell yet."
        )
    if fails <= expanded.tempo_bpm:
        return (
            f"The shift {_into(worst, expanded)} is too fast for you at "
            f"{expanded.tempo_bpm:g} bpm. You should manage it up to about {fails:.0f}.{whose}"
        )
    return (
        f"The shift {_into(worst, expanded)} goes first: you should manage it up to about "
        f"{fails:.0f} bpm.{whose} Look at fret {worst.look_fret} before you go."
    )


def recommendation(routes: list[Route], expanded: ExpandedRiff, limit: float) -> str:
    """Which route to take, and why it comes before the next one."""
    first = routes[0]
    better = ": " + ", ".join(first.advantages) if first.advantages else ""
    if first.written:
        if len(routes) == 1:
            return "Play it as written: no other place on the neck is better for your hand."
        other = routes[1]
        return f"Play it as written. Worth a try: {other.name} ({', '.join(other.advantages)})."
    written = next((route for route in routes if route.written), None)
    if written is None or written.worst_move is None:
        return f"Best for your hand: {first.name}{better}."
    worst = written.moves[written.worst_move]
    if written.hardest_mm_s > limit >= first.hardest_mm_s:
        return (
            f"As written, the shift {_into(worst, expanded)} is too fast for you at "
            f"{expanded.tempo_bpm:g} bpm. Take “{first.name}”{better}."
        )
    return f"Best for your hand: {first.name}{better}."


def fails_first(route: Route, expanded: ExpandedRiff, limit: float) -> list[str]:
    """The moves that fail first, each way of the hand once, after the very first."""
    out: list[str] = []
    seen: set[tuple[float, float]] = set()
    for move in sorted(route.moves, key=lambda move: -move.speed_mm_s):
        key = (move.distance_mm, move.time_ms)
        if key in seen:
            continue
        seen.add(key)
        fails = move.fails_at_bpm(expanded.tempo_bpm, limit)
        if fails is not None and fails <= MAX_TEMPO_BPM:
            out.append(f"{_into(move, expanded)[5:]} at {fails:.0f} bpm")
    return out[1 : MAX_FIRST + 1]


def chord_name(expanded: ExpandedRiff, index: int) -> str:
    due = expanded.hits[index]
    neck = expanded.riff.instrument
    midis = tuple(midi for note in due.hit.notes if (midi := neck.midi(note)) is not None)
    return due.hit.label or name_notes(midis) or "chord"
