"""What is done to a riff as a whole: title, tempo, feel, sections and their order."""

from collections.abc import Iterator
from dataclasses import replace
from decimal import Decimal
from fractions import Fraction
from itertools import count, takewhile
from string import ascii_uppercase

from thrumble.core.errors import BadInput
from thrumble.core.music.feel import STRAIGHT, Feel
from thrumble.core.riff.checking import check_riff
from thrumble.core.riff.model import Bar, Riff, Section


def set_feel(riff: Riff, ratio: Decimal, unit: Fraction) -> Riff:
    """The whole riff shuffled so hard on eighths or sixteenths; a ratio of 1 is straight. Sections
    with a feel of their own keep it.
    """
    feel = STRAIGHT if ratio == 1 else Feel(Fraction(ratio), unit)
    return check_riff(replace(riff, feel=feel))


def set_title(riff: Riff, title: str) -> Riff:
    """Another title."""
    return check_riff(replace(riff, title=title.strip()))


def set_tempo(riff: Riff, tempo_bpm: Decimal) -> Riff:
    """Another tempo, quarter notes per minute."""
    return check_riff(replace(riff, tempo_bpm=tempo_bpm))


def add_section(riff: Riff, section: str) -> Riff:
    """A new section with one empty bar behind a section, played after its last appearance. An
    unknown section, such as the pick-up's, counts as the first.
    """
    names = [other.name for other in riff.sections]
    k = names.index(section) if section in names else 0
    free = next(name for name in _section_names() if name not in names)
    new = Section(name=free, bars=(Bar(riff.sections[k].bars[-1].meter, ()),))
    play = riff.play
    if play:
        end = max((n for n, name in enumerate(play) if name == names[k]), default=len(play) - 1)
        play = (*play[: end + 1], free, *play[end + 1 :])
    sections = (*riff.sections[: k + 1], new, *riff.sections[k + 1 :])
    return check_riff(replace(riff, sections=sections, play=play))


def play_again(riff: Riff, section: str, *, more: bool) -> Riff:
    """A section once more in a row where it is first played, or once less; once at least."""
    play = list(riff.order)
    if section not in play:
        raise BadInput(f"section {section} isn't played anywhere yet: write it into the play order")
    first = play.index(section)
    if more:
        play.insert(first, section)
    elif play[first + 1 : first + 2] == [section]:
        del play[first]
    else:
        raise BadInput(f"section {section} is played once here: delete its bars to drop it")
    return check_riff(replace(riff, play=tuple(play)))


def times_played(riff: Riff) -> dict[str, int]:
    """How often each section is played in a row where it is first played; 0 if it never is. Second
    parts aren't played by themselves and are left out.
    """
    play = riff.order
    out = {section.name: 0 for section in riff.sections if section.over is None}
    for name in out:
        if name in play:
            first = play.index(name)
            out[name] = sum(1 for _ in takewhile(lambda other: other == name, play[first:]))  # noqa: B023
    return out


def _section_names() -> Iterator[str]:
    """A, B, to Z, then A2 and so on."""
    for number in count(1):
        for letter in ascii_uppercase:
            yield letter if number == 1 else f"{letter}{number}"
