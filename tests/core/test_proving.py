"""The sound check: what it asks, what the ear is told instead, and what a proof says."""

from collections import Counter
from dataclasses import replace

import numpy as np
import pytest
from scipy.stats import binomtest

from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.music.pitch import STANDARD_TUNING
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import Performance, perform
from thrumble.core.riff.expand import expand
from thrumble.core.sound_check.score import CheckHit, Share, score_hits, shares
from thrumble.core.sound_check.script import BLOCKS, sound_check, with_decoys
from thrumble.trained import EAR

CHECK = sound_check(STANDARD_TUNING)
ASKED, TOLD = expand(CHECK), expand(with_decoys(CHECK))


def test_it_takes_three_minutes_at_most_and_asks_for_every_kind_often() -> None:
    assert 120 < ASKED.round_s <= 180
    kinds = Counter(due.hit.articulation.value for due in ASKED.hits)
    assert min(kinds.values()) >= 30
    depths = {float(due.hit.depth) for due in ASKED.hits if due.hit.depth is not None}
    assert depths == {0.25, 0.6, 0.9}
    slots = {round(due.slot_s, 3) for due in ASKED.hits}
    assert min(slots) == 0.15 and max(slots) >= 0.6
    assert any(due.hit.stop for due in ASKED.hits)
    assert {len(due.hit.notes) for due in ASKED.hits} == {1, 2}
    for block in BLOCKS:
        section = next(one for one in CHECK.sections if one.name == block.name)
        assert section.bars[-1].hits == (), "a bar to read what comes next"


def test_the_ear_is_told_something_else_for_a_fifth_and_always_for_the_same() -> None:
    other = [
        (a.hit.articulation.value, b.hit.articulation.value)
        for a, b in zip(ASKED.hits, TOLD.hits, strict=True)
    ]
    changed = Counter(pair for pair in other if pair[0] != pair[1])
    assert sum(changed.values()) / len(other) == pytest.approx(0.2, abs=0.05)
    assert set(changed) == {("open", "palm"), ("palm", "open"), ("dead", "palm")}
    assert with_decoys(CHECK) == with_decoys(CHECK)
    assert [due.due_s for due in ASKED.hits] == [due.due_s for due in TOLD.hits]


@pytest.fixture(scope="module")
def played() -> Performance:
    return perform(CHECK, seed=3, flaws=Flaws(timing=6, wrong=0.05))


def test_what_was_asked_is_the_truth_and_struck_out_hits_do_not_count(played: Performance) -> None:
    info = TakeInfo(start_s=played.start_s, rounds=1)
    hits = score_hits(ASKED, TOLD, read_take(played.samples, played.rate_hz, TOLD, info, ear=EAR))
    assert len(hits) == len(ASKED.hits)
    spoilt = {one.index for one in played.hits if one.articulation != one.planned}
    all_in = {share.name: share for share in shares(hits)}
    cleaned = {share.name: share for share in shares(hits, frozenset(spoilt))}  # type: ignore[arg-type]
    whole = cleaned["open, palm or dead"]
    assert whole.of == len(hits) - len(spoilt)
    assert whole.right / whole.of > all_in["open, palm or dead"].right / len(hits)
    assert whole.right / whole.of > 0.9
    unlike = cleaned["hits we were misinformed about"]
    assert unlike.of > 60 and unlike.right / unlike.of > 0.75
    quiet = read_take(np.zeros_like(played.samples), played.rate_hz, TOLD, info, ear=EAR)
    assert score_hits(ASKED, TOLD, quiet) == []


def test_a_hit_that_was_not_heard_or_left_unsure_counts_as_wrong() -> None:
    hit = CheckHit(
        index=0,
        section="A",
        bar=1,
        asked="open",
        told="palm",
        heard="open",
        chance=0.95,
        onset_s=1.0,
        depth=None,
        strings=1,
    )
    hits = [
        hit,
        replace(hit, index=1, heard=None, chance=None),
        replace(hit, index=2, heard="unsure"),
    ]
    whole, *_, surely = shares(hits)
    assert (whole.right, whole.of) == (1, 3) and (surely.right, surely.of) == (1, 2)


@pytest.mark.parametrize(("right", "of"), [(0, 5), (5, 5), (37, 40), (296, 400)])
def test_the_span_is_wilsons(right: int, of: int) -> None:
    there = binomtest(right, of).proportion_ci(0.95, method="wilson")
    assert Share("x", right, of).interval == pytest.approx((there.low, there.high), abs=1e-6)


def test_nothing_has_no_span() -> None:
    assert Share("x", 0, 0).interval is None
