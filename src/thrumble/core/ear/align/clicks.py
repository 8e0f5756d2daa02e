"""The application's own click in a take: bleed from headphones, or a channel of its own. It is told
from hits by its known sound, taken out of
the candidates, and serves as the time reference if nobody wrote down when the take began."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from thrumble.core.ear.align.onsets import Candidates
from thrumble.core.ear.front.conditioning import WORK_RATE_HZ, Recording
from thrumble.core.ear.front.spectrum import BAND_EDGES_HZ, HOP_S, Bands
from thrumble.core.ear.model.network import Array
from thrumble.core.pulse.click import ACCENT_HZ, PLAIN_HZ, click_sound
from thrumble.core.signal import Samples, analytic
from thrumble.core.transforms import fft, ifft

LIKE = 0.6  # share of the sound at a candidate that is the click's own
REACH = 88  # samples to either side of a candidate, 4 ms
SIZE = 512  # holds the click's first 15 ms, where nearly all of it is, at every place within reach
# of the sound after a candidate, in the bands of the click's pitches: below it cannot be a click
MIN_SHARE = 0.3
MIN_CLICKS = 4
FADES_S = 0.06  # so soon after a click, what is like it is the same one fading
ON_GRID_S = 0.006
GRID_SHARE = 0.75
NEAR_S = 0.08  # a start found from the hits lies so near the click it belongs to
STRETCH = 0.03
CHANNEL_SHARE = 0.9
ROWS = 512


@dataclass(frozen=True, slots=True)
class Clicks:
    """Clicks that were heard: seconds from the file's start, increasing, and the candidates that
    they are.
    """

    times_s: Array
    candidates: NDArray[np.bool_]


def find_clicks(samples: Samples, bands: Bands, candidates: Candidates) -> Clicks:
    """The candidates whose sound is the click's: normalised correlation with both of its pitches,
    whatever their phase. Samples of shape (n,) at the working rate; no candidates, or fewer than
    four clicks, give none.
    """
    count = candidates.times_s.size
    likely = np.flatnonzero(_click_share(bands, candidates.times_s) > MIN_SHARE)
    best, places = np.zeros(count), np.array(candidates.times_s)
    for accent in (True, False) if likely.size >= MIN_CLICKS else ():
        sound = click_sound(WORK_RATE_HZ, accent=accent)[: SIZE - 2 * REACH - 1]
        spectrum = np.conj(fft(analytic(sound), SIZE)).astype(np.complex64)
        norm = float(np.sqrt(np.sum(sound.astype(np.float64) ** 2)))
        for rows in np.array_split(likely, -(-likely.size // ROWS)):
            centres = np.round(candidates.times_s[rows] * WORK_RATE_HZ).astype(int)
            index = centres[:, np.newaxis] - REACH + np.arange(sound.size + 2 * REACH)
            window = np.where(
                (index >= 0) & (index < samples.size),
                samples[np.clip(index, 0, samples.size - 1)],
                np.float32(0),
            )
            strength = np.abs(ifft(fft(window, SIZE) * spectrum))[:, : 2 * REACH + 1]
            energy = np.concatenate(
                [
                    np.zeros((len(window), 1)),
                    np.cumsum(np.square(window, dtype=np.float64), axis=1),
                ],
                axis=1,
            )
            power = np.sqrt(
                energy[:, sound.size : sound.size + 2 * REACH + 1]
                - energy[:, : 2 * REACH + 1]
                + 1e-9
            )
            like = strength / (norm * power)
            top = strength.argmax(
                axis=1
            )  # a fading tone is like itself at any later place, but never as strong
            value = like[np.arange(top.size), top]
            better = value > best[rows]
            best[rows] = np.where(better, value, best[rows])
            places[rows] = np.where(better, (centres - REACH + top) / WORK_RATE_HZ, places[rows])
    matching = best > LIKE
    if matching.sum() < MIN_CLICKS:
        return Clicks(np.zeros(0), np.zeros(count, dtype=bool))
    click_s = np.sort(places[matching])
    return Clicks(click_s[np.diff(click_s, prepend=-np.inf) > FADES_S], matching)


def _click_share(bands: Bands, times_s: Array) -> Array:
    """Share of the sound just after each time that lies in the bands around the click's two
    pitches.
    """
    frames = np.clip(
        np.round((times_s + 0.006) / HOP_S).astype(int), 0, bands.level_db.shape[0] - 1
    )
    power = np.power(10.0, bands.level_db[frames] / 10)
    centres = np.sqrt(BAND_EDGES_HZ[:-1] * BAND_EDGES_HZ[1:])
    shares = [
        power[:, np.abs(np.log2(centres / hz)) < 0.35].sum(axis=1) for hz in (ACCENT_HZ, PLAIN_HZ)
    ]
    return np.asarray(np.maximum(*shares) / power.sum(axis=1))


def without(candidates: Candidates, clicks: Clicks) -> Candidates:
    """The candidates that are not clicks."""
    return candidates.where(~clicks.candidates)


def start_by_clicks(
    clicks: Clicks, beats_s: Array, start_s: float, stretch: float
) -> tuple[float, float] | None:
    """Start and stretch by the clicks, near those found from the hits; None if the clicks lie on
    no such grid.

    beats_s : where clicks are due, seconds from bar 1 beat 1 as written, count-in included. Shape
    (beats,).
    """
    if clicks.times_s.size < MIN_CLICKS:
        return None
    for _ in range(3):
        due = start_s + stretch * beats_s
        nearest = np.abs(clicks.times_s[:, np.newaxis] - due).argmin(axis=1)
        off = clicks.times_s - due[nearest]
        middle = (
            float(np.median(off[np.abs(off) < NEAR_S])) if (np.abs(off) < NEAR_S).any() else np.inf
        )
        near = np.abs(off - middle) < 3 * ON_GRID_S
        if abs(middle) > NEAR_S or near.sum() < MIN_CLICKS or np.ptp(beats_s[nearest[near]]) <= 0:
            return None
        stretch, start_s = (
            float(x) for x in np.polyfit(beats_s[nearest[near]], clicks.times_s[near], 1)
        )
    due = start_s + stretch * beats_s
    on_grid = np.abs(clicks.times_s[:, np.newaxis] - due).min(axis=1) < ON_GRID_S
    return (
        (start_s, stretch) if on_grid.mean() >= GRID_SHARE and abs(stretch - 1) <= STRETCH else None
    )


def click_channel(recording: Recording) -> int | None:
    """The channel that carries nothing but the click; None if there is no such one, or no other
    beside it.
    """
    if recording.channels < 2:
        return None
    n = max(1, recording.rate_hz // 100)
    powers = _powers(recording, n)
    for channel in range(recording.channels):
        begins = _bursts(powers[:, channel])
        if begins is not None and _only_clicks(recording, channel, begins, n):
            return channel
    return None


def _pieces(recording: Recording, n: int) -> Iterator[NDArray[np.floating]]:
    """The recording in blocks of whole steps of n frames; what is left at its end is left out."""
    rest = np.zeros((0, recording.channels), dtype=np.float32)
    for block in recording.blocks():
        joined = np.concatenate([rest, block])
        whole = joined.shape[0] // n * n
        rest = joined[whole:]
        if whole:
            yield joined[:whole]


def _powers(recording: Recording, n: int) -> Array:
    """Power of every step of n frames, shape (steps, channels)."""
    steps = [
        np.square(p, dtype=np.float64).reshape(-1, n, recording.channels).sum(axis=1)
        for p in _pieces(recording, n)
    ]
    return np.concatenate(steps) if steps else np.zeros((0, recording.channels))


def _bursts(power: Array) -> NDArray[np.intp] | None:
    """The steps at which short bursts begin, if such bursts hold nearly all of a channel's
    power; else None.
    """
    count, total = power.size, float(power.sum())
    if total < 1e-6 or count < 50:
        return None
    loud = power > 0.05 * power.max()
    begins = np.flatnonzero(np.diff(np.concatenate([[0], loud.astype(np.int8)])) == 1)
    if begins.size < MIN_CLICKS or loud.mean() > 0.15:
        return None
    held = np.zeros(count, dtype=bool)
    for k in range(5):
        held[np.minimum(begins + k, count - 1)] = True
    return begins if power[held].sum() >= CHANNEL_SHARE * total else None


def _only_clicks(recording: Recording, channel: int, begins: NDArray[np.intp], n: int) -> bool:
    """Whether the bursts have the click's two pitches: some two dozen of them, spread over the
    take, are held against its sound.
    """
    wanted = [
        (max(0, (int(b) - 1) * n), (int(b) + 4) * n) for b in begins[:: max(1, begins.size // 24)]
    ]
    snippets: dict[int, list[NDArray[np.floating]]] = {first: [] for first, _ in wanted}
    at = 0
    for block in recording.blocks():
        for first, end in wanted:
            piece = block[max(0, first - at) : max(0, end - at), channel]
            if piece.size:
                snippets[first].append(piece)
        at += block.shape[0]
    likes = []
    for parts in snippets.values():
        piece = np.concatenate(parts).astype(np.float32)
        likes.append(max(_like(piece, recording.rate_hz, accent) for accent in (True, False)))
    return float(np.median(likes)) > LIKE


def _like(piece: Samples, rate_hz: int, accent: bool) -> float:
    sound = click_sound(rate_hz, accent=accent)
    size = 1 << (piece.size + sound.size).bit_length()
    strength = np.abs(
        np.fft.ifft(np.fft.fft(piece, size) * np.conj(np.fft.fft(analytic(sound), size)))
    )
    return float(strength.max() / (np.linalg.norm(sound) * np.linalg.norm(piece) + 1e-9))
