"""A sound check as a page: the share of hits heard right, and every hit as asked and as heard."""

import itertools
from dataclasses import dataclass

from sqlmodel import Session

from thrumble.core.counting import counted
from thrumble.core.sound_check.score import CheckHit, Share, shares
from thrumble.store.practice import sound_checks
from thrumble.store.practice.sound_checks import SoundCheck
from thrumble.store.rig import rigs
from thrumble.store.takes import takes
from thrumble.trained import EAR


@dataclass(frozen=True, slots=True)
class RowView:
    """One figure with where it may really lie."""

    name: str
    figure: str
    interval: str
    of: str


@dataclass(frozen=True, slots=True, kw_only=True)
class HitView:
    """One hit. `mark`: right, wrong or struck; `words` for those who do not see it; `differs`: what
    was heard if that is not what was asked.
    """

    index: int
    mark: str
    differs: str
    words: str


@dataclass(frozen=True, slots=True)
class BlockView:
    """A block of the check with its hits."""

    name: str
    right: str
    hits: list[HitView]


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckView:
    """The whole page. `stale`: another ear heard it; `sound`: whether its sound is still there."""

    take_id: int
    number: int
    tone: str
    figure: str
    sentence: str
    rows: list[RowView]
    blocks: list[BlockView]
    struck: str
    stale: str
    sound: bool
    has_tone: bool
    kept: str


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckLine:
    """A sound check in the list of them."""

    take_id: int
    tone: str
    day: str
    rows: list[RowView]


SHOWN = ("open, palm or dead", "hits we were misinformed about", "where we were sure")


def check_lines(session: Session, player_id: int) -> list[CheckLine]:
    """The newest sound check of every tone, the newest first."""
    seen: set[int | None] = set()
    out = []
    for proof in sound_checks.checks_of(session, player_id):
        if proof.tone_id in seen:
            continue
        seen.add(proof.tone_id)
        rows = [
            _row(share) for share in shares(list(proof.hits), proof.struck) if share.name in SHOWN
        ]
        out.append(
            CheckLine(
                take_id=proof.take_id,
                tone=_tone(session, player_id, proof),
                day=f"{proof.created_at:%Y-%m-%d}",
                rows=rows,
            )
        )
    return out


def check_view(session: Session, player_id: int, take_id: int) -> CheckView:
    """One sound check's page. Raises NotFound."""
    proof = sound_checks.get_check(session, player_id, take_id)
    take = takes.get_take(session, player_id, take_id)
    rows = shares(list(proof.hits), proof.struck)
    whole = rows[0]
    blocks = [
        _block(name, list(hits), proof.struck)
        for name, hits in itertools.groupby(proof.hits, key=lambda hit: hit.section)
    ]
    stale = f"Scored with engine {proof.engine}; you run {EAR.version}: score it again."
    return CheckView(
        take_id=take_id,
        number=take.number,
        tone=_tone(session, player_id, proof),
        figure=_row(whole).figure,
        sentence=f"of your hits came out the way you were asked to play them: {whole.right} of "
        f"{whole.of}",
        rows=[_row(row) for row in rows],
        blocks=blocks,
        struck=counted(len(proof.struck), "hit") + " struck out" if proof.struck else "",
        stale=stale if proof.engine != EAR.version else "",
        sound=take.has_audio,
        has_tone=proof.tone_id is not None,
        kept=counted(len(proof.examples), "hit") if proof.examples else "",
    )


def _tone(session: Session, player_id: int, proof: SoundCheck) -> str:
    tone = None if proof.tone_id is None else rigs.find_tone(session, player_id, proof.tone_id)
    return "No tone chosen" if tone is None else f"{tone.name} ({tone.sound})"


def _row(share: Share) -> RowView:
    if share.interval is None:
        return RowView(share.name, "none", "", "no such hit")
    low, high = share.interval
    return RowView(
        share.name,
        f"{share.right / share.of:.0%}",
        f"{100 * low:.0f} to {high:.0%}",
        f"{share.right} of {share.of}",
    )


def _block(name: str, hits: list[CheckHit], struck: frozenset[int]) -> BlockView:
    silent = [hit for hit in hits if hit.index not in struck]
    right = f"{sum(hit.right for hit in silent)} of {len(silent)}"
    return BlockView(name, right, [_hit(hit, struck) for hit in hits])


def _hit(hit: CheckHit, struck: frozenset[int]) -> HitView:
    articulation = hit.heard or "nothing"
    mark = "right" if hit.right else "wrong"
    if hit.index in struck:
        mark = "struck"
    words = f"bar {hit.bar}: asked {hit.asked}, heard {articulation}"
    if hit.told != hit.asked:
        words += f", told {hit.told}"
    return HitView(
        index=hit.index,
        mark=mark,
        differs="" if hit.right else articulation,
        words=words + (", struck out" if mark == "struck" else ""),
    )
