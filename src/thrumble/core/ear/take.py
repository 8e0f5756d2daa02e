"""The ear's one entry: samples, rate and the due hits in, a Reading out. Same input, same output,
to the bit.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.align.clicks import (
    Clicks,
    click_channel,
    find_clicks,
    start_by_clicks,
    without,
)
from thrumble.core.ear.align.echoes import without_echo
from thrumble.core.ear.align.matching import extra_hits, gaps_between, match_hits
from thrumble.core.ear.align.onsets import NO_CANDIDATES, Candidates, find_candidates, likely
from thrumble.core.ear.align.start import fit_given, fit_unknown
from thrumble.core.ear.cautions import CLIP_NO_LEVELS, Basis, find_cautions
from thrumble.core.ear.front.bleed import without_bleed
from thrumble.core.ear.front.conditioning import (
    Conditioned,
    Recording,
    condition_recording,
    in_memory,
)
from thrumble.core.ear.front.echo import without_echo_effect
from thrumble.core.ear.front.envelope import Envelope
from thrumble.core.ear.front.spectrum import bands_of
from thrumble.core.ear.measure import summary
from thrumble.core.ear.measure.articulation import NO_PROFILE, Profile
from thrumble.core.ear.measure.hits import Matched, TakeSound, bare_hits, read_hits
from thrumble.core.ear.measure.ramps import measure_ramps
from thrumble.core.ear.measure.unjudged import without_guesses, without_own_strings, without_repeats
from thrumble.core.ear.model.ear import Decisions, Ear
from thrumble.core.ear.model.network import Array
from thrumble.core.ear.reading import ExtraOnset, HitReading, HitState, Reading, StartSource
from thrumble.core.pulse.click import click_times
from thrumble.core.riff.expand import DueHit, ExpandedRiff
from thrumble.core.signal import Samples

COUNT_IN_BARS = 2  # before bar 1 clicks may be heard from here on
EDGE_S = 0.03  # a hit this much before a round begins belongs to it
GIVE_UP_HITS = (
    4  # so many in a row, none heard, at either end: the take begins late or ends early there
)


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeInfo:
    """What is known about a take besides its audio.

    `start_s`: file time of bar 1 beat 1 as the player heard it, None if unknown.
    `delay_ms`: the measured latency already contained in `start_s`, None if never measured;
    `delay_spread_ms`: how much it varies each time the input is opened.
    `rounds`: passes through the riff, None to estimate them. `dropouts`: what the recorder noticed,
    in words. `profile`: the player's own examples of this tone.
    `accompaniment`: what sounded beside the take, at WORK_RATE_HZ in file time.
    `continues_previous`, `continues_next`: the loop was already running when the take begins, or
    goes on after it ends.
    """

    start_s: float | None = None
    delay_ms: float | None = None
    delay_spread_ms: float | None = None
    rounds: int | None = 1
    dropouts: tuple[str, ...] = ()
    profile: Profile = NO_PROFILE
    accompaniment: Samples | None = None
    continues_previous: bool = False
    continues_next: bool = False


@dataclass(frozen=True, slots=True)
class _Due:
    """All due hits of all rounds: the hit, its round, its time from bar 1 beat 1 as written."""

    hits: list[tuple[DueHit, int]]
    due_s: Array


@dataclass(frozen=True, slots=True)
class _Placed:
    """The due hits in file time, and by how much the player lags behind them all along."""

    start_s: float
    stretch: float
    source: StartSource
    expected_s: Array
    lag_s: float
    certain: bool


def read_take(
    samples: NDArray[np.floating[Any]],
    rate_hz: int,
    expanded: ExpandedRiff,
    info: TakeInfo | None = None,
    *,
    ear: Ear,
) -> Reading:
    """`read_recording` for samples at hand: floats, shape (n,) or (n, channels), nominally within
    [-1, 1].
    """
    return read_recording(in_memory(samples, rate_hz), expanded, info, ear=ear)


def read_recording(
    recording: Recording,
    expanded: ExpandedRiff,
    info: TakeInfo | None = None,
    *,
    ear: Ear,
) -> Reading:
    """Hears a take of a known riff.

    Silence gives a Reading with the caution `nothing_heard`. Raises BadAudio if the sound itself
    cannot be used.
    """
    info = info or TakeInfo()
    aside = click_channel(recording)
    reference = None if aside is None else condition_recording(recording, (aside,))
    others = None if aside is None else tuple(c for c in range(recording.channels) if c != aside)
    conditioned = condition_recording(recording, others)
    bleed = None
    if info.accompaniment is not None:
        conditioned, bleed = without_bleed(conditioned, info.accompaniment)
    conditioned, delay_s = without_echo_effect(conditioned)
    sound = TakeSound(
        conditioned,
        bands_of(conditioned.samples),
        Envelope(conditioned.samples),
        levels=conditioned.clipped_share < CLIP_NO_LEVELS,
    )
    candidates = (
        find_candidates(sound.envelope, sound.bands, ear)
        if not conditioned.silent
        else NO_CANDIDATES
    )
    clicks = find_clicks(conditioned.samples, sound.bands, candidates)
    candidates = likely(without(candidates, clicks), ear.decisions)
    if bleed is not None:
        candidates = candidates.where(~bleed.explains(conditioned.samples, candidates.times_s))
    if reference is not None:
        clicks = _clicks_of(reference, ear)
    due = _due_hits(expanded, info.rounds or _guess_rounds(candidates, expanded))
    due = _with_neighbours(due, info, expanded, conditioned.duration_s)
    placed = _place(candidates, due, info, clicks, expanded, ear.decisions)
    hits: list[HitReading] = []
    extras: list[ExtraOnset] = []
    chosen, echo_s, novelty = np.zeros(0, dtype=np.intp), None, 0.0
    if placed is not None:
        candidates, chosen, echo_s = _match(candidates, placed, due, ear.decisions)
    if placed is not None and (chosen >= 0).any():
        states = _states(placed.expected_s, chosen, conditioned.duration_s)
        extra = extra_hits(candidates, chosen, ear.decisions)
        matched = Matched(due.hits, placed.expected_s, states, chosen, extra, placed.stretch)
        hits, extras, novelty = read_hits(
            sound, candidates, matched, expanded.riff, ear, info.profile
        )
    else:
        placed, hits = None, bare_hits(due.hits, due.due_s)
    extras, echo_s = without_repeats(extras, hits, echo_s)
    echo_s = delay_s if delay_s is not None else echo_s
    due, hits, extras = _within_take(due, hits, extras, info, expanded)
    return _reading(
        conditioned,
        recording.rate_hz,
        expanded,
        info,
        due,
        placed,
        hits,
        extras,
        clicks.times_s.size,
        echo_s,
        novelty > ear.decisions.familiar_to,
        ear.version,
    )


def _clicks_of(reference: Conditioned, ear: Ear) -> Clicks:
    """The clicks of a channel that holds nothing else."""
    bands = bands_of(reference.samples)
    return find_clicks(
        reference.samples, bands, find_candidates(Envelope(reference.samples), bands, ear)
    )


def _due_hits(expanded: ExpandedRiff, rounds: int) -> _Due:
    hits = [
        (due, n + 1) for n in range(rounds) for due in expanded.hits if not (due.bar == 0 and n > 0)
    ]
    return _Due(hits, np.array([due.due_s + (n - 1) * expanded.round_s for due, n in hits]))


def _with_neighbours(due: _Due, info: TakeInfo, expanded: ExpandedRiff, duration_s: float) -> _Due:
    """With the hits of the rounds before and after that lie within the sound, as rounds 0 and one
    more: they are no extra hits, and end the ring of those before them.
    """
    if info.start_s is None or not (info.continues_previous or info.continues_next):
        return due
    rounds = max(number for _, number in due.hits)
    played = [hit for hit in expanded.hits if hit.bar >= 1]
    around = [0] * info.continues_previous + [rounds + 1] * info.continues_next
    near = [
        (hit, number)
        for number in around
        for hit in played
        if 0 <= info.start_s + hit.due_s + (number - 1) * expanded.round_s < duration_s - EDGE_S
    ]
    own_hits = [pair for pair in due.hits if not (info.continues_previous and pair[0].bar == 0)]
    hits = sorted([*own_hits, *near], key=lambda pair: (pair[1], pair[0].index))
    return _Due(hits, np.array([hit.due_s + (n - 1) * expanded.round_s for hit, n in hits]))


def _within_take(
    due: _Due,
    hits: list[HitReading],
    extras: list[ExtraOnset],
    info: TakeInfo,
    expanded: ExpandedRiff,
) -> tuple[_Due, list[HitReading], list[ExtraOnset]]:
    """The hits that belong to the take itself, without the neighbouring passes that were analysed
    with it.
    """
    if info.start_s is None or not (info.continues_previous or info.continues_next):
        return due, hits, extras
    rounds = info.rounds or 1
    in_rounds = [1 <= number <= rounds for _, number in due.hits]
    first_s = info.start_s - EDGE_S if info.continues_previous else -np.inf
    end_s = info.start_s + rounds * expanded.round_s - EDGE_S if info.continues_next else np.inf
    return (
        _Due(
            [pair for pair, inside in zip(due.hits, in_rounds, strict=True) if inside],
            due.due_s[in_rounds],
        ),
        [hit for hit, inside in zip(hits, in_rounds, strict=True) if inside],
        [extra for extra in extras if first_s <= extra.onset_s < end_s],
    )


def _guess_rounds(candidates: Candidates, expanded: ExpandedRiff) -> int:
    """How often the riff was played, from how long strong onsets go on."""
    strong = candidates.times_s[candidates.log_odds > 0]
    if strong.size < 2:
        return 1
    return max(1, round(float(strong[-1] - strong[0]) / expanded.round_s))


def _place(
    candidates: Candidates,
    due: _Due,
    info: TakeInfo,
    clicks: Clicks,
    expanded: ExpandedRiff,
    decisions: Decisions,
) -> _Placed | None:
    """Where the due hits lie in the file; None if next to nothing was heard."""
    if info.start_s is not None:
        lag = fit_given(candidates, due.due_s + info.start_s)
        expected = due.due_s + info.start_s
        return _Placed(info.start_s, 1.0, StartSource.GIVEN, expected, lag, certain=True)
    fit = fit_unknown(candidates, due.due_s, decisions)
    if fit is None:
        return None
    rounds = max(number for _, number in due.hits)
    beats = np.array(
        [t for t, _ in click_times(expanded, rounds=rounds, count_in_bars=COUNT_IN_BARS)]
    )
    by_clicks = start_by_clicks(clicks, beats, fit.start_s, fit.stretch)
    start_s, stretch = by_clicks or (fit.start_s, fit.stretch)
    expected = start_s + stretch * due.due_s
    lag = fit_given(candidates, expected) if by_clicks else 0.0
    source = StartSource.CLICK if by_clicks else StartSource.FITTED
    return _Placed(start_s, stretch, source, expected, lag, certain=fit.score - fit.runner_up > 6)


def _match(
    candidates: Candidates, placed: _Placed, due: _Due, decisions: Decisions
) -> tuple[Candidates, NDArray[np.intp], float | None]:
    """The candidates that are no echo, which of them each due hit took, -1 if none, shape (due
    hits,), and the echo's lag in seconds, None without one.
    """
    gaps_s, near_s = gaps_between(placed.expected_s), placed.expected_s + placed.lag_s
    chosen = match_hits(candidates, near_s, decisions, gaps_s=gaps_s).chosen
    kinds = np.array([hit.hit.articulation.value for hit, _ in due.hits])
    echo_mask, echo_s = without_echo(candidates, chosen, kinds, decisions)
    if echo_s is not None:
        chosen = match_hits(echo_mask, near_s, decisions, gaps_s=gaps_s).chosen
    return echo_mask, chosen, echo_s


def _states(expected_s: Array, chosen: NDArray[np.intp], duration_s: float) -> list[HitState]:
    """Played or missed; a silent run at either end, or outside the file, was not reached."""
    matched = chosen >= 0
    states = [HitState.PLAYED if f else HitState.MISSED for f in matched]
    matched_rows = np.flatnonzero(matched)
    first, last = (
        (int(matched_rows[0]), int(matched_rows[-1])) if matched_rows.size else (len(states), -1)
    )
    for k in range(len(states)):
        outside = expected_s[k] < 0 or expected_s[k] > duration_s - 0.03
        leading, trailing = (
            k < first and first >= GIVE_UP_HITS,
            k > last and len(states) - 1 - last >= GIVE_UP_HITS,
        )
        if not matched[k] and (outside or leading or trailing):
            states[k] = HitState.NOT_REACHED
    return states


def _reading(
    conditioned: Conditioned,
    rate_hz: int,
    expanded: ExpandedRiff,
    info: TakeInfo,
    due: _Due,
    placed: _Placed | None,
    hits: list[HitReading],
    extras: list[ExtraOnset],
    clicks: int,
    echo_s: float | None,
    novelty: bool,
    engine: str,
) -> Reading:
    given = info.start_s is not None
    source, start_s, stretch = StartSource.FITTED, None, 1.0
    if placed:
        source, start_s, stretch = placed.source, round(placed.start_s, 5), placed.stretch
    if given:
        source, start_s = StartSource.GIVEN, info.start_s
    anchored = source is not StartSource.FITTED
    judged = given and info.delay_ms is not None
    extras = without_own_strings(extras, hits, due.hits)
    hits, unjudged = without_guesses(hits, due.hits)
    cautions = find_cautions(_basis(conditioned, info, placed, clicks, echo_s, novelty), hits)
    return Reading(
        tempo_bpm=round(expanded.tempo_bpm / stretch, 3),
        start_s=start_s,
        start_source=source,
        sample_rate=rate_hz,
        duration_s=round(conditioned.duration_s, 4),
        rounds=max(n for _, n in due.hits),
        hits=hits,
        extra_onsets=extras,
        summary=summary.summarise(hits, extras, due.hits, expanded, bias_known=anchored),
        cautions=cautions + unjudged,
        delay_ms=info.delay_ms,
        delay_spread_ms=info.delay_spread_ms,
        bias_judged=judged,
        ramps=measure_ramps(hits, due.hits),
        profile_hits=len(info.profile.kinds),
        engine=engine,
    )


def _basis(
    conditioned: Conditioned,
    info: TakeInfo,
    placed: _Placed | None,
    clicks: int,
    echo_s: float | None,
    novelty: bool,
) -> Basis:
    return Basis(
        nothing_heard=placed is None,
        silent=conditioned.silent,
        dropouts=info.dropouts,
        clipped_share=conditioned.clipped_share,
        source=placed.source if placed is not None else StartSource.GIVEN,
        clicks=clicks,
        certain=placed is not None and placed.certain,
        calibrated=info.delay_ms is not None,
        echo_ms=None if echo_s is None else round(echo_s * 1000),
        strange=novelty,
        examples=len(info.profile.kinds),
    )
