"""The strip as an editor: the browser sends the text and one edit, and gets text and drawing back.
The text is the truth all along; nothing is kept here.
"""

from collections import OrderedDict
from collections.abc import Callable
from decimal import Decimal
from fractions import Fraction
from typing import Annotated, Any, Literal

from fastapi import APIRouter
from fastapi.responses import JSONResponse
from pydantic import AfterValidator, Field

from thrumble.core.errors import BadInput
from thrumble.core.music.meter import read_meter
from thrumble.core.riff.counts import Counting
from thrumble.core.riff.editing import edits, whole
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.printing import print_riff, with_comments
from thrumble.core.riff.notation.text import parse_riff
from thrumble.formats.riff_json import MAX_BYTES, bar_document, bar_from_document
from thrumble.web.deps import costly
from thrumble.web.inputs import Sent, Text
from thrumble.web.riffs.strip_editor import desk_html

router = APIRouter()
EDITS_A_MINUTE = 1200
MAX_CLIP_BARS, MAX_BARS = 200, 200
MAX_KNOWN = 32  # texts
FINEST_GRID = Fraction(1, 96)  # each of its places is drawn, in every bar


def _place(text: str) -> str:
    head, slash, tail = text.partition("/")
    if not head.isdecimal() or (slash and (not tail.isdecimal() or not int(tail))):
        raise ValueError("a place is a fraction of a whole note, such as 3/8")
    return text


PlaceText = Annotated[str, Field(max_length=12), AfterValidator(_place)]
Word = Annotated[str, Field(max_length=80)]


def _meter(text: str) -> str:
    read_meter(text)
    return text


class EditSent(Sent):
    """One edit. `bar`, `last` and `to` count written bars from 0; `at` and `length` in whole
    notes.
    """

    source: Annotated[Text, Field(max_length=MAX_BYTES)]
    grid: PlaceText = "1/8"
    op: Literal[
        "draw",
        "hit",
        "hold",
        "rest",
        "clear",
        "mark",
        "chord",
        "insert",
        "repeat",
        "delete",
        "move",
        "copy",
        "paste",
        "ramp",
        "feel",
        "meter",
        "pickup",
        "paint",
        "stretch",
        "title",
        "tempo",
        "section",
        "times",
    ] = "draw"
    bar: Annotated[int, Field(ge=0, le=100_000)] = 0
    last: Annotated[int, Field(ge=0, le=100_000)] = 0
    at: PlaceText = "0"
    length: PlaceText = "1/8"
    letter: Word = "o"
    chord: Word = ""
    what: Word = ""
    counts: Counting = Counting.BEATS
    ratio: Annotated[Decimal, Field(ge=1, le=3, decimal_places=2)] = Decimal(1)
    unit: Literal["1/8", "1/16"] = "1/8"
    meter: Annotated[Word, AfterValidator(_meter)] = "4/4"
    until: PlaceText = "0"
    section: Word = ""
    to: Annotated[int, Field(ge=0, le=100_000)] = 0
    behind: bool = False
    more: bool = True
    title: Annotated[str, Field(max_length=120)] = ""
    tempo: Annotated[Decimal, Field(ge=20, le=400, decimal_places=3)] = Decimal(120)
    clip: Annotated[tuple[Any, ...], Field(max_length=MAX_CLIP_BARS)] = ()


def _from_to(sent: EditSent) -> tuple[int, Fraction, int, Fraction, Fraction]:
    """The span from the caret to another place (bar and place, twice), and the grid."""
    return sent.bar, Fraction(sent.at), sent.last, Fraction(sent.until), Fraction(sent.grid)


Edit = Callable[[Riff, EditSent], Riff]
EDITS: dict[str, Edit] = {
    "hit": lambda riff, e: edits.put_hit(
        riff, e.bar, Fraction(e.at), Fraction(e.length), e.letter, e.chord
    ),
    "hold": lambda riff, e: edits.hold(riff, e.bar, Fraction(e.at), Fraction(e.length)),
    "rest": lambda riff, e: edits.rest(riff, e.bar, Fraction(e.at)),
    "clear": lambda riff, e: edits.clear(riff, e.bar, Fraction(e.at)),
    "mark": lambda riff, e: edits.mark(riff, e.bar, Fraction(e.at), e.what),
    "chord": lambda riff, e: edits.set_chord(riff, e.bar, Fraction(e.at), e.chord),
    "insert": lambda riff, e: edits.insert_bar(riff, e.bar),
    "repeat": lambda riff, e: edits.repeat_bars(riff, e.bar, e.last),
    "delete": lambda riff, e: edits.delete_bars(riff, e.bar, e.last),
    "move": lambda riff, e: edits.move_bars(riff, e.bar, e.last, e.to, behind=e.behind),
    "feel": lambda riff, e: whole.set_feel(riff, e.ratio, Fraction(e.unit)),
    "meter": lambda riff, e: edits.set_meter(riff, e.bar, e.last, read_meter(e.meter)),
    "pickup": lambda riff, _: edits.turn_pickup(riff),
    "paint": lambda riff, e: edits.paint(riff, *_from_to(e)),
    "stretch": lambda riff, e: edits.stretch(riff, *_from_to(e)),
    "title": lambda riff, e: whole.set_title(riff, e.title),
    "tempo": lambda riff, e: whole.set_tempo(riff, e.tempo),
    "section": lambda riff, e: whole.add_section(riff, e.section),
    "times": lambda riff, e: whole.play_again(riff, e.section, more=e.more),
    "ramp": lambda riff, e: edits.ramp(riff, e.bar, e.last),
    "paste": lambda riff, e: edits.paste_bars(
        riff, e.bar, [bar_from_document(bar) for bar in e.clip]
    ),
}


class _EditCache:
    """Texts read lately and their riffs: what comes back with the next key was printed here."""

    def __init__(self) -> None:
        self._riffs: OrderedDict[str, Riff] = OrderedDict()

    def riff(self, source: str) -> Riff:
        riff = self._riffs.get(source)
        if riff is None:
            riff = parse_riff(source)
            self.keep(source, riff)
        return riff

    def keep(self, source: str, riff: Riff) -> None:
        self._riffs[source] = riff
        self._riffs.move_to_end(source)
        while len(self._riffs) > MAX_KNOWN:
            self._riffs.popitem(last=False)


_cache = _EditCache()


@router.post("/riffs/edit", name="edit_riff", dependencies=[costly(EDITS_A_MINUTE)])
def edit_riff(sent: EditSent) -> JSONResponse:
    """The text after an edit, and the bars as written, drawn with the caret's places."""
    if not Fraction(sent.grid) or not Fraction(sent.length):
        raise BadInput("grid and length must be greater than zero")
    if Fraction(sent.grid) < FINEST_GRID:
        raise BadInput(f"the finest grid is {FINEST_GRID}")
    riff = _cache.riff(sent.source)
    source, clip = sent.source, None
    if sent.op == "copy":
        clip = [bar_document(bar) for bar in edits.copy_hits(riff, sent.bar, sent.last)]
    elif sent.op in EDITS:
        changed = EDITS[sent.op](riff, sent)
        if changed != riff:
            riff, source = changed, with_comments(print_riff(changed), sent.source)
            _cache.keep(source, riff)
    if len(edits.written_bars(riff)) > MAX_BARS:
        raise BadInput(
            f"more than {MAX_BARS} bars are written as text: the strip would be too long"
        )
    times = whole.times_played(riff)
    bars = desk_html(expand(edits.unrolled(riff)), Fraction(sent.grid), sent.counts, times)
    ratio = 1.0 if riff.feel.ratio is None else float(riff.feel.ratio)
    facts = {
        "title": riff.title,
        "tempo": float(riff.tempo_bpm),
        "meter": str(riff.sections[0].bars[0].meter),
        "feel": {"ratio": ratio, "unit": str(riff.feel.unit)},
    }
    return JSONResponse({"source": source, "bars": bars, "clip": clip, **facts})
