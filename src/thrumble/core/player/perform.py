"""The simulated guitarist: riff, flaws and a seed in; samples and the truth about every hit out. Same seed, same sound, to the bit."""

import itertools
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np

from thrumble.core.music.feel import Feel
from thrumble.core.music.pitch import frequency_hz
from thrumble.core.player.click import click_times, click_track
from thrumble.core.player.flaws import Flaws
from thrumble.core.player.sound import Setup, Tone, amplify, draw_setup
from thrumble.core.player.strings import Damping, Pluck, pluck
from thrumble.core.riff.expand import DueHit, ExpandedRiff, expand
from thrumble.core.riff.model import Articulation, Riff, Section, Stroke, note_midi, open_midi
from thrumble.core.signal import Samples, rms_db

GAP_BEFORE_NEXT_S = (0.000, 0.012)
SHIFT_FRETS = 5
RELEASE = Damping(0.035, 0.015)


@dataclass(frozen=True, slots=True, kw_only=True)
class PlayedHit:
    """The truth about one hit; `index` None where it is not in the riff. Times in seconds from the file's start."""

    index: int | None
    expected_s: float
    slot_ms: float
    planned: Articulation | None
    played: bool
    onset_s: float | None = None
    articulation: Articulation | None = None
    ring_s: float | None = None
    ring_end: str | None = None
    level_db: float | None = None
    stray_strings: tuple[int, ...] = ()
    depth: float | None = None
    strum_ms: float | None = None
    stop_late_ms: float | None = None
    not_reached: bool = False
    round: int = 1


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


@dataclass(slots=True)
class _Plan:
    """One hit as the player is about to play it."""

    due: DueHit | None
    round: int
    expected_s: float
    slot_s: float
    time_s: float
    articulation: Articulation
    depth: float
    gain_db: float
    end_s: float  # when the hand stops it
    ring_end: str
    stop_late_ms: float | None
    strays: tuple[int, ...]
    played: bool = True
    not_reached: bool = False


def perform(
    riff: Riff, *, tempo_bpm: float | None = None, seed: int = 0, tone: Tone = Tone.CRUNCH, flaws: Flaws | None = None,
    rounds: int = 1, rate_hz: int = 48000, lead_s: float = 1.0, click_db: float | None = None, setup: Setup | None = None,
) -> Performance:  # fmt: skip
    """Plays `rounds` of a riff. `lead_s`: silence before the pick-up or bar 1; `click_db`: bleed of the click below the peak, None without."""
    flaws = flaws or Flaws()
    rng = np.random.default_rng(seed)
    expanded = expand(riff, tempo_bpm)
    swung = expand(_with_swing(riff, flaws.swing), tempo_bpm) if flaws.swing else expanded
    setup = setup or draw_setup(tone, rng)
    start_s = lead_s - expanded.begin_s
    plans = _plan(expanded, swung, flaws, rounds, start_s, rng)
    length_s = start_s + rounds * expanded.round_s + max(0.5, 60 / expanded.tempo_bpm) + 0.3
    strings, hits = _render(riff, plans, setup, length_s, rate_hz, rng)
    samples = amplify(strings, setup, rate_hz=rate_hz, rng=rng)
    clicks = click_times(expanded, rounds=rounds, count_in_bars=1)
    times = tuple(start_s + t for t, _ in clicks if start_s + t >= 0)
    if click_db is not None:
        track = click_track(clicks, start_s=start_s, rate_hz=rate_hz, frames=samples.size)
        samples = samples + track * np.float32(10 ** (click_db / 20))
    samples = np.asarray(samples * (0.7 / max(1e-6, float(np.max(np.abs(samples))))), dtype=np.float32)
    return Performance(
        samples=samples, rate_hz=rate_hz, start_s=start_s, tempo_bpm=expanded.tempo_bpm, tone=setup.tone,
        hits=hits, click_s=times if click_db is not None else (),
    )  # fmt: skip


def _with_swing(riff: Riff, ratio: float) -> Riff:
    """The riff with every shuffle at another ratio."""
    new = Fraction(ratio).limit_denominator(1000)

    def changed(feel: Feel) -> Feel:
        return feel if feel.ratio is None else replace(feel, ratio=new)

    sections: tuple[Section, ...] = tuple(replace(s, feel=changed(s.feel) if s.feel else None) for s in riff.sections)
    return replace(riff, feel=changed(riff.feel), sections=sections)


# --- what the player means to do -------------------------------------------------------------------------------------


def _plan(expanded: ExpandedRiff, swung: ExpandedRiff, flaws: Flaws, rounds: int, start_s: float, rng: np.random.Generator) -> list[_Plan]:
    plans: list[_Plan] = []
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
    plans = _with_extras(plans, flaws, rng)
    _end_before_next(plans, rng)
    return plans


def _shift_frets(before: DueHit, due: DueHit) -> int:
    """How far the hand moves between two hits, in frets; open strings ask for no move."""
    places = [[n.fret for n in d.hit.notes if n.fret] for d in (before, due)]
    return abs(min(places[1]) - min(places[0])) if all(places) else 0


def _plan_hit(due: DueHit, real: DueHit, number: int, base_s: float, late_ms: float, flaws: Flaws, rng: np.random.Generator) -> _Plan:
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
    asked = hit.stop or hit.staccato
    late_stop_ms = float(np.clip(rng.normal(flaws.stop, flaws.stop_spread), -40, 1000)) if asked else 0.0
    end_s = base_s + real.end_s + late_stop_ms / 1000
    time_s = base_s + real.due_s + late_ms / 1000
    strays = tuple(sorted({int(rng.integers(1, 4))} - {n.string for n in hit.notes})) if rng.random() < flaws.stray else ()
    return _Plan(
        due=due, round=number, expected_s=base_s + due.due_s, slot_s=due.slot_s, time_s=time_s, articulation=articulation, depth=depth,
        gain_db=gain, end_s=max(end_s, time_s + 0.03), ring_end="stop" if asked else "release", strays=strays,
        stop_late_ms=late_stop_ms if hit.stop else None, played=rng.random() >= flaws.missed,
    )  # fmt: skip


def _other(articulation: Articulation, rng: np.random.Generator | None) -> Articulation:
    """Another articulation: open and palm change places, dead comes out palm; with luck a dead hit."""
    if rng is not None and rng.random() < 0.2 and articulation is not Articulation.DEAD:
        return Articulation.DEAD
    return Articulation.PALM if articulation is not Articulation.PALM else Articulation.OPEN


def _with_extras(plans: list[_Plan], flaws: Flaws, rng: np.random.Generator) -> list[_Plan]:
    """Adds hits that are not in the riff, about half way to the next one where there is room."""
    out: list[_Plan] = []
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
                    gain_db=plan.gain_db - 3,
                    strays=(),
                    end_s=at_s + 0.2,
                    ring_end="release",
                    stop_late_ms=None,
                )
            )
    return out


def _end_before_next(plans: list[_Plan], rng: np.random.Generator) -> None:
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


# --- how it sounds ---------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class _Hands:
    """The player's hands and strings in this take."""

    pick_place: float
    pick_width_s: float
    scrape: float
    palm_low: float  # factor on the palm's decay times
    palm_high: float
    thump: float
    pitch_rise_cents: float
    sustain_s: float
    bright_s: float


def _draw_hands(rng: np.random.Generator) -> _Hands:
    """Wide on purpose: dull old strings, bright new ones, hands that mute by a breath or like a clamp."""

    def between(low: float, high: float) -> float:
        return float(np.exp(rng.uniform(np.log(low), np.log(high))))

    return _Hands(
        pick_place=float(rng.uniform(0.05, 0.24)), pick_width_s=between(0.0003, 0.0022), scrape=float(rng.uniform(0.05, 1.2)),
        palm_low=between(0.55, 2.0), palm_high=between(0.45, 2.0), thump=float(rng.uniform(0.0, 0.5)),
        pitch_rise_cents=float(rng.uniform(0, 18)), sustain_s=between(1.2, 7.0), bright_s=between(0.22, 1.7),
    )  # fmt: skip


def damping_of(articulation: Articulation, depth: float, hands: _Hands) -> Damping:
    """What holds a string for an articulation; a palm from light (depth 0) to tight (1)."""
    if articulation is Articulation.OPEN:
        return Damping(hands.sustain_s, hands.bright_s)
    if articulation is Articulation.PALM:
        return Damping(1.3 * hands.palm_low * 0.11**depth, 0.22 * hands.palm_high * 0.16**depth)
    return Damping(0.075 * hands.palm_low**0.5, 0.05 * hands.palm_high**0.5)


def _render(
    riff: Riff, plans: list[_Plan], setup: Setup, length_s: float, rate_hz: int, rng: np.random.Generator
) -> tuple[Samples, tuple[PlayedHit, ...]]:
    total = np.zeros(int(length_s * rate_hz), dtype=np.float32)
    hands = _draw_hands(rng)
    truths: list[tuple[PlayedHit, float]] = []
    for plan in plans:
        expected = PlayedHit(
            index=plan.due.index if plan.due else None, expected_s=plan.expected_s, slot_ms=plan.slot_s * 1000,
            planned=plan.due.hit.articulation if plan.due else None, played=plan.played, not_reached=plan.not_reached, round=plan.round,
        )  # fmt: skip
        if not plan.played:
            truths.append((expected, 0.0))
            continue
        sound, first_s, onset, strum_ms = _strike(riff, plan, hands, setup, total.size / rate_hz, rate_hz, rng)
        at = round(first_s * rate_hz)
        room = sound[: max(0, total.size - at)]
        total[at : at + room.size] += room
        onset_s = at / rate_hz + onset
        ring_s, ring_end = _ring(sound[round(onset * rate_hz) :], plan.end_s - onset_s, plan.ring_end, rate_hz)
        begin = round(onset * rate_hz)
        level = rms_db(sound[begin : begin + int(0.06 * rate_hz)])
        truths.append((
            replace(
                expected, onset_s=onset_s, articulation=plan.articulation, ring_s=ring_s, ring_end=ring_end, level_db=level,
                stray_strings=plan.strays, depth=plan.depth if plan.articulation is Articulation.PALM else None, strum_ms=strum_ms,
                stop_late_ms=plan.stop_late_ms if ring_end == "stop" else None,  # a hand on a string that has died is not heard
            ), level,
        ))  # fmt: skip
    levels = [level for hit, level in truths if hit.played]
    middle = float(np.median(levels)) if levels else 0.0
    return total, tuple(replace(hit, level_db=round(level - middle, 1)) if hit.played else hit for hit, level in truths)


def _strike(
    riff: Riff, plan: _Plan, hands: _Hands, setup: Setup, until_s: float, rate_hz: int, rng: np.random.Generator
) -> tuple[Samples, float, float, float]:  # fmt: skip
    """The sound of one hit, the file time of its first sample, its onset from there, and the time between its first and last string."""
    hit = plan.due.hit if plan.due else None
    pitches = _pitches(riff, plan, rng)
    if hit is not None and hit.stroke is Stroke.UP:
        pitches = pitches[::-1]
    strum_s = 0.0 if len(pitches) == 1 else float(rng.uniform(0.001, 0.012))
    length_s = min(max(plan.end_s - plan.time_s, 0.05) + 0.25, 12.0, max(0.05, until_s - plan.time_s))
    damping = damping_of(plan.articulation, plan.depth, hands)
    frames = int((length_s + strum_s) * rate_hz) + 1
    sound = np.zeros(frames, dtype=np.float32)
    first: Samples | None = None
    for k, midi in enumerate(pitches):
        delay = round(strum_s * k / max(1, len(pitches) - 1) * rate_hz)
        string = _string(midi, plan, damping, hands, setup, length_s, delay / rate_hz, rate_hz, rng)
        first = string if first is None else first
        part = string[: frames - delay]
        sound[delay : delay + part.size] += part
    if plan.articulation is not Articulation.OPEN:
        _add_knock(sound, plan, hands, rate_hz, rng)
    for string_number in plan.strays:
        stray = _string(
            open_midi(riff, string_number), plan, Damping(hands.sustain_s, hands.bright_s), hands, setup, length_s, strum_s, rate_hz, rng
        )
        part = stray[: frames - round(strum_s * rate_hz)]
        sound[frames - part.size :] += part * np.float32(0.3)
    assert first is not None
    return sound, plan.time_s, _onset(first, rate_hz), strum_s * 1000


def _pitches(riff: Riff, plan: _Plan, rng: np.random.Generator) -> list[float]:
    """What sounds, low string first, as MIDI numbers; a dead string is touched anywhere and gives no pitch of its own."""
    notes = plan.due.hit.notes if plan.due else ()
    if plan.articulation is Articulation.DEAD:
        strings = [n.string for n in notes] or [len(riff.tuning)]
        return [open_midi(riff, s) + float(rng.uniform(2, 19)) for s in strings]
    known = [float(m) for n in notes if (m := note_midi(riff, n)) is not None]
    return known or [float(open_midi(riff, notes[0].string if notes else len(riff.tuning)))]


def _string(
    midi: float, plan: _Plan, damping: Damping, hands: _Hands, setup: Setup, length_s: float, delay_s: float, rate_hz: int, rng: np.random.Generator
) -> Samples:  # fmt: skip
    legato = plan.due is not None and plan.due.hit.legato is not None
    rise = hands.pitch_rise_cents * plan.depth / 100 if plan.articulation is Articulation.PALM else 0.0
    how = Pluck(
        frequency_hz=frequency_hz(midi + rise + float(rng.normal(0, 0.03))), strength=10 ** (plan.gain_db / 20) * float(rng.uniform(0.85, 1.15)),
        pick_place=float(np.clip(hands.pick_place * rng.uniform(0.85, 1.15), 0.03, 0.4)),
        pick_width_s=hands.pick_width_s * (2.5 if legato else float(rng.uniform(0.85, 1.2))), scrape=0.05 if legato else hands.scrape,
    )  # fmt: skip
    release_s = max(0.005, plan.end_s - plan.time_s - delay_s)
    wave = pluck(how, [(0.0, damping), (release_s, RELEASE)], length_s=length_s, rate_hz=rate_hz, rng=rng)
    comb = max(1, int(setup.pickup_place * rate_hz / how.frequency_hz))
    heard = wave.copy()
    heard[comb:] -= wave[:-comb] if comb < wave.size else 0
    return heard


def _add_knock(sound: Samples, plan: _Plan, hands: _Hands, rate_hz: int, rng: np.random.Generator) -> None:
    """The palm's thump, or the click of dead strings against the frets."""
    n = min(sound.size, int(0.04 * rate_hz))
    t = np.arange(n) / rate_hz
    level = 10 ** (plan.gain_db / 20)
    if plan.articulation is Articulation.PALM:
        sound[:n] += (
            np.float32(level * hands.thump * 0.25) * np.sin(2 * np.pi * 90 * t).astype(np.float32) * np.exp(-t / 0.012).astype(np.float32)
        )
    else:
        noise = np.convolve(rng.standard_normal(n), np.hanning(9) / 4.5, "same") * np.exp(-t / 0.008)
        sound[:n] += (level * 0.2 * noise).astype(np.float32)


def _onset(string: Samples, rate_hz: int) -> float:
    """Where the string, alone, first reaches a tenth of its peak of the first 200 ms; seconds."""
    size = np.abs(string[: int(0.2 * rate_hz)])
    return float(np.argmax(size >= 0.1 * size.max()) / rate_hz)


def _ring(sound: Samples, damped_s: float, ring_end: str, rate_hz: int) -> tuple[float, str]:
    """How long a hit rang: until damped or 30 dB under its peak, whichever came first."""
    n = max(1, int(0.01 * rate_hz))
    count = sound.size // n
    levels = np.sqrt(np.mean(np.square(sound[: count * n].reshape(count, n), dtype=np.float64), axis=1)) if count else np.zeros(1)
    loud = np.nonzero(levels > levels.max() * 10 ** (-30 / 20))[0]
    decay_s = float((loud[-1] + 1) * n / rate_hz) if loud.size else 0.0
    if decay_s < damped_s:
        return round(decay_s, 4), "decay"
    return round(max(0.0, damped_s), 4), ring_end
