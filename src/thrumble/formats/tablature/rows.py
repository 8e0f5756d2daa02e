"""Tablature as people type it, taken apart: rows of strings with the lines that belong to them, and
the bars of a row with what is struck at which column.
"""

import re
from dataclasses import dataclass, field

from thrumble.core.errors import RiffError

MIN_STRINGS, MAX_STRINGS = 6, 8
LABEL = re.compile(r"([A-Ga-g][#b]?\d?)?[ ]{0,8}(?=[|:\-])")
BODY = re.compile(r"[-0-9xXhpbrvst/\\~()<>|*:=.\s^_o]+")
PALM = re.compile(r"(?<![A-Za-z])[Pp]\.?\s?[Mm]\.?(?![A-Za-z])")
TIMES = re.compile(r"[|\s]\(? {0,2}(?:[xX] {0,2}(\d{1,2})|(\d{1,2}) {0,2}[xX]) {0,2}\)?$")
TIMES_WIDTH = 14  # of the longest such mark
MAX_REPEATS = 64
UNLABELLED_ROWS = 3  # that may stand under each other without a gap
TOKEN = re.compile(r"(\d{1,2})(b\d{0,2})?|([xX])")
METER = r"(?im)(?:^|time\D{0,12}|meter\D{0,4})(\d{1,2}/(?:2|4|8|16))\b"
SKIPPED: dict[str, tuple[str, ...]] = {  # what is not taken from a row: one, and several
    "held": ("note in brackets", "notes in brackets"),
    "harmonic": ("harmonic, read as the fret", "harmonics, read as frets"),
    "shaken": ("vibrato sign",),
    "released": ("released bend, read as a bend", "released bends, read as bends"),
}
_SKIPPED = {
    "held": re.compile(r"\(\d{1,2}\)"),
    "harmonic": re.compile(r"<\d{1,2}>"),
    "shaken": re.compile(r"~+"),
    "released": re.compile(r"\dr\d"),
}
MAX_FRET = 36
REPEAT_SIGNS = ":*o"  # beside a bar line
LEADS = ("h", "p", "s", "/", "\\")  # signs that lead from one fret to the next
MAX_COLUMNS = 2000


@dataclass(slots=True, order=True)
class Strike:
    """What is struck on one string. `column`: from the bar's first; `before`: a sign that leads to
    it, with the fret that it comes from.
    """

    column: int
    width: int
    fret: int | None  # None: dead
    before: str = ""
    came_from: int | None = None
    bend: int | None = None  # half steps, 0 if they are not given


@dataclass(slots=True)
class TabBar:
    """One bar of a row: strikes by line, 1 the top one; its columns, counted in the row. `forward`,
    `backward`: repeat signs at its bar lines.
    """

    start: int
    width: int
    strikes: dict[int, list[Strike]] = field(default_factory=dict)
    forward: bool = False
    backward: bool = False

    def strokes(self) -> list[tuple[int, dict[int, Strike]]]:
        """What is struck together, by line, with the column where it begins; numbers that overlap
        are one stroke.
        """
        ordered = sorted(
            (strike.column, line, strike) for line, row in self.strikes.items() for strike in row
        )
        out: list[tuple[int, dict[int, Strike]]] = []
        until = -1
        for column, line, strike in ordered:
            if column >= until:
                out.append((column, {}))
                until = column
            until = max(until, column + strike.width)
            out[-1][1][line] = strike
        return out

    def columns(self) -> list[int]:
        """Where strokes begin, in order."""
        return [column for column, _ in self.strokes()]


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
            for _, strikes in bar.strokes():
                struck = [strike.fret for strike in strikes.values()]
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
    """The rows of a text. Raises RiffError if there are none, or one has too few strings."""
    lines = [line.expandtabs(4).rstrip() for line in re.split(r"\r\n|\r|\n", text)]
    longest = max(range(len(lines)), key=lambda k: len(lines[k]))
    if len(lines[longest]) > MAX_COLUMNS:
        raise RiffError(
            f"a line of tablature has at most {MAX_COLUMNS} characters: break it into rows",
            found=f"{len(lines[longest])} characters",
            line=longest + 1,
            column=1,
        )
    runs = _runs(lines)
    if not runs:
        raise RiffError(
            "no tablature found in this text: it needs lines of strings under each other, such as "
            "E|-0-2-|",
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
    labelled = _labelled(line)
    if labelled is None:
        return False
    label, start = labelled
    body = _repeat_count(line.rstrip())[1][start:]
    if not BODY.fullmatch(body):
        return False
    dashes = body.count("-")
    if not dashes:
        return bool(label) and _is_blank_string(body)
    return dashes >= 3 and dashes * 4 >= len(body.replace(" ", ""))


def _labelled(line: str) -> tuple[str, int] | None:
    """The letter beside a string, empty if there is none, and if the string itself begins."""
    if len(line) > MAX_COLUMNS:
        return None
    indent = len(line) - len(line.lstrip())
    match = LABEL.match(line, indent)
    return (match[1] or "", match.end()) if match else None


def _is_blank_string(body: str) -> bool:
    """Whether a string is drawn between bar lines with blanks instead of dashes."""
    return len(body) > 3 and body.startswith("|") and body.endswith("|")


def _repeat_count(line: str) -> tuple[int, str]:
    """How often a row is played by the `x2` or `(x2)` behind it, and the line without that."""
    tail = line[-TIMES_WIDTH:]
    match = TIMES.search(tail)
    if match is None:
        return 1, line
    times = max(1, min(MAX_REPEATS, int(match[1] or match[2])))
    return times, line[: len(line) - len(tail) + match.start() + 1].rstrip()


def _runs(lines: list[str]) -> list[tuple[int, int]]:
    """First line and end of each row."""
    out: list[tuple[int, int]] = []
    at = 0
    while at < len(lines):
        end = at
        while end < len(lines) and is_string(lines[end]):
            end += 1
        if end > at:
            out += _split(lines, at, end)
        at = max(end, at + 1)
    return out


def _split(lines: list[str], begin: int, end: int) -> list[tuple[int, int]]:
    """A run of string lines as rows: several may stand under each other without a gap."""
    count = end - begin
    labels = [(_labelled(lines[number]) or ("", 0))[0] for number in range(begin, end)]
    if all(labels):
        sizes = [n for n in range(1, MAX_STRINGS + 1) if count % n == 0 and _repeats(labels, n)]
    else:
        sizes = [
            n
            for n in range(MIN_STRINGS, MAX_STRINGS + 1)
            if count % n == 0 and count // n <= UNLABELLED_ROWS
        ]
    if not sizes:
        raise RiffError(
            f"a row has {MIN_STRINGS} to {MAX_STRINGS} strings, or fewer with their letters "
            "beside them; add the missing lines",
            found=f"{count} lines of strings",
            line=begin + 1,
            column=1,
        )
    size = sizes[0]
    return [(k, k + size) for k in range(begin, end, size)]


def _repeats(labels: list[str], size: int) -> bool:
    return all(label == labels[k % size] for k, label in enumerate(labels))


def _row(lines: list[str], begin: int, end: int, above: list[str], below: list[str]) -> Row:
    labels, bodies, times = [], [], 1
    skipped = dict.fromkeys(SKIPPED, 0)
    for number in range(begin, end):
        count, line = _repeat_count(lines[number])
        times = max(times, count)
        label, start = _labelled(line) or ("", 0)
        labels.append(label)
        body = line[start:]
        bodies.append((start, body if "-" in body else body.replace(" ", "-")))
        for name, pattern in _SKIPPED.items():
            skipped[name] += len(pattern.findall(body))
    return Row(begin + 1, labels, _bars(bodies), above, below, times, skipped)


def _bars(bodies: list[tuple[int, str]]) -> list[TabBar]:
    """The bars of a row: what stands between bar lines, string by string, each by its own lines."""
    split = [_between(start, body) for start, body in bodies]
    count = max(len(cells) for cells in split)
    bars = []
    for number in range(count):
        cells = [cells[number] for cells in split if number < len(cells)]
        bar = TabBar(cells[0].start, max(len(cell.text) for cell in cells))
        bar.forward = any(cell.forward for cell in cells)
        bar.backward = any(cell.backward for cell in cells)
        for line, row in enumerate(split, 1):
            if number < len(row) and (strikes := _strikes(row[number].text)):
                bar.strikes[line] = strikes
        if any("-" in cell.text for cell in cells) or bar.strikes:
            bars.append(bar)
    return bars


@dataclass(slots=True)
class _Cell:
    """One string between two bar lines, with its column in the line. `forward`, `backward`: a
    repeat sign at its start or end.
    """

    start: int
    text: str
    forward: bool
    backward: bool


def _between(start: int, body: str) -> list[_Cell]:
    """What stands between bar lines; repeat signs are noted and leave a dash."""
    out = []
    for match in re.finditer(r"[^|]+", body):
        text = match[0]
        # a colon is nothing else; the other signs are notes unless a dash stands beside them
        forward = text[0] == ":" or (text[0] in REPEAT_SIGNS and text[1:2] == "-")
        backward = text[-1] == ":" or (text[-1] in REPEAT_SIGNS and text[-2:-1] == "-")
        text = f"-{text[1:]}" if forward else text
        text = f"{text[:-1]}-" if backward else text
        if text.strip(" :*o"):
            out.append(_Cell(start + match.start(), text, forward, backward))
    return out


def _strikes(text: str) -> list[Strike]:
    """The strokes on one string of one bar."""
    out: list[Strike] = []
    last: Strike | None = None
    end = 0
    held = {k for m in re.finditer(r"\([^()]*\)", text) for k in range(*m.span())}
    for match in TOKEN.finditer(text):
        if match.start() in held or match.start() < end:
            continue
        fret = int(match[1]) if match[1] else None
        if fret is not None and fret > MAX_FRET:
            raise RiffError(f"frets are 0 to {MAX_FRET}", found=match[1], place="tablature")
        lead = text[end : match.start()].rstrip("~ ")[-1:]
        sign = lead if lead in LEADS else ""
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
