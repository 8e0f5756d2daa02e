"""Bars in their order of play, put together again as sections: what comes back alike is one
section, played again.
"""

from typing import Any

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
