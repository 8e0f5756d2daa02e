"""Riffs made from a pattern and a form: what the hand does in a bar, laid over the chords of a
song. Each is a row of a table; the result is an ordinary riff.
"""

from collections.abc import Callable
from dataclasses import dataclass

from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument, Note
from thrumble.core.music.pitch import pitch_class, spell
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.text import parse_riff

DEGREES = {
    "I": 0,
    "bII": 1,
    "II": 2,
    "bIII": 3,
    "III": 4,
    "IV": 5,
    "bV": 6,
    "V": 7,
    "bVI": 8,
    "VI": 9,
    "bVII": 10,
    "VII": 11,
}
MAX_BARS = 64
HIGHEST_ROOT = 12  # frets: beyond it a shape is narrow and thin
FLAT_KEYS = frozenset({"F", "Bb", "Eb", "Ab", "Db", "Gb"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Choices:
    """What may be set of a pattern. `mutes`: how many between two chords; `beats`: those that carry
    accents, or the dead sixteenths, from 1.
    """

    mutes: int = 3
    beats: tuple[int, ...] = (2, 4)


@dataclass(frozen=True, slots=True, kw_only=True)
class Pattern:
    """One pattern in 4/4. `bar`: the slots of a bar as text, chords as `{5}`, `{6}`, `{b7}`, `{}`
    for the chord's root with that on top; `feel`: what the pattern is played with; `sets`: what
    may be set of it, `mutes` or `beats`.
    """

    name: str
    title: str
    why: str
    bar: Callable[[Choices], str]
    feel: str = "straight"
    sets: str = ""


def _each_beat(slot: Callable[[int], str]) -> str:
    return "{5} " + " ".join(slot(beat) for beat in (1, 2, 3, 4))


def _chug(choices: Choices) -> str:
    """A chord, then so many mutes on the pedal, over and over through eight eighths."""
    if not 1 <= choices.mutes <= 7:
        raise BadInput(f"between two chords there are 1 to 7 mutes; found {choices.mutes}")
    every = choices.mutes + 1
    return "{5} " + " ".join("M" if k % every else ">o" for k in range(8))


def _accents(choices: Choices) -> str:
    return _each_beat(lambda beat: f"({'>' if beat in choices.beats else ''}M M)")


def _dead_beats(choices: Choices) -> str:
    return _each_beat(lambda beat: "(x x x x)" if beat in choices.beats else "(o ~ M ~)")


PATTERNS = {
    pattern.name: pattern
    for pattern in (
        Pattern(
            name="shuffle",
            title="Root and fifth, root and sixth",
            why="the classic shuffle: your little finger rocks between fifth and sixth",
            bar=lambda _: "{5} >o o {6} o o {5} >o o {6} o o",
            feel="shuffle 2.0 on 1/8",
        ),
        Pattern(
            name="shuffle-seventh",
            title="The same, up to the flat seventh",
            why="the shuffle up to the flat seventh",
            bar=lambda _: "{5} >o o {6} o o {b7} >o o {6} o o",
            feel="shuffle 2.0 on 1/8",
        ),
        Pattern(
            name="chug",
            title="Chord and mutes",
            why="the palm lifts for one hit and comes back for the next",
            bar=_chug,
            sets="mutes",
        ),
        Pattern(
            name="backbeat",
            title="Mutes with accents on the snare",
            why="digging in on chosen beats without lifting the palm",
            bar=_accents,
            sets="beats",
        ),
        Pattern(
            name="gallop",
            title="Gallop",
            why="one long, two short: an even wrist at speed",
            bar=lambda _: _each_beat(lambda beat: f"({'>' if beat == 1 else ''}M (M M))"),
        ),
        Pattern(
            name="reverse-gallop",
            title="Reverse gallop",
            why="two short, one long: the accent lands on the short ones",
            bar=lambda _: _each_beat(lambda beat: f"(({'>' if beat == 1 else ''}M M) M)"),
        ),
        Pattern(
            name="four",
            title="Four to the bar",
            why="one chord a beat, all down, every one as loud as the others",
            bar=lambda _: _each_beat(lambda beat: f"{'>' if beat in (2, 4) else ''}o"),
        ),
        Pattern(
            name="eight",
            title="Eight to the bar, all down",
            why="straight eighths, all down-strokes: a forearm workout",
            bar=lambda _: _each_beat(lambda beat: f"({'>' if beat == 1 else ''}o o)"),
        ),
        Pattern(
            name="stop-time",
            title="Stop-time",
            why="one hit, and silence that is really silent",
            bar=lambda _: "{5} >o - - -",
        ),
        Pattern(
            name="dead-sixteenths",
            title="Dead sixteenths on chosen beats",
            why="the strumming hand never stops while the fretting hand lets go",
            bar=_dead_beats,
            sets="beats",
        ),
    )
}


@dataclass(frozen=True, slots=True)
class Form:
    """Degrees, one a bar."""

    title: str
    degrees: tuple[str, ...]


def _form(title: str, text: str) -> Form:
    return Form(title, tuple(text.split()))


FORMS = {
    "12": _form("12 bars", "I I I I IV IV I I V IV I I"),
    "12-quick": _form("12 bars, quick change", "I IV I I IV IV I I V IV I I"),
    "12-turnaround": _form("12 bars with a turnaround", "I I I I IV IV I I V IV I V"),
    "12-slow": _form("12 bars, slow change", "I I I I IV IV I I V V I I"),
    "8": _form("8 bars", "I V IV IV I V I V"),
    "16": _form("16 bars", "I I I I I I I I IV IV I I V IV I I"),
    "16-turnaround": _form("16 bars with a turnaround", "I I I I IV IV I I IV IV I I V IV I V"),
}


def read_degrees(text: str) -> tuple[str, ...]:
    """A string of degrees such as `I IV bVII`, parted by blanks, commas, bars or dashes. Raises
    BadInput naming what is none.
    """
    for sign in ",|-–":
        text = text.replace(sign, " ")
    degrees = tuple(text.replace("♭", "b").split())
    if not 1 <= len(degrees) <= MAX_BARS:
        raise BadInput(f"a string of degrees has 1 to {MAX_BARS} bars; found {len(degrees)}")
    for degree in degrees:
        if degree not in DEGREES:
            raise BadInput(f"{degree!r} is no degree: write {', '.join(DEGREES)}")
    return degrees


def make_riff(
    pattern: Pattern,
    degrees: tuple[str, ...],
    *,
    key: str,
    tempo_bpm: int,
    instrument: Instrument | None = None,
    choices: Choices | None = None,
    title: str = "",
) -> Riff:
    """An ordinary riff: the pattern, one bar for each degree, in a key such as `F#`. Raises
    BadInput, and RiffError if the instrument cannot hold a shape.
    """
    instrument, choices = instrument or Instrument(), choices or Choices()
    try:
        tonic = pitch_class(key)
    except ValueError as error:
        raise BadInput(f"the key: {error}") from None
    lines, near = [], None
    for degree in degrees:
        near = _root_place(instrument, tonic + DEGREES[degree], near)
        root = spell(tonic + DEGREES[degree], flats=key in FLAT_KEYS or "b" in degree)
        bar = pattern.bar(choices)
        for top in ("5", "6", "b7"):
            bar = bar.replace(f"{{{top}}}", f"{root}{top}@{near.string}/{near.fret}")
        lines.append(f"| {bar} |")
    heads = [
        f"title: {title or f'{pattern.title} in {key}'}",
        f"tempo: {tempo_bpm}",
        f"tuning: {' '.join(instrument.tuning)}",
        *([f"capo: {instrument.capo}"] if instrument.capo else []),
        "meter: 4/4",
        f"feel: {pattern.feel}",
        "[A]",
    ]
    return parse_riff("\n".join([*heads, *lines]) + "\n")


def _root_place(instrument: Instrument, root: int, near: Note | None) -> Note:
    """Where the hand takes a root: on one of the three lowest strings, as near as can be to the
    root before, the first one as low as it goes.
    """
    lowest = [string for string in reversed(instrument.strings) if string > 1][:3]
    places = [
        Note(string, (root - instrument.open_midi(string)) % 12)
        for string in lowest
        if (root - instrument.open_midi(string)) % 12 <= HIGHEST_ROOT
    ]
    if near is None:
        return min(places, key=lambda note: (note.fret or 0, -note.string))
    return min(
        places,
        key=lambda note: (
            abs((note.fret or 0) - (near.fret or 0)) + 2 * abs(note.string - near.string),
            note.fret or 0,
        ),
    )
