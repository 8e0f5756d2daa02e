"""Verbs on rigs that join core, formats and store."""

import tempfile
from functools import lru_cache
from pathlib import Path

import numpy as np
from sqlmodel import Session

from thrumble.actions.sound import fetch
from thrumble.core.ear.measure.articulation import Profile
from thrumble.core.errors import BadAudio, NotAllowed, NotFound
from thrumble.core.riff.model import Articulation
from thrumble.core.rig.palm import (
    ExampleHit,
    MeasuredExample,
    measure_example,
    measure_single,
    profile_of,
)
from thrumble.formats.audio import read_audio, write_flac
from thrumble.store.rig import rigs
from thrumble.store.rig.rigs import Example
from thrumble.store.takes import corrections, readings, takes
from thrumble.trained import EAR

KINDS = {
    "open": (Articulation.OPEN, None),
    "light": (Articulation.PALM, 0.25),
    "full": (Articulation.PALM, 0.6),
    "tight": (Articulation.PALM, 0.9),
    "dead": (Articulation.DEAD, None),
}
KIND_OF = {Articulation.OPEN: "open", Articulation.DEAD: "dead"}
FINDER = "finder"
CHECKED = "check"  # a sound check: what was asked there is known
CORRECTION = "correction"  # its depth is the ear's own word, and teaches nothing about depth
MAX_EXAMPLES = 60
LIGHT_DEPTH, TIGHT_DEPTH = 0.4, 0.75  # a palm lighter or tighter than this is kept as such
CUT_S, LEAD_S = 1.0, 0.08


def keep_example(
    session: Session,
    player_id: int,
    tone_id: int,
    *,
    kind: str,
    samples: np.ndarray,
    rate_hz: int,
    origin: str = "finder",
) -> Example:
    """Keeps one hit as an example of a tone, once it has proved to hold a hit. Raises BadAudio,
    NotAllowed when there are enough.
    """
    if kind not in KINDS:
        raise BadAudio(f"an example is one of {', '.join(KINDS)}; found {kind[:20]!r}")
    if len(rigs.examples_of(session, player_id, tone_id)) >= MAX_EXAMPLES:
        raise NotAllowed(
            f"this tone has {MAX_EXAMPLES} examples, which is plenty: remove some first"
        )
    hit = measure_single(samples, rate_hz, ear=EAR)
    data, _ = write_flac(np.asarray(samples, dtype=np.float32), rate_hz)
    return rigs.add_example(
        session,
        player_id,
        tone_id,
        kind=kind,
        data=data,
        rate_hz=rate_hz,
        depth=hit.depth,
        origin=origin,
    )


def profile_from(stored: list[tuple[str, str, bytes]]) -> Profile:
    """Build a tone's profile from its stored examples (kind, origin, sound); empty without any."""
    examples = []
    for kind, origin, data in stored:
        example = _example_hit(data)
        articulation, depth = KINDS[kind]
        if example is not None:
            examples.append(
                MeasuredExample(
                    example, articulation, depth if origin in (FINDER, CHECKED) else None
                )
            )
    return profile_of(examples)


@lru_cache(maxsize=4 * MAX_EXAMPLES)
def _example_hit(data: bytes) -> ExampleHit | None:
    """What the ear sees of an example, None if it detects no hit. Cached: the same ones come
    with every take of a tone.
    """
    sound = read_audio(data)
    try:
        return measure_example(sound.samples, sound.rate_hz, ear=EAR)
    except BadAudio:
        return None


def correct_hit(
    session: Session,
    player_id: int,
    take_id: int,
    *,
    index: int,
    round_: int,
    articulation: str,
    join: bool,
) -> None:
    """Keeps the player's word on a hit; what was heard stays. With `join` its sound becomes an
    example of the take's tone.

    Raises NotFound if the reading has no such hit, NotAllowed if it was not played or the
    take has no tone to join.
    """
    take = takes.get_take(session, player_id, take_id)
    reading = readings.get_reading(session, player_id, take_id)
    place = (
        [k for k, h in enumerate(reading.hits) if (h.index, h.round) == (index, round_)]
        if reading
        else []
    )
    if reading is None or not place:
        raise NotFound("this take has no such hit")
    hit = reading.hits[place[0]]
    if hit.onset_s is None:
        raise NotAllowed("this hit wasn't played, so there is nothing to correct")
    corrections.delete_correction(session, player_id, take_id, index, round_)
    kind = Articulation(articulation)
    example_id = None
    if join:
        if take.tone_id is None:
            raise NotAllowed(
                "this take was played without a tone chosen: choose one on the Play screen before "
                "the next take, then hits can join it"
            )
        after = [
            h.onset_s for h in reading.hits if h.onset_s is not None and h.onset_s > hit.onset_s
        ]
        samples, rate_hz = _cut(session, player_id, take_id, hit.onset_s, min(after, default=1e9))
        depth = hit.mute_depth if hit.mute_depth is not None else 0.6
        name = KIND_OF.get(kind) or _depth_name(depth)
        example_id = keep_example(
            session,
            player_id,
            take.tone_id,
            kind=name,
            samples=samples,
            rate_hz=rate_hz,
            origin=CORRECTION,
        ).id
    classified = hit.heard_articulation.value if hit.heard_articulation else "unsure"
    corrections.put_correction(
        session,
        player_id,
        take_id,
        index=index,
        round_=round_,
        articulation=kind.value,
        classified=classified,
        example_id=example_id,
    )


def _cut(
    session: Session, player_id: int, take_id: int, onset_s: float, next_s: float
) -> tuple[np.ndarray, int]:
    """A hit's own sound out of its stored take."""
    with tempfile.TemporaryDirectory(prefix="thrumble-") as folder:
        path = Path(folder) / "take"
        fetch(session, player_id, take_id, path)
        pieces, rate_hz = cut_from(path, [(onset_s, next_s)])
        return pieces[0], rate_hz


def cut_from(path: Path, spans: list[tuple[float, float]]) -> tuple[list[np.ndarray], int]:
    """Hits' own sounds out of their take, each faded in before it and out before the next: samples
    of shape (frames,) each, and their rate. `spans`: onsets and those of the next hits, seconds.
    The take is gone through once.
    """
    sound = read_audio(path)
    rate = sound.rate_hz
    bounds = [
        (
            max(0, int((onset_s - LEAD_S) * rate)),
            int(min(onset_s + CUT_S, next_s - 0.005) * rate),
        )
        for onset_s, next_s in spans
    ]
    parts: list[list[np.ndarray]] = [[] for _ in bounds]
    at = 0
    for block in sound.blocks():
        for part, (begin, end) in zip(parts, bounds, strict=True):
            if begin < at + block.shape[0] and end > at:
                inside = block[max(0, begin - at) : max(0, end - at)]
                part.append(inside.mean(axis=1, dtype=np.float32))
        at += block.shape[0]
    return [_faded_in(np.concatenate(part), rate) for part in parts], rate


def _faded_in(piece: np.ndarray, rate_hz: int) -> np.ndarray:
    """The hit before is not part of this one."""
    fade = min(piece.size, int(0.04 * rate_hz))
    piece[:fade] *= np.linspace(0, 1, fade, dtype=np.float32) ** 3
    return piece


def _depth_name(depth: float) -> str:
    if depth < LIGHT_DEPTH:
        return "light"
    return "tight" if depth > TIGHT_DEPTH else "full"
