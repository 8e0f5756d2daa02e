"""How a hit lives on when its riff is edited: a map from the old revision's identities to the new
one's.
"""

from difflib import SequenceMatcher

from thrumble.core.riff.expand import expand
from thrumble.core.riff.model import Bar, HitIdentity, Riff, Section


def map_identities(old: Riff, new: Riff) -> dict[HitIdentity, HitIdentity]:
    """Old identity to new, for hits that live on: same section name, bars aligned by content, same
    place in the bar.

    A bar that was changed keeps its place among its neighbours; a hit that moved within its bar, or
    went, is not in the map.
    """
    bars: dict[tuple[str, int], int] = {("pickup", 0): 0}
    new_sections = {section.name: section for section in new.sections}
    for section in old.sections:
        if section.name in new_sections:
            for before, after in _align(_all_bars(section), _all_bars(new_sections[section.name])):
                bars[section.name, before + 1] = after + 1
    there = {due.identity for due in expand(new).hits}
    mapped = {}
    for due in expand(old).hits:
        identity = due.identity
        if (identity.section, identity.bar) in bars:
            other = HitIdentity(
                identity.section,
                bars[identity.section, identity.bar],
                identity.at,
                identity.appearance,
            )
            if other in there:
                mapped[identity] = other
    return mapped


def _all_bars(section: Section) -> list[Bar]:
    return [*section.bars, *(bar for ending in section.endings for bar in ending)]


def _align(old: list[Bar], new: list[Bar]) -> list[tuple[int, int]]:
    pairs = []
    for kind, a, b, c, d in SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if kind in ("equal", "replace"):
            pairs += list(zip(range(a, b), range(c, d), strict=False))
    return pairs
