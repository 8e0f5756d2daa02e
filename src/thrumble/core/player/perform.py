"""The simulated guitarist: riff, flaws and a seed in; samples and the truth about every hit out.
Same seed, same sound, to the bit.
"""

import itertools
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np

from thrumble.core.music.feel import Feel
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.guitars import Guitar, ModelGuitar
from thrumble.core.player.noises import add_noises
from thrumble.core.player.rendering import Plan, PlayedHit, render
from thrumble.core.player.sound import Amplifier, Setup, Tone, amplify, draw_setup
from thrumble.core.pulse.click import click_times, click_track
from thrumble.core.riff.expand import DueHit, ExpandedRiff, expand
from thrumble.core.riff.model import Articulation, Riff, Section, Stroke
from thrumble.core.riff.ramps import ramp_runs
from thrumble.core.signal import Samples

GAP_BEFORE_NEXT_S = (0.000, 0.012)
RAMP_RISE_DB = 6.0
SHIFT_FRETS = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class Performance:
    """A take of the simulated player: mono samples and what was really played."""

    samples: Samples
    rate_hz: int
    start_s: float
    tempo_bpm: float
    tone: Tone
    hits: tuple[PlayedHit, ...]
    click_s: tuple[float, ...]


def perform(
    riff: Riff,
    *,
    tempo_bpm: float | None = None,
    seed: int = 0,
    tone: Tone = Tone.CRUNCH,
    flaws: Flaws | None = None,
    rounds: int = 1,
    rate_hz: int = 48000,
    lead_s: float = 1.0,
    click_db: float | None = None,
    setup: Setup | None = None,
    guitar: Callable[[Setup, np.random.Generator], Guitar] = ModelGuitar,
    altered: Callable[[Setup], Setup] | None = None,
    amplifier: Amplifier = amplify,
) -> Performance:
    """Plays `rounds` of a riff. `lead_s`: silence before the pick-up or bar 1; `click_db`: bleed of
    the click below the peak, None without;
    `guitar` draws what is played on; `altered` changes what was drawn of strings, amplifier and
    room; `amplifier` makes the recording of the strings' sound."""
    flaws = flaws or Flaws()
    rng = np.random.default_rng(seed)
    expanded = expand(riff, tempo_bpm)
    swung = expand(_with_swing(riff, flaws.swing), tempo_bpm) if flaws.swing else expanded
    setup = setup or draw_setup(tone, rng)
    setup = altered(setup) if altered else setup
    start_s = lead_s - expanded.begin_s
    plans = _plan(expanded, swung, flaws, rounds, start_s, rng)
    length_s = start_s + rounds * expanded.round_s + max(0.5, 60 / expanded.tempo_bpm) + 0.3
    strings, hits = render(riff, plans, guitar(setup, rng), length_s, rate_hz, rng)
    if flaws.touch or flaws.squeak:
        add_noises(strings, riff, plans, flaws, rate_hz, np.random.default_rng([seed, 9]))
    samples = amplifier(strings, setup, rate_hz=rate_hz, rng=rng)
    clicks = click_times(expanded, rounds=rounds, count_in_bars=1)
    times = tuple(start_s + t for t, _ in clicks if start_s + t >= 0)
    if click_db is not None:
        track = click_track(clicks, start_s=start_s, rate_hz=rate_hz, frames=samples.size)
        samples = samples + track * np.float32(10 ** (click_db / 20))
    samples = np.asarray(
        samples * (0.7 / max(1e-6, float(np.max(np.abs(samples))))), dtype=np.float32
    )
    return Performance(
        samples=samples,
        rate_hz=rate_hz,
        start_s=start_s,
        tempo_bpm=expanded.tempo_bpm,
        tone=setup.tone,
        hits=hits,
        click_s=times if click_db is not None else (),
    )


def _with_swing(riff: Riff, ratio: float) -> Riff:
    """The riff with every shuffle at another ratio."""
    new = Fraction(ratio).limit_denominator(1000)

    def changed(feel: Feel) -> Feel:
        return feel if feel.ratio is None else replace(feel, ratio=new)

    sections: tuple[Section, ...] = tuple(
        replace(s, feel=changed(s.feel) if s.feel else None) for s in riff.sections
    )
    return replace(riff, feel=changed(riff.feel), sections=sections)


# --- what the player means to do ------------------------------------------------------------------


def _plan(
    expanded: ExpandedRiff,
    swung: ExpandedRiff,
    flaws: Flaws,
    rounds: int,
    start_s: float,
    rng: np.random.Generator,
) -> list[Plan]:
    plans: list[Plan] = []
    count = rounds * len(expanded.hits)
    total_s = rounds * expanded.round_s
    before: DueHit | None = None
    for n in range(rounds):
        for due, real in zip(expanded.hits, swung.hits, strict=True):
            if due.bar == 0 and n > 0:
                continue
            at_s = n * expanded.round_s
            share = max(0.0, (at_s + due.due_s) / total_s)
            spread_ms = float(np.hypot(flaws.timing, flaws.tiring * share))
            late_ms = flaws.bias + float(np.clip(rng.normal(0, 1), -2.6, 2.6)) * spread_ms
            if flaws.shift and before is not None and _shift_frets(before, due) >= SHIFT_FRETS:
                late_ms += float(rng.uniform(0.7, 1.3)) * flaws.shift
            before = due
            late_ms -= flaws.drift / expanded.tempo_bpm * (at_s + due.due_s) ** 2 / 120 * 1000
            late_ms = float(np.clip(late_ms, -480 * due.slot_s, 480 * due.slot_s))
            number = len(plans)
            plans.append(_plan_hit(due, real, n + 1, start_s + at_s, late_ms, flaws, rng))
            if number < flaws.begin or number >= count - flaws.end:
                plans[-1].played, plans[-1].not_reached = False, True
    _swell(plans)
    plans = _with_extras(plans, flaws, rng)
    _end_before_next(plans, rng)
    _end_drones(plans)
    return plans


def _shift_frets(before: DueHit, due: DueHit) -> int:
    """How far the hand moves between two hits, in frets; open strings ask for no move."""
    places = [[n.fret for n in d.hit.notes if n.fret] for d in (before, due)]
    return abs(min(places[1]) - min(places[0])) if all(places) else 0


def _plan_hit(
    due: DueHit,
    real: DueHit,
    number: int,
    base_s: float,
    late_ms: float,
    flaws: Flaws,
    rng: np.random.Generator,
) -> Plan:
    hit = due.hit
    articulation = hit.articulation
    if rng.random() < flaws.wrong:
        articulation = _other(articulation, rng)
    elif (articulation is Articulation.PALM and rng.random() < flaws.ringing) or (
        articulation is Articulation.OPEN and rng.random() < flaws.choked
    ):
        articulation = _other(articulation, None)
    written = float(hit.depth) if hit.depth is not None else 0.6
    depth = float(np.clip(written + rng.normal(0, 0.08), 0, 1))
    gain = (
        float(rng.normal(0, flaws.level))
        + (4.0 if hit.accent else 0.0)
        - (1.0 if hit.stroke is Stroke.UP else 0.0)
        - (5.0 if hit.legato else 0.0)
    )
    cut_short = hit.stop or hit.staccato
    late_stop_ms = (
        float(np.clip(rng.normal(flaws.stop, flaws.stop_spread), -40, 1000)) if cut_short else 0.0
    )
    end_s = base_s + real.end_s + late_stop_ms / 1000
    time_s = base_s + real.due_s + late_ms / 1000
    strays = (
        tuple(sorted({int(rng.integers(1, 4))} - {n.string for n in hit.notes}))
        if rng.random() < flaws.stray
        else ()
    )
    off = (
        int(rng.choice([-2, -1, 1, 2]))
        if flaws.fret
        and rng.random() < flaws.fret
        and any(n.fret and n.fret > 2 for n in hit.notes)
        else 0
    )
    return Plan(
        due=due,
        round=number,
        expected_s=base_s + due.due_s,
        slot_s=due.slot_s,
        time_s=time_s,
        articulation=articulation,
        depth=depth,
        gain_db=gain,
        end_s=max(end_s, time_s + 0.03),
        ring_end="stop" if cut_short else "release",
        strays=strays,
        fret_error=off,
        stop_late_ms=late_stop_ms if hit.stop else None,
        played=rng.random() >= flaws.missed,
    )


def _other(articulation: Articulation, rng: np.random.Generator | None) -> Articulation:
    """Another articulation: open and palm change places, dead comes out palm; with luck a dead
    hit.
    """
    if rng is not None and rng.random() < 0.2 and articulation is not Articulation.DEAD:
        return Articulation.DEAD
    return Articulation.PALM if articulation is not Articulation.PALM else Articulation.OPEN


def _with_extras(plans: list[Plan], flaws: Flaws, rng: np.random.Generator) -> list[Plan]:
    """Adds hits that are not in the riff, about half way to the next one where there is room."""
    out: list[Plan] = []
    for plan in plans:
        out.append(plan)
        if plan.played and plan.slot_s > 0.12 and rng.random() < flaws.extra:
            at_s = plan.time_s + plan.slot_s * float(rng.uniform(0.4, 0.6))
            articulation = Articulation.DEAD if rng.random() < 0.5 else Articulation.PALM
            out.append(
                replace(
                    plan,
                    due=None,
                    time_s=at_s,
                    expected_s=at_s,
                    articulation=articulation,
                    gain_db=plan.gain_db + flaws.extra_level,
                    strays=(),
                    end_s=at_s + 0.2,
                    ring_end="release",
                    stop_late_ms=None,
                )
            )
    return out


def _swell(plans: list[Plan]) -> None:
    """Mute ramps get louder from their first hit to their last."""
    hits = [plan.due.hit for plan in plans if plan.due]
    for run in ramp_runs(hits):
        for k, place in enumerate(run):
            plans[place].gain_db += RAMP_RISE_DB * (k / (len(run) - 1) - 0.5)


def _end_drones(plans: list[Plan]) -> None:
    """Strings that ring on do so until one of them is struck again, or the hand stops all."""
    played = [plan for plan in plans if plan.played and plan.due]
    for number, plan in enumerate(played):
        rings = _strings(plan, ringing=True)
        if not rings:
            continue
        if plan.ring_end == "stop":
            continue
        ends = [
            other.time_s if _strings(other) & rings else other.end_s
            for other in played[number + 1 :]
            if _strings(other) & rings or other.ring_end == "stop"
        ]
        plan.drones_end_s = max(plan.end_s, ends[0] if ends else played[-1].end_s)


def _strings(plan: Plan, *, ringing: bool = False) -> set[int]:
    notes = plan.due.hit.notes if plan.due else ()
    return {note.string for note in notes if note.let_ring or not ringing}


def _end_before_next(plans: list[Plan], rng: np.random.Generator) -> None:
    """No hit rings into the next one: the hand leaves or the palm lands a moment before it."""
    played = [p for p in plans if p.played]
    for plan, following in itertools.pairwise(played):
        cut = (
            following.time_s - float(rng.uniform(*GAP_BEFORE_NEXT_S))
            if following.articulation is not Articulation.OPEN
            else following.time_s
        )
        if plan.ring_end == "release" or cut < plan.end_s:
            # a written end without a judged silence is let ring until the next hit
            plan.end_s, plan.ring_end = max(cut, plan.time_s + 0.01), "next"
    if played and played[-1].ring_end == "release":
        played[-1].end_s, played[-1].ring_end = played[-1].time_s + 30, "end"
