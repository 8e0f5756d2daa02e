"""A take's sound between the database and a file: chunks become one FLAC file, parts become a file
to decode or to send. Bounded memory throughout.
"""

import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from thrumble.core.errors import BadAudio
from thrumble.core.takes import RecorderReport
from thrumble.formats.audio import MAX_S, encode_flac
from thrumble.store.takes import takes
from thrumble.store.takes.takes import PART_BYTES, Take

ZERO_RUN = 128
SOUND = 1e-4
SILENCE = 1 << 16  # frames of a gap that are written at once
Spans = list[tuple[int, int]]


def parts_of(file: BinaryIO) -> Iterator[bytes]:
    """An open file from its beginning, in parts as the store keeps them."""
    file.seek(0)
    while part := file.read(PART_BYTES):
        yield part


def fetch(session: Session, player_id: int, take_id: int, path: Path) -> None:
    """Writes a take's stored file to a path. Raises NotFound if there is none."""
    with path.open("wb") as out:
        for part in takes.audio_parts(session, player_id, take_id):
            out.write(part)


def missing_spans(have: Spans, wanted: Spans) -> Spans:
    """The frames that are wanted and have not come in, in order; spans are first and behind-last
    frame.
    """
    missing: Spans = []
    for first, end in sorted(wanted):
        at = first
        for a, b in sorted(have):
            if b <= at or a >= end:
                continue
            if a > at:
                missing.append((at, a))
            at = max(at, b)
            if at >= end:
                break
        if at < end:
            missing.append((at, end))
    return missing


def join_chunks(session: Session, take: Take) -> None:
    """Makes one FLAC file of the chunks that a recording came in, and notes what was lost on the
    way. Raises BadAudio if nothing came in.
    """
    spans = takes.chunk_spans(session, take.player_id, take.id)
    rate_hz = take.rate_hz or 48000
    if not spans:
        raise BadAudio("no sound of this take arrived: discard it and play again")
    if max(end for _, end in spans) - spans[0][0] > MAX_S * rate_hz:
        raise BadAudio(
            "this take's frames lie too far apart to be one recording: discard it and play again"
        )
    joined = Joined(spans, lambda frame: takes.get_chunk(session, take.player_id, take.id, frame))
    with tempfile.TemporaryFile() as file:
        beyond = encode_flac(joined, rate_hz, file)
        report: dict[str, Any] = {**RecorderReport().noted(), **(take.recorder or {})}
        report["gap_frames"] = max(report["gap_frames"], joined.gap_frames)
        report["zero_runs"] = joined.zero_runs
        takes.put_audio(
            session,
            take.player_id,
            take.id,
            parts_of(file),
            beyond_full_scale=beyond,
            recorder=report,
        )


class Joined:
    """A recording from pieces placed by their frames, the first at its start. What is missing is
    silence, and counted.
    """

    def __init__(self, spans: Spans, load: Callable[[int], bytes]) -> None:
        self._spans, self._load = spans, load
        self.gap_frames = self.zero_runs = 0
        self._tail = np.zeros(0, dtype=np.float32)

    def __iter__(self) -> Iterator[NDArray[np.float32]]:
        at = self._spans[0][0]
        for first, end in self._spans:
            while at < first:
                step = min(SILENCE, first - at)
                self.gap_frames += step
                yield self._watched(np.zeros(step, dtype=np.float32))
                at += step
            if end > at:
                samples = np.nan_to_num(
                    np.frombuffer(self._load(first), dtype="<f4"), posinf=0.0, neginf=0.0
                )
                yield self._watched(samples[at - first :])
                at = end

    def _watched(self, samples: NDArray[np.float32]) -> NDArray[np.float32]:
        """Counts runs of zeros, also those across pieces: a run counts once sound follows it."""
        joined = np.concatenate([self._tail, samples])
        sound = np.flatnonzero(joined)
        if sound.size:
            self.zero_runs += zero_runs(joined[: sound[-1] + 1])
            joined = joined[max(0, sound[-1] - 63) :]
        elif not self._tail.size:
            return samples  # silence before the first sound is no gap
        self._tail = joined[: 64 + ZERO_RUN]
        return samples


def zero_runs(samples: NDArray[np.float32]) -> int:
    """Runs of 128 exact zeros or more with sound on both sides: packets the browser dropped."""
    zero = np.concatenate([[0], (samples == 0).astype(np.int8), [0]])
    edges = np.flatnonzero(np.diff(zero))
    starts, ends = edges[::2], edges[1::2]
    count = 0
    for start, end in zip(starts, ends, strict=True):
        before, after = samples[max(0, start - 64) : start], samples[end : end + 64]
        if (
            end - start >= ZERO_RUN
            and before.size
            and after.size
            and np.abs(before).max() > SOUND
            and np.abs(after).max() > SOUND
        ):
            count += 1
    return count
