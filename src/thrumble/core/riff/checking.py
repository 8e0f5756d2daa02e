"""What makes a riff valid. One entry, `check_riff`; every message names section, bar, hit and
field, the value and what is allowed.
"""

import re
from collections.abc import Iterator
from fractions import Fraction

from thrumble.core.errors import BadInstrument, BadTempo, RiffError
from thrumble.core.instrument import MAX_FRET, Note, check_instrument
from thrumble.core.music.feel import Feel, bar_feel, decimal_text
from thrumble.core.riff.model import (
    MAX_BEND,
    TEMPO_RANGE_BPM,
    Articulation,
    Bar,
    Hit,
    Riff,
    Section,
)
from thrumble.core.riff.ramps import mended
from thrumble.core.riff.sizes import check_sizes

SECTION_NAME = re.compile(r"[A-Za-z0-9_-]([A-Za-z0-9 _-]*[A-Za-z0-9_-])?")
OVER = " over "  # between a second part and its section, in the text
LABEL = re.compile(r"[A-Za-z][^\s|()=,:@]{0,23}")  # and printable


def check_tempo(tempo_bpm: float) -> None:
    """Raises BadTempo outside 20 to 400 bpm."""
    low, high = (float(bound) for bound in TEMPO_RANGE_BPM)
    if not low <= tempo_bpm <= high:  # also refuses NaN
        raise BadTempo(
            f"a tempo of {tempo_bpm:g} bpm cannot be played: give {low:g} to {high:g} quarter "
            "notes per minute"
        )


def check_riff(riff: Riff) -> Riff:
    """Returns the riff if it can be played. Raises RiffError naming the first thing that is
    wrong.
    """
    check_sizes(riff)
    _check_head(riff)
    names = [section.name for section in riff.sections]
    for section in riff.sections:
        where = f"section {section.name!r}"
        named = SECTION_NAME.fullmatch(section.name) and section.name != "pickup"
        if not named or OVER in section.name:
            raise _wrong(
                where,
                section.name,
                "a section name is letters, digits, blank, _ or -, without the word 'over', and "
                "not 'pickup'",
            )
        if names.count(section.name) > 1:
            raise _wrong(where, section.name, "two sections share this name; rename one")
        if not section.bars:
            raise _wrong(where, "", "a section needs at least one bar")
        _check_section(riff, section)
        if section.over is not None:
            _check_over(riff, section, where)
    first_parts = [section.name for section in riff.sections if section.over is None]
    if not first_parts:
        raise _wrong("sections", "", "a riff needs a section that is played by itself")
    for name in dict.fromkeys(riff.play):
        if name not in names:
            raise _wrong("play", name, f"is not a section; there are {', '.join(names)}")
        if name not in first_parts:
            raise _wrong("play", name, "is a second part: it comes with the section it is over")
    if riff.pickup:
        _check_pickup(riff)
    if not any(_all_hits(riff)):
        raise _wrong("riff", "", "there is no hit in it; write at least one")
    return riff


def _check_over(riff: Riff, section: Section, where: str) -> None:
    """A second part lies over bars that are there, in their meters."""
    under = next((s for s in riff.sections if s.name == section.over and s.over is None), None)
    if under is None:
        raise _wrong(where, section.over, "a second part needs an existing section below it")
    if section.endings or section.feel is not None:
        raise _wrong(where, "", "a second part can't have endings or its own feel")
    meters = [bar.meter for bar in under.bars]
    if [bar.meter for bar in section.bars] != meters[: len(section.bars)]:
        raise _wrong(
            where,
            f"{len(section.bars)} bars",
            f"a second part has the meters of section {under.name!r}, and no more than its "
            f"{len(meters)} bars",
        )


def _wrong(place: str, value: object, expected: str) -> RiffError:
    return RiffError(expected, found="" if value == "" else str(value), place=place)


def _check_head(riff: Riff) -> None:
    if (
        not riff.title.strip()
        or riff.title != riff.title.strip()
        or len(riff.title) > 120
        or not riff.title.isprintable()
    ):
        raise _wrong("title", riff.title[:40], "a title is one line of 1 to 120 characters")
    try:
        check_tempo(float(riff.tempo_bpm))
    except BadTempo as error:
        raise _wrong("tempo", riff.tempo_bpm, str(error)) from None
    try:
        check_instrument(riff.instrument)
    except BadInstrument as error:
        raise _wrong(error.part, error.found, error.expected) from None
    _check_feel(riff.feel, "feel")
    if not riff.sections:
        raise _wrong("sections", "", "a riff needs at least one section")
    if riff.pedal:
        _check_note(riff, riff.pedal, "pedal", dead=False)


def _check_feel(feel: Feel, where: str) -> None:
    if feel.ratio is not None and not Fraction(1, 5) <= feel.ratio <= 5:
        raise _wrong(where, float(feel.ratio), "a swing ratio is between 0.2 and 5")
    try:
        exact = feel.ratio is None or len(decimal_text(feel.ratio)) <= 14
    except ValueError:
        exact = False
    if not exact:
        raise _wrong(where, feel.ratio, "a swing ratio is a decimal number with at most 12 digits")
    if feel.unit.numerator != 1 or feel.unit.denominator not in (1, 2, 4, 8, 16, 32, 64):
        raise _wrong(where, feel.unit, "the swung unit is a note value such as 1/8 or 1/16")


def _check_section(riff: Riff, section: Section) -> None:
    feel = section.feel or riff.feel
    if section.feel:
        _check_feel(section.feel, f"section {section.name!r}, feel")
    if any(not ending for ending in section.endings):
        raise _wrong(f"section {section.name!r}, endings", "", "an ending needs at least one bar")
    _check_run(riff, section.bars, feel, f"section {section.name!r}")
    for number, ending in enumerate(section.endings, 1):
        _check_run(riff, ending, feel, f"section {section.name!r}, ending {number}")


def _check_pickup(riff: Riff) -> None:
    pickup = riff.pickup
    assert pickup is not None
    if not 0 < pickup.length <= 4 or 64 % pickup.length.denominator:
        raise _wrong(
            "pickup, length",
            pickup.length,
            "a pick-up lasts a whole number of sixty-fourths, at most 4 whole notes",
        )
    _check_hits(
        riff,
        [(hit.at, hit, f"pickup, hit {n}") for n, hit in enumerate(pickup.hits, 1)],
        pickup.length,
    )
    try:
        bar_feel(riff.feel, pickup.length, [hit.at for hit in pickup.hits])
    except ValueError as error:
        raise _wrong("pickup", "", str(error)) from None


def _check_run(riff: Riff, bars: tuple[Bar, ...], feel: Feel, where: str) -> None:
    """Checks bars that follow each other: lengths may pass bar lines, not the end of the run."""
    start, placed = Fraction(0), []
    for number, bar in enumerate(bars, 1):
        for count, hit in enumerate(bar.hits, 1):
            place = f"{where}, bar {number}, hit {count}"
            if not 0 <= hit.at < bar.meter.length:
                raise _wrong(
                    f"{place}, at",
                    hit.at,
                    f"a hit stands at 0 or later, before the bar's end at {bar.meter.length}",
                )
            placed.append((start + hit.at, hit, place))
        try:
            bar_feel(feel, bar.meter.length, [hit.at for hit in bar.hits])
        except ValueError as error:
            raise _wrong(f"{where}, bar {number}", "", str(error)) from None
        start += bar.meter.length
    _check_hits(riff, placed, start)


def _check_hits(riff: Riff, placed: list[tuple[Fraction, Hit, str]], end: Fraction) -> None:
    _check_ramps(placed)
    limits = [at for at, *_ in placed[1:]] + [end]
    for (at, hit, place), limit in zip(placed, limits, strict=False):
        if limit <= at:
            raise _wrong(
                f"{place}, at",
                hit.at,
                "hits are sorted, one to a place, before the end; move or join them",
            )
        if hit.length <= 0 or at + hit.length > limit:
            raise _wrong(
                f"{place}, length",
                hit.length,
                f"a length is more than 0 and at most {limit - at}, where the next hit or the "
                "section's end comes",
            )
        if hit.stop and at + hit.length == limit:
            raise _wrong(
                f"{place}, stop",
                "true",
                "a stop needs silence after it; shorten the hit or drop the stop",
            )
        _check_hit(riff, hit, place)


def _check_hit(riff: Riff, hit: Hit, place: str) -> None:
    if not hit.notes:
        raise _wrong(f"{place}, notes", "", "a hit strikes at least one string")
    strings = [note.string for note in hit.notes]
    if strings != sorted(set(strings), reverse=True):
        raise _wrong(
            f"{place}, notes", strings, "each string once, from the lowest (highest number) up"
        )
    for note in hit.notes:
        _check_note(
            riff, note, f"{place}, string {note.string}", dead=hit.articulation is Articulation.DEAD
        )
        if (
            hit.slide_from is not None
            and note.fret is not None
            and not 0 <= note.fret + hit.slide_from <= MAX_FRET
        ):
            raise _wrong(
                f"{place}, slide_from",
                hit.slide_from,
                "the slide would start off the neck; start nearer",
            )
    if (hit.depth is not None) != (hit.articulation is Articulation.PALM):
        raise _wrong(
            f"{place}, depth", hit.depth, "a depth belongs to a palm-muted hit and to no other"
        )
    if hit.depth is not None and not 0 <= hit.depth <= 1:
        raise _wrong(f"{place}, depth", hit.depth, "a depth is between 0 (light) and 1 (tight)")
    if (hit.stroke is None) != (hit.legato is not None):
        raise _wrong(
            f"{place}, stroke", hit.stroke, "a legato hit has no stroke; every other hit has one"
        )
    if hit.slide_from is not None and (
        not 1 <= abs(hit.slide_from) <= MAX_FRET or all(n.fret is None for n in hit.notes)
    ):
        raise _wrong(
            f"{place}, slide_from",
            hit.slide_from,
            "a slide starts at least one fret away and ends on a pressed fret; leave it out for "
            "none",
        )
    _check_marks(hit, place)
    if hit.label is not None and not is_label(hit.label):
        raise _wrong(
            f"{place}, label",
            hit.label,
            "a chord name is up to 24 characters, starting with a letter, without blanks or any "
            "of | ( ) = , : @",
        )


def is_label(text: str) -> bool:
    """Whether a text can be a chord's name."""
    return bool(LABEL.fullmatch(text)) and text.isprintable()


def _check_marks(hit: Hit, place: str) -> None:
    dead = hit.articulation is Articulation.DEAD
    bend = hit.bend
    if bend is not None and (
        dead or not 0 < bend <= MAX_BEND or not any(note.fret for note in hit.notes)
    ):
        raise _wrong(
            f"{place}, bend",
            bend,
            f"a bend is at most {MAX_BEND} half steps up, on a pressed string that sounds",
        )
    if hit.opens and (hit.articulation is not Articulation.PALM or hit.staccato):
        raise _wrong(
            f"{place}, opens", "true", "only a palm mute opens up, and not where it is staccato"
        )
    if hit.arpeggio and (dead or hit.legato is not None or len(hit.notes) < 2):
        raise _wrong(
            f"{place}, arpeggio",
            "true",
            "one string after another takes two strings that sound and a stroke",
        )
    if hit.ramp is not None and hit.articulation is not Articulation.PALM:
        raise _wrong(f"{place}, ramp", hit.ramp.value, "a mute ramp holds palm mutes only")


def _check_ramps(placed: list[tuple[Fraction, Hit, str]]) -> None:
    """Every ramp begins with its start and has two hits at least."""
    hits = [hit for _, hit, _ in placed]
    for (_, hit, place), whole in zip(placed, mended(hits), strict=True):
        if hit.ramp != whole.ramp:
            raise _wrong(
                f"{place}, ramp",
                "" if hit.ramp is None else hit.ramp.value,
                "a mute ramp starts with 'start' and goes on with 'on', two palm mutes at least",
            )


def _check_note(riff: Riff, note: Note, place: str, *, dead: bool) -> None:
    if not 1 <= note.string <= len(riff.tuning):
        raise _wrong(place, note.string, f"strings are numbered 1 (highest) to {len(riff.tuning)}")
    if note.fret is None and not dead:
        raise _wrong(
            f"{place}, fret", "null", "only a dead hit may leave a string unpressed; give a fret"
        )
    if note.fret is not None and not 0 <= note.fret <= MAX_FRET:
        raise _wrong(f"{place}, fret", note.fret, f"frets are 0 (open) to {MAX_FRET}")


def _all_hits(riff: Riff) -> Iterator[Hit]:
    yield from riff.pickup.hits if riff.pickup else ()
    for section in riff.sections:
        for bars in (section.bars, *section.endings):
            for bar in bars:
                yield from bar.hits
