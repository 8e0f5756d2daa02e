"""The moves of a route in words: the fastest, which fail first, where they lie."""

from thrumble.core.chords.names import name_notes
from thrumble.core.music.meter import spoken_count
from thrumble.core.neck.moves import Move
from thrumble.core.neck.routes import Route
from thrumble.core.riff.expand import DueHit, ExpandedRiff

MOST_FIRST = 3


def figure_words(route: Route, expanded: ExpandedRiff) -> tuple[str, str]:
    if route.worst_move is None:
        return "0", "mm: your hand stays where it is"
    worst = route.moves[route.worst_move]
    return f"{worst.speed_mm_s:.0f}", f"mm a second, {_into(worst, expanded)}"


def _into(move: Move, expanded: ExpandedRiff) -> str:
    return f"into {where_words(expanded, expanded.hits[move.to_index])}"


def where_words(expanded: ExpandedRiff, due: DueHit) -> str:
    meter = next(bar.meter for bar in expanded.bars if bar.number == due.bar)
    beat, inside = divmod(due.hit.at, meter.beat)
    count = f"{int(beat) + 1}" + (spoken_count(due.hit.at, meter) if inside else "")
    return f"bar {due.bar} on {count}" if due.bar else f"pick-up on {count}"


def moves_sentence(route: Route, expanded: ExpandedRiff, limit: float, *, measured: bool) -> str:
    if route.worst_move is None:
        return "No move at all: your hand stays in one place for the whole riff."
    worst = route.moves[route.worst_move]
    fails = worst.fails_at_bpm(expanded.tempo_bpm, limit) or 0.0
    whose = (
        f"your takes land in time up to about {limit:.0f} mm a second"
        if measured
        else f"{limit:.0f} mm a second, what most hands land; your own takes don't tell yet"
    )
    fast = f"{worst.distance_mm:.0f} mm in {worst.time_ms:.0f} ms"
    if fails <= expanded.tempo_bpm:
        return (
            f"Too fast already: {fast} {_into(worst, expanded)}. Slow down to {fails:.0f} bpm, or "
            f"take another route ({whose})."
        )
    return (
        f"{fast} {_into(worst, expanded)}: this move fails first, at {fails:.0f} bpm ({whose}). "
        f"Look at fret {worst.look_fret} before you go."
    )


def fails_first(route: Route, expanded: ExpandedRiff, limit: float) -> list[str]:
    """The moves that fail first, each way of the hand once, after the very first."""
    out: list[str] = []
    seen: set[tuple[float, float]] = set()
    for move in sorted(route.moves, key=lambda move: -move.speed_mm_s):
        key = (move.distance_mm, move.time_ms)
        if key in seen:
            continue
        seen.add(key)
        fails = move.fails_at_bpm(expanded.tempo_bpm, limit) or 0.0
        out.append(
            f"{_into(move, expanded)[5:]}: {move.distance_mm:.0f} mm in {move.time_ms:.0f} ms, "
            f"fails at {fails:.0f} bpm"
        )
    return out[1 : MOST_FIRST + 1]


def chord_name(expanded: ExpandedRiff, index: int) -> str:
    due = expanded.hits[index]
    neck = expanded.riff.instrument
    midis = tuple(midi for note in due.hit.notes if (midi := neck.midi(note)) is not None)
    return due.hit.label or name_notes(midis) or "chord"
