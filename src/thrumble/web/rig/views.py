"""The rig screens: words and places for instrument, delay, levels, tones and single hits."""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from thrumble.core.counting import counted, days_ago
from thrumble.core.instrument import SCALES, TUNINGS
from thrumble.core.rig.calibration import SOUND_MS_PER_M
from thrumble.core.rig.fret_hand import ChordString, Releases, StringState
from thrumble.core.rig.levels import Loudness, Silence
from thrumble.core.rig.palm import LIGHTEST, TIGHTEST, Place, Repeatability, SingleHit
from thrumble.store.rig.rigs import Calibration, Example, Rig, ToneProfile
from thrumble.web.drawings.palm import PalmScale, palm_scale, place_on_scale

SOUNDS = ("clean", "crunch", "high gain")
EXAMPLE_KINDS = ("open", "light", "full", "tight", "dead")
WANTED_EACH = 4
PLACE_WORDS = {
    Place.BACK: "too far back",
    Place.POCKET: "in the pocket",
    Place.FORWARD: "too far forward",
}
PLACE_ADVICE = {
    Place.BACK: "It rings: move your palm a touch towards the neck, or press a touch more.",
    Place.POCKET: "Tight, and you can still hear the pitch.",
    Place.FORWARD: "Choked: the pitch is gone. Move your palm back towards the bridge.",
}
STEADY, LOOSE = 0.05, 0.12  # spread of depth over eight hits


@dataclass(frozen=True, slots=True)
class RigTab:
    """A rig in the row of rigs."""

    rig_id: int
    name: str
    here: bool


@dataclass(frozen=True, slots=True)
class ToneCard:
    """A tone on the rig's page. `ready`: enough examples of every kind that matters."""

    tone_id: int
    name: str
    sound: str
    level: str
    examples: str
    ready: bool


@dataclass(frozen=True, slots=True)
class DelayCard:
    """The delay of one device as this browser knows it."""

    figure: str
    device: str
    words: str


@dataclass(frozen=True, slots=True)
class RigView:
    """The rig's page."""

    rig_id: int
    name: str
    tuning: str
    capo: int
    scale_mm: str
    scales: list[tuple[str, str]]
    left_handed: bool
    chain: str
    meta: str
    tabs: list[RigTab]
    in_use: bool
    tones: list[ToneCard]
    delays: list[DelayCard]
    takes: str
    tunings: dict[str, str]
    sounds: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ExampleGroup:
    """The kept examples of one kind."""

    kind: str
    count: int
    newest: int | None
    pips: list[bool]
    over: str


@dataclass(frozen=True, slots=True)
class ToneView:
    """A tone's bench: level and palm finder."""

    tone_id: int
    rig_id: int
    name: str
    sound: str
    rig: str
    left_handed: bool
    level: list[tuple[str, str]]
    warnings: list[str]
    groups: list[ExampleGroup]
    total: int
    scale: PalmScale


@dataclass(frozen=True, slots=True)
class CalibrationView:
    """The calibration page."""

    delays: list[DelayCard]
    ms_per_m: float
    ms_per_m_words: str


def rig_view(
    rig: Rig,
    rigs: list[Rig],
    tones: list[tuple[ToneProfile, list[Example]]],
    delays: list[Calibration],
    takes: int,
) -> RigView:
    """The page of one rig among all."""
    tuning = " ".join(rig.tuning)
    hand = "left-handed" if rig.left_handed else "right-handed"
    capo = f"capo {rig.capo}" if rig.capo else "no capo"
    meta = " · ".join(
        part
        for part in (
            f"{len(rig.tuning)} strings, {tuning}",
            capo,
            f"{rig.scale_mm:g} mm",
            hand,
            rig.chain,
        )
        if part
    )
    return RigView(
        rig_id=rig.id,
        name=rig.name,
        tuning=tuning,
        capo=rig.capo,
        scale_mm=f"{rig.scale_mm:g}",
        scales=[(f"{mm:g}", f"{name}, {mm:g} mm") for name, mm in SCALES.items()],
        left_handed=rig.left_handed,
        chain=rig.chain,
        meta=meta,
        tabs=[RigTab(r.id, r.name, r.id == rig.id) for r in sorted(rigs, key=lambda r: r.id)],
        in_use=rigs[0].id == rig.id,
        tones=[_tone_card(tone, examples) for tone, examples in tones],
        delays=delay_cards(delays),
        takes=f"{counted(takes, 'take')} played on it",
        tunings=TUNINGS,
        sounds=SOUNDS,
    )


def _tone_card(tone: ToneProfile, examples: list[Example]) -> ToneCard:
    kinds = {example.kind for example in examples}
    ready = {"open", "full"} <= kinds and len(examples) >= WANTED_EACH
    words = f"{counted(len(examples), 'example')} kept" if examples else "no examples yet"
    level = "level not checked"
    if tone.level and tone.level.get("peak_db") is not None:
        level = f"peaks at {tone.level['peak_db']:.0f} dB"
    return ToneCard(tone.id, tone.name, tone.sound, level, words, ready)


def delay_cards(delays: list[Calibration]) -> list[DelayCard]:
    """The newest measurement of each device and rate."""
    seen: set[tuple[str, int]] = set()
    out = []
    for delay in delays:
        if (delay.device, delay.rate_hz) in seen:
            continue
        seen.add((delay.device, delay.rate_hz))
        out.append(
            DelayCard(
                f"{delay.delay_ms:.1f} ms",
                f"{delay.device or 'input'} at {delay.rate_hz / 1000:g} kHz",
                delay_words(delay),
            )
        )
    return out


def delay_words(calibration: Calibration) -> str:
    """How good a measurement is, and how old."""
    spread = (
        "not checked over several openings"
        if calibration.spread_ms is None
        else f"varies by {calibration.spread_ms:.2f} ms each time the input is opened"
    )
    how = (
        "measured by knocking, so it includes your own timing"
        if calibration.kind == "drum"
        else "measured with the click"
    )
    days = (datetime.now(UTC) - calibration.created_at).days
    return (
        f"{how}; repeats within {calibration.repeat_ms:.2f} ms; {spread}; measured {days_ago(days)}"
    )


def calibration_view(delays: list[Calibration]) -> CalibrationView:
    return CalibrationView(delay_cards(delays), SOUND_MS_PER_M, f"{SOUND_MS_PER_M:.1f}")


def tone_view(tone: ToneProfile, rig: Rig, examples: list[Example]) -> ToneView:
    """A tone with its last level check and its examples."""
    rows, warnings = level_words(tone.level)
    groups = []
    for kind in EXAMPLE_KINDS:
        of_kind = [example for example in examples if example.kind == kind]
        pips, more = [n < len(of_kind) for n in range(WANTED_EACH)], len(of_kind) - WANTED_EACH
        groups.append(
            ExampleGroup(
                kind,
                len(of_kind),
                of_kind[-1].id if of_kind else None,
                pips,
                f"+{more}" if more > 0 else "",
            )
        )
    return ToneView(
        tone_id=tone.id,
        rig_id=rig.id,
        name=tone.name,
        sound=tone.sound,
        rig=rig.name,
        left_handed=rig.left_handed,
        level=rows,
        warnings=warnings,
        groups=groups,
        total=len(examples),
        scale=palm_scale(left_handed=rig.left_handed),
    )


def level_document(
    silence: Silence | None, loudness: Loudness | None, before: dict[str, Any] | None
) -> dict[str, Any]:
    """A level check as it is stored: what was measured now over what was known before."""
    document = dict(before or {})
    for problem in (silence, loudness):
        if problem is not None:
            document |= {name: getattr(problem, name) for name in type(problem).__slots__}
    return document


def level_words(level: dict[str, Any] | None) -> tuple[list[tuple[str, str]], list[str]]:
    """Rows of figures, and what to change."""
    if not level:
        return [], []
    rows, warnings = [], []
    if level.get("floor_db") is not None:
        rows.append(("noise floor", f"{level['floor_db']:.0f} dB"))
        if level.get("hum_hz"):
            rows.append(("hum", f"{level['hum_hz']:.0f} Hz at {level['hum_db']:.0f} dB"))
            warnings.append(
                f"Mains hum of {level['hum_hz']:.0f} Hz: turn away from power supplies and "
                "screens, or try another socket."
            )
        else:
            rows.append(("hum", "none found"))
    if level.get("peak_db") is not None:
        rows += [
            ("hardest chord", f"{level['peak_db']:.1f} dB"),
            ("headroom", f"{level['headroom_db']:.1f} dB"),
        ]
        if level.get("above_floor_db") is not None:
            rows.append(("above the noise", f"{level['above_floor_db']:.0f} dB"))
        change = level.get("gain_change_db")
        rows.append(
            (
                "turn the input",
                "leave it"
                if change is None
                else f"{'up' if change > 0 else 'down'} by {abs(change):.0f} dB",
            )
        )
        if level.get("clipped"):
            warnings.append(
                "The hardest chords are clipped: turn the input down, then check again."
            )
        if level.get("gated"):
            warnings.append(
                f"A noise gate cuts the tails at {level['gate_at_db']:.0f} dB: rings and stops end "
                "there, not with your hand. Lower its threshold."
            )
    return rows, warnings


def hit_document(hit: SingleHit, steady: Repeatability | None) -> dict[str, Any]:
    """One hit for the palm finder's script: where to draw it and what to say."""
    decay = "rings on" if hit.decay_s is None else f"{hit.decay_s * 1000:.0f} ms"
    chances = " · ".join(
        f"{name} {p:.0%}" for name, p in zip(("open", "palm", "dead"), hit.chances, strict=True)
    )
    return {
        "at": place_on_scale(hit.scale, LIGHTEST, TIGHTEST),
        "depth": hit.depth,
        "place": hit.place.value,
        "words": PLACE_WORDS[hit.place],
        "advice": PLACE_ADVICE[hit.place],
        "decay": decay,
        "clarity": f"{hit.clarity:.0%}",
        "level": f"{hit.level_db:.0f} dB",
        "depth_words": f"{hit.depth:.2f}",
        "chances": chances,
        "steady": steady_words(steady),
    }


def steady_words(repeatability: Repeatability | None) -> str:
    """How repeatable the hand is."""
    if repeatability is None:
        return "three more hits show how steady your hand is"
    how = "steady" if repeatability.spread <= STEADY else "fairly steady"
    if repeatability.spread > LOOSE:
        how = "loose"
    return (
        f"{how}: depth spreads by {repeatability.spread:.2f} over the last "
        f"{repeatability.hits} hits, "
        f"{repeatability.in_pocket} in the pocket"
    )


def releases_document(releases: Releases) -> dict[str, Any]:
    """The fret-hand check for its script."""

    def number(value: float | None, form: str) -> str:
        return "not measured" if value is None else f"{value:{form}}"

    return {
        "words": releases.words,
        "fall": number(releases.fall_ms, ".0f"),
        "left": number(releases.left_db, ".0f"),
        "late": number(releases.late_ms, "+.0f"),
        "each": [
            {
                "late": number(r.late_ms, "+.0f"),
                "fall": number(r.fall_ms, ".0f"),
                "left": number(r.left_db, ".0f"),
                "fall_ms": r.fall_ms,
                "left_db": r.left_db,
            }
            for r in releases.each
        ],
    }


def strings_document(strings: list[ChordString]) -> dict[str, Any]:
    """A held chord, string by string."""
    bad = [
        s for s in strings if s.state in (StringState.DAMPED, StringState.BUZZES, StringState.WEAK)
    ]
    words = (
        "Every string rings clear."
        if not bad
        else "; ".join(f"string {s.string} {_verb(s.state)}" for s in bad) + "."
    )
    return {
        "words": words[:1].upper() + words[1:],
        "each": [
            {
                "string": s.string,
                "state": s.state.value,
                "level": "" if s.level_db is None else f"{s.level_db:+.0f} dB",
                "fall": "" if s.fall_db_per_s is None else f"{s.fall_db_per_s:.0f} dB/s",
            }
            for s in sorted(strings, key=lambda s: -s.string)
        ],
    }


def _verb(state: StringState) -> str:
    return {
        StringState.DAMPED: "is half muted: press closer behind the fret",
        StringState.BUZZES: "buzzes: press harder, or closer behind the fret",
    }.get(state, "barely sounds: check the finger on it")
