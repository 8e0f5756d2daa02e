"""One line of bars in Thrumble's notation to hits: slots shared evenly, chords that hold, marks
before and after the letter.
"""

import itertools
import re
from dataclasses import dataclass, field, replace
from decimal import Decimal, InvalidOperation
from fractions import Fraction
from typing import TypeAlias

from thrumble.core.chords.names import read_chord_name
from thrumble.core.chords.shapes import place_chord
from thrumble.core.errors import RiffError
from thrumble.core.instrument import Note
from thrumble.core.music.feel import Feel
from thrumble.core.music.meter import Meter, read_meter
from thrumble.core.riff.model import (
    DEFAULT_BEND,
    DEFAULT_DEPTH,
    TIGHT_DEPTH,
    Articulation,
    Bar,
    Hit,
    Legato,
    Ramp,
    Riff,
    Stroke,
)
from thrumble.core.riff.notation.frets import SINGLE_NOTE, read_frets
from thrumble.core.riff.ramps import between

RAMP_SIGNS = ("{", "}")
ARTICULATIONS = {"o": Articulation.OPEN, "x": Articulation.DEAD}  # any other letter is a palm mute
LEGATO = {"h": Legato.HAMMER, "p": Legato.PULL}
STROKES = {"d": Stroke.DOWN, "u": Stroke.UP, "f": Stroke.FINGERS}
SLOT_HELP = (
    "a slot is o M K x m k (with > / \\ _ before and ' d u f h p ^ * % b after), ~ - . or a group "
    "in ( )"
)
_HIT = re.compile(
    r"(?P<accent>>)?(?P<slide>[/\\]\d{0,2})?(?P<pedal>_)?(?P<letter>[oMKxmk])(?P<depth>=\d*\.?\d+)?(?P<after>['dufhp^*%]*)"
    r"(?P<bend>b\d*\.?\d*)?"
)
RAW = re.compile(rf"(?:(?P<name>[^=\s]+)=)?(?P<notes>{SINGLE_NOTE}(?:,{SINGLE_NOTE})*)")
_CHORD_AT = re.compile(r"(?P<name>[A-G][^@\s=:]*)(?:@(?:(?P<string>\d+)/)?(?P<fret>\d+))?")
PLACE_DIGITS = 4  # of a chord's string or fret that are looked at; more are off every neck
MAX_GROUP_DEPTH = 12
_METER = re.compile(r"\d+/\d+:")
_BODY_TOKEN = re.compile(r"[|(){}]|[^\s|(){}]+")


@dataclass(frozen=True, slots=True)
class Token:
    """A word of the text and where it stands, line and column from 1."""

    text: str
    line: int
    column: int

    def error(self, expected: str) -> RiffError:
        return RiffError(expected, found=self.text, line=self.line, column=self.column)


@dataclass(slots=True)
class Head:
    """The values of the header lines, read before the sections."""

    riff: Riff
    meter: Meter = field(default_factory=lambda: Meter(4, 4))
    strokes: str = "down"
    names_shape: bool = False


@dataclass(slots=True)
class Run:
    """Bars being read one after the other: a section's body, one ending or the pick-up."""

    name: str
    token: Token
    meter: Meter
    meters: list[Meter] = field(default_factory=list)
    hits: list[tuple[int, Hit]] = field(default_factory=list)  # bar from 0, hit
    chord: tuple[tuple[Note, ...], str | None] | None = None
    gap: str | None = None  # the kind of silence since the last hit
    ramp: "_OpenRamp | None" = None
    feel: Feel | None = None
    over: str | None = None


@dataclass(slots=True)
class _OpenRamp:
    """A mute ramp that is being read: its {, and of its hits the places and whether their depths
    are written.
    """

    token: Token
    hits: list[tuple[int, bool]] = field(default_factory=list)


Slots: TypeAlias = "list[Token | Slots]"


def read_line(run: Run, text: str, number: int, head: Head, *, skip: int) -> None:
    """Reads the bars of one line into the run."""
    tokens = [Token(m[0], number, m.start() + 1) for m in _BODY_TOKEN.finditer(text, skip)]
    if tokens[0].text != "|":
        raise tokens[0].error("a line of bars starts with |")
    if tokens[-1].text != "|":
        raise tokens[-1].error("a line of bars ends with |")
    opened = tokens[0]
    bar: list[Token] = []
    for token in tokens[1:]:
        if token.text != "|":
            bar.append(token)
            continue
        if not bar:
            raise opened.error(
                "an empty bar; write . for a bar that is not judged or - for silence"
            )
        _read_bar(run, bar, head)
        opened, bar = token, []


def _read_bar(run: Run, tokens: list[Token], head: Head) -> None:
    if _METER.fullmatch(tokens[0].text):
        run.meter = meter_of(tokens[0], tokens[0].text[:-1])
        tokens = tokens[1:]
    slots, rest = _group(tokens, 0)
    if rest < len(tokens):
        raise tokens[rest].error("extra ) here: delete it, or add the ( it belongs to")
    placed: list[tuple[Fraction, Fraction, Token]] = []
    _share(slots, Fraction(0), run.meter.length, placed)
    lengths = [length for _, length, token in placed if not _takes_no_time(token)]
    if not lengths:
        raise (tokens or [run.token])[0].error(
            "a bar with no slot in it; write o, m, - and the like"
        )
    run.meters.append(run.meter)
    first, unmarked = len(run.hits), []
    finest = min(lengths)
    for at, length, token in placed:
        if _is_chord(token):
            run.chord = _chord(token, head)
        elif token.text in RAMP_SIGNS:
            _ramp_sign(run, token)
        elif token.text == "~":
            _lengthen(run, length, token)
        elif token.text in ("-", "."):
            _gap(run, token)
        else:
            hit, marked = _hit(run, at, length, token, head)
            hit = _in_ramp(run, hit, token)
            if not marked:
                unmarked.append(len(run.hits))
            run.hits.append((len(run.meters) - 1, hit))
            run.gap = None
    for number in unmarked:
        bar, hit = run.hits[number]
        run.hits[number] = (
            bar,
            replace(hit, stroke=_default_stroke(head.strokes, hit.at, finest, number - first)),
        )


def _default_stroke(school: str, at: Fraction, finest: Fraction, count: int) -> Stroke:
    """Alternate picking goes by place, even multiples of the finest slot down; places off that grid
    and triplets go by count.
    """
    if school != "alternate":
        return Stroke.FINGERS if school == "fingers" else Stroke.DOWN
    steps = at / finest
    by_count = steps.denominator != 1 or finest.denominator % 3 == 0
    return Stroke.UP if (count if by_count else int(steps)) % 2 else Stroke.DOWN


def _group(tokens: list[Token], place: int, depth: int = 0) -> tuple[Slots, int]:
    """Slots from `place` on to the closing bracket or the end, and the place of the first token not
    used.
    """
    if depth > MAX_GROUP_DEPTH:
        raise tokens[place - 1].error(f"groups nest at most {MAX_GROUP_DEPTH} deep")
    slots: Slots = []
    while place < len(tokens) and tokens[place].text != ")":
        if tokens[place].text == "(":
            opened = tokens[place]
            inner, place = _group(tokens, place + 1, depth + 1)
            if place >= len(tokens):
                raise opened.error("this ( is not closed in its bar; add a )")
            if not inner:
                raise opened.error("an empty group; put slots between ( and )")
            slots.append(inner)
        else:
            slots.append(tokens[place])
        place += 1
    return slots, place


def _is_chord(token: Token) -> bool:
    return bool(RAW.fullmatch(token.text)) or bool(_CHORD_AT.fullmatch(token.text))


def _share(
    slots: Slots, start: Fraction, length: Fraction, placed: list[tuple[Fraction, Fraction, Token]]
) -> None:
    """Shares a span evenly among its slots, in order; chord tokens take no time."""
    timed = [slot for slot in slots if not (isinstance(slot, Token) and _takes_no_time(slot))]
    each = length / max(1, len(timed))
    at = start
    for slot in slots:
        if isinstance(slot, Token):
            placed.append((at, each, slot))
            at += Fraction(0) if _takes_no_time(slot) else each
        else:
            _share(slot, at, each, placed)
            at += each


def _takes_no_time(token: Token) -> bool:
    return token.text in RAMP_SIGNS or _is_chord(token)


def _ramp_sign(run: Run, token: Token) -> None:
    if token.text == "{":
        if run.ramp is not None:
            raise token.error("a mute ramp is open already: close it with } first")
        run.ramp = _OpenRamp(token)
        return
    if run.ramp is None:
        raise token.error("extra } here: delete it, or add the { it belongs to")
    places = run.ramp.hits
    if len(places) < 2:
        raise token.error("a mute ramp holds two palm mutes at least, such as { m=0.9 m m=0.3 }")
    fixed = [k for k, (_, written) in enumerate(places) if written or k in (0, len(places) - 1)]
    for begin, end in itertools.pairwise(fixed):
        inside = [place for place, _ in places[begin : end + 1]]
        first, last = (run.hits[place][1].depth for place in (inside[0], inside[-1]))
        assert first is not None and last is not None
        for place, depth in zip(inside, between(first, last, len(inside)), strict=True):
            bar, hit = run.hits[place]
            run.hits[place] = (bar, replace(hit, depth=depth))
    run.ramp = None


def _in_ramp(run: Run, hit: Hit, token: Token) -> Hit:
    """The hit as part of the ramp that is open, if one is."""
    if run.ramp is None:
        return hit
    if hit.articulation is not Articulation.PALM:
        raise token.error("a mute ramp holds palm mutes only; close it with } before this")
    mark = Ramp.ON if run.ramp.hits else Ramp.START
    run.ramp.hits.append((len(run.hits), "=" in token.text))
    return replace(hit, ramp=mark)


def _lengthen(run: Run, length: Fraction, token: Token) -> None:
    if not run.hits or run.gap:
        raise token.error(
            "there is no ringing hit to lengthen; ~ follows a hit, not a rest or a section's start"
        )
    bar, hit = run.hits[-1]
    run.hits[-1] = (bar, replace(hit, length=hit.length + length))


def _gap(run: Run, token: Token) -> None:
    if run.gap and run.gap != token.text:
        raise token.error("one gap is either checked (-) or not (.): use one sign all through it")
    run.gap = token.text
    if token.text == "-" and run.hits:
        bar, hit = run.hits[-1]
        run.hits[-1] = (bar, replace(hit, stop=True))


def _hit(run: Run, at: Fraction, length: Fraction, token: Token, head: Head) -> tuple[Hit, bool]:
    """The hit of a slot token, and whether its stroke is written."""
    match = _HIT.fullmatch(token.text)
    if not match:
        raise token.error(SLOT_HELP)
    letter, after = match["letter"], match["after"]
    notes, label = _notes(run, match, token, head.riff)
    articulation = ARTICULATIONS.get(letter, Articulation.PALM)
    depth = None
    if articulation is Articulation.PALM:
        depth = TIGHT_DEPTH if letter in "kK" else DEFAULT_DEPTH
    if match["depth"]:
        depth = Decimal(match["depth"][1:])
        if articulation is not Articulation.PALM or depth > 1:
            raise token.error("a depth of 0 to 1 belongs to a palm-muted hit, such as m=0.35")
    if len(set(after)) < len(after) or len(set(after) & set("dufhp")) > 1:
        raise token.error("one stroke at most after a hit (d, u, f, h or p), and no sign twice")
    bend = _bend(match["bend"], token) if match["bend"] else None
    legato = next((LEGATO[c] for c in after if c in LEGATO), None)
    stroke = None if legato else next((STROKES[c] for c in after if c in STROKES), Stroke.DOWN)
    if "^" in after:
        drones = {n.string for n in notes[1:] if n.fret == 0}
        if not drones:
            raise token.error(
                "^ lets open strings above the chord's lowest note ring, and this chord has none"
            )
        notes = tuple(replace(n, let_ring=n.string in drones) for n in notes)
    hit = Hit(
        at=at,
        length=length,
        notes=notes,
        articulation=articulation,
        depth=depth,
        stroke=stroke,
        accent=bool(match["accent"]),
        staccato="'" in after,
        slide_from=_slide(match["slide"]),
        legato=legato,
        bend=bend,
        opens="*" in after,
        arpeggio="%" in after,
        label=label,
    )
    return hit, bool(set(after) & set("dufhp"))


def _notes(
    run: Run, match: re.Match[str], token: Token, riff: Riff
) -> tuple[tuple[Note, ...], str | None]:
    on_pedal = bool(match["pedal"]) or (match["letter"] in "mk" and riff.pedal is not None)
    if on_pedal:
        if riff.pedal is None:
            raise token.error("_ needs a pedal note; write a header such as 'pedal: 6:0'")
        return (riff.pedal,), None
    if run.chord is None:
        raise token.error(
            "no chord named yet in this section; write one before its first hit, such as F#5 or "
            "6:2,5:4"
        )
    notes, label = run.chord
    if match["letter"] != "x" and any(n.fret is None for n in notes):
        raise token.error(
            "an unpressed string (x for a fret) can only be struck dead; write x here"
        )
    return notes, label


def _bend(text: str, token: Token) -> Decimal:
    """`b` a quarter tone, else so many half steps."""
    try:
        return Decimal(text[1:]) if text[1:] else DEFAULT_BEND
    except InvalidOperation:
        raise token.error("a bend is b, or b and half steps, such as b1 or b0.25") from None


def _slide(text: str | None) -> int | None:
    if not text:
        return None
    frets = int(text[1:] or 2)
    return -frets if text[0] == "/" else frets


def _chord(token: Token, head: Head) -> tuple[tuple[Note, ...], str | None]:
    if raw := RAW.fullmatch(token.text):
        return frets_of(head.riff, token, raw["notes"]), raw["name"]
    match = _CHORD_AT.fullmatch(token.text)
    chord = read_chord_name(match["name"]) if match else None
    if not match or not chord:
        raise token.error(
            "a chord is a root with 5 6 b7 sus2 sus4 dim5 aug5 maj min or nothing, then +8 or w, "
            "/5, and @fret or @string/fret; or frets such as 6:2,5:4"
        )
    place = {
        key: None if match[key] is None else int(match[key][:PLACE_DIGITS])
        for key in ("string", "fret")
    }
    try:
        return place_chord(
            head.riff.instrument, chord, **place, as_standard=head.names_shape
        ), match["name"]
    except ValueError as error:
        raise token.error(str(error)) from None


def frets_of(riff: Riff, token: Token, text: str) -> tuple[Note, ...]:
    try:
        return read_frets(text, len(riff.tuning))
    except ValueError as error:
        raise token.error(str(error)) from None


def finish_run(run: Run) -> tuple[Bar, ...]:
    """The bars read, each with its hits."""
    if run.ramp is not None:
        raise run.ramp.token.error("this mute ramp is not closed in its section; add a }")
    by_bar: list[list[Hit]] = [[] for _ in run.meters]
    for bar, hit in run.hits:
        by_bar[bar].append(hit)
    return tuple(Bar(meter, tuple(hits)) for meter, hits in zip(run.meters, by_bar, strict=True))


def meter_of(token: Token, text: str) -> Meter:
    try:
        return read_meter(text)
    except ValueError as error:
        raise token.error(str(error)) from None
