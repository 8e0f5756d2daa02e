"""What the ear must keep to whatever is done to a take, and what it hears beside onsets: click,
chord, depth, stops. Changes along it: `test_changes_along`.
"""

from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st

from thrumble.core.coach.verdict.findings import find_findings
from thrumble.core.coach.verdict.judgement import judge
from thrumble.core.coach.verdict.timing import LeadOrLag
from thrumble.core.ear.comparing import compare
from thrumble.core.ear.front.conditioning import condition
from thrumble.core.ear.front.spectrum import bands_of
from thrumble.core.ear.measure.articulation import (
    KINDS,
    NO_PROFILE,
    Profile,
    classify_hits,
    measure_hits,
    mute_depths,
)
from thrumble.core.ear.model.network import Network
from thrumble.core.ear.reading import (
    HeardKind,
    HitState,
    Reading,
    StartSource,
)
from thrumble.core.ear.take import TakeInfo, read_take
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.perform import Performance, perform
from thrumble.core.player.sound import Tone
from thrumble.core.pulse.click import click_times, click_track
from thrumble.core.riff.expand import ExpandedRiff, expand
from thrumble.core.riff.model import Articulation
from thrumble.core.riff.notation.text import parse_riff
from thrumble.demo import riff_texts
from thrumble.trained import EAR

SLUICE = parse_riff(riff_texts()["1-sluice-gate"])
HELD = parse_riff(
    "title: Held\ntempo: 70\n[A]\n| A5@6/5 o m o M | D5@5/5 o o x o | E5@5/7 o M o m | G5@6/3 o o m o |\n"
)


@lru_cache(maxsize=8)
def taken(tone: Tone = Tone.CRUNCH, seed: int = 21) -> tuple[Performance, ExpandedRiff]:
    return perform(
        SLUICE, seed=seed, tone=tone, flaws=Flaws(timing=8, wrong=0.08, missed=0.02), rate_hz=44100
    ), expand(SLUICE)


@lru_cache(maxsize=8)
def base(tone: Tone = Tone.CRUNCH) -> Reading:
    take, expanded = taken(tone)
    return read_take(take.samples, take.rate_hz, expanded, TakeInfo(start_s=take.start_s), ear=EAR)


def same(
    one: Reading,
    other: Reading,
    *,
    shift_s: float = 0.0,
    within_ms: float = 0.3,
    moved: float = 0.01,
    renamed: float = 0.01,
) -> None:
    """The same hits; of them at most the share `moved` by more than a bound, and at most `renamed`
    called otherwise.
    """
    pairs = list(zip(one.hits, other.hits, strict=True))
    assert np.mean([a.state != b.state for a, b in pairs]) <= 0.01
    both = [(a, b) for a, b in pairs if a.onset_s is not None and b.onset_s is not None]
    off = np.array(
        [
            (b.onset_s - a.onset_s - shift_s) * 1000
            for a, b in both
            if a.onset_s is not None and b.onset_s is not None
        ]
    )
    assert np.mean(np.abs(off) > within_ms) <= moved, np.sort(np.abs(off))[-8:]
    assert np.mean([a.heard_articulation != b.heard_articulation for a, b in both]) <= renamed


@settings(max_examples=6, deadline=None)
@given(st.integers(1, 60_000))
def test_silence_before_a_take_shifts_it_and_nothing_else(frames: int) -> None:
    """Whole frames of the working rate or not: onsets move by the silence, to a third of a
    millisecond; no verdict changes.
    """
    take, expanded = taken()
    moved = np.concatenate(
        [np.zeros(frames, np.float32), take.samples, np.zeros(frames, np.float32)]
    )
    shift_s = frames / take.rate_hz
    same(
        base(),
        read_take(moved, take.rate_hz, expanded, TakeInfo(start_s=take.start_s + shift_s), ear=EAR),
        shift_s=shift_s,
        moved=0.03,
    )


@settings(max_examples=6, deadline=None)
@given(st.floats(-40, 3))
def test_a_change_of_level_changes_only_the_levels(gain_db: float) -> None:
    take, expanded = taken()
    other = read_take(
        take.samples * np.float32(10 ** (gain_db / 20)),
        take.rate_hz,
        expanded,
        TakeInfo(start_s=take.start_s),
        ear=EAR,
    )
    same(base(), other, within_ms=0.05)
    levels = [
        (a.level_db, b.level_db)
        for a, b in zip(base().hits, other.hits, strict=True)
        if a.level_db is not None and b.level_db is not None
    ]
    assert np.allclose([b - a for a, b in levels], gain_db, atol=0.15)


@pytest.mark.parametrize("rate", [22050, 32000, 48000, 96000])
def test_another_sample_rate_gives_the_same_reading(rate: int) -> None:
    take, expanded = taken()
    same(
        base(),
        read_take(
            soxr.resample(take.samples, take.rate_hz, rate),
            rate,
            expanded,
            TakeInfo(start_s=take.start_s),
            ear=EAR,
        ),
        moved=0.06,
        renamed=0.02,
    )


@pytest.mark.parametrize("place", [0, 1, 2])
def test_it_does_not_matter_which_channel_the_guitar_is_on(place: int) -> None:
    take, expanded = taken()
    channels = np.zeros((take.samples.size, 3), dtype=np.float32)
    channels[:, place] = take.samples
    other = read_take(channels, take.rate_hz, expanded, TakeInfo(start_s=take.start_s), ear=EAR)
    assert other.hits == base().hits


@pytest.mark.parametrize("tone", list(Tone))
def test_rewriting_a_tenth_of_the_plan_changes_next_to_no_verdict(tone: Tone) -> None:
    take, expanded = taken(tone)
    rng = np.random.default_rng(3)
    hits = list(expanded.hits)
    for k in rng.permutation(len(hits))[: len(hits) // 10]:
        kinds = [kind for kind in Articulation if kind is not hits[k].hit.articulation]
        hits[k] = replace(
            hits[k], hit=replace(hits[k].hit, articulation=kinds[int(rng.integers(2))])
        )
    other = read_take(
        take.samples,
        take.rate_hz,
        replace(expanded, hits=tuple(hits)),
        TakeInfo(start_s=take.start_s),
        ear=EAR,
    )
    assert (
        np.mean(
            [
                a.heard_articulation != b.heard_articulation
                for a, b in zip(base(tone).hits, other.hits, strict=True)
            ]
        )
        <= 0.02
    )


@pytest.mark.parametrize("bleed_db", [-12, -24])
def test_click_bleed_is_no_hit_and_tells_where_the_take_began(bleed_db: float) -> None:
    flaws = Flaws(timing=7, bias=15)
    take = perform(SLUICE, seed=4, tone=Tone.CRUNCH, flaws=flaws, click_db=bleed_db, lead_s=2.5)
    found = read_take(take.samples, take.rate_hz, expand(SLUICE), ear=EAR)
    assert found.start_source is StartSource.CLICK and found.start_s == pytest.approx(
        take.start_s, abs=0.002
    )
    assert (
        found.summary.bias_ms == pytest.approx(15, abs=4)
        and not found.extra_onsets
        and not found.bias_judged
    )
    assert "start_by_click" in {c.code for c in found.cautions}
    known = read_take(
        take.samples, take.rate_hz, expand(SLUICE), TakeInfo(start_s=take.start_s), ear=EAR
    )
    assert not known.extra_onsets and "click_heard" in {c.code for c in known.cautions}
    silent = perform(SLUICE, seed=4, tone=Tone.CRUNCH, flaws=flaws, lead_s=2.5)
    assert (
        read_take(silent.samples, silent.rate_hz, expand(SLUICE), ear=EAR).start_source
        is StartSource.FITTED
    )


def test_a_channel_with_the_click_alone_is_the_reference_and_not_mixed_in() -> None:
    take, expanded = taken()
    track = click_track(
        click_times(expanded, rounds=1, count_in_bars=1),
        start_s=take.start_s,
        rate_hz=take.rate_hz,
        frames=take.samples.size,
    )
    both = read_take(
        np.stack([track * np.float32(0.8), take.samples], axis=1),
        take.rate_hz,
        expanded,
        ear=EAR,
    )
    alone = read_take(take.samples, take.rate_hz, expanded, ear=EAR)
    assert both.start_source is StartSource.CLICK and both.start_s == pytest.approx(
        take.start_s, abs=0.002
    )
    same(alone, both, moved=0.03, renamed=0.03)


def test_a_hand_two_frets_off_and_a_string_that_rings_along_are_found_in_a_clean_sound() -> None:
    clean = perform(HELD, seed=5, tone=Tone.CLEAN, flaws=Flaws(timing=3))
    heard = read_take(
        clean.samples, clean.rate_hz, expand(HELD), TakeInfo(start_s=clean.start_s), ear=EAR
    )
    open_hits = [h for h in heard.hits if h.heard_articulation is HeardKind.OPEN]
    assert (
        open_hits
        and all(h.chord_ok is not False for h in open_hits)
        and not any(h.stray_strings for h in open_hits)
    )
    assert np.mean([h.chord_ok is True for h in open_hits]) > 0.6
    wrong = perform(HELD, seed=5, tone=Tone.CLEAN, flaws=Flaws(timing=3, fret=1.0))
    off = read_take(
        wrong.samples, wrong.rate_hz, expand(HELD), TakeInfo(start_s=wrong.start_s), ear=EAR
    )
    real = {t.index: t for t in wrong.hits}
    told = [h for h in off.hits if h.chord_ok is not None and real[h.index].fret_error]
    assert told and all(h.chord_ok is False for h in told)
    strays = perform(HELD, seed=6, tone=Tone.CLEAN, flaws=Flaws(timing=3, stray=1.0))
    rings = read_take(
        strays.samples,
        strays.rate_hz,
        expand(HELD),
        TakeInfo(start_s=strays.start_s),
        ear=EAR,
    )
    truth = {t.index: t.stray_strings for t in strays.hits}
    named = [(h.stray_strings, truth[h.index]) for h in rings.hits if h.stray_strings]
    assert len(named) >= 2 and all(set(said) & set(true) for said, true in named)


def test_depth_follows_the_palm_and_a_ramp_is_seen_as_one() -> None:
    slots = " ".join(f"M={depth:.2f}" for depth in np.linspace(0.05, 0.95, 32))
    bars = " ".join(
        "| E5@6/0 " * (k == 0) + ("| " if k else "") + " ".join(slots.split()[8 * k : 8 * k + 8])
        for k in range(4)
    )
    riff = parse_riff(f"title: Ramp\ntempo: 110\n[A]\n{bars} |\n")
    take = perform(riff, seed=8, tone=Tone.CLEAN, flaws=Flaws(timing=4))
    heard = read_take(
        take.samples, take.rate_hz, expand(riff), TakeInfo(start_s=take.start_s), ear=EAR
    )
    depths = np.array([np.nan if h.mute_depth is None else h.mute_depth for h in heard.hits])
    thirds = [np.nanmean(part) for part in np.array_split(depths, 4)]
    assert all(np.diff(thirds) > 0.05), thirds


def test_depth_leans_on_the_other_hits_alone_and_dead_hits_have_none() -> None:
    rng = np.random.default_rng(1)
    network = Network(np.zeros(2), np.ones(2), ((np.array([[0.2], [0.0]]), np.array([0.5])),))
    ear = replace(EAR, depth=network)
    measures, written = rng.normal(0, 1, (40, 2)), np.full(40, 0.9)
    base_depths = mute_depths(measures, ear, written)
    written[7] = 0.1
    assert mute_depths(measures, ear, written)[7] == base_depths[7]
    assert base_depths.mean() > mute_depths(measures, ear).mean() + 0.1
    kept = Profile(
        measures[:6],
        np.ones(6, dtype=int),
        np.clip(network.outputs(measures[:6])[:, 0], 0, 1) + 0.2,
    )
    by_profile = mute_depths(measures, ear, written, kept)
    raw = mute_depths(measures, ear)
    middling = (raw > 0.3) & (raw < 0.79)
    assert middling.any() and np.allclose((by_profile - raw)[middling], 0.2), (
        "palms of known depth set the scale, whatever is written"
    )
    assert all(h.mute_depth is None for h in base().hits if h.heard_articulation is HeardKind.DEAD)


@pytest.mark.parametrize("seed", [1, 2, 4])
def test_examples_of_the_players_own_move_the_verdict_towards_them(seed: int) -> None:
    """Palms that the ear calls palms come out dead, or nearer to it, once others like them are
    shown to be dead.
    """
    riff = parse_riff("title: Palms\ntempo: 110\n[A]\n" + "| E5@6/0 m m m m m m m m " * 4 + "|\n")
    take = perform(riff, seed=seed, tone=Tone.CLEAN, flaws=Flaws(timing=4))
    heard = condition(take.samples, take.rate_hz)
    onsets = np.array([hit.onset_s for hit in take.hits], dtype=float)
    measures = measure_hits(
        heard.samples, bands_of(heard.samples), onsets, np.append(onsets[1:], heard.duration_s)
    )
    shown, others, dead = measures[:16], measures[16:], KINDS.index(Articulation.DEAD)
    plan = np.full(len(others), -1)
    generic = classify_hits(others, plan, EAR)
    profile = Profile(shown, np.full(16, dead), np.full(16, np.nan))
    assert (generic.argmax(axis=1) == KINDS.index(Articulation.PALM)).all()
    assert (
        classify_hits(others, plan, EAR, profile)[:, dead].mean() > generic[:, dead].mean() + 0.15
    )
    assert np.array_equal(classify_hits(others, plan, EAR, NO_PROFILE), generic) and len(KINDS) == 3


def test_a_guitar_far_away_is_not_the_players_extra_hit() -> None:
    riff = parse_riff("title: Gaps\ntempo: 100\n[A]\n" + "| E5@6/0 o - - m m - - - " * 4 + "|\n")
    other = parse_riff(
        "title: Next door\ntempo: 127\n[A]\n" + "| A5@5/0 o o o o o o o o " * 6 + "|\n"
    )
    near, far = (
        perform(r, seed=6, tone=Tone.CLEAN, flaws=Flaws(timing=5), rate_hz=44100)
        for r in (riff, other)
    )
    size = min(near.samples.size, far.samples.size)

    def extras(level: float) -> int:
        both = near.samples[:size] + np.float32(level) * far.samples[:size]
        return len(
            read_take(
                both, 44100, expand(riff), TakeInfo(start_s=near.start_s), ear=EAR
            ).extra_onsets
        )

    assert extras(0.05) == 0 and extras(1.0) >= 3, (
        "the same hits are extra ones where they are as loud as the player's"
    )


def test_up_strokes_rests_and_strings_are_measured_where_they_are_there() -> None:
    riff = parse_riff(
        "title: Rests\ntempo: 90\nstrokes: alternate\n[A]\n"
        + "| E5@6/0 o - o o m m o - " * 4
        + "|\n"
    )
    take = perform(riff, seed=3, tone=Tone.CLEAN, flaws=Flaws(timing=4, level=0.5))
    heard = read_take(
        take.samples, take.rate_hz, expand(riff), TakeInfo(start_s=take.start_s), ear=EAR
    )
    rests = [h.rest_db for h in heard.hits if h.rest_db is not None]
    assert len(rests) >= 6 and np.median(rests) < -15
    loose = perform(
        riff, seed=3, tone=Tone.CLEAN, flaws=Flaws(timing=4, level=0.5, stop=200, stop_spread=5)
    )
    late = read_take(
        loose.samples, loose.rate_hz, expand(riff), TakeInfo(start_s=loose.start_s), ear=EAR
    )
    assert np.median([h.rest_db for h in late.hits if h.rest_db is not None]) > np.median(rests) + 8
    assert all(h.strum_ms is None or 0 < h.strum_ms < 13 for h in heard.hits)


def test_a_bias_inside_the_streams_own_spread_is_not_judged() -> None:
    take = perform(SLUICE, seed=9, tone=Tone.CLEAN, flaws=Flaws(timing=3, bias=18))
    for spread, judged in ((2.0, True), (30.0, False)):
        info = TakeInfo(start_s=take.start_s, delay_ms=0.0, delay_spread_ms=spread)
        reading = read_take(take.samples, take.rate_hz, expand(SLUICE), info, ear=EAR)
        assert (
            LeadOrLag.kind in {c.kind for c in find_findings(judge(reading, expand(SLUICE)))}
        ) is judged and reading.delay_spread_ms == spread


def test_two_readings_of_a_take_are_held_against_each_other() -> None:
    reading = base()
    assert compare(reading, reading).nothing
    hits = list(reading.hits)
    hits[3] = replace(
        hits[3],
        heard_articulation=HeardKind.DEAD
        if hits[3].heard_articulation is not HeardKind.DEAD
        else HeardKind.OPEN,
    )
    hits[5] = replace(hits[5], deviation_ms=(hits[5].deviation_ms or 0) + 9)
    hits[8] = replace(hits[8], state=HitState.MISSED, onset_s=None, deviation_ms=None)
    found = compare(reading, replace(reading, hits=hits))
    assert (found.renamed, found.moved, found.lost, found.found) == (
        1,
        1,
        1,
        0,
    ) and found.hits == len(hits)


def test_a_take_at_another_tempo_keeps_it_and_one_as_written_is_left_alone() -> None:
    take = perform(
        SLUICE,
        seed=12,
        tempo_bpm=float(SLUICE.tempo_bpm) * 1.012,
        tone=Tone.CRUNCH,
        flaws=Flaws(timing=9),
    )
    other = read_take(take.samples, take.rate_hz, expand(SLUICE), ear=EAR)
    assert other.tempo_bpm == pytest.approx(take.tempo_bpm, rel=0.002)
    plain, expanded = taken()
    assert read_take(plain.samples, plain.rate_hz, expanded, ear=EAR).tempo_bpm == pytest.approx(
        float(SLUICE.tempo_bpm)
    )
