"""Text tablature to riffs: rows as they were typed, rhythm from counts or letters where they stand,
else from a grid by the columns.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction

from thrumble.core.counting import counted
from thrumble.core.errors import RiffError
from thrumble.core.instrument import Note
from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.music.meter import Meter, read_meter
from thrumble.core.music.pitch import STANDARD_TUNING
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import (
    DEFAULT_BEND,
    DEFAULT_DEPTH,
    MAX_BEND,
    Articulation,
    Bar,
    Hit,
    Legato,
    Riff,
    Section,
    Stroke,
)
from thrumble.core.riff.sizes import MAX_BARS
from thrumble.formats.fitting import possible, section_name, whole_bars
from thrumble.formats.riff_json import MAX_BYTES
from thrumble.formats.sections import merged
from thrumble.formats.tablature.rhythm import (
    Lines,
    by_counts,
    by_letters,
    legend,
    lines_around,
    meter_of,
    named_at,
    step_of,
    within,
)
from thrumble.formats.tablature.rows import (
    MIN_STRINGS,
    SKIPPED,
    Row,
    Sheet,
    Strike,
    TabBar,
    is_string,
    read_sheet,
)
from thrumble.formats.tablature.tunings import (
    USUAL,
    drawn_strings,
    stated_tuning,
    tunings_to_try,
    with_octaves,
)

EVEN_SLOTS = {4: Fraction(1, 4), 8: Fraction(1, 8), 16: Fraction(1, 16), 12: Fraction(1, 12)}
EVEN_SLOTS |= {24: Fraction(1, 24), 32: Fraction(1, 32)}
GRIDS = tuple(EVEN_SLOTS.values())
MAX_HEAD = 200  # lines before the first row that are looked at, and characters of each


@dataclass(frozen=True, slots=True)
class TabRiff:
    """A riff from tablature. `left_out`: what could not be taken up; `guessed`: whether the rhythm
    comes from the columns, on `grid`.
    """

    riff: Riff
    left_out: tuple[str, ...]
    guessed: bool
    grid: Fraction | None = None


def read_tab(data: bytes, *, grid: Fraction | None = None) -> TabRiff:
    """The riff of a tablature. `grid`: how long a column's step is if no rhythm is written, in
    whole notes; else what the columns suggest. Raises RiffError saying what is wrong and where.
    """
    if len(data) > MAX_BYTES:
        raise RiffError(
            f"a tablature has at most {MAX_BYTES // 1_000_000} MB",
            found=f"{len(data)} bytes",
            place="file",
        )
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise RiffError(
            "a tablature is text in UTF-8: save it as that and try again", place="file"
        ) from None
    sheet = read_sheet(text)
    return _Reader(sheet, grid).riff()


def looks_like_tab(text: str) -> bool:
    """Whether a text has rows of strings, and is no riff's text."""
    lines = text.splitlines()
    rows = sum(is_string(line.expandtabs(4)) for line in lines)
    return rows >= 1 and not any(line.startswith("| ") for line in lines)


def _left_out(sheet: Sheet) -> list[str]:
    """What stands in the rows and not in the riff, in words."""
    counts = dict.fromkeys(SKIPPED, 0)
    for row in sheet.rows:
        for name, number in row.skipped.items():
            counts[name] += number
    damped = sum(row.damped() for row in sheet.rows)
    out = [counted(number, *SKIPPED[name]) for name, number in counts.items() if number]
    words = ("damped string inside a chord", "damped strings inside chords")
    return [*out, counted(damped, *words)] if damped else out


class _Reader:
    """Goes through the rows and keeps what holds from one to the next."""

    def __init__(self, sheet: Sheet, grid: Fraction | None) -> None:
        self.sheet = sheet
        self.head = _Head(sheet)
        self.strings = _Strings(sheet, self.head.text)
        self.durations = legend(self.head.text)
        self.asked = grid
        self.grid: Fraction | None = None
        self.guessed = False
        self.meter: Meter | None = None

    def riff(self) -> TabRiff:
        runs = self._runs()
        sections, again = merged([(name, None, bars) for name, bars in runs])
        names = [name for name, *_ in sections]
        written = self.head.play if set(self.head.play) <= set(names) else ()
        riff = Riff(
            title=self.head.title,
            tempo_bpm=self.head.tempo,
            sections=tuple(Section(name=n, bars=whole_bars(b)) for n, _, b in sections),
            tuning=self.strings.tuning,
            capo=self.head.capo,
            feel=self.head.feel,
            play=tuple(again) or written,
        )
        left_out = (*_left_out(self.sheet), *self.head.changed, *self.strings.doubts)
        return TabRiff(check_riff(riff), left_out, self.guessed, self.grid)

    def _runs(self) -> list[tuple[str, list[Bar]]]:
        """The bars in the order they are played, under the names of their sections."""
        written: list[tuple[str | None, Bar]] = []
        repeat_from = 0
        for place, row in enumerate(self.sheet.rows):
            name = self.sheet.sections.get(place)
            if place in self.sheet.meters:
                self.meter = _read_meter(self.sheet.meters[place])
            signed = any(bar.backward for bar in row.bars)
            begin = len(written)
            for tab_bar, bar in zip(row.bars, self._bars(row), strict=True):
                if tab_bar.forward:
                    repeat_from = len(written)
                written.append((name, bar))
                name = None
                if tab_bar.backward:
                    times = row.times if row.times > 1 else 2
                    written += _again(written[repeat_from:]) * (times - 1)
                    repeat_from = len(written)
                _check_count(written)
            if not signed:
                written += _again(written[begin:]) * (row.times - 1)
                _check_count(written)
        runs: list[tuple[str, list[Bar]]] = []
        for name, bar in written:
            if name is not None or not runs:
                runs.append((section_name(name), []))
            runs[-1][1].append(bar)
        return runs

    def _bars(self, row: Row) -> list[Bar]:
        lines = lines_around(row, self.durations)
        numbers = self.strings.numbers(row)
        out = []
        last = ""
        for place, bar in enumerate(row.bars):
            strokes = bar.strokes()
            columns = [column for column, _ in strokes]
            end = row.bars[place + 1].start if place + 1 < len(row.bars) else bar.start + 10**6
            here = within(lines, bar.start, end)
            meter, places = self._places(row, bar, columns, here)
            hits = []
            for k, (column, by_line) in enumerate(strokes):
                struck = {numbers[line - 1]: strike for line, strike in by_line.items()}
                until = places[k + 1] if k + 1 < len(places) else meter.length
                last = named_at(here, column + bar.start, last)
                hit = _hit(struck, places[k], until - places[k])
                hits.append(_marked(hit, here, column + bar.start, last))
            out.append(Bar(meter, tuple(hits)))
        return out

    def _places(
        self, row: Row, bar: TabBar, columns: list[int], lines: Lines
    ) -> tuple[Meter, list[Fraction]]:
        """Where each struck column lies in the bar: by counts, by letters, else by the grid."""
        meter, places = (
            by_counts(bar, columns, lines, self.meter)
            or by_letters(bar, columns, lines)
            or self._by_columns(row, bar, columns)
        )
        if meter is None:
            raise RiffError(
                "this bar is longer than 64 beats: put bar lines into the row",
                found=counted(len(columns), "stroke"),
                line=row.line,
                column=bar.start + 1,
            )
        return meter, places

    def _by_columns(
        self, row: Row, bar: TabBar, columns: list[int]
    ) -> tuple[Meter | None, list[Fraction]]:
        self.guessed = True
        step = step_of(row)
        offset = min((columns or [0])[0], max(0, step - 1)) if columns else 0
        slots = max(1, round((bar.width - min(offset, 1)) / step))
        places = [round((column - offset) / step) for column in columns]
        uneven = len(set(places)) < len(places)
        if uneven or step == 1:
            places = list(range(len(columns)))
            slots = max(len(columns), 1)
        slots = max(slots, places[-1] + 1 if places else 1)
        grid = self.asked or self.grid or EVEN_SLOTS.get(slots, Fraction(1, 8))
        self.grid = grid
        return meter_of(slots * grid, self.meter), [place * grid for place in places]


def _again(bars: list[tuple[str | None, Bar]]) -> list[tuple[str | None, Bar]]:
    """Bars to be played once more: the section they began with goes on."""
    return [(None, bars[0][1]), *bars[1:]] if bars else []


def _check_count(bars: Sequence[object]) -> None:
    if len(bars) > MAX_BARS:
        raise RiffError(f"a riff has at most {MAX_BARS} bars", place="file")


class _Strings:
    """Which strings the lines of the rows are, and how they are tuned: from words that say it, else
    from the letters beside the strings, else the usual tuning.
    """

    def __init__(self, sheet: Sheet, text: str) -> None:
        self.doubts: list[str] = []
        full = [row for row in sheet.rows if len(row.labels) >= MIN_STRINGS]
        count = len(full[0].labels) if full else len(STANDARD_TUNING)
        for row in full:
            if len(row.labels) != count:
                raise RiffError(
                    f"every row has as many strings as the first one, {count}",
                    found=str(len(row.labels)),
                    line=row.line,
                    column=1,
                )
        stated = stated_tuning(text, count)
        about = [line for line in text.lower().splitlines() if re.search(r"\btun(ing|ed)\b", line)]
        if stated is None and any("standard" not in line for line in about):
            self.doubts.append("the tuning: what is written about it isn't understood")
        lettered = full[0].labels if full and all(full[0].labels) else []
        if stated is None and lettered:
            stated = with_octaves([n[:1].upper() + n[1:] for n in reversed(lettered)])
        partial = [row for row in sheet.rows if len(row.labels) < MIN_STRINGS]
        tries = [stated or USUAL[count]] if stated or full else list(tunings_to_try())
        self.tuning = next(
            (
                tuning
                for tuning in tries
                if all(drawn_strings(row.labels, tuning) for row in partial)
            ),
            (),
        )
        if not self.tuning:
            raise RiffError(
                "these letters aren't strings of one tuning, highest on top: draw all six strings",
                found=" ".join(partial[0].labels),
                line=partial[0].line,
                column=1,
            )
        if partial:
            first = self.numbers(partial[0])
            self.doubts.append(
                f"which strings are drawn: {', '.join(map(str, first))}, by the letters beside them"
            )

    def numbers(self, row: Row) -> list[int]:
        """The string that each line of a row is, 1 the highest."""
        if len(row.labels) >= MIN_STRINGS:
            return list(range(1, len(row.labels) + 1))
        return drawn_strings(row.labels, self.tuning) or []


class _Head:
    """What stands before the first row: title, tempo, tuning, capo, meter, feel, order of play."""

    def __init__(self, sheet: Sheet) -> None:
        lines = [line.strip()[:MAX_HEAD] for line in sheet.head if line.strip()][:MAX_HEAD]
        marked = re.compile(r"(?i)title\s*[:=]")
        text = "\n".join(lines)
        self.text = "\n".join(line for line in lines if not marked.match(line))
        self.changed: list[str] = []
        plain = [line for line in lines if not re.match(r"\[|[^:]{1,12}:", line)]
        title = re.search(r"(?im)^\s*title\s*[:=]\s*(.+)$", text)
        named = title[1] if title else next(iter(plain), "From tablature")
        clean = "".join(c for c in " ".join(named.split()) if c.isprintable())[:120].strip()
        self.title = clean or "From tablature"
        text = self.text
        tempo = re.search(r"(?i)(\d{2,3}(?:\.\d{1,3})?)\s*bpm|tempo\s*[:=]?\s*(\d{2,3})", text)
        bpm = Decimal((tempo[1] or tempo[2]) if tempo else "120")
        self.tempo = min(Decimal(400), max(Decimal(20), bpm))
        if self.tempo != bpm:
            self.changed.append(f"a tempo of {bpm:g} bpm: the riff has {self.tempo:g}")
        capo = re.search(r"(?i)capo\D{0,12}(\d{1,2})", text)
        self.capo = min(24, int(capo[1])) if capo else 0
        if capo and int(capo[1]) != self.capo:
            self.changed.append(f"a capo at fret {capo[1]}: the riff has it at {self.capo}")
        feel = re.search(r"(?i)shuffle (\d(?:\.\d{1,3})?)(?: on 1/(8|16))?", text)
        self.feel = STRAIGHT
        if feel and Fraction(1, 5) <= Fraction(feel[1]) <= 5:
            self.feel = Feel(Fraction(feel[1]), Fraction(1, int(feel[2] or 8)))
        play = re.search(r"(?im)^\s*play:?\s+(.+)$", text)
        names = re.findall(r'"[^"]*"|\S+', play[1]) if play else []
        self.play = tuple(name.strip('"') for name in names)


def _read_meter(text: str) -> Meter | None:
    try:
        return read_meter(text)
    except ValueError:
        return None


# --- hits -----------------------------------------------------------------------------------------


def _hit(struck: dict[int, Strike], at: Fraction, length: Fraction) -> Hit:
    """A stroke: dead if nothing is fretted, else a damped string between is left out."""
    fretted = {string: strike for string, strike in struck.items() if strike.fret is not None}
    sounding = fretted or struck
    first = sounding[max(sounding)]
    signs = [strike for strike in fretted.values() if strike.before]
    slides = [strike for strike in signs if strike.before in "/\\s"]
    slide = None
    if slides and slides[0].fret is not None:
        from_fret, fret = slides[0].came_from, slides[0].fret
        up = -2 if slides[0].before != "\\" else 2
        slide = (from_fret - fret or None) if from_fret is not None else up
    legato = {"h": Legato.HAMMER, "p": Legato.PULL}.get(first.before)
    bends = [strike.bend for strike in fretted.values() if strike.bend is not None]
    bend = min(MAX_BEND, Decimal(bends[0]) or DEFAULT_BEND) if bends else None
    return Hit(
        at=at,
        length=length,
        notes=tuple(Note(s, sounding[s].fret) for s in sorted(sounding, reverse=True)),
        articulation=Articulation.OPEN if fretted else Articulation.DEAD,
        stroke=None if legato else Stroke.DOWN,
        legato=legato,
        slide_from=slide,
        bend=bend,
    )


def _marked(hit: Hit, lines: Lines, column: int, name: str) -> Hit:
    """The hit with what stands over it: palm mute, accent, the chord's name."""
    alone = [begin for begin, end in lines.palms if end < 0]
    palm = any(begin - 1 <= column < end for begin, end in lines.palms if end >= 0)
    palm = palm or any(abs(begin - column) <= 1 for begin in alone)
    if palm and hit.articulation is Articulation.OPEN:
        hit = replace(hit, articulation=Articulation.PALM, depth=DEFAULT_DEPTH)
    if any(abs(at - column) <= 1 for at in lines.accents):
        hit = replace(hit, accent=True)
    if name and len(hit.notes) > 1:
        hit = replace(hit, label=name)
    return possible(hit)
