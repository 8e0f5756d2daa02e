"""The silence map string by string, as every screen of the neck shows it."""

from dataclasses import dataclass

from thrumble.core.instrument import Instrument
from thrumble.core.neck.catalogue import DEGREES
from thrumble.core.neck.muting_map import Fingered, MutingMap
from thrumble.web.shared.neck_words import FINGER_WORDS, quiet_words


@dataclass(frozen=True, slots=True)
class StringLine:
    """One string: what sounds on it, or what keeps it quiet. `loose`: nothing does."""

    string: int
    words: str
    sounds: bool
    loose: bool


def string_lines(
    neck: Instrument, notes: tuple[Fingered, ...], root_midi: int, silence: MutingMap | None
) -> list[StringLine]:
    """A line for every string, the highest first; without a map only for those that sound."""
    lines = {}
    for note in notes:
        away = neck.open_midi(note.string) + note.fret - root_midi
        degree = DEGREES.get(away) or DEGREES.get(away % 12, "note")
        words = f"{degree}{_who(note)}"
        lines[note.string] = StringLine(note.string, words, sounds=True, loose=False)
    if silence is not None:
        for quiet_string in silence.quiet:
            loose = quiet_string.by is None
            lines[quiet_string.string] = StringLine(
                quiet_string.string, quiet_words(quiet_string), sounds=False, loose=loose
            )
        for string in neck.strings:
            lines.setdefault(string, StringLine(string, "rings on", sounds=True, loose=False))
    return [lines[string] for string in sorted(lines)]


def _who(note: Fingered) -> str:
    if note.finger:
        return f": {FINGER_WORDS[note.finger]}"
    return ": open" if note.fret == 0 else ""
