"""Tablature as people type it, taken apart: rows of strings with the lines that belong to them, and
the bars of a row with what is struck at which column.
"""

import re
from dataclasses import dataclass, field
from itertools import pairwise

from thrumble.core.errors import RiffError

FEWEST_STRINGS, MOST_STRINGS = 6, 8
LABEL = re.compile(r"\s*([A-Ga-g][#b]?\d?)?\s*(?=[|:\-])")
BODY = re.compile(r"[-0-9xXhpbrvst/\\~()<>|*:=.\s^_o]+")
PALM = re.compile(r"(?<![A-Za-z])[Pp]\.?\s?[Mm]\.?(?![A-Za-z])")
TIMES = re.compile(r"(?<=[|\s])\(?\s*(?:[xX]\s*(\d{1,2})|(\d{1,2})\s*[xX])\s*\)?\s*$")
TOKEN = re.compile(r"(\d{1,2})(b\d{0,2})?|([xX])")
METER = r"(?im)(?:^|time\D{0,12}|meter\D{0,4})(\d{1,2}/(?:2|4|8|16))\b"
SKIPPED = {
    "held": "note in brackets",
    "harmonic": "harmonic (it is read as the fret)",
    "shaken": "vibrato sign",
    "released": "bend that is let down again",
}
_SKIPPED = {
    "held": re.compile(r"\(\d{1,2}\)"),
    "harmonic": re.compile(r"<\d{1,2}>"),
    "shaken": re.compile(r"~+"),
    "released": re.compile(r"\dr\d"),
}
MOST_FRET = 36
MOST_COLUMNS = 2000


@dataclass(slots=True)
class Strike:
    """What is struck on one string. `column`: from the bar's first; `before`: a sign that leads to
    it, with the fret that it comes from.
    """

    column: int
    width: int
    fret: int | None  # None: dead
    before: str = ""
    came_from: int | None = None
    bend: int | None = None  # half steps, 0 where they are not given


@dataclass(slots=True)
class TabBar:
    """One bar of a row: strikes by string, 1 the highest; its columns, counted in the row."""

    start: int
    width: int
    strikes: dict[int, list[Strike]] = field(default_factory=dict)

    def columns(self) -> list[int]:
        """Where something is struck, in order; numbers that overlap are one stroke."""
        spans = sorted((s.column, s.column + s.width) for row in self.strikes.values() for s in row)
        out: list[int] = []
        until = -1
        for begin, end in spans:
            if begin >= until:
                out.append(begin)
                until = end
            until = max(until, end)
        return out

    def at(self, column: int, following: int) -> dict[int, Strike]:
        """What is struck from a column on, before the next one, by string."""
        return {
            string: strike
            for string, row in self.strikes.items()
            for strike in row
            if column <= strike.column < following
        }


@dataclass(slots=True)
class Row:
    """A row of strings. `labels`: as they stand, highest string first; `above`, `below`: the lines
    that belong to it; `times`: how often it is played.
    """

    line: int
    labels: list[str]
    bars: list[TabBar]
    above: list[str]
    below: list[str]
    times: int = 1
    skipped: dict[str, int] = field(default_factory=dict)

    def damped(self) -> int:
        """Strings that are damped in strokes that have fretted ones."""
        count = 0
        for bar in self.bars:
            columns = bar.columns()
            for column, following in pairwise([*columns, bar.width + 1]):
                struck = [strike.fret for strike in bar.at(column, following).values()]
                dead = struck.count(None)
                count += dead if dead < len(struck) else 0
        return count


@dataclass(slots=True)
class Sheet:
    """A tablature: what stands before its first row, its rows, the section each one opens."""

    head: list[str]
    rows: list[Row]
    sections: dict[int, str] = field(default_factory=dict)  # place among the rows: name
    meters: dict[int, str] = field(default_factory=dict)  # likewise, where one is said


def read_sheet(text: str) -> Sheet:
    """The rows of a text. Raises RiffError where there are none, or one has too few strings."""
    lines = [line.expandtabs(4).rstrip() for line in re.split(r"\r\n|\r|\n", text)]
    longest = max(range(len(lines)), key=lambda k: len(lines[k]))
    if len(lines[longest]) > MOST_COLUMNS:
        raise RiffError(
            f"a line of tablature has at most {MOST_COLUMNS} characters: break it into rows",
            found=f"{len(lines[longest])} characters",
            line=longest + 1,
            column=1,
        )
    runs = _runs(lines)
    if not runs:
        raise RiffError(
            "no tablature found in this text: six to eight lines of strings under each other, "
            "such as E|-0-2-|",
            place="file",
        )
    sheet = Sheet(head=lines[: runs[0][0]], rows=[])
    edges = [0, *(end for _, end in runs)]
    gaps = [lines[edge:begin] for edge, (begin, _) in zip(edges, runs, strict=False)]
    gaps.append(lines[edges[-1] :])
    for number, (begin, end) in enumerate(runs):
        if section := _section(gaps[number]):
            sheet.sections[len(sheet.rows)] = section
        if meter := re.search(METER, "\n".join(gaps[number])):
            sheet.meters[len(sheet.rows)] = meter[1]
        above = _near(gaps[number][::-1])[::-1]
        # without a blank line between two rows, a count belongs to the one above it
        if number and len(above) == len(gaps[number]):
            above = [line for line in above if not _counts(line)]
        below = _near(gaps[number + 1])
        if number + 1 < len(runs) and len(below) == len(gaps[number + 1]):
            below = [line for line in below if _counts(line)]
        sheet.rows.append(_row(lines, begin, end, above, below))
    return sheet


def _counts(line: str) -> bool:
    return bool(re.fullmatch(r"\s*1\b[\s\d&+·.a-z]*", line))


def _near(lines: list[str]) -> list[str]:
    """The lines up to the first blank one."""
    out = []
    for line in lines:
        if not line.strip():
            break
        out.append(line)
    return out


def _section(lines: list[str]) -> str | None:
    names = [
        m[1].strip() for line in lines if (m := re.fullmatch(r"\s*\[([^\]]{1,40})\]\s*", line))
    ]
    return names[-1] if names else None


def is_string(line: str) -> bool:
    """Whether a line is a string of a row: an optional letter, then dashes, frets, bar lines."""
    label = LABEL.match(line) if len(line) <= MOST_COLUMNS else None
    if not label:
        return False
    body = TIMES.sub("", line[label.end() :]) if TIMES.search(line) else line[label.end() :]
    dashes = body.count("-")
    return dashes >= 3 and bool(BODY.fullmatch(body)) and dashes * 4 >= len(body.replace(" ", ""))


def _runs(lines: list[str]) -> list[tuple[int, int]]:
    """First line and end of each row."""
    out: list[tuple[int, int]] = []
    at = 0
    while at < len(lines):
        end = at
        while end < len(lines) and is_string(lines[end]):
            end += 1
        if end > at:
            out += _split(at, end)
        at = max(end, at + 1)
    return out


def _split(begin: int, end: int) -> list[tuple[int, int]]:
    """A run of string lines as rows: several may stand under each other without a gap."""
    count = end - begin
    for size in range(FEWEST_STRINGS, MOST_STRINGS + 1):
        if count == size:
            return [(begin, end)]
    for size in range(FEWEST_STRINGS, MOST_STRINGS + 1):
        if count > MOST_STRINGS and count % size == 0:
            return [(k, k + size) for k in range(begin, end, size)]
    raise RiffError(
        f"a row of {FEWEST_STRINGS} to {MOST_STRINGS} strings; put the missing lines in",
        found=f"{count} lines of strings",
        line=begin + 1,
        column=1,
    )


def _row(lines: list[str], begin: int, end: int, above: list[str], below: list[str]) -> Row:
    labels, bodies, times = [], [], 1
    skipped = dict.fromkeys(SKIPPED, 0)
    start = 0
    for number in range(begin, end):
        line = lines[number]
        if match := TIMES.search(line):
            times = max(times, min(64, int(match[1] or match[2])))
            line = line[: match.start()].rstrip()
        label = LABEL.match(line)
        assert label is not None
        labels.append(label[1] or "")
        start = label.end()
        bodies.append((start, line[start:]))
        for name, pattern in _SKIPPED.items():
            skipped[name] += len(pattern.findall(line[start:]))
    return Row(begin + 1, labels, _bars(bodies), above, below, times, skipped)


def _bars(bodies: list[tuple[int, str]]) -> list[TabBar]:
    """The bars of a row: what stands between bar lines, string by string, each by its own lines."""
    split = [_between(start, body) for start, body in bodies]
    count = max(len(cells) for cells in split)
    bars = []
    for number in range(count):
        cells = [cells[number] for cells in split if number < len(cells)]
        start, _ = cells[0]
        bar = TabBar(start, max(len(text) for _, text in cells))
        for string, row in enumerate(split, 1):
            if number < len(row):
                strikes = _strikes(row[number][1])
                if strikes:
                    bar.strikes[string] = strikes
        if any("-" in text for _, text in cells) or bar.strikes:
            bars.append(bar)
    return bars


def _between(start: int, body: str) -> list[tuple[int, str]]:
    """What stands between bar lines, each with its column in the line; repeat dots go."""
    out = []
    for match in re.finditer(r"[^|]+", body):
        text = re.sub(r"^[:*o](?=-)|(?<=-)[:*o]$", "-", match[0])
        if text.strip(" :*o"):
            out.append((start + match.start(), text))
    return out


def _strikes(text: str) -> list[Strike]:
    """What is struck on one string of one bar."""
    out: list[Strike] = []
    last: Strike | None = None
    end = 0
    held = {k for m in re.finditer(r"\([^)]*\)", text) for k in range(*m.span())}
    for match in TOKEN.finditer(text):
        if match.start() in held or match.start() < end:
            continue
        fret = int(match[1]) if match[1] else None
        if fret is not None and fret > MOST_FRET:
            raise RiffError(f"frets are 0 to {MOST_FRET}", found=match[1], place="tablature")
        lead = re.search(r"[hps/\\]$", text[: match.start()].rstrip("~ "))
        sign = lead[0] if lead else ""
        joined = last is not None and sign and _joined(text[end : match.start()])
        strike = Strike(match.start(), max(1, len(match[1] or "x")), fret, sign)
        strike.came_from = last.fret if joined and last else None
        if match[2]:
            target = match[2][1:]
            strike.bend = max(0, int(target) - (fret or 0)) if target else 0
        out.append(strike)
        last, end = strike, match.end()
    return out


def _joined(between: str) -> bool:
    """Whether two numbers are led into each other: nothing but signs stands between them."""
    return bool(re.fullmatch(r"[hps/\\~]+", between))
