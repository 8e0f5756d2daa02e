"""Riffs: the list, and the text page with its live strip."""

from dataclasses import dataclass
from functools import lru_cache

from thrumble.core.counting import counted
from thrumble.core.errors import RiffError
from thrumble.core.instrument import TUNINGS, Instrument
from thrumble.core.player.sound import Tone
from thrumble.core.pulse.groove import GROOVE_TITLES
from thrumble.core.riff.editing.edits import written_bars
from thrumble.core.riff.editing.parts import Part, has_parts, take_part
from thrumble.core.riff.editing.transposing import Moved
from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Riff
from thrumble.core.riff.notation.printing import print_riff, with_comments
from thrumble.core.riff.patterns import DEGREES, FORMS, METERS, PATTERNS, ROOT_STRINGS
from thrumble.core.riff.remarks import remarks_of
from thrumble.store.riffs.riff_lists import RiffStanding
from thrumble.store.riffs.riffs import Revision, RevisionStanding
from thrumble.web.drawings.bars import BarDrawing
from thrumble.web.drawings.strip import plan_strip
from thrumble.web.shared.takes import AGAIN

KEYS = ("C", "C#", "Db", "D", "Eb", "E", "F", "F#", "Gb", "G", "Ab", "A", "Bb", "B")
STEPS = [
    (n, f"{counted(abs(n), 'half step')} {'up' if n > 0 else 'down'}")
    for n in (*range(1, 13), *range(-1, -13, -1))
]
FIRST_TEXT = """title: New riff
tempo: 100
meter: 4/4
pedal: 6:0

[A]
| E5@6/0 o . . . . . . . |
"""


@dataclass(frozen=True, slots=True)
class RiffLine:
    """A riff in the list."""

    riff_id: int
    title: str
    tags: tuple[str, ...]
    tempo: str
    facts: str
    said: str
    clean: str
    take_id: int | None
    strip: list[BarDrawing]


@dataclass(frozen=True, slots=True)
class ErrorView:
    """Where a text went wrong, with the line and a pointer under the column."""

    message: str
    line: int
    column: int
    excerpt: str
    pointer: str


@dataclass(frozen=True, slots=True)
class PreviewView:
    """What a text gives: a strip, or an error. `seconds`: the second part's bars under those of
    the first, if there are any; `sections`: names, `parts`: whether there is a second part;
    `remarks`: what looks like a slip; `unfolds`: as played it looks other than as written,
    with `bars` bars.
    """

    title: str
    facts: str
    strip: list[BarDrawing]
    error: ErrorView | None
    seconds: tuple[BarDrawing | None, ...] = ()
    sections: tuple[str, ...] = ()
    parts: bool = False
    remarks: tuple[str, ...] = ()
    unfolds: bool = False
    bars: int = 0


@dataclass(frozen=True, slots=True)
class TextView:
    """The text page."""

    riff_id: int | None
    heading: str
    meta: str
    source: str
    preview: PreviewView
    tunings: dict[str, str]
    steps: list[tuple[int, str]]
    tempo: str
    bars: int
    tones: list[str]
    grooves: dict[str, str]
    draft: str
    base: int


def riff_line(standing: RiffStanding) -> RiffLine:
    """The list's row: small strip, tempo, last reading in a few words."""
    riff = standing.revision.riff
    hits, strip = _thumbnail(riff)
    clean = f"{standing.clean} of {standing.judged} clean" if standing.clean is not None else ""
    takes = counted(standing.takes, "take")
    return RiffLine(
        riff_id=standing.revision.riff_id,
        title=riff.title,
        tags=standing.tags,
        tempo=f"{float(riff.tempo_bpm):g}",
        facts=f"{counted(hits, 'hit')} · {takes}",
        said=standing.verdict or ("not analysed yet" if standing.last_take_id is None else AGAIN),
        clean=clean,
        take_id=standing.last_take_id,
        strip=strip,
    )


@lru_cache(maxsize=1024)
def _thumbnail(riff: Riff) -> tuple[int, list[BarDrawing]]:
    """How many hits a riff has, and its first bars drawn: worked out once, for riffs never
    change.
    """
    expanded = expand(riff)
    return len(expanded.hits), plan_strip(expanded, bars=3)


def preview_of(riff: Riff, *, drawn: bool = True) -> PreviewView:
    """The strip of a riff that can be played; not `drawn`: only its facts, for the desk."""
    expanded = expand(riff)
    bars = sum(1 for bar in expanded.bars if bar.number > 0)
    return PreviewView(
        riff.title,
        f"{counted(bars, 'bar')}, {counted(len(expanded.hits), 'hit')}, "
        f"{expanded.round_s:.1f} s at {expanded.tempo_bpm:g} bpm",
        plan_strip(expanded) if drawn else [],
        None,
        _second_parts(riff) if drawn else (),
        tuple(section.name for section in riff.sections if section.over is None),
        has_parts(riff),
        tuple(f"Bar {remark.bar}: {remark.words}." for remark in remarks_of(expanded)),
        has_parts(riff) or len(expanded.bars) != len(written_bars(riff)),
        len(expanded.bars),
    )


def _second_parts(riff: Riff) -> tuple[BarDrawing | None, ...]:
    """The second part, bar by bar as the riff is played; None if there is none."""
    lengths = {s.over: len(s.bars) for s in riff.sections if s.over is not None}
    if not lengths:
        return ()
    expanded = expand(take_part(riff, Part.SIGNATURE).riff)
    return tuple(
        drawing if bar.number and bar.bar_in_section <= lengths.get(bar.section, 0) else None
        for bar, drawing in zip(expanded.bars, plan_strip(expanded), strict=True)
    )


def preview_error(text: str, error: RiffError) -> PreviewView:
    """The error with its line."""
    line, column = error.line or 1, error.column or 1
    lines = text.replace("\r\n", "\n").split("\n")
    excerpt = lines[line - 1] if line <= len(lines) else ""
    value = f"{error.found[:60]!r}: " if error.found else ""
    view = ErrorView(
        f"{value}{error.expected}", line, column, excerpt[:200], " " * min(column - 1, 200) + "^"
    )
    return PreviewView("", "", [], view)


def text_view(revision: Revision | None, preview: PreviewView) -> TextView:
    """The page of a riff, or of a new one."""
    if revision is None:
        return TextView(
            None,
            "New riff",
            "Press O, M or X on the strip, or write it as text.",
            FIRST_TEXT,
            preview,
            TUNINGS,
            STEPS,
            "100",
            preview.bars,
            list(Tone),
            GROOVE_TITLES,
            "draft-new",
            0,
        )
    riff = revision.riff
    meta = f"revision {revision.number} · {' '.join(riff.tuning)}"
    return TextView(
        revision.riff_id,
        riff.title,
        meta,
        revision.source,
        preview,
        TUNINGS,
        STEPS,
        f"{float(riff.tempo_bpm):g}",
        preview.bars,
        list(Tone),
        GROOVE_TITLES,
        f"draft-{revision.riff_id}-{revision.number}",
        revision.number,
    )


@dataclass(frozen=True, slots=True)
class RevisionLine:
    """A revision in a riff's history."""

    revision_id: int
    number: int
    facts: str
    strip: list[BarDrawing]
    newest: bool


@dataclass(frozen=True, slots=True)
class HistoryView:
    """A riff's revisions."""

    riff_id: int
    revisions: list[RevisionLine]


def history_view(riff_id: int, standings: list[RevisionStanding]) -> HistoryView:
    """When each was written, its tempo and size, and how many takes were played on it."""
    lines = []
    for place, standing in enumerate(standings):
        riff = standing.revision.riff
        hits, strip = _thumbnail(riff)
        facts = (
            f"{standing.written_at:%-d %B, %H:%M} · {float(riff.tempo_bpm):g} bpm · "
            f"{counted(hits, 'hit')} · {counted(standing.takes, 'take')}"
        )
        lines.append(
            RevisionLine(standing.revision.id, standing.revision.number, facts, strip, place == 0)
        )
    return HistoryView(riff_id, lines)


@dataclass(frozen=True, slots=True, kw_only=True)
class ImportView:
    """What an imported file leaves open: which part it is, how long a column's step is."""

    parts: tuple[str, ...]
    part: int | None
    grids: dict[str, str]
    grid: str
    strip: list[BarDrawing]


@dataclass(frozen=True, slots=True)
class ConflictView:
    """A revision that was saved elsewhere since this one was opened, and the number that would come
    next.
    """

    riff_id: int
    number: int
    next: int


@dataclass(frozen=True, slots=True)
class MadeView:
    """A riff that is not kept yet: its text and its strip."""

    source: str
    preview: PreviewView


@dataclass(frozen=True, slots=True)
class MovedView:
    """A riff in another key or on another tuning, and what is lost. `riff_id` None: it has not been
    saved yet.
    """

    riff_id: int | None
    lost: tuple[str, ...]
    source: str
    preview: PreviewView


@dataclass(frozen=True, slots=True)
class PatternLine:
    """A pattern to choose. `sets`: what may be set of it, mutes or beats or nothing."""

    name: str
    title: str
    why: str
    sets: str


@dataclass(frozen=True, slots=True)
class FormLine:
    """A form to choose."""

    name: str
    title: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PatternView:
    """The page of patterns."""

    patterns: list[PatternLine]
    forms: list[FormLine]
    keys: tuple[str, ...] = KEYS
    key: str = "E"
    tempo: int = 120
    beats: tuple[int, ...] = tuple(range(1, 8))
    chosen: tuple[int, ...] = (2, 4)
    meters: list[str]
    strings: list[tuple[int, str]]
    degrees: str


def made_view(riff: Riff) -> MadeView:
    """A riff about to be kept."""
    return MadeView(print_riff(riff), preview_of(riff))


def moved_view(moved: Moved, typed: str, riff_id: int | None) -> MovedView:
    """What moving a riff gives, with the comments of the text it came from."""
    source = with_comments(print_riff(moved.riff), typed)
    return MovedView(riff_id, moved.lost, source, preview_of(moved.riff))


def pattern_view(neck: Instrument) -> PatternView:
    """Everything to choose from. `neck`: the strings that the root may be on."""
    strings = list(reversed(neck.strings))[:ROOT_STRINGS]
    return PatternView(
        patterns=[PatternLine(p.name, p.title, p.why, p.sets) for p in PATTERNS.values()],
        forms=[FormLine(name, form.title) for name, form in FORMS.items()],
        meters=[str(meter) for meter in METERS],
        strings=[
            (number, f"string {string} ({neck.tuning[-string][:-1]})")
            for number, string in enumerate(strings)
        ],
        degrees=" ".join(DEGREES),
    )
