"""Riffs made from a pattern and a form: what the hand does in a bar, laid over the chords of a
song. Each is a row of a table; the result is an ordinary riff.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

from thrumble.core.errors import BadInput
from thrumble.core.instrument import Instrument, Note
from thrumble.core.music.meter import Meter
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
ROOT_STRINGS = 3  # the lowest ones, that roots are on
RATIO_RANGE = (Decimal("1.0"), Decimal("5.0"))  # long to short
EIGHTH = Fraction(1, 8)
COMMON = Meter(4, 4)
METERS = (
    Meter(3, 4),
    COMMON,
    Meter(5, 4),
    Meter(6, 4),
    Meter(7, 4),
    Meter(5, 8),
    Meter(7, 8),
    Meter(9, 8),
)
FLAT_KEYS = frozenset({"F", "Bb", "Eb", "Ab", "Db", "Gb"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Choices:
    """What may be set of a pattern. `mutes`: how many between two chords; `beats`: those that carry
    accents, or the dead sixteenths, from 1; `meter`: in quarters or eighths; `ratio`: long to short
    of the eighths, None for the pattern's own feel; `root_string`: the string of the tonic, 0 the
    lowest, None for where it's easiest; `reach_mm`: what the hand spans, None for any.
    """

    mutes: int = 3
    beats: tuple[int, ...] = (2, 4)
    meter: Meter = COMMON
    ratio: Decimal | None = None
    root_string: int | None = None
    reach_mm: float | None = None


Halves = tuple[str, str]  # of a beat, as text


@dataclass(frozen=True, slots=True, kw_only=True)
class Pattern:
    """One pattern. `bar`: the eighths of a bar as text, a chord before the hit that it begins with
    as `{5}`, `{6}`, `{b7}`: the chord's root with that on top; `ratio`: long to short that it is
    played with, None for straight; `sets`: what may be set of it, `mutes` or `beats`;
    `widest_frets`: that it spans.
    """

    name: str
    title: str
    why: str
    bar: Callable[[Choices], list[str]]
    ratio: Decimal | None = None
    sets: str = ""
    widest_frets: int = 2


def _eighths(meter: Meter) -> int:
    """How many eighths a bar has. Raises BadInput for another meter than of quarters or eighths."""
    count = meter.length / EIGHTH
    if meter not in METERS:
        raise BadInput(f"a pattern has one of these meters: {', '.join(map(str, METERS))}")
    return int(count)


def _each_beat(halves: Callable[[int], Halves]) -> Callable[[Choices], list[str]]:
    """A bar of beats, each of two eighths; an odd meter ends with half a beat."""

    def bar(choices: Choices) -> list[str]:
        return _with_chord(halves(k // 2 + 1)[k % 2] for k in range(_eighths(choices.meter)))

    return bar


def _chug(choices: Choices) -> list[str]:
    """A chord, then so many mutes on the pedal, over and over."""
    if not 1 <= choices.mutes <= 7:
        raise BadInput(f"between two chords there are 1 to 7 mutes; found {choices.mutes}")
    every = choices.mutes + 1
    return _with_chord("M" if k % every else ">o" for k in range(_eighths(choices.meter)))


def _with_chord(eighths: Iterable[str]) -> list[str]:
    first, *others = eighths
    return ["{5} " + first, *others]


def _rocking(tops: tuple[str, ...]) -> Callable[[Choices], list[str]]:
    """A chord a beat, the top note changing from one to the next, an accent every other time."""

    def bar(choices: Choices) -> list[str]:
        out = []
        for k in range(_eighths(choices.meter)):
            beat = k // 2
            chord = f"{{{tops[beat % len(tops)]}}} " if k % 2 == 0 else ""
            out.append(chord + (">o" if k % 4 == 0 else "o"))
        return out

    return bar


def _accents(choices: Choices) -> list[str]:
    return _each_beat(lambda beat: (">M" if beat in choices.beats else "M", "M"))(choices)


def _dead_beats(choices: Choices) -> list[str]:
    return _each_beat(lambda beat: ("(x x)", "(x x)") if beat in choices.beats else ("o", "(M ~)"))(
        choices
    )


def _stop_time(choices: Choices) -> list[str]:
    return _with_chord([">o", "~", *["-"] * (_eighths(choices.meter) - 2)])


SHUFFLE = Decimal("2.0")
PATTERNS = {
    pattern.name: pattern
    for pattern in (
        Pattern(
            name="shuffle",
            title="Root and fifth, root and sixth",
            why="the classic shuffle: your little finger rocks between fifth and sixth",
            bar=_rocking(("5", "6")),
            ratio=SHUFFLE,
            widest_frets=4,
        ),
        Pattern(
            name="shuffle-seventh",
            title="The same, up to the flat seventh",
            why="the shuffle up to the flat seventh",
            bar=_rocking(("5", "6", "b7", "6")),
            ratio=SHUFFLE,
            widest_frets=5,
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
            bar=_each_beat(lambda beat: (">M" if beat == 1 else "M", "(M M)")),
        ),
        Pattern(
            name="reverse-gallop",
            title="Reverse gallop",
            why="two short, one long: the accent lands on the short ones",
            bar=_each_beat(lambda beat: (f"({'>' if beat == 1 else ''}M M)", "M")),
        ),
        Pattern(
            name="four",
            title="One chord a beat",
            why="one chord a beat, all down, every one as loud as the others",
            bar=_each_beat(lambda beat: (">o" if beat % 2 == 0 else "o", "~")),
        ),
        Pattern(
            name="eight",
            title="Straight eighths, all down",
            why="straight eighths, all down-strokes: a forearm workout",
            bar=_each_beat(lambda beat: (">o" if beat == 1 else "o", "o")),
        ),
        Pattern(
            name="stop-time",
            title="Stop-time",
            why="one hit, and silence that is really silent",
            bar=_stop_time,
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
    eighths = pattern.bar(choices)
    ratio = pattern.ratio if choices.ratio is None else choices.ratio
    swings = ratio is not None and ratio > 1
    if swings and len(eighths) % 2:
        raise BadInput("a shuffle needs whole beats: choose a meter in quarters, or the ratio 1")
    home = _home(instrument, tonic, pattern, choices)
    lines = []
    for degree in degrees:
        place = _root_place(instrument, tonic + DEGREES[degree], home)
        root = spell(tonic + DEGREES[degree], flats=key in FLAT_KEYS or "b" in degree)
        bar = " ".join(eighths)
        for top in ("5", "6", "b7"):
            bar = bar.replace(f"{{{top}}}", f"{root}{top}@{place.string}/{place.fret}")
        lines.append(f"| {bar} |")
    heads = [
        f"title: {title or f'{pattern.title} in {key}'}",
        f"tempo: {tempo_bpm}",
        f"tuning: {' '.join(instrument.tuning)}",
        *([f"capo: {instrument.capo}"] if instrument.capo else []),
        f"meter: {choices.meter}",
        f"feel: shuffle {ratio:f} on 1/8" if swings else "feel: straight",
        "[A]",
    ]
    return parse_riff("\n".join([*heads, *lines]) + "\n")


def _places(instrument: Instrument, root: int, strings: list[int]) -> list[Note]:
    frets = {string: (root - instrument.open_midi(string)) % 12 for string in strings}
    return [Note(string, fret) for string, fret in frets.items()]


def _home(instrument: Instrument, tonic: int, pattern: Pattern, choices: Choices) -> Note:
    """Where the hand takes the tonic: on the string that was chosen, else on the lower one of the
    two lowest frets, open or where the pattern is within reach.
    """
    lowest = [string for string in reversed(instrument.strings) if string > 1]
    if choices.root_string is not None:
        if not 0 <= choices.root_string < min(ROOT_STRINGS, len(lowest)):
            raise BadInput(f"the root is on one of the {ROOT_STRINGS} lowest strings")
        return _places(instrument, tonic, [lowest[choices.root_string]])[0]
    places = _places(instrument, tonic, lowest[:2])

    def strain(note: Note) -> tuple[bool, int]:
        fret = note.fret or 0
        span_mm = instrument.fret_mm(fret + pattern.widest_frets) - instrument.fret_mm(fret)
        reached = fret == 0 or choices.reach_mm is None or round(span_mm) <= choices.reach_mm
        return not reached, fret if reached else -fret

    return min(places, key=strain)


def _root_place(instrument: Instrument, root: int, home: Note) -> Note:
    """Where the hand takes a root: on one of the three lowest strings, nearest to the tonic, so
    that the hand stays in one position: the fourth one string up at the same fret, the fifth two
    frets further.
    """
    lowest = [string for string in reversed(instrument.strings) if string > 1]
    return min(
        _places(instrument, root, lowest[:ROOT_STRINGS]),
        key=lambda note: (
            abs((note.fret or 0) - (home.fret or 0)) + 0.5 * abs(note.string - home.string),
            -note.string,
        ),
    )
