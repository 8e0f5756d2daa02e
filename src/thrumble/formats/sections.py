"""Bars in their order of play, put together again as sections: what comes back alike is one
section, played again.
"""

from typing import Any

from thrumble.core.riff.model import Riff

Run = tuple[str, Any, list[Any]]  # name, feel, bars


def merged(runs: list[Run]) -> tuple[list[Run], list[str]]:
    """The sections, and the order they are played in. A run that has the name of another one but
    other bars gets a number.
    """
    sections: dict[str, Run] = {}
    play = []
    for name, feel, bars in runs:
        called, again = name, 2
        while called in sections and sections[called][2] != bars:
            called, again = f"{name} {again}", again + 1
        sections.setdefault(called, (called, feel, bars))
        play.append(called)
    return list(sections.values()), [] if play == list(sections) else play


def lost_in_order(riff: Riff) -> list[str]:
    """What a file in playing order does not hold of a riff, in words."""
    out = []
    if any(section.endings for section in riff.sections):
        out.append("endings: they come back written out in playing order")
    unused = [section.name for section in riff.sections if section.name not in riff.order]
    if unused:
        out.append(f"sections that are never played: {', '.join(unused)}")
    return out
