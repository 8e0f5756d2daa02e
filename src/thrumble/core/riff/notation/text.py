"""The riff as text: `parse_riff` reads Thrumble's own notation, errors carry line and column.
`printing.print_riff` is its reverse.
"""

import re
from dataclasses import replace
from decimal import Decimal, InvalidOperation
from fractions import Fraction

from thrumble.core.errors import RiffError
from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.music.pitch import read_tuning
from thrumble.core.riff.checking import OVER, check_riff
from thrumble.core.riff.model import Pickup, Riff, Section
from thrumble.core.riff.notation.bars import (
    RAW,
    Head,
    Run,
    Token,
    finish_run,
    frets_of,
    meter_of,
    read_line,
)

HEADERS = ("title", "tempo", "tuning", "capo", "meter", "feel", "pedal", "strokes", "play", "names")
MAX_TEXT = 2_000_000  # more than the longest riff prints


def parse_riff(text: str) -> Riff:
    """The riff a text holds. Raises RiffError with line, column, the token and what was expected
    there.
    """
    if len(text) > MAX_TEXT:
        raise RiffError(
            f"a riff's text has at most {MAX_TEXT} characters",
            found=f"{len(text)} characters",
            line=1,
            column=1,
        )
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    first = next((n for n, line in enumerate(lines) if line.lstrip().startswith("[")), len(lines))
    head, play = _read_head(lines[:first])
    sections, pickup = _read_sections(lines[first:], first + 1, head)
    riff = replace(
        head.riff,
        sections=tuple(sections),
        pickup=pickup,
        play=_read_play(play, [s.name for s in sections]),
    )
    try:
        return check_riff(riff)
    except RiffError as error:
        error.line, error.column = first + 1 if first < len(lines) else len(lines), 1
        error.expected = f"{error.place}: {error.expected}" if error.place else error.expected
        raise


# --- headers --------------------------------------------------------------------------------------


def _read_head(lines: list[str]) -> tuple[Head, Token | None]:
    values: dict[str, Token] = {}
    for number, line in enumerate(lines, 1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        key, colon, value = line.partition(":")
        token = Token(line.strip(), number, len(line) - len(line.lstrip()) + 1)
        if not colon or key.strip() not in HEADERS:
            raise token.error(
                f"a header is one of {', '.join(HEADERS)} followed by a colon; sections start with "
                "[name]"
            )
        if key.strip() in values:
            raise token.error(f"{key.strip()} is given twice; keep one")
        shift = len(key) + 1 + len(value) - len(value.lstrip())
        values[key.strip()] = Token(value.strip(), number, shift + 1)
    for needed in ("title", "tempo"):
        if needed not in values or not values[needed].text:
            raise RiffError(
                f"a riff needs a line such as '{needed}: "
                f"{'Sluice Gate' if needed == 'title' else 118}'",
                line=1,
                column=1,
            )
    head = Head(Riff(title=values["title"].text, tempo_bpm=_decimal(values["tempo"]), sections=()))
    _read_instrument(head, values)
    if "meter" in values:
        head.meter = meter_of(values["meter"], values["meter"].text)
    if "feel" in values:
        head.riff = replace(head.riff, feel=_feel(values["feel"]))
    head.strokes = _choice(values.get("strokes"), ("down", "alternate", "fingers"))
    head.names_shape = _choice(values.get("names"), ("sounding", "shape")) == "shape"
    return head, values.get("play")


def _read_instrument(head: Head, values: dict[str, Token]) -> None:
    if token := values.get("tuning"):
        try:
            head.riff = replace(head.riff, tuning=read_tuning(token.text.split()))
        except ValueError as error:
            raise token.error(str(error)) from None
    if token := values.get("capo"):
        if not token.text.isdecimal() or int(token.text) > 24:
            raise token.error("a capo sits at fret 0 (none) to 24")
        head.riff = replace(head.riff, capo=int(token.text))
    if token := values.get("pedal"):
        notes = (
            frets_of(head.riff, token, token.text)
            if RAW.fullmatch(token.text) and "=" not in token.text
            else ()
        )
        if len(notes) != 1 or notes[0].fret is None:
            raise token.error("a pedal is one string and fret, such as 6:0")
        head.riff = replace(head.riff, pedal=notes[0])


def _choice(token: Token | None, allowed: tuple[str, ...]) -> str:
    if token is None:
        return allowed[0]
    if token.text not in allowed:
        raise token.error(f"one of {', '.join(allowed)}")
    return token.text


def _decimal(token: Token) -> Decimal:
    try:
        value = Decimal(token.text)
    except InvalidOperation:
        value = Decimal("NaN")
    if not value.is_finite() or not 20 <= value <= 400:
        raise token.error("a tempo is a number of quarter notes per minute, 20 to 400")
    return value


def _feel(token: Token) -> Feel:
    if token.text == "straight":
        return STRAIGHT
    match = re.fullmatch(r"shuffle (\d{1,3}(?:\.\d{1,12})?)(?: on 1/(\d{1,2}))?", token.text)
    if not match or (match[2] and int(match[2]) == 0):
        raise token.error(
            "a feel is 'straight' or 'shuffle RATIO on 1/8', such as 'shuffle 2.0 on 1/8'"
        )
    return Feel(Fraction(match[1]), Fraction(1, int(match[2] or 8)))


def _read_play(token: Token | None, names: list[str]) -> tuple[str, ...]:
    if token is None:
        return ()
    words = re.findall(r'"[^"]*"|\S+', token.text)
    order = tuple(word.strip('"') for word in words)
    for word in order:
        if word not in names:
            raise token.error(f"{word!r} is not a section; there are {', '.join(names) or 'none'}")
    return order


# --- sections -------------------------------------------------------------------------------------


def _read_sections(
    lines: list[str], first_line: int, head: Head
) -> tuple[list[Section], Pickup | None]:
    runs: list[tuple[Run, dict[int, Run]]] = []
    for number, line in enumerate(lines, first_line):
        text = "" if line.lstrip().startswith("#") else re.split(r"\s#", line)[0].rstrip()
        stripped = text.strip()
        token = Token(stripped, number, len(text) - len(text.lstrip()) + 1)
        if not stripped:
            continue
        if stripped.startswith("["):
            if not stripped.endswith("]") or not stripped[1:-1].strip():
                raise token.error("a section starts with its name in brackets, such as [A]")
            name, _, over = stripped[1:-1].strip().partition(OVER)
            runs.append((Run(name.strip(), token, head.meter, over=over.strip() or None), {}))
        elif stripped.startswith("feel:") and not runs[-1][0].meters:
            runs[-1][0].feel = _feel(Token(stripped[5:].strip(), number, token.column + 6))
        else:
            body, endings = runs[-1]
            mark = re.match(r"(\d{1,3})\|", stripped)
            run = body
            if mark:
                run = endings.setdefault(
                    int(mark[1]), Run(body.name, token, body.meter, chord=body.chord)
                )
                if int(mark[1]) > len(endings) or min(endings) != 1:
                    raise token.error("endings are numbered 1, 2, 3 and so on")
            elif endings:
                raise token.error(
                    "the section's bars come before its endings; start this line with 1| or 2|"
                )
            read_line(
                run, text, number, head, skip=token.column - 1 + (len(mark[1]) if mark else 0)
            )
    return _sections(runs)


def _sections(runs: list[tuple[Run, dict[int, Run]]]) -> tuple[list[Section], Pickup | None]:
    sections: list[Section] = []
    pickup = None
    names: set[str] = set()
    for body, endings in runs:
        if not body.meters:
            raise body.token.error("a section needs at least one bar between | and |")
        if body.name in names:
            raise body.token.error("this name is used twice; rename one section")
        names.add(body.name)
        if body.name == "pickup":
            if len(body.meters) > 1 or endings:
                raise body.token.error("a pick-up is one bar, without endings")
            bars = finish_run(body)
            pickup = Pickup(bars[0].meter.length, bars[0].hits)
        else:
            ends = tuple(finish_run(endings[n]) for n in sorted(endings))
            sections.append(
                Section(
                    name=body.name,
                    bars=finish_run(body),
                    endings=ends,
                    feel=body.feel,
                    over=body.over,
                )
            )
    return sections, pickup
